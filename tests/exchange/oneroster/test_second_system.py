"""OneRoster of a second or renumbered system: matched by what it names, asked where doubtful."""

import unittest
from datetime import datetime

import polars as pl
from sqlalchemy import func, select

from bodkin.core.errors import Conflict
from bodkin.exchange.changes.ledger import Ledger, RowRefused
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.oneroster.package_out import oneroster_package, oneroster_tables
from bodkin.exchange.oneroster.package_rows import grade_code
from bodkin.store.tables import Course, Enrolment, Import, Person, School, SchoolYear, Section, Student
from tests.support import stage
from tests.support.oneroster import ROSTER, package

NOW = datetime(2026, 9, 1)


def renumbered(**replaced):
    """The roster of another system about the same schools: every id is another one."""
    ids = ("d", "s1", "s2", "y", "t", "c1", "c2", "k1", "k2", "k3", "u1", "u2", "t1", "t2", "p1",
           "r1", "r2", "r3", "r4", "r5", "e1", "e2", "e3", "e4")  # fmt: skip
    made = {}
    for name, text in {**ROSTER, **replaced}.items():
        lines = text.splitlines()
        rows = [",".join(f"B-{cell}" if cell in ids else cell for cell in line.split(",")) for line in lines[1:]]
        made[name] = "\n".join([lines[0], *rows]) + "\n"
    return made


