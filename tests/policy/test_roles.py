"""The policy is the only place that knows a role by its name; a role added there is whole."""

import ast
import re
import unittest
from datetime import date
from pathlib import Path
from unittest import mock

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from bodkin.policy import roles
from bodkin.policy.reach import students_in_reach
from bodkin.policy.rights import NOT_VISIBLE, Right
from bodkin.policy.roles import ROLES, Role, role_of
from bodkin.store.reach_by import ReachBy
from bodkin.store.reads.people import Someone
from bodkin.store.tables import AssignedGrade, Person
from tests.api.application import SCOPE, signed_in
from tests.api.client import TestClient
from tests.support import stage

ROOT = Path(__file__).resolve().parents[2]
INVENTED = ROOT / "src" / "bodkin" / "demo"
"""The demo's people are data, as an imported file is; each has a role."""
AMBIGUOUS = {"teacher"}
"""Also the name of a column: whoever teaches the class. Nothing may be compared with a role by that name."""


class Names(unittest.TestCase):
    def found(self, path, wanted):
        """Lines of a Python file in which a string is one of some words."""
        tree = ast.parse(path.read_text())
        return [
            f"{path.relative_to(ROOT)}:{node.lineno} {node.value}"
            for node in ast.walk(tree)
            if isinstance(node, ast.Constant) and node.value in wanted
        ]

    def test_no_other_module_names_a_role(self):
        """No string of the server is a role's name, and nothing is compared with one; the demo's people are data."""
        named, compared = [], []
        for path in sorted((ROOT / "src").rglob("*.py")):
            if path.parent.name == "policy" or INVENTED in path.parents:
                continue
            named += self.found(path, set(ROLES) - AMBIGUOUS)
            compared += re.findall(r"\.role (?:==|!=|in|not in) .*", path.read_text())
        # OneRoster 1.2 has a role of its own with one of these names, in the words of the policy too.
        self.assertEqual(named, [])
        self.assertEqual([one for one in compared if not re.search(r"== (FIRST|role|person\.role)\b", one)], [])

    def test_the_client_names_none(self):
        """It goes by what a person may do, which the server says."""
        quoted = re.compile("[\"'`](" + "|".join(set(ROLES) - AMBIGUOUS) + ")[\"'`]")
        found = [
            f"{path.relative_to(ROOT)}: {line.strip()}"
            for path in sorted((ROOT / "web" / "src").rglob("*.ts*"))
            if path.name != "schema.d.ts"
            for line in path.read_text().splitlines()
            if quoted.search(line) or re.search(r"\.role\s*[!=]==", line)
        ]
        self.assertEqual(found, [])

    def test_it_finds_what_it_looks_for(self):
        """The policy itself names every role."""
        path = ROOT / "src" / "bodkin" / "policy" / "roles.py"
        self.assertEqual({one.split()[1] for one in self.found(path, set(ROLES))}, set(ROLES))


class Unknown(unittest.TestCase):
    def test_it_may_nothing_and_sees_nobody(self):
        """Whatever stands in the table of people."""
        role = role_of("visitor")
        self.assertEqual((role.rights, role.reach), (frozenset(), frozenset()))
        with stage.small().reading() as session:
            someone = Someone(1, "", "visitor", "", None, None)
            self.assertEqual(students_in_reach(session, someone, stage.TODAY), frozenset())


COUNSELOR = Role(
    "counselor", "All counselors", frozenset({ReachBy.ASSIGNED_GRADES}),
    frozenset({Right.SIGNED_IN, Right.SCORES, Right.EVERY_MEASURE, Right.GROUPS_SEE, Right.HISTORY, Right.NOTES}),
    own_view=True,
)  # fmt: skip


