"""Notes on a student: two audiences, own and shared, changed with their history, withdrawn, undone."""

import unittest

from tests.api.application import SCOPE, signed_in
from tests.support import stage

TABLES = ("note", "note_version")


def kept():
    with stage.demo().reading() as session:
        ask = session.connection().exec_driver_sql
        return [[tuple(row) for row in ask(f"SELECT * FROM {name} ORDER BY id")] for name in TABLES]


def notes(student, login="coach"):
    return signed_in(login).get(f"/api/students/{student}/notes")


class Notes(unittest.TestCase):
    def setUp(self):
        self.before, self.acts = kept(), []
        rows = signed_in("teacher").get("/api/growth/rows", params={**SCOPE, "count": 500}).json()["rows"]
        self.student = rows[0]["student_id"]

    def tearDown(self):
        for act, login in reversed(self.acts):
            self.assertEqual(signed_in(login).post(f"/api/acts/{act}/undo").status_code, 200)
        self.assertEqual(kept(), self.before)

    def done(self, found, login):
        self.assertLess(found.status_code, 300, found.text)
        self.acts.append((found.json()["id"], login))

    def write(self, login="teacher", **more):
        body = {"audience": "internal", "text": "Works well beside a calm partner", **more}
        self.done(signed_in(login).post(f"/api/students/{self.student}/notes", json=body), login)

    def texts(self, login, audience):
        return [one["text"] for one in notes(self.student, login).json()[audience]]

    def test_two_audiences_are_never_mixed(self):
        """An internal note stands among the internal ones only, a note for the family among those only."""
        self.write()
        self.write(audience="family", text="Reads the river stories with joy")
        self.assertEqual(self.texts("teacher", "internal"), ["Works well beside a calm partner"])
        self.assertEqual(self.texts("teacher", "family"), ["Reads the river stories with joy"])
        marks = signed_in("teacher").get(f"/api/students/{self.student}/page", params=SCOPE).json()["marks"]
        kinds = {one["words"]: one["kind"] for one in marks if one["lane"] == "note"}
        self.assertEqual(
            kinds, {"Works well beside a calm partner": "internal", "Reads the river stories with joy": "family"}
        )

    def test_own_and_shared(self):
        """The coach's internal note is not the teacher's until it is shared; only the own is changed."""
        self.write("coach", text="Between us")
        self.assertNotIn("Between us", self.texts("teacher", "internal"))
        key = notes(self.student).json()["internal"][0]["id"]
        client = signed_in("teacher")
        hidden, unknown = (client.post(f"/api/students/notes/{one}", json={"text": "x"}) for one in (key, 999_999))
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        self.done(
            signed_in("coach").post(f"/api/students/notes/{key}", json={"text": "Between us", "shared": True}), "coach"
        )
        self.assertIn("Between us", self.texts("teacher", "internal"))
        self.assertFalse(
            next(one for one in notes(self.student, "teacher").json()["internal"] if one["id"] == key)["own"]
        )
        self.assertEqual(client.post(f"/api/students/notes/{key}", json={"text": "mine now"}).status_code, 403)
        self.assertEqual(client.delete(f"/api/students/notes/{key}").status_code, 403)

    def test_changed_with_history_and_withdrawn(self):
        """What it said before is kept; withdrawn nobody sees it; each undo goes one back."""
        self.write(text="First")
        key = notes(self.student, "teacher").json()["internal"][0]["id"]
        client = signed_in("teacher")
        for text in ("Second", "Third"):
            self.done(client.post(f"/api/students/notes/{key}", json={"text": text}), "teacher")
        now = notes(self.student, "teacher").json()["internal"][0]
        self.assertEqual((now["text"], [one["text"] for one in now["earlier"]]), ("Third", ["Second", "First"]))
        self.done(client.delete(f"/api/students/notes/{key}"), "teacher")
        self.assertEqual(self.texts("teacher", "internal"), [])
        self.assertEqual(client.delete(f"/api/students/notes/{key}").status_code, 404)
        act, login = self.acts.pop()
        self.assertEqual(signed_in(login).post(f"/api/acts/{act}/undo").status_code, 200)
        self.assertEqual(self.texts("teacher", "internal"), ["Third"])

    def test_who_may_not(self):
        """An aide has no notes; a student outside reach has none either; an empty note is none."""
        self.assertEqual(notes(self.student, "aide").status_code, 403)
        mine = {row["student_id"] for row in signed_in("teacher").get(
            "/api/growth/rows", params={**SCOPE, "count": 500}).json()["rows"]}  # fmt: skip
        every = signed_in("coach").get("/api/growth/rows", params={**SCOPE, "count": 5000}).json()["rows"]
        outside = next(row["student_id"] for row in every if row["student_id"] not in mine)
        hidden, unknown = notes(outside, "teacher"), notes("nobody at all", "teacher")
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        body = {"audience": "internal", "text": "  "}
        found = signed_in("teacher").post(f"/api/students/{self.student}/notes", json=body)
        self.assertEqual(found.status_code, 422)
