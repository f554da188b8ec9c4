"""Answers kept as they were written: never another person's, never those of an earlier state of the data."""

import inspect
import unittest

from fastapi import Response
from sqlalchemy import event

from bodkin.api.app import build
from bodkin.api.kept_answers import KeptAnswers
from bodkin.demo.district import PASSWORD
from bodkin.store.ledger import written_by
from tests.api.application import ROLES, SCOPE
from tests.api.client import TestClient
from tests.api.test_rights import walked
from tests.support import stage
from tests.support.extent import extent

GRADE = {**SCOPE, "grade": "4"}
AHEAD = {**GRADE, "from_window": "2026-27 winter", "to_window": "2026-27 spring"}
MATHS = {**GRADE, "subject": "mathematics"}
CHECK = {"assessment": "Unit check: decimals", "subject": "mathematics", "from_window": "2026-27 fall",
         "to_window": "2026-27 fall"}  # fmt: skip
QUESTIONS = (
    ("scope/choices", {"assessment": "Saltgauge", "subject": "reading", "year": "2026-27"}),
    ("compare", {**GRADE, "by": "section"}), ("compare/trend", GRADE), ("compare/history", GRADE),
    ("compare/outcome", GRADE), ("growth", GRADE), ("growth/units", GRADE), ("growth/outlook", AHEAD),
    ("growth/outlook/units", AHEAD), ("needs/strands", MATHS), ("check", GRADE), ("home", GRADE),
    ("needs/standards", MATHS),
    ("needs/standards/ahead", MATHS), ("needs/standards/calendar", MATHS), ("needs/items", CHECK), ("board", GRADE),
    ("follow-up/practice", GRADE), ("follow-up/two", GRADE), ("follow-up/daily", GRADE),
    ("follow-up/groups/1/helped", GRADE), ("follow-up/helped", {**GRADE, "kind": "tier", "value": "2"}),
)  # fmt: skip
"""Every question whose answer is kept."""
NOTED = {"view_log", "export_log", "page_set", "page_log", "page_handed", "remark", "saved_scope", "saved_scope_reader"}
"""Tables that are written to without a new version of the data: no kept answer may rest on them."""


class Held(unittest.TestCase):
    """The store of answers itself."""

    def setUp(self):
        self.made = []

    def ask(self, kept, key, body):
        def make():
            self.made.append(key)
            return Response(body, media_type="application/json")

        return kept.once(key, make)

    def test_an_answer_is_made_once_and_leaves_alike(self):
        """The second time the same bytes and type, as an answer of its own."""
        kept = KeptAnswers()
        first, second = (self.ask(kept, "a", b'{"n": 1}') for _ in range(2))
        self.assertEqual(self.made, ["a"])
        self.assertIsNot(first, second)
        self.assertEqual((first.body, first.media_type), (second.body, second.media_type))

    def test_what_was_asked_for_longest_ago_goes_first(self):
        """No more than so many bytes; one that was asked for again stays, one too large is never kept."""
        kept = KeptAnswers(most_bytes=10)
        for key, body in (("a", b"1234"), ("b", b"1234"), ("a", b"1234"), ("c", b"1234"), ("large", b"12345678901")):
            self.ask(kept, key, body)
        self.made.clear()
        for key in ("a", "c", "b", "large"):
            self.ask(kept, key, b"1234")
        self.assertEqual(self.made, ["b", "large"])
        kept.clear()
        self.ask(kept, "a", b"1")
        self.assertEqual(self.made[-1], "a")