class Added(unittest.TestCase):
    """A counselor: sees the students assigned, writes notes, sees no practice. One entry in the policy makes it."""

    @classmethod
    def setUpClass(cls):
        cls.enterClassContext(mock.patch.dict(roles.ROLES, {"counselor": COUNSELOR}))
        store = stage.small_copy()
        with store.writing(scores=False) as session:
            session.add(Person(id=90_001, name="Cy", role="counselor", login="cy", password_hash=stage.password()))
            session.flush()
            school = session.query(AssignedGrade).first().school_id
            session.add(AssignedGrade(person_id=90_001, school_id=school, grade="3"))
        with store.reading() as session:
            cls.mine = students_in_reach(session, Someone(90_001, "Cy", "counselor", "cy", None, None), stage.TODAY)
        cls.client = TestClient(build(stage.settings(), store))
        cls.client.post("/api/sign-in", json={"login": "cy", "password": PASSWORD})
        with store.reading() as session:
            coach = Someone(0, "", "coach", "", None, None)
            assert students_in_reach(session, coach, stage.TODAY) is None

    def test_sees_the_students_assigned(self):
        """And nobody else exists."""
        self.assertTrue(self.mine)
        compared = self.client.get("/api/compare", params={**SCOPE, "matched": False}).json()
        self.assertTrue(0 < compared["covered"] <= len(self.mine))
        one = sorted(self.mine)[0]
        self.assertEqual(self.client.get(f"/api/students/{one}").status_code, 200)
        self.assertEqual(self.client.get("/api/students/none").status_code, 404)
        me = self.client.get("/api/me").json()
        self.assertEqual((me["role_title"], me["may_practice"], me["may_team"]), ("counselor", False, False))

    def test_writes_notes(self):
        """And reads them again."""
        one = sorted(self.mine)[0]
        note = {"text": "spoke with the family", "audience": "internal", "shared": False}
        kept = self.client.post(f"/api/students/{one}/notes", json=note)
        self.assertEqual(kept.status_code, 201, kept.text)
        self.assertIn("spoke with the family", self.client.get(f"/api/students/{one}/notes").text)

    def test_sees_no_practice(self):
        """It is refused in words, and what stands in its place says that it is not visible."""
        answer = self.client.get("/api/follow-up/practice", params=SCOPE)
        self.assertEqual(answer.status_code, 403)
        self.assertEqual(answer.json()["message"], "As counselor you cannot see practice.")
        self.assertEqual(self.client.get("/api/follow-up/practice.csv", params=SCOPE).status_code, 403)
        lines = {one["path"]: one["line"] for one in self.client.get("/api/scope/rail", params=SCOPE).json()["steps"]}
        self.assertEqual((lines["follow-up"], lines["share"]), (NOT_VISIBLE, NOT_VISIBLE))

    def test_everything_else_is_refused(self):
        """What is not granted."""
        for path in (
            "/api/logs/views",
            "/api/imports",
            "/api/calendar/time-zone",
            "/api/share/choices",
            "/api/follow-up/team/meetings",
        ):
            self.assertEqual(self.client.get(path, params=SCOPE).status_code, 403, path)


class NotVisible(unittest.TestCase):
    def test_an_aide_is_not_told_that_nobody_needs_a_decision(self):
        """Where a coach reads how many do: neither on the rail, nor of a group, nor of a student."""
        aide, coach = signed_in("aide"), signed_in("coach")
        lines = {one["path"]: one for one in aide.get("/api/scope/rail", params=SCOPE).json()["steps"]}
        self.assertEqual(lines["follow-up"]["line"], NOT_VISIBLE)
        self.assertIn(NOT_VISIBLE, lines["follow-up"]["finding"])
        groups = aide.get("/api/follow-up/groups").json()
        self.assertTrue(groups)
        known = {one["id"]: one for one in coach.get("/api/follow-up/groups").json()}
        for group in groups:
            self.assertIn(NOT_VISIBLE, group["headline"])
            self.assertIsNone(group["due"])
            self.assertIsNotNone(known[group["id"]]["due"])
            whole = aide.get(f"/api/follow-up/groups/{group['id']}").json()
            self.assertIn(NOT_VISIBLE, whole["headline"])
            self.assertTrue(whole["students"])
            for one in whole["students"]:
                self.assertEqual((one["act"], one["confirmed"]), ("none", None))
                self.assertIn(NOT_VISIBLE, one["said"])

    def test_the_day_of_a_role_that_is_over(self):
        """Reach is asked for the day of the question."""
        with stage.demo().reading() as session:
            teacher = next(
                Someone(one.id, one.name, one.role, one.login, one.school_id, None)
                for one in session.query(Person).filter(Person.login == "teacher")
            )
            self.assertTrue(students_in_reach(session, teacher, stage.TODAY))
            self.assertFalse(students_in_reach(session, teacher, date(2023, 1, 1)))