class Second(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()
        self.bring(package(**ROSTER))

    def bring(self, content, **answers):
        with self.store.writing(scores=True) as session:
            return imports.bring_in(session, "roster.zip", content, None, NOW, Changes(answers=answers))[1]

    def preview(self, content, **answers):
        with self.store.reading() as session:
            return imports.preview(session, "roster.zip", content, Changes(answers=answers))

    def counts(self):
        with self.store.reading() as session:
            tables = (School, SchoolYear, Course, Section, Student, Enrolment, Person)
            return {table.__tablename__: session.scalar(select(func.count()).select_from(table)) for table in tables}

    def test_the_same_schools_under_other_ids_are_the_same_schools(self):
        """Nothing is doubled; people under a new id are asked about, since two can have one name."""
        before = self.counts()
        seen = self.preview(package(**renumbered()))
        self.assertEqual([question.kind for question in seen.questions], ["other_person"])
        with self.assertRaisesRegex(Conflict, "open"):
            self.bring(package(**renumbered()))
        self.bring(package(**renumbered()), other_person="same")
        self.assertEqual(self.counts(), before)
        # The other system, and the first one again, have nothing new to say.
        self.assertEqual(self.preview(package(**ROSTER)).plan.counts["new"], 0)

    def test_people_who_are_somebody_else_are_added(self):
        """Two of one name more."""
        before = self.counts()["person"]
        self.bring(package(**renumbered()), other_person="new")
        self.assertEqual(self.counts()["person"], before + 2)

    def test_ids_changed_round_go_by_what_they_name(self):
        """School 1 is now called as school 2 was and the other way round: the ids move, the schools stay."""
        turned = {
            name: text.replace("s1", "s#").replace("s2", "s1").replace("s#", "s2") for name, text in ROSTER.items()
        }
        self.assertEqual(self.preview(package(**turned)).questions, [])
        turned["users"] = turned["users"].replace("Ana,Zorro", "Ana,Yew-Zorro")
        self.bring(package(**turned))
        with self.store.reading() as session:
            self.assertEqual(
                sorted(session.execute(select(School.sourced_id, School.name))),
                [("s1", "Rush School"), ("s2", "Reed School")],
            )
        self.assertEqual(self.counts()["school"], 2)

    def test_a_school_of_another_name_is_asked_about(self):
        """Renamed it stays itself; another school is added, and takes the id."""
        renamed = {**ROSTER, "orgs": ROSTER["orgs"].replace("Rush School", "Sedge School")}
        seen = self.preview(package(**renamed))
        self.assertEqual([question.kind for question in seen.questions], ["other_school"])
        self.bring(package(**renamed), other_school="new")
        with self.store.reading() as session:
            found = dict(session.execute(select(School.name, School.sourced_id)).all())
        self.assertEqual(found, {"Reed School": "s1", "Rush School": None, "Sedge School": "s2"})

    def test_a_reused_id_of_a_class_of_the_next_year_is_a_new_class(self):
        """A class stays in its school year."""
        later = {
            **ROSTER,
            "academicSessions": ROSTER["academicSessions"].split("\n")[0]
            + "\nz,,,2027-2028,schoolYear,2027-08-24,2028-06-11,,2028\nu,,,Autumn,term,2027-08-24,2028-01-15,z,2028\n",
            "courses": ROSTER["courses"].replace(",,,y,", ",,,z,"),
            "classes": ROSTER["classes"].replace("s1,t,", "s1,u,").replace("s2,y,", "s2,z,"),
            "enrollments": ROSTER["enrollments"].replace("2026-08-24", "2027-08-24"),
        }  # fmt: skip
        before = self.counts()
        self.bring(package(**later))
        after = self.counts()
        self.assertEqual(after["section"], before["section"] + 3)
        self.assertEqual(after["school_year"], before["school_year"] + 1)
        with self.store.reading() as session:
            years = dict(
                session.execute(
                    select(SchoolYear.name, func.count(Section.id)).join(Section).group_by(SchoolYear.name)
                ).all()
            )
        self.assertEqual(years, {"2026-27": 3, "2027-28": 3})

    def test_another_id_for_a_student_of_the_same_name_is_asked_about(self):
        """Said to be the same, nobody is added."""
        other = {**ROSTER, "users": ROSTER["users"].replace(",,1001,", ",,7001,").replace("u1,", "u9,"),
                 "roles": ROSTER["roles"].replace("u1", "u9"), "enrollments": ROSTER["enrollments"].replace("u1", "u9"),
                 "demographics": ROSTER["demographics"].replace("u1", "u9")}  # fmt: skip
        seen = self.preview(package(**other))
        self.assertEqual([(q.kind, [item.key for item in q.items]) for q in seen.questions], [("other_id", ["7001"])])
        before = self.counts()
        self.bring(package(**other), **{"other_id/7001": "same:1001"})
        self.assertEqual(self.counts()["student"], before["student"])

    def test_a_roster_may_change_one_name_but_not_make_somebody_else(self):
        """A new family name comes in; two other names are asked about."""
        one = {**ROSTER, "users": ROSTER["users"].replace("Ana,Zorro", "Ana,Yew-Zorro")}
        self.assertEqual(self.preview(package(**one)).questions, [])
        both = {**ROSTER, "users": ROSTER["users"].replace("Ana,Zorro", "Kit,Marsh")}
        self.assertEqual([question.kind for question in self.preview(package(**both)).questions], ["renamed"])

    def test_a_row_that_the_tables_cannot_hold_is_named(self):
        """Whatever slips through every check: the row, not an error of the database."""
        with self.store.writing(scores=True) as session:
            session.add(Import(file="f", sha256="", kind="x", counts={}, at=NOW, state="done"))
            session.flush()
            ledger = Ledger(session, session.scalar(select(func.max(Import.id))))
            rows = [{"name": "Fen School"}, {"name": "Reed School"}, {"name": "Bog School"}]
            with self.assertRaises(RowRefused) as caught:
                ledger.add(School, rows, [(2, "school Fen"), (3, "school Reed"), (4, "school Bog")])
            self.assertEqual((caught.exception.line, caught.exception.said), (3, "school Reed"))
            session.rollback()

    def test_grades_go_out_by_the_list_of_the_standard(self):
        """Two digits, KG; in and out again they are ours."""
        # CEDS "Entry Grade Level", the list that OneRoster 1.2 names for grades; from memory.
        self.assertEqual([grade_code(grade) for grade in ("PK", "K", "1", "9", "12", None)],
                         ["PK", "KG", "01", "09", "12", None])  # fmt: skip
        with self.store.reading() as session:
            frames = oneroster_tables(session)
        self.assertEqual(set(frames["users"]["grades"].drop_nulls()), {"04"})
        self.assertEqual(set(frames["courses"]["grades"].drop_nulls()), {"04"})

    def test_a_row_more_moves_no_other_row(self):
        """The order of every file follows the ids."""
        with self.store.reading() as session:
            before = oneroster_tables(session)
        more = {
            **ROSTER,
            "users": ROSTER["users"] + "u0,,,true,al,,Al,Aspen,,0999,,,,,04,,,,,,,s1,\n",
            "roles": ROSTER["roles"] + "r0,,,u0,primary,student,,,s1,\n",
            "enrollments": "e0,,,k1,s1,u0,student,,2026-08-24,\n".join(
                [ROSTER["enrollments"].split("\n")[0] + "\n", "\n".join(ROSTER["enrollments"].split("\n")[1:])]
            ),
        }
        self.bring(package(**more))
        with self.store.reading() as session:
            after = oneroster_tables(session)
            self.assertEqual(oneroster_package(session), oneroster_package(session))
        for name, frame in before.items():
            kept = after[name].filter(pl.col("sourcedId").is_in(frame["sourcedId"].to_list()))
            self.assertEqual(kept["sourcedId"].to_list(), frame["sourcedId"].to_list(), name)
            self.assertEqual(after[name]["sourcedId"].to_list(), sorted(after[name]["sourcedId"].to_list()), name)
        self.assertEqual(after["users"].height, before["users"].height + 1)
