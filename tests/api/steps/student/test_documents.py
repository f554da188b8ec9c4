"""Documents on a student: attached, served to those with the right, removed and gone; refusals keep nothing."""

import unittest
from datetime import date, timedelta
from unittest import mock

import httpx

from bodkin.core.errors import ServiceAway
from bodkin.exchange.services import scanner as asks
from bodkin.standins.scanner import PATTERN, scanner
from bodkin.store.writes.student.documents import any_expired, remove_expired
from tests.api.application import SCOPE, signed_in
from tests.api.client import TestClient
from tests.exchange.attached.test_content import JPEG, PNG, pdf
from tests.support import stage

TABLES = ("document", "document_part")


def kept():
    with stage.demo().reading() as session:
        ask = session.connection().exec_driver_sql
        return {name: ask(f"SELECT COUNT(*) FROM {name}").scalar() for name in TABLES}


def students(login):
    return [
        row["student_id"]
        for row in signed_in(login).get("/api/growth/rows", params={**SCOPE, "count": 5000}).json()["rows"]
    ]


class Documents(unittest.TestCase):
    def setUp(self):
        self.student, self.before = students("teacher")[0], kept()

    def tearDown(self):
        with stage.demo().writing(scores=False) as session:
            ask = session.connection().exec_driver_sql
            for name in reversed(TABLES):
                ask(f"DELETE FROM {name}")
        self.assertEqual(kept(), self.before)

    def attach(self, login="teacher", name="plan.pdf", content=None, student=None, **more):
        body = {"student_id": student or self.student, "kind": "plan", **more}
        content = pdf() if content is None else content
        return signed_in(login).post("/api/students/documents", data=body, files={"file": (name, content)})

    def listed(self, login="teacher"):
        return signed_in(login).get(f"/api/students/{self.student}/documents").json()

    def test_attached_and_served(self):
        """Byte for byte, as a download that no browser opens; larger than one part; undone it is gone."""
        content = b"Words of a long report. " * 60_000
        done = self.attach(name="A long report, Zoë.txt", content=content, kind="report", shared=True)
        self.assertEqual(done.status_code, 201, done.text)
        (seen,) = self.listed()
        self.assertEqual((seen["name"], seen["size"], seen["own"]), ("A long report, Zoë.txt", len(content), True))
        served = signed_in("teacher").get(f"/api/students/documents/{seen['id']}")
        self.assertEqual(served.content, content)
        self.assertTrue(served.headers["content-disposition"].startswith("attachment; filename*=UTF-8''A%20long"))
        self.assertEqual(served.headers["x-content-type-options"], "nosniff")
        self.assertIn("sandbox", served.headers["content-security-policy"])
        self.assertGreater(kept()["document_part"], 3)
        undone = signed_in("teacher").post(f"/api/acts/{done.json()['id']}/undo")
        self.assertEqual((undone.status_code, kept()), (200, self.before))

    def test_removed_for_good(self):
        """Gone from the tables, the same answer as for an unknown number, and nothing brings it back."""
        act = self.attach().json()["id"]
        (seen,) = self.listed()
        client = signed_in("teacher")
        self.assertEqual(client.delete(f"/api/students/documents/{seen['id']}").status_code, 200)
        self.assertEqual(kept(), self.before)
        gone, unknown = (client.get(f"/api/students/documents/{key}") for key in (seen["id"], 999_999))
        self.assertEqual((gone.status_code, gone.content), (404, unknown.content))
        acts = {one["id"]: one for one in client.get("/api/acts").json()}
        last = max(acts)
        self.assertEqual((acts[last]["kind"], acts[last]["state"]), ("document", "final"))
        self.assertEqual(client.post(f"/api/acts/{last}/undo").status_code, 409)
        self.assertEqual(client.post(f"/api/acts/{act}/undo").status_code, 200)
        self.assertEqual(kept(), self.before)

    def test_role_by_document(self):
        """Own and shared ones for teachers, all for coaches, none for aides; outside reach there is none."""
        self.attach("coach", "between us.png", PNG)
        self.attach("coach", "for all.jpg", JPEG, shared=True)
        names = {login: {one["name"] for one in self.listed(login)} for login in ("coach", "teacher")}
        self.assertEqual(names, {"coach": {"between us.png", "for all.jpg"}, "teacher": {"for all.jpg"}})
        self.assertEqual([one["own"] for one in self.listed()], [False])
        keys = {one["name"]: one["id"] for one in self.listed("coach")}
        client, unknown = signed_in("teacher"), signed_in("teacher").get("/api/students/documents/999999")
        hidden = client.get(f"/api/students/documents/{keys['between us.png']}")
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        self.assertEqual(client.delete(f"/api/students/documents/{keys['for all.jpg']}").status_code, 403)
        self.assertEqual(client.delete(f"/api/students/documents/{keys['between us.png']}").content, unknown.content)
        aide = signed_in("aide")
        self.assertEqual(aide.get(f"/api/students/{self.student}/documents").status_code, 403)
        self.assertEqual(aide.get(f"/api/students/documents/{keys['for all.jpg']}").status_code, 403)
        self.assertEqual(self.attach("aide").status_code, 403)

    def test_another_s_student(self):
        """List, file, attaching: exactly the answer of an unknown student or number."""
        mine = set(students("teacher"))
        outside = next(one for one in students("coach") if one not in mine)
        self.attach("coach", student=outside, shared=True)
        key = signed_in("coach").get(f"/api/students/{outside}/documents").json()[0]["id"]
        client = signed_in("teacher")
        for hidden, unknown in (
            (client.get(f"/api/students/{outside}/documents"), client.get("/api/students/nobody at all/documents")),
            (client.get(f"/api/students/documents/{key}"), client.get("/api/students/documents/999999")),
            (client.delete(f"/api/students/documents/{key}"), client.delete("/api/students/documents/999999")),
            (self.attach(student=outside), self.attach(student="nobody at all")),
        ):
            self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))

    def test_what_is_refused_keeps_nothing(self):
        """A lying type, a script, 100 MB, a name with path parts, a last day that is over, an unknown kind."""
        for status, words, more in (
            (422, "by its content it is a PNG", {"content": PNG}),
            (422, "script", {"name": "a.txt", "content": b"<script>x</script>"}),
            (413, "at most 20 MB", {"content": b"%PDF-" + b"x" * (100 * 1024 * 1024)}),
            (422, "is a path", {"name": "..\\..\\plan.pdf"}),
            (422, "until: ", {"until": "2020-01-01"}),
            (422, "kind", {"kind": "secret"}),
        ):
            with self.subTest(words=words):
                found = self.attach(**more)
                self.assertEqual(found.status_code, status, found.text[:300])
                self.assertIn(words, found.text)
                self.assertEqual(kept(), self.before)

    def test_the_last_day(self):
        """Kept up to it and with it; after it nobody reads it and it is removed by itself."""
        today = stage.TODAY
        self.attach(until=today.isoformat())
        self.assertEqual(len(self.listed()), 1)
        with stage.demo().writing(scores=False) as session:
            self.assertFalse(any_expired(session, today))
            self.assertEqual(remove_expired(session, today + timedelta(days=1)), 1)
        self.assertEqual(kept(), self.before)


