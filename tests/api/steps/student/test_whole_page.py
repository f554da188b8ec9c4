"""A student's page over the demo: the figures of the steps, what each role may see, what is true of little."""

import random
import unittest

from tests.api.application import SCOPE, signed_in
from tests.support import stage


def page(student, login="coach", **query):
    return signed_in(login).get(f"/api/students/{student}/page", params={**SCOPE, **query})


def rows(login="coach", **query):
    found = signed_in(login).get("/api/growth/rows", params={**SCOPE, "count": 5000, **query})
    return found.json()["rows"] if found.status_code == 200 else []


class Figures(unittest.TestCase):
    def test_they_equal_the_step_they_come_from(self):
        """Fifty drawn students: score, percentile, band and gain are those of Growth and of the history grid."""
        drawn = random.Random(3).sample(rows(), 50)
        grid = signed_in("coach").get("/api/compare/history", params={**SCOPE, "count": 500, "years": 2}).json()
        columns = [(one["assessment"], one["subject"], one["language"], one["window"]) for one in grid["columns"]]
        history = {row["student_id"]: row["cells"] for row in grid["rows"]}
        for row in drawn:
            found = page(row["student_id"]).json()
            points = {
                (thread["assessment"], thread["subject"], one["window"], one["score"]): one
                for thread in found["threads"] for one in thread["points"]
            }  # fmt: skip
            for side, window in (("from", "2026-27 fall"), ("to", "2026-27 winter")):
                if row[f"{side}_score"] is None:
                    continue
                point = points["Saltgauge", "reading", window, row[f"{side}_score"]]
                with self.subTest(student=row["student_id"], side=side):
                    self.assertEqual(point["on"], row[f"{side}_tested_on"])
                    self.assertEqual(point["order"], row[f"{side}_order"])
                    self.assertAlmostEqual(point["percentile"], row[f"{side}_percentile"])
            if row["gain"] is not None:
                growth = [one["sentence"] for one in found["said"] if one["what"] == "growth"]
                self.assertRegex(growth[0], rf"^Saltgauge Reading: [+−]?{abs(row['gain']):.0f} points where")
            for (assessment, subject, _, window), cell in zip(
                columns, history.get(row["student_id"], ()), strict=False
            ):
                if cell is not None and assessment == "Saltgauge":
                    self.assertEqual(points[assessment, subject, window, cell["score"]]["band"], cell["band"])

    def test_a_group_s_student_has_every_lane(self):
        """The planted group's first student: results, sessions as in Follow-up, goals, a decision, what is due."""
        group = signed_in("coach").get("/api/follow-up/groups/3").json()
        for one in group["students"][:4]:
            found = page(one["student_id"]).json()
            sessions = [mark for mark in found["marks"] if mark["lane"] == "session"]
            self.assertEqual(sum(mark["kind"] == "came" for mark in sessions), one["given"]["attended"])
            self.assertEqual(len(sessions), one["given"]["held"])
            weekly = next(line for line in found["weekly"] if line["title"].startswith("One-minute"))
            self.assertEqual([point["score"] for point in weekly["points"]], [p["score"] for p in one["points"]])
            self.assertTrue(any(said["what"] == "session" for said in found["said"]))
            self.assertIn("Osier word workshop", [span["words"] for span in found["spans"] if span["lane"] == "group"])

    def test_a_result_set_aside_stays_visible_as_such(self):
        """It has no percentile and no band, and says who decided why; the thread is without it."""
        client = signed_in("coach")
        row = next(row for row in rows(grade="4") if row["to_score"] is not None)
        student = row["student_id"]
        result = next(
            one for one in page(student).json()["results"]
            if one["window"] == "2026-27 winter" and one["score"] == row["to_score"]
        )  # fmt: skip
        body = {"act": "set aside", "result_id": result["id"], "why": "fire alarm"}
        done = client.post("/api/check/decisions", json=body)
        self.assertEqual(done.status_code, 200, done.text)
        try:
            found = page(student).json()
            own = next(one for one in found["results"] if one["id"] == result["id"])
            self.assertEqual((own["state"], own["percentile"], own["band"]), ("set aside", None, None))
            self.assertIn("fire alarm", own["why"])
        finally:
            self.assertEqual(client.post(f"/api/acts/{done.json()['id']}/undo").status_code, 200)


