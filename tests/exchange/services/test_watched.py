"""The watched folder: what needs nobody comes in, what needs a person waits with its reason, nothing is lost."""

import os
import tempfile
import time
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from unittest import mock

from sqlalchemy import func, select

from bodkin.api.setup.schedule import Clock
from bodkin.core.errors import BadInput, NotFound, StoreDown
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.services import watched
from bodkin.store.tables import Result
from tests.support import stage
from tests.support.answers import AS_IT_IS

HEAD = "student_id,assessment,subject,window,grade,score\n"
OTHER = "Student Number,Test,Subject,Term,Grade Level,Scale Score\n"


class Folder(unittest.TestCase):
    def setUp(self):
        self.store, self.url = stage.fresh(date(2026, 10, 1))
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.settings = replace(stage.settings(), watched=Path(folder.name) / "in", pinned=date(2026, 10, 1))

    def drop(self, name, content, age=60.0):
        path = self.settings.incoming / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content)
        os.utime(path, (time.time() - age, time.time() - age))
        return path

    def take(self):
        return dict(watched.take(self.store, self.settings))

    def results(self):
        with self.store.reading() as session:
            return session.scalar(select(func.count()).select_from(Result))

    def test_a_file_that_needs_nobody_comes_in_and_is_in_the_history(self):
        """As it is, and by the mapping that was confirmed for its shape."""
        self.drop("a.csv", HEAD + "S1,Tide,reading,2026-27 fall,3,500\n")
        self.assertEqual(self.take(), {"a.csv": "1 new, 0 changed"})
        text = OTHER + "S{},Tide,reading,Fall 2026,3,510\n"
        with self.store.writing(scores=True) as session:
            changes = Changes(confirmed=True, answers=AS_IT_IS)
            imports.bring_in(session, "f.csv", text.format(2).encode(), None, datetime(2026, 9, 1), changes)
        self.drop("b.csv", text.format(3))
        self.assertEqual(self.take(), {"b.csv": "1 new, 0 changed"})
        self.assertEqual(self.results(), 3)
        with self.store.reading() as session:
            self.assertEqual(
                [one.came_by for one in imports.history(session)], ["watched folder", None, "watched folder"]
            )
        # What was brought in lies beside, and the same again changes nothing.
        self.assertEqual(sorted(path.name for path in (self.settings.incoming / "done").iterdir()), ["a.csv", "b.csv"])
        self.drop("a.csv", HEAD + "S1,Tide,reading,2026-27 fall,3,500\n")
        self.assertEqual(self.take(), {"a.csv": "nothing new"})
        self.assertEqual(len(list((self.settings.incoming / "done").iterdir())), 3)

    def test_what_needs_a_person_waits_with_its_reason(self):
        """Guesses, questions, refused rows, files of no kind; nothing of them comes in."""
        self.drop("first.csv", HEAD + "S1,Tide,reading,2026-27 fall,3,500\n")
        self.take()
        for name, content, why in (
            ("guess.csv", OTHER + "S2,Tide,reading,Fall 2026,3,510\n", "guesses"),
            ("asked.csv", HEAD + "S2,TIDE,reading,2026-27 fall,3,510\n", "1 question is open"),
            ("refused.csv", HEAD + "S2,Tide,reading,2026-27 fall,3,51O\n", "line 2, column score"),
            ("nothing.csv", "a,b\n1,2\n", "cannot tell what kind of file"),
        ):
            self.drop(name, content)
            self.assertIn(why, self.take()[name])
        self.assertEqual(self.results(), 1)
        waiting = watched.waiting_files(self.settings)
        self.assertEqual({one.name for one in waiting}, {"guess.csv", "asked.csv", "refused.csv", "nothing.csv"})
        self.assertIn(b"TIDE", watched.waiting_content(self.settings, "asked.csv"))
        watched.give_up(self.settings, "asked.csv")
        self.assertEqual(len(watched.waiting_files(self.settings)), 3)
        for name in ("asked.csv", "../first.csv", ".guess.csv.json"):
            with self.assertRaises(NotFound):
                watched.waiting_content(self.settings, name)

    def test_files_that_are_still_on_their_way_are_left_alone(self):
        """Young ones, unfinished ones, hidden ones and folders."""
        for name, age in (("young.csv", 1), ("half.csv.part", 99), (".hidden.csv", 99)):
            self.drop(name, HEAD, age)
        (self.settings.incoming / "folder").mkdir()
        self.assertEqual(self.take(), {})
        self.assertTrue((self.settings.incoming / "young.csv").exists())

    def test_a_database_that_is_away_leaves_the_file_where_it_was(self):
        """It is looked at again the next minute."""
        path = self.drop("a.csv", HEAD + "S1,Tide,reading,2026-27 fall,3,500\n")
        with mock.patch.object(watched, "preview_all", side_effect=StoreDown("away")):
            self.take()
        self.assertTrue(path.exists())
        self.assertEqual(watched.waiting_files(self.settings), [])

    def test_the_clock_looks_in_the_hour_that_was_set(self):
        """In a process of its own, with the application's own day and folder."""
        self.drop("a.csv", HEAD + "S1,Tide,reading,2026-27 fall,3,500\n")
        with self.assertRaises(BadInput):
            watched.set_hour(self.store, 24)
        watched.set_hour(self.store, 3)
        self.assertEqual(watched.hour(self.store), 3)
        clock = Clock(self.store, self.settings)
        at = datetime(2026, 10, 1, 4, 0, tzinfo=UTC)
        asked = []
        with mock.patch(
            "bodkin.api.setup.schedule.subprocess.run",
            side_effect=lambda _, **given: asked.append(given) or mock.Mock(stdout="", stderr=""),
        ):
            clock.tick(at)
            self.assertEqual(asked, [])
            clock.tick(at.replace(hour=3))
        self.assertEqual(asked[0]["env"]["BODKIN_INCOMING"], str(self.settings.incoming))
        self.assertEqual(asked[0]["env"]["BODKIN_TODAY"], "2026-10-01")