class Scanner(unittest.TestCase):
    """The simulated scanner behind the hook: what it finds is refused, and nothing is kept while it is away."""

    def check(self, content, transport):
        real = httpx.Client
        with mock.patch.object(asks.httpx, "Client", lambda **more: real(**more, transport=transport)):
            return asks.check_scanned("http://127.0.0.1:1", content)

    def test_clean_and_found(self):
        """A clean file passes, the test pattern is refused with what was found."""
        from fastapi import FastAPI

        app = FastAPI()
        app.include_router(scanner())
        there = TestClient(app)
        transport = httpx.MockTransport(
            lambda request: httpx.Response(200, json=there.post("/scanner/scan", content=request.content).json())
        )
        self.assertTrue(self.check(b"plain", transport))
        with self.assertRaisesRegex(ValueError, "test pattern"):
            self.check(b"x" + PATTERN, transport)

    def test_away_or_odd(self):
        """No answer, an error, an answer of another shape: not kept, and said."""
        for answer in (httpx.Response(500), httpx.Response(200, text="ok"), httpx.Response(200, json=[])):
            with self.assertRaises(ServiceAway):
                self.check(b"x", httpx.MockTransport(lambda _request, answer=answer: answer))
        self.assertFalse(asks.check_scanned(None, b"x"))


class Dates(unittest.TestCase):
    def test_no_date_is_no_end(self):
        """A document without a last day never expires."""
        with stage.demo().reading() as session:
            self.assertFalse(any_expired(session, date.max))