class Rights(unittest.TestCase):
    def test_role_by_lane(self):
        """An aide of the own group: results of its measure, sessions, accommodations; no other lane; others as told."""
        mine = signed_in("aide").get("/api/follow-up/groups").json()[0]["id"]
        students = [
            one["student_id"] for one in signed_in("coach").get(f"/api/follow-up/groups/{mine}").json()["students"]
        ]
        seen = {login: set() for login in ("coach", "lead", "specialist", "aide")}
        for student in students:
            for login, lanes in seen.items():
                found = page(student, login)
                if found.status_code != 200:
                    continue
                found = found.json()
                lanes |= {one["lane"] for one in (*found["spans"], *found["marks"])}
                if login == "aide":
                    self.assertEqual((found["practice"], found["programs"]), ([], []))
                    self.assertLessEqual({one["title"] for one in found["results"]}, {"Saltgauge Reading"})
                    self.assertFalse([one for one in found["said"] if one["what"] == "next"])
        self.assertLessEqual(seen["aide"], {"group", "session", "accommodation"})
        self.assertIn("session", seen["aide"])
        every = {"group", "session", "absence", "grade", "goal", "note", "decision"}
        self.assertLessEqual(every, seen["coach"])
        # The school lead's school is another one; who is seen is seen whole.
        self.assertTrue(not seen["lead"] or every <= seen["lead"])

    def test_internal_notes_of_others_stay_theirs(self):
        """A teacher of a student sees notes for the family and own ones, never another's internal note."""
        with stage.demo().reading() as session:
            ask = session.connection().exec_driver_sql
            notes = ask(
                "SELECT s.student_id, n.text, n.by_id FROM note n JOIN student s ON s.id = n.student_id "
                "WHERE n.audience = 'internal'"
            ).all()
            people = dict(ask("SELECT login, id FROM person WHERE login IS NOT NULL").all())
        checked = 0
        for student, text, by in notes:
            for login in ("teacher", "specialist"):
                found = page(student, login)
                if found.status_code == 200:
                    words = [one["words"] for one in found.json()["marks"] if one["lane"] == "note"]
                    self.assertEqual(text in words, people[login] == by)
                    checked += 1
        self.assertGreater(checked, 0)

    def test_outside_reach_there_is_nobody(self):
        """The same answer as for an unknown id, for the page and its file, and the look is logged for those inside."""
        mine = {one["student_id"] for one in rows("teacher")}
        outside = next(one["student_id"] for one in rows() if one["student_id"] not in mine)
        client = signed_in("teacher")
        for path in ("page", "page.csv"):
            hidden, unknown = (
                client.get(f"/api/students/{one}/{path}", params=SCOPE) for one in (outside, "nobody at all")
            )
            self.assertEqual((hidden.status_code, hidden.content), (unknown.status_code, unknown.content))
        own = sorted(mine)[0]
        self.assertEqual(page(own, "teacher").status_code, 200)
        log = signed_in("coach").get("/api/logs/views").json()
        self.assertIn(own, str(log))

    def test_the_file_has_every_result(self):
        """A row a sitting, as in the table."""
        student = rows()[0]["student_id"]
        text = signed_in("coach").get(f"/api/students/{student}/page.csv", params=SCOPE).text
        self.assertEqual(text.count(f"{student},"), len(page(student).json()["results"]))


class Little(unittest.TestCase):
    def test_a_student_without_anything(self):
        """Nothing is said that is not known; the axis is still a year long."""
        with stage.demo().reading() as session:
            ask = session.connection().exec_driver_sql
            none = ask("SELECT student_id FROM student WHERE id NOT IN (SELECT student_id FROM result) LIMIT 3").all()
            one = ask(
                "SELECT s.student_id FROM student s JOIN result r ON r.student_id = s.id GROUP BY s.id "
                "HAVING COUNT(*) = 1 LIMIT 2"
            ).all()
        for (student,) in (*none, *one):
            found = page(student)
            self.assertEqual(found.status_code, 200, found.text)
            body = found.json()
            self.assertLess(body["first"], body["last"])
            self.assertFalse([said for said in body["said"] if said["what"] == "growth"])
