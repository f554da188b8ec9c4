"""The data of Needs in memory: each part is read anew once a table of it changes, and what rests on it goes."""

import tempfile
import unittest
from dataclasses import fields
from datetime import date
from pathlib import Path
from unittest import mock

from sqlalchemy import func, insert, select, update

from bodkin.store.reads import load_needs as load_needs_module
from bodkin.store.reads.load_needs import NeedsTables, load_needs
from bodkin.store.tables import Answer, Item, MasteryEntry, Material, Program, Standard, Student
from tests.support import stage


class Parts(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        with cls.store.reading() as session:
            cls.student = session.scalars(select(Student.id)).first()
            cls.standard = session.scalars(select(Standard.id)).first()
            cls.answer = session.scalars(select(Answer.id)).first()

    def now(self, tables):
        """The data as it is held, which is the data read whole."""
        with self.store.reading() as session:
            found, whole = tables.current(session), load_needs(session, stage.TODAY)
        for one in fields(found):
            if one.name not in ("worked", "said"):
                self.assertTrue(getattr(found, one.name).equals(getattr(whole, one.name)), one.name)
        return found

    def after(self, change):
        """The data before and after a change."""
        tables = NeedsTables()
        before = self.now(tables)
        with self.store.writing(scores=True) as session:
            session.execute(change)
        return before, self.now(tables)

    def test_what_a_change_touches(self):
        """An entry leaves the tests, material leaves what was said too, an item leaves nothing, others everything."""
        entry = insert(MasteryEntry).values(
            student_id=self.student, standard_id=self.standard, state="nearly", day=date(2026, 10, 1), source="quiz"
        )
        material = insert(Material).values(standard_id=self.standard, title="Tide tables", link="shelf 4", check="")
        for change, kept in (
            (entry, ("answers", "worked", "materials")),
            (material, ("answers", "worked", "entries", "said")),
            (update(Item).values(dropped=True), ("entries", "materials")),
            (update(Program).values(name=Program.name + "."), ("answers", "entries", "materials", "worked", "said")),
        ):
            with self.subTest(change=str(change)):
                before, after = self.after(change)
                names = ("answers", "entries", "materials", "worked", "said")
                same = [name for name in names if getattr(before, name) is getattr(after, name)]
                self.assertEqual(same, [name for name in names if name in kept])

    def test_the_next_start_finds_the_answers(self):
        """They are read once by two processes; once an answer or an item changes they are read anew."""
        read = mock.Mock(side_effect=load_needs_module.load_answers)
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(load_needs_module, "MANY", 1):
            for change, reads in (
                (None, 1), (None, 1), (update(Program).values(name=Program.name + "!"), 1),
                (update(Answer).where(Answer.id == self.answer).values(points=0.5), 2),
                (update(Item).values(item=func.concat(Item.item, ".")), 3), (None, 3),
            ):  # fmt: skip
                if change is not None:
                    with self.store.writing(scores=True) as session:
                        session.execute(change)
                tables = NeedsTables(Path(folder))
                with self.store.reading() as session:
                    whole = load_needs(session, stage.TODAY)
                    with mock.patch.object(load_needs_module, "load_answers", read):
                        self.assertTrue(tables.current(session).answers.equals(whole.answers))
                self.assertEqual(read.call_count, reads)

    def test_a_session_of_before_sees_what_was_there(self):
        """What is held stays that of the newest version."""
        tables = NeedsTables()
        with self.store.reading() as old:
            before = load_needs(old, stage.TODAY).materials
            with self.store.writing(scores=False) as session:
                session.execute(insert(Material).values(standard_id=self.standard, title="New", link="", check=""))
            newest = self.now(tables)
            self.assertTrue(tables.current(old).materials.equals(before))
        self.assertIs(self.now(tables).materials, newest.materials)