class OverTheDemo(unittest.TestCase):
    """Each question of each role, kept and made anew."""

    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        cls.app = build(stage.settings(), cls.store)
        cls.clients = {}
        for login in ROLES:
            cls.clients[login] = TestClient(cls.app)
            cls.clients[login].post("/api/sign-in", json={"login": login, "password": PASSWORD})

    def ask(self, login):
        found = {}
        for path, asked in QUESTIONS:
            answer = self.clients[login].get(f"/api/{path}", params=asked)
            found[path] = (answer.status_code, answer.content)
        return found

    def anew(self, login):
        self.app.state.runtime.answers.clear()
        return self.ask(login)

    said: tuple[str, ...] | list[str] = ()
    """What was asked of the database for every answer of everybody."""

    def everybody_s(self):
        """Each person's answers with nothing kept; notes what was asked for them."""
        said = type(self).said = []

        def listen(_connection, _cursor, statement, *_rest):
            said.append(statement)

        event.listen(self.store.engine, "before_cursor_execute", listen)
        self.addCleanup(event.remove, self.store.engine, "before_cursor_execute", listen)
        return {login: self.anew(login) for login in ROLES}

    def test_nobody_gets_the_answer_of_another(self):
        """Asked after everybody else, each person gets what the person gets with nothing kept."""
        wanted = self.everybody_s()
        self.app.state.runtime.answers.clear()
        for _ in range(2):
            for login in ROLES:
                self.assertEqual(self.ask(login), wanted[login], login)
        self.assertNotEqual(wanted["coach"], wanted["teacher"])
        self.assertNotIn(b'"outlook":null', wanted["coach"]["growth/outlook"][1])
        self.assertTrue(all(status == 200 for status, _ in wanted["coach"].values()), wanted["coach"].keys())

    def test_an_act_is_seen_at_once(self):
        """After a decision, an entry, a group, and each of them undone, kept answers are those made anew."""
        coach = self.clients["coach"]
        doubt = coach.get("/api/check", params=GRADE).json()["doubts"][0]["result_id"]
        standard = coach.get("/api/needs/standards", params=MATHS).json()["skills"][0]["standard"]
        student = coach.get("/api/drill-down", params=GRADE).json()["rows"][0]["student_id"]
        acts = (
            ("/api/check/decisions", {"act": "set aside", "result_id": doubt, "why": "left the room"}),
            ("/api/needs/entries", {"on": "2027-02-01", "source": "unit check",
             "entries": [{"student_id": student, "standard": standard, "state": "mastered"}]}),
            ("/api/groups", {"name": "Kept", "focus": "x", "first_day": "2027-02-15", "last_day": "2027-04-01",
             "students": [student]}),
        )  # fmt: skip
        before = self.ask("coach")
        for path, body in acts[: extent(2, 3)]:
            done = coach.post(path, json=body)
            self.assertLess(done.status_code, 300, (path, done.text))
            after = self.ask("coach")
            self.assertNotEqual(after, before, path)
            self.assertEqual(after, self.anew("coach"), path)
            newest = coach.get("/api/acts").json()
            key = (newest["acts"] if isinstance(newest, dict) else newest)[0]["id"]
            self.assertLess(coach.post(f"/api/acts/{key}/undo").status_code, 300)
            before = self.ask("coach")
            self.assertEqual(before, self.anew("coach"), f"{path} undone")

    def test_every_kept_question_is_asked_here(self):
        """A route that keeps its answers and is missing above fails."""
        keeping = {f"/api/{path}".replace("/groups/1/", "/groups/{group_id}/") for path, _ in QUESTIONS}
        found = {
            route.path
            for route in walked(self.app.routes)
            if "context.kept(" in inspect.getsource(getattr(route, "endpoint", type(route)))
        }
        self.assertEqual(found, keeping)

    def test_none_rests_on_what_has_no_version(self):
        """No kept answer looks at tables that are written to in passing, and none writes."""
        if not self.said:
            self.everybody_s()
        self.assertGreater(len(self.said), 50)
        self.assertEqual({name for one in self.said for name in NOTED if name in one.replace("`", " ").split()}, set())
        self.assertEqual(set().union(*map(written_by, self.said)) - {"sign_in_session"}, set())


if __name__ == "__main__":
    unittest.main()
