"""Writes that are in each other's way: one after the other where that is asked for, else an error that says so."""

import threading
import unittest
from datetime import datetime
from unittest import mock

from sqlalchemy import delete, func, select, update

from bodkin.core.errors import StoreDown
from bodkin.store import database
from bodkin.store.tables import SchoolYear, SignInTry
from tests.support import stage


class Turns(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()

    def setUp(self):
        with self.store.noting() as session:
            session.execute(delete(SignInTry))

    def note(self, bucket):
        """How many rows of a bucket there are with one more, as whoever notes it sees them."""
        with self.store.noting_in_turn("count") as session:
            session.add(SignInTry(bucket=bucket, at=datetime(2027, 2, 12)))
            session.flush()
            return session.scalar(select(func.count()).where(SignInTry.bucket == bucket))

    def test_each_sees_what_those_before_noted(self):
        """Of twenty at once each counts another number, and none fails."""
        counts, begin = [], threading.Barrier(20)

        def one():
            begin.wait()
            counts.append(self.note("twenty"))

        threads = [threading.Thread(target=one) for _ in range(20)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(counts), list(range(1, 21)))

    def test_who_fails_keeps_nothing_and_holds_nobody_up(self):
        """An error ends the turn, and what was noted in it is gone."""
        with self.assertRaisesRegex(ZeroDivisionError, "on the way"), self.store.noting_in_turn("count") as session:
            session.add(SignInTry(bucket="gone", at=datetime(2027, 2, 12)))
            session.flush()
            raise ZeroDivisionError("on the way")
        self.assertEqual(self.note("gone"), 1)

    def test_whose_turn_does_not_come(self):
        """After some seconds one is told so; another word does not wait."""
        with mock.patch.object(database, "TURN_SECONDS", 0), self.store.noting_in_turn("count"):
            with self.assertRaisesRegex(StoreDown, "busy. Nothing was changed"), self.store.noting_in_turn("count"):
                self.fail("it is another's turn")
            with self.store.noting_in_turn("something else") as session:
                self.assertEqual(session.scalar(select(1)), 1)

    def test_two_that_wait_for_each_other(self):
        """The database gives one of the two changes up: that is an error in words, and the other is kept."""
        with self.store.reading() as session:
            one, two = session.scalars(select(SchoolYear.id).order_by(SchoolYear.id).limit(2))
        met, said = threading.Barrier(2), []

        def change(first, second):
            try:
                with self.store.noting() as session:
                    session.execute(update(SchoolYear).where(SchoolYear.id == first).values(name=SchoolYear.name))
                    met.wait()
                    session.execute(update(SchoolYear).where(SchoolYear.id == second).values(name=SchoolYear.name))
                    said.append("kept")
            except StoreDown as error:
                said.append(str(error))

        threads = [threading.Thread(target=change, args=pair) for pair in ((one, two), (two, one))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(said), [database.BUSY, "kept"])
