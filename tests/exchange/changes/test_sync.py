"""Rows of another system against a table: known by their sourcedId, else by what they name; written last."""

import unittest
from datetime import date, datetime

from sqlalchemy import select

from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.sync import Sync
from bodkin.store.tables import Enrolment, Import, Person, School, SchoolYear, Section, Student
from bodkin.store.writes.undo_imports import restore
from tests.support import stage


class Syncs(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()

    def carry_out(self, work):
        """Work a sync out and write it as an import; returns the import's key and the sync."""
        with self.store.writing(scores=True) as session:
            row = Import(file="x", sha256="", kind="oneroster", counts={}, at=datetime(2026, 9, 1), state="done")
            session.add(row)
            session.flush()
            sync = Sync(session)
            work(sync)
            sync.apply(Ledger(session, row.id))
            return row.id, sync

    def rows(self, *columns):
        with self.store.reading() as session:
            return sorted(map(tuple, session.execute(select(*columns))), key=str)

    def test_known_by_name_then_by_identifier(self):
        """A first meeting by name is no change; after it the name may change and it stays the same row."""
        with self.store.writing(scores=True) as session:
            session.add(School(name="Reed"))
        _, sync = self.carry_out(lambda s: s.take(School, ("name",), [{"name": "Reed", "sourced_id": "s1"}], "school"))
        self.assertEqual((sync.counts, self.rows(School.name, School.sourced_id)), (
            {"new": 0, "changed": 0, "same": 1}, [("Reed", "s1")]))  # fmt: skip
        _, sync = self.carry_out(lambda s: s.take(School, ("name",), [{"name": "Rush", "sourced_id": "s1"}], "school"))
        self.assertEqual((sync.counts["changed"], sync.shown[0].detail), (1, "name Reed to Rush"))
        _, sync = self.carry_out(lambda s: s.take(School, ("name",), [{"name": "Reed", "sourced_id": "s2"}], "school"))
        self.assertEqual(self.rows(School.name, School.sourced_id), [("Reed", "s2"), ("Rush", "s1")])

    def test_what_is_left_empty_stays(self):
        """An empty cell of a roster changes nothing."""
        with self.store.writing(scores=True) as session:
            session.add(Student(student_id="a", given_name="Ana", family_name="Yew"))
        row = {"student_id": "a", "given_name": None, "family_name": "Zorro", "sourced_id": "u"}
        self.carry_out(lambda s: s.take(Student, ("student_id",), [row], "student"))
        self.assertEqual(self.rows(Student.given_name, Student.family_name), [("Ana", "Zorro")])

    def test_people_of_one_name_are_several_and_schools_of_one_name_are_not(self):
        """Names tell schools apart, and never people."""
        people = [{"name": "Mo Lark", "role": "teacher", "school_id": None, "sourced_id": key} for key in ("t1", "t2")]
        self.carry_out(lambda s: s.take(Person, ("name",), people, "person"))
        self.assertEqual(self.rows(Person.sourced_id), [("t1",), ("t2",)])
        twice: list = []
        schools = [{"name": "Reed", "sourced_id": key} for key in ("s1", "s2")]
        self.carry_out(lambda s: s.take(School, ("name",), schools, "school", twice.append))
        self.assertEqual(([row["sourced_id"] for row in twice], self.rows(School.sourced_id)), (["s2"], [("s1",)]))

    def test_rows_that_point_at_new_rows_are_written_with_their_keys_and_taken_back(self):
        """New rows refer to each other by the keys they are given."""

        def work(sync):
            year = {"name": "2026-27", "first_day": None, "last_day": None, "sourced_id": "y"}
            years = sync.take(SchoolYear, ("name",), [year], "school year")
            self.assertLess(years["y"], 0)
            room = {"school_year_id": years["y"], "school_id": None, "name": "4A", "sourced_id": "k"}
            rooms = sync.take(Section, ("school_year_id", "school_id", "name"), [room], "class")
            student = {"student_id": "a", "given_name": None, "family_name": None, "sourced_id": "u"}
            who = sync.take(Student, ("student_id",), [student], "student")
            place = {"student_id": who["u"], "section_id": rooms["k"], "first_day": date(2026, 9, 1), "sourced_id": "e"}
            sync.take(Enrolment, ("student_id", "section_id", "first_day"), [place], "place in a class")

        key, sync = self.carry_out(work)
        self.assertEqual(sync.adds, {"school years": 1, "classes": 1, "students": 1, "places in classes": 1})
        with self.store.reading() as session:
            found = session.execute(
                select(SchoolYear.name, Section.name, Student.student_id)
                .join(Section, Section.school_year_id == SchoolYear.id)
                .join(Enrolment, Enrolment.section_id == Section.id)
                .join(Student, Student.id == Enrolment.student_id)
            ).all()
        self.assertEqual([tuple(row) for row in found], [("2026-27", "4A", "a")])
        with self.store.writing(scores=True) as session:
            restore(session, key)
        self.assertEqual(self.rows(Student.student_id) + self.rows(Section.name), [])

    def test_a_place_that_only_results_have_told_gets_its_days(self):
        """An enrolment known from scores alone takes the roster's days."""
        with self.store.writing(scores=True) as session:
            year, who = SchoolYear(name="2026-27"), Student(student_id="a")
            session.add_all([year, who])
            session.flush()
            room = Section(school_year_id=year.id, name="4A")
            session.add(room)
            session.flush()
            session.add(Enrolment(student_id=who.id, section_id=room.id))
            place = {"student_id": who.id, "section_id": room.id}
        row = {**place, "first_day": date(2026, 8, 24), "last_day": None, "sourced_id": "e"}
        _, sync = self.carry_out(
            lambda s: s.take(Enrolment, ("student_id", "section_id", "first_day"), [row], "place in a class")
        )
        self.assertEqual(sync.counts, {"new": 0, "changed": 1, "same": 0})
        self.assertEqual(self.rows(Enrolment.first_day, Enrolment.sourced_id), [(date(2026, 8, 24), "e")])
