"""Rows made from other tables: once while those stay, over a restart too, and never from another database's file."""

import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import polars as pl
from sqlalchemy import select, update

from bodkin.store.ledger import new_identity
from bodkin.store.reads import kept
from bodkin.store.reads.kept import Kept
from bodkin.store.reads.table.made_rows import MadeRows
from bodkin.store.reads.table.score_table import RESULTS
from bodkin.store.reads.table.start_file import RowsFile
from bodkin.store.tables import Program, School, Standard
from tests.support import stage


class Made(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.schools = Kept(lambda session: sorted(session.scalars(select(School.name))))
        self.made = 0

    def make(self, session):
        """A row for each school and standard: schools as they are kept, standards read at once."""
        self.made += 1
        names = [*self.schools.current(session), *session.scalars(select(Standard.code))]
        return pl.DataFrame({**dict.fromkeys(RESULTS, None), "student_id": names}, schema=RESULTS)

    def asked(self, rows, keep=True):
        """The rows now, which are those made anew; and whether they had to be made."""
        with self.store.reading() as session:
            before = self.made
            found = rows.current(session, lambda: self.make(session), keep=keep)
            made = self.made > before
            self.assertEqual(found["student_id"].to_list(), self.make(session)["student_id"].to_list())
            return made

    def start(self):
        """Rows of a process that starts now."""
        return MadeRows(RowsFile(self.folder, "made"))

    def written(self, change):
        with self.store.writing(scores=True) as session:
            session.execute(change)

    def renamed(self, table):
        column = Standard.text if table is Standard else table.name
        return update(table).values({column: column + "."})

    def test_made_again_once_what_they_rest_on_changes(self):
        """A table that was read, or whose kept rows were used; not any other."""
        rows = self.start()
        self.assertTrue(self.asked(rows))
        self.assertFalse(self.asked(rows))
        for table, again in ((Program, False), (School, True), (Program, False), (Standard, True)):
            with self.subTest(table=table.__tablename__):
                self.written(self.renamed(table))
                self.assertEqual(self.asked(rows), again)
                self.assertFalse(self.asked(rows))

    def test_the_next_start_makes_none(self):
        """As long as what they rest on is as it was when they were kept."""
        self.assertTrue(self.asked(self.start()))
        self.written(self.renamed(Program))
        self.assertFalse(self.asked(self.start()))
        self.written(self.renamed(School))
        self.assertTrue(self.asked(self.start()))
        self.assertFalse(self.asked(self.start()))
        (kept,) = self.folder.glob("*.arrow")
        with self.store.reading() as session:
            schools = self.schools.current(session)
        self.assertEqual(pl.read_ipc(kept)["student_id"].head(len(schools)).to_list(), schools)

    def test_a_file_that_does_not_say_what_its_rows_rest_on(self):
        """They are made anew, and the file is whole again."""
        self.asked(self.start())
        said = self.folder / "made.json"
        said.write_text(
            json.dumps({name: one for name, one in json.loads(said.read_text()).items() if name != "tables"})
        )
        self.assertTrue(self.asked(self.start()))
        self.assertFalse(self.asked(self.start()))

    def test_another_database_s_rows_are_none(self):
        """A copy has a mark of its own, and the file goes."""
        self.asked(self.start())
        with self.store.engine.begin() as connection:
            new_identity(connection)
        self.assertTrue(self.asked(self.start()))

    def test_a_small_district_leaves_no_file(self):
        """Nor does what a larger one left stay."""
        self.asked(self.start())
        self.assertNotEqual(list(self.folder.iterdir()), [])
        self.written(self.renamed(School))
        self.asked(self.start(), keep=False)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_session_of_before_makes_them_for_itself(self):
        """What is held stays that of the newest version."""
        rows = self.start()
        self.asked(rows)
        with self.store.reading() as old:
            self.schools.current(old)
            self.written(self.renamed(School))
            self.assertTrue(self.asked(rows))
            before = self.made
            found = rows.current(old, lambda: self.make(old), keep=True)
            # Those of a moment ago are still there.
            self.assertEqual(self.made, before)
            with mock.patch.object(kept, "EARLIER_SECONDS", -1.0):
                self.written(self.renamed(School))
                self.assertTrue(self.asked(rows))
                found = rows.current(old, lambda: self.make(old), keep=True)
                self.assertEqual(self.made, before + 3)
            self.assertEqual(found["student_id"].to_list(), self.make(old)["student_id"].to_list())
        self.assertFalse(self.asked(rows))
