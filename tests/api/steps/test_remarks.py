"""Passing on: within reach only, read by whom it is for, and messages that hold a link and nothing about anybody."""

import re
import socket
import unittest
from unittest import mock

from bodkin.exchange.services.mail import address_of, message, send
from bodkin.standins.mailbox import Mailbox, listening
from tests.api.application import SCOPE, application, signed_in
from tests.support import stage


def people():
    with stage.demo().reading() as session:
        rows = session.connection().exec_driver_sql("SELECT login, id FROM person WHERE login IS NOT NULL").all()
    return dict(rows)


def students(login):
    rows = signed_in(login).get("/api/growth/rows", params={**SCOPE, "count": 5000}).json()["rows"]
    return [row["student_id"] for row in rows]


class PassedOn(unittest.TestCase):
    def setUp(self):
        self.box = Mailbox()
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        server = listening(self.box, port)
        self.addCleanup(server.stop)
        runtime = application().state.runtime
        from dataclasses import replace

        mailing = replace(runtime.settings, mail=f"127.0.0.1:{port}", mail_domain="sallow-reach.example")
        patch = mock.patch.object(runtime, "settings", mailing)
        patch.start()
        self.addCleanup(patch.stop)

    def tearDown(self):
        with stage.demo().noting() as session:
            session.connection().exec_driver_sql("DELETE FROM remark")

    def pass_on(self, path, login="coach", to="teacher", text="Look at the path of Ana Reed SR1: 512"):
        return signed_in(login).post("/api/remarks", json={"to": people()[to], "path": path, "text": text})

    def test_a_student_with_a_remark(self):
        """The colleague sees it on Home, opens it, and it is marked as seen; nobody else has it."""
        student = students("teacher")[0]
        done = self.pass_on(f"/student/{student}?assessment=Saltgauge")
        self.assertEqual(done.status_code, 201, done.text)
        self.assertTrue(done.json()["mailed"])
        mine = signed_in("teacher").get("/api/remarks").json()
        self.assertEqual((mine[0]["text"], mine[0]["read"]), ("Look at the path of Ana Reed SR1: 512", False))
        key = mine[0]["id"]
        self.assertEqual(signed_in("specialist").get("/api/remarks").json(), [])
        hidden, unknown = (signed_in("specialist").post(f"/api/remarks/{one}/read") for one in (key, 999_999))
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        self.assertEqual(signed_in("teacher").post(f"/api/remarks/{key}/read").json()["path"], mine[0]["path"])
        self.assertTrue(signed_in("teacher").get("/api/remarks").json()[0]["read"])

    def test_who_may_not_see_the_student_sees_nothing(self):
        """Refused when it is sent; and what was sent before is not shown once the student is out of reach."""
        mine = set(students("teacher"))
        outside = next(one for one in students("coach") if one not in mine)
        refused = self.pass_on(f"/student/{outside}?x=1")
        self.assertEqual(refused.status_code, 409)
        self.assertEqual((signed_in("teacher").get("/api/remarks").json(), list(self.box.messages)), ([], []))
        with stage.demo().noting() as session:
            ask = session.connection().exec_driver_sql
            ask("INSERT INTO remark (from_id, to_id, at, path, student, text) VALUES (%s, %s, NOW(), %s, %s, 'x')",
                (people()["coach"], people()["teacher"], f"/student/{outside}", outside))  # fmt: skip
        self.assertEqual(signed_in("teacher").get("/api/remarks").json(), [])
        self.assertEqual(self.pass_on(f"/student/{outside}", login="teacher", to="coach").status_code, 404)

    def test_messages_never_hold_a_name_an_id_or_a_score(self):
        """Whatever is passed on: every name and id of the district, the remark and its figures are looked for."""
        with stage.demo().reading() as session:
            names = application().state.runtime.names(session)
        for student in students("teacher")[:8]:
            family, given = names[student]
            text = f"{given} {family} ({student}) scored 512, percentile 44"
            self.assertEqual(self.pass_on(f"/student/{student}?student={student}", text=text).status_code, 201)
        self.assertEqual(self.pass_on("/growth?assessment=Saltgauge&subject=reading").status_code, 201)
        self.assertEqual(len(self.box.messages), 9)
        for sent in self.box.messages:
            body = re.sub(r"(?m)^(Date|Message-ID|X-\w+|Received|From|To|MIME-Version|Content-\S+): .*$", "", sent)
            self.assertRegex(body, r"http://\S+/remark/\d+")
            body = re.sub(r"http://\S+/remark/\d+", "", body)
            self.assertNotRegex(body, r"\d")
            for student, (family, given) in names.items():
                self.assertNotIn(student, body)
                for name in (family, given):
                    # A thousand patterns take longer to read than all messages.
                    if name in body:
                        self.assertNotRegex(body, rf"\b{re.escape(name)}\b")

    def test_what_is_no_address_or_no_colleague(self):
        """Another site, a path of the server, oneself, nobody, an empty remark."""
        for path in ("https://elsewhere.example/", "//elsewhere.example", "/api/me", "/setup", "growth"):
            self.assertEqual(self.pass_on(path).status_code, 422, path)
        self.assertEqual(self.pass_on("/growth", to="coach").status_code, 404)
        client = signed_in("coach")
        self.assertEqual(
            client.post("/api/remarks", json={"to": 999_999, "path": "/growth", "text": "x"}).status_code, 404
        )
        self.assertEqual(self.pass_on("/growth", text="  ").status_code, 422)

    def test_a_mail_server_that_is_away_stops_nothing(self):
        """The remark waits in Bodkin; it is told that no message went."""
        with mock.patch("bodkin.api.steps.remarks.send", lambda *_: False):
            done = self.pass_on("/growth?assessment=Saltgauge")
        self.assertEqual((done.status_code, done.json()["mailed"]), (201, False))
        self.assertFalse(send("127.0.0.1:1", message("a@b.example", "c@d.example", "http://x/")))

    def test_where_a_person_is_written_to(self):
        """A login that is an address, else one of the domain, else nowhere."""
        self.assertEqual(address_of("bo@school.example", None), "bo@school.example")
        self.assertEqual(address_of("bo", "school.example"), "bo@school.example")
        self.assertIsNone(address_of("bo", None))
