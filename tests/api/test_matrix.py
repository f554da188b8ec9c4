"""Every route that tells of students, for every role: exactly the own students, with their scores and counts."""

import re
import unittest
from datetime import timedelta

from sqlalchemy import text

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from tests.api.application import ROLES, SCOPE
from tests.api.client import TestClient
from tests.support import stage

STUDENT = re.compile(r"\bSR\d{5}\b")
YEAR = "(SELECT id FROM school_year WHERE name = '2026-27')"
IN_GROUPS = """SELECT s.student_id FROM student s JOIN group_member m ON m.student_id = s.id
    JOIN `group` g ON g.id = m.group_id WHERE g.adult_id = :me AND g.first_day <= :today AND g.last_day >= :today
    AND m.first_day <= :today AND (m.last_day IS NULL OR m.last_day >= :today)"""
REACH = {
    # Whom each role may know of, written once more in SQL.
    "coach": "SELECT student_id FROM student",
    "school_lead": f"""SELECT s.student_id FROM student s JOIN student_year y ON y.student_id = s.id
        WHERE y.school_year_id = {YEAR} AND y.school_id = (SELECT school_id FROM person WHERE id = :me)""",
    "teacher": f"""SELECT s.student_id FROM student s JOIN enrolment e ON e.student_id = s.id
        JOIN section c ON c.id = e.section_id JOIN section_teacher t ON t.section_id = c.id
        WHERE c.school_year_id = {YEAR} AND t.person_id = :me AND COALESCE(e.first_day, :today) <= :today
        AND COALESCE(e.last_day, :today) >= :today""",
    "interventionist": f"""SELECT s.student_id FROM student s JOIN student_year y ON y.student_id = s.id
        JOIN assigned_grade a ON a.school_id = y.school_id AND a.grade = y.grade
        WHERE y.school_year_id = {YEAR} AND a.person_id = :me UNION {IN_GROUPS}""",
    "aide": IN_GROUPS,
}
SCREENS = (
    ("drill-down", {}), ("growth", {"count": 5000}), ("growth/rows", {"count": 500}),
    ("compare/history", {"count": 500}), ("compare/outcome", {"count": 500}), ("check", {}), ("home", {}),
    ("students", {"q": "a"}),
    ("groups", {}), ("views/lately", {}), ("compare/trend/drill-down", {"at": 0}), ("drill-down", {"by": "program"}),
    ("acts", {}), ("views", {}),
)  # fmt: skip
EXPORTS = (
    "drill-down.csv", "compare/history.csv", "compare/outcome.csv", "check/missing.csv", "check/doubts.csv",
    "check/retests.csv",
)  # fmt: skip


