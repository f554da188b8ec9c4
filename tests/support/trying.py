"""Tests of reads and writes on the demo that are tried and rolled back, and rows as they are before and after."""

import unittest
from datetime import datetime

from sqlalchemy import select, text

from bodkin.store.tables import Person, Student
from bodkin.store.writes.undo import note, undo
from tests.support import stage

AT = datetime(2027, 2, 12, 10, 0)


class Trying(unittest.TestCase):
    """Everything here is tried and rolled back; the demo stays as it is."""

    def setUp(self):
        held = stage.demo().trying()
        self.session = held.__enter__()
        self.addCleanup(held.__exit__, None, None, None)
        self.people = list(self.session.scalars(select(Person.id).where(Person.login.is_not(None)).order_by(Person.id)))
        self.students = list(self.session.scalars(select(Student.student_id).order_by(Student.id.desc()).limit(3)))

    def rows(self, *tables):
        """Every row of some tables."""
        return [self.session.execute(text(f"SELECT * FROM `{name}` ORDER BY id")).all() for name in tables]

    def kept(self, before, kind="note"):
        """An act that holds changes; its key."""
        return note(self.session, kind, self.people[0], AT, "tried", before)

    def undone(self, act):
        """Take an act back."""
        self.session.expire_all()
        undo(self.session, act, self.people[0], anybody_s=False)
