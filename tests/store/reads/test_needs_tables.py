"""The data of Needs in memory: each part is read anew once a table of it changes, and what rests on it goes."""

import unittest
from dataclasses import fields
from datetime import date

from sqlalchemy import insert, select, update

from bodkin.store.reads.load_needs import NeedsTables, load_needs
from bodkin.store.tables import Item, MasteryEntry, Material, Program, Standard, Student
from tests.support import stage


class Parts(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        with cls.store.reading() as session:
            cls.student = session.scalars(select(Student.id)).first()
            cls.standard = session.scalars(select(Standard.id)).first()

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
        tables = NeedsTables(stage.TODAY)
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

    def test_a_session_of_before_sees_what_was_there(self):
        """What is held stays that of the newest version."""
        tables = NeedsTables(stage.TODAY)
        with self.store.reading() as old:
            before = load_needs(old, stage.TODAY).materials
            with self.store.writing(scores=False) as session:
                session.execute(insert(Material).values(standard_id=self.standard, title="New", link="", check=""))
            newest = self.now(tables)
            self.assertTrue(tables.current(old).materials.equals(before))
        self.assertIs(self.now(tables).materials, newest.materials)