class Matrix(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        app = build(stage.settings(), cls.store)
        cls.clients, cls.reach = {}, {}
        with cls.store.writing(scores=False) as session:
            people = dict(session.execute(text("SELECT login, id FROM person WHERE login IS NOT NULL")).all())
            cls.groups_of_other_days(session, people)
            for login, role in ROLES.items():
                asked = {"me": people[login], "today": stage.TODAY}
                own = {name: value for name, value in asked.items() if f":{name}" in REACH[role]}
                cls.reach[login] = set(session.scalars(text(REACH[role]), own))
        for login in ROLES:
            cls.clients[login] = TestClient(app, raise_server_exceptions=False)
            answer = cls.clients[login].post("/api/sign-in", json={"login": login, "password": PASSWORD})
            assert answer.status_code == 204
        rows = cls.clients["coach"].get("/api/drill-down", params=SCOPE).json()["rows"]
        cls.rows = {row["student_id"]: row for row in rows}

    @staticmethod
    def groups_of_other_days(session, people):
        """For the aide and the interventionist: one that has ended, one to come, of students from everywhere."""
        for login in ("aide", "specialist"):
            for first, last in ((-200, -1), (1, 90)):
                days = {"first": stage.TODAY + timedelta(days=first), "last": stage.TODAY + timedelta(days=last)}
                made = (
                    "INSERT INTO `group` (name, focus, adult_id, assessment_id, first_day, last_day) VALUES (:name,"
                    " 'x', :adult, (SELECT MIN(id) FROM assessment WHERE name = 'Saltgauge'), :first, :last)"
                )
                session.execute(text(made), {**days, "name": f"{login} {first}", "adult": people[login]})
                joined = (
                    "INSERT INTO group_member (group_id, student_id, first_day)"
                    " SELECT LAST_INSERT_ID(), id, :first FROM student WHERE MOD(id, 97) = 3"
                )
                session.execute(text(joined), {"first": days["first"]})

    def seen(self, login, path, more=()):
        answer = self.clients[login].get(f"/api/{path}", params={**SCOPE, **dict(more)})
        self.assertIn(answer.status_code, (200, 403), (login, path))
        return answer, set(STUDENT.findall(answer.text)) if answer.status_code == 200 else set()

    def test_reach_differs_from_role_to_role(self):
        """Or the tests below would say little."""
        sizes = {login: len(students) for login, students in self.reach.items()}
        self.assertEqual(len(set(sizes.values())), 5, sizes)
        self.assertTrue(all(sizes.values()), sizes)

    def test_no_screen_names_anybody_else(self):
        """Whatever is asked: every id in every answer is of the own reach; a coach's holds many."""
        for path, more in SCREENS:
            for login in ROLES:
                with self.subTest(path=path, login=login):
                    _, seen = self.seen(login, path, more.items())
                    self.assertLessEqual(seen, self.reach[login])
                    if login == "coach" and path in ("drill-down", "growth", "compare/history", "check"):
                        self.assertGreater(len(seen), 30)

    def test_no_export_names_anybody_else(self):
        """An interventionist's only those of the own groups; an aide has none."""
        with self.store.reading() as session:
            me = session.scalar(text("SELECT id FROM person WHERE login = 'specialist'"))
            own = set(session.scalars(text(IN_GROUPS), {"me": me, "today": stage.TODAY}))
        for path in EXPORTS:
            for login in ROLES:
                with self.subTest(path=path, login=login):
                    answer, seen = self.seen(login, path)
                    self.assertLessEqual(seen, own if login == "specialist" else self.reach[login])
                    self.assertEqual(answer.status_code == 403, login == "aide")

    def test_the_rows_are_those_of_the_whole_district_that_are_in_reach(self):
        """Not one fewer: the same students with the same scores, and counts that add up to them."""
        for login in ROLES:
            with self.subTest(login=login):
                rows = self.clients[login].get("/api/drill-down", params=SCOPE).json()["rows"]
                mine = {row["student_id"]: row for row in rows}
                self.assertEqual(set(mine), set(self.rows) & self.reach[login])
                for student, row in mine.items():
                    for name in ("from_score", "to_score"):
                        self.assertEqual(row[name], self.rows[student][name], student)
                compared = self.clients[login].get("/api/compare", params=SCOPE).json()
                self.assertEqual(compared["matched_n"], len(mine))
                self.assertEqual(sum(band["to_n"] for band in compared["bands"]), len(mine))
                growth = self.clients[login].get("/api/growth", params=SCOPE).json()
                self.assertEqual(growth["covered"], len(mine))

    def test_pins_of_an_address_open_nobody(self):
        """Ten from everywhere in the address: those in reach are shown, the others are as ids that are not there."""
        for login in ROLES:
            outside = sorted(set(self.rows) - self.reach[login])[:5]
            inside = sorted(set(self.rows) & self.reach[login])[:5]
            for path in ("drill-down", "growth", "compare/history", "drill-down.csv", "compare"):
                if path.endswith("csv") and login in ("aide", "specialist"):
                    continue
                with self.subTest(login=login, path=path):
                    both = self.clients[login].get(f"/api/{path}", params={**SCOPE, "student": [*inside, *outside]})
                    nobody = [f"SR9999{at}" for at in range(len(outside))]
                    alone = self.clients[login].get(f"/api/{path}", params={**SCOPE, "student": [*inside, *nobody]})
                    self.assertEqual(both.content, alone.content)
                    self.assertLessEqual(set(STUDENT.findall(both.text)), set(inside))

    def test_filters_open_nobody(self):
        """A school, a class, a teacher or a group that holds others: none of them comes in by it."""
        for name in ("school", "section", "teacher", "grade", "program"):
            field = {row.get(name) for row in self.rows.values() if isinstance(row.get(name), str)} or {"4"}
            for value in sorted(field)[:6]:
                for login in ROLES:
                    _, seen = self.seen(login, "drill-down", {name: value}.items())
                    self.assertLessEqual(seen, self.reach[login], (login, name, value))
        groups = self.clients["coach"].get("/api/groups").json()
        for group in groups:
            for login in ROLES:
                answer = self.clients[login].get("/api/drill-down", params={**SCOPE, "group": group["id"]})
                self.assertLessEqual(set(STUDENT.findall(answer.text)), self.reach[login])

    def test_one_student_by_address(self):
        """The card, the goals: found exactly where the student is in reach."""
        for login in ROLES:
            for student in [*sorted(self.reach[login])[:3], *sorted(self.reach["coach"] - self.reach[login])[:3]]:
                status = self.clients[login].get(f"/api/students/{student}").status_code
                self.assertEqual(status, 200 if student in self.reach[login] else 404, (login, student))
                goals = {"assessment": "Saltgauge", "subject": "reading"}
                status = self.clients[login].get(f"/api/goals/{student}", params=goals).status_code
                self.assertEqual(status, 200 if student in self.reach[login] else 404, (login, student))

    def test_targets_of_classes(self):
        """Read and set for the classes that are wholly in reach, and for no other."""
        sections = sorted({row["section"] for row in self.rows.values()})
        for login in ROLES:
            found = set()
            for section in sections[:25]:
                members = {one for one, row in self.rows.items() if row["section"] == section}
                asked = {**SCOPE, "section": section}
                set_ = self.clients[login].put("/api/goals/target", params=asked, json={"share": 0.5}).status_code
                whole = members <= self.reach[login] and login != "aide"
                self.assertEqual(set_ == 200, whole, (login, section))
                if whole:
                    found.add(section)
                    self.clients[login].put("/api/goals/target", params=asked, json={"share": None})
            self.assertEqual(bool(found), login not in ("aide",), login)
