"""Answers that a browser has already: told so without a calculation, never another person's or an earlier state's."""

import inspect
import unittest
from datetime import timedelta
from unittest import mock

from sqlalchemy import event

from bodkin.api import etags
from bodkin.api.app import build
from bodkin.api.context import Context
from bodkin.api.etags import etag, is_among
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
"""Every question whose answer has a tag."""
NOTED = {"view_log", "export_log", "page_set", "page_log", "page_handed", "remark", "saved_scope", "saved_scope_reader"}
"""Tables that are written to without a new version of the data: no answer with a tag may rest on them."""


class Tags(unittest.TestCase):
    """The tags themselves."""

    def test_another_of_anything_is_another_tag(self):
        """And the same is the same; other code makes other answers."""
        one = etag("GET /api/compare", 1, ("a",), 7)
        self.assertEqual(one, etag("GET /api/compare", 1, ("a",), 7))
        rests = (("GET /api/growth", 1, ("a",), 7), ("GET /api/compare", 2, ("a",), 7),
                 ("GET /api/compare", 1, ("b",), 7), ("GET /api/compare", 1, ("a",), 8))  # fmt: skip
        others = {etag(*rest) for rest in rests}
        with mock.patch.object(etags, "code_mark", lambda: "other code"):
            others.add(etag("GET /api/compare", 1, ("a",), 7))
        self.assertEqual(len(others | {one}), 6)

    def test_they_are_compared_as_the_standard_says(self):
        """RFC 9110, 13.1.2: a list, weak or not, or any."""
        for asked, found in (
            ('"a"', True), ('W/"a"', True), ('"b", "a"', True), ("*", True), ('"b"', False), ("", False), ("a", False),
        ):  # fmt: skip
            self.assertIs(is_among('"a"', asked), found, asked)


class OverTheDemo(unittest.TestCase):
    """Each question of each role, asked anew and with the tag of what was answered."""

    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        cls.app = build(stage.settings(), cls.store)
        cls.clients = {}
        for login in ROLES:
            cls.clients[login] = TestClient(cls.app)
            cls.clients[login].post("/api/sign-in", json={"login": login, "password": PASSWORD})

    def ask(self, login, tags=None):
        """The answer to every question; ``tags``: those of the answers that the browser has."""
        found = {}
        for path, asked in QUESTIONS:
            headers = {"if-none-match": tags[path]} if tags else {}
            answer = self.clients[login].get(f"/api/{path}", params=asked, headers=headers)
            found[path] = (answer.status_code, answer.content, answer.headers.get("etag"))
        return found

    def statuses(self, login, tags):
        return {status for status, *_ in self.ask(login, tags).values()}

    said: tuple[str, ...] | list[str] = ()
    """What was asked of the database for every answer of everybody."""

    def everybody_s(self):
        """Each person's answers; notes what was asked for them."""
        said = type(self).said = []

        def listen(_connection, _cursor, statement, *_rest):
            said.append(statement)

        event.listen(self.store.engine, "before_cursor_execute", listen)
        self.addCleanup(event.remove, self.store.engine, "before_cursor_execute", listen)
        return {login: self.ask(login) for login in ROLES}

    @staticmethod
    def tags_of(answers):
        return {path: tag for path, (_, _, tag) in answers.items() if tag}

    def test_an_unchanged_answer_is_not_calculated(self):
        """Whoever has it is told so, without a body and before anything is looked at; nobody has another's."""
        wanted = self.everybody_s()
        self.assertTrue(all(status == 200 for status, *_ in wanted["coach"].values()))
        self.assertNotIn(b'"outlook":null', wanted["coach"]["growth/outlook"][1])
        tags = {login: self.tags_of(answers) for login, answers in wanted.items()}
        every = [tag for mine in tags.values() for tag in mine.values()]
        self.assertEqual(len(every), len(set(every)))
        with mock.patch.object(Context, "work_out", side_effect=AssertionError("calculated")):
            for path, asked in QUESTIONS:
                mine = {"if-none-match": tags["coach"][path]}
                answer = self.clients["coach"].get(f"/api/{path}", params=asked, headers=mine)
                self.assertEqual((answer.status_code, answer.content), (304, b""), path)
                self.assertEqual(answer.headers["cache-control"], "private, no-cache")
        # With the tags of another person everybody gets what is everybody's own.
        for login in ("teacher", "lead"):
            self.assertEqual(self.ask(login, tags["coach"]), wanted[login])

    def test_another_day_answers_anew(self):
        """Past midnight no tag of the day before holds."""
        tags = self.tags_of(self.ask("coach"))
        self.addCleanup(setattr, self.store, "pinned", self.store.pinned)
        self.store.pinned = stage.TODAY + timedelta(days=1)
        self.assertEqual(self.statuses("coach", tags), {200})

    def test_an_act_is_seen_at_once(self):
        """After a decision, an entry, a group, and each of them undone, no tag of before holds."""
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
            after = self.ask("coach", self.tags_of(before))
            self.assertEqual({status for status, *_ in after.values()}, {200}, path)
            self.assertNotEqual([body for _, body, _ in after.values()], [body for _, body, _ in before.values()], path)
            newest = coach.get("/api/acts").json()
            key = (newest["acts"] if isinstance(newest, dict) else newest)[0]["id"]
            self.assertLess(coach.post(f"/api/acts/{key}/undo").status_code, 300)
            before = self.ask("coach", self.tags_of(after))
            self.assertEqual({status for status, *_ in before.values()}, {200}, f"{path} undone")

    def test_every_question_with_a_tag_is_asked_here(self):
        """A route that tags its answers and is missing above fails."""
        keeping = {f"/api/{path}".replace("/groups/1/", "/groups/{group_id}/") for path, _ in QUESTIONS}
        found = {
            route.path
            for route in walked(self.app.routes)
            if "context.unless_known(" in inspect.getsource(getattr(route, "endpoint", type(route)))
        }
        self.assertEqual(found, keeping)

    def test_none_rests_on_what_has_no_version(self):
        """No answer with a tag looks at tables that are written to in passing, and none writes."""
        if not self.said:
            self.everybody_s()
        self.assertGreater(len(self.said), 50)
        self.assertEqual({name for one in self.said for name in NOTED if name in one.replace("`", " ").split()}, set())
        self.assertEqual(set().union(*map(written_by, self.said)) - {"sign_in_session"}, set())


if __name__ == "__main__":
    unittest.main()
