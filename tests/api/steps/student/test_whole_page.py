"""A student's page over the demo: the figures of the steps, what each role may see, what is true of little."""

import random
import unittest

from tests.api.application import SCOPE, signed_in
from tests.support import stage
from tests.support.extent import extent


def page(student, login="coach", **query):
    return signed_in(login).get(f"/api/students/{student}/page", params={**SCOPE, **query})


def rows(login="coach", **query):
    found = signed_in(login).get("/api/growth/rows", params={**SCOPE, "count": 5000, **query})
    return found.json()["rows"] if found.status_code == 200 else []


class Figures(unittest.TestCase):
    def test_they_equal_the_step_they_come_from(self):
        """Drawn students: score, percentile, band and gain are those of Growth and of the history grid."""
        drawn = random.Random(3).sample(rows(), extent(10, 50))
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

    def test_what_is_most_to_be_gained_without_evidence_is_the_lowest_strand(self):
        """Of one student alone as Needs has it: the strand furthest below the line, by the norm and by the district."""
        client, met = signed_in("coach"), 0
        for against in ("norms", "district"):
            for row in random.Random(6).sample(rows(grade=["7", "8"]), extent(6, 12)):
                asked = {**SCOPE, "matched": "false", "against": against, "student": row["student_id"]}
                strands = client.get("/api/needs/strands", params=asked).json()["strands"]
                known = [one for one in strands if one["distance"] and one["distance"][0] is not None]
                lowest = min(known, key=lambda one: one["distance"][0], default=None)
                said = page(row["student_id"], against=against).json()["said"]
                next_ = next((one for one in said if one["what"] == "next"), {"sentence": "", "explained": ""})
                if "no evidence on standards yet" not in next_["explained"]:
                    continue
                met += 1
                wanted = f"Most to be gained: {lowest['strand']} ({lowest['score'][0]:.0f})"
                self.assertEqual(next_["sentence"], wanted)
                self.assertIn(f"{-lowest['distance'][0]:.1f} of the strand's", next_["explained"])
        self.assertGreater(met, 3)

    def test_means_strands_and_standards_equal_their_steps(self):
        """Drawn students of a class: the district's and the norm's mean of Growth, strands and standards of Needs."""
        client = signed_in("coach")
        drawn = random.Random(5).sample(
            [row for row in rows(section="4 Curlew") if row["gain"] is not None], extent(3, 15)
        )
        needs = client.get("/api/needs/strands", params={**SCOPE, "section": "4 Curlew"}).json()
        place = {one["student_id"]: at for at, one in enumerate(needs["students"])}
        for row in drawn:
            student = row["student_id"]
            found = page(student).json()
            result = next(
                one for one in found["results"]
                if one["title"] == "Saltgauge Reading"
                and (one["window"], one["score"]) == ("2026-27 winter", row["to_score"])
            )  # fmt: skip
            with self.subTest(student=student):
                self.assertEqual((result["norm_mean"], result["percentile"]),
                                 (row["to_norm_mean"], row["to_percentile"]))  # fmt: skip
                self.assertGreater(result["district_mean"], 100)
                self.assertAlmostEqual(result["district_mean"], row["district_mean"])
                self.assertTrue(result["basis"])
                lines = {one["strand"]: one["points"][-1]["score"] for one in found["strands"]
                         if one["title"].startswith("Saltgauge Reading")
                         and one["points"][-1]["on"] == row["to_tested_on"]}  # fmt: skip
                theirs = {one["strand"]: one["score"][place[student]] for one in needs["strands"]}
                self.assertEqual(lines, theirs)
                held_now = client.get("/api/needs/standards/student", params={**SCOPE, "of": student})
                self.assertEqual(held_now.status_code, 200, held_now.text)
                held = {one["standard"] for one in held_now.json()["held"]}
                states = {one["standard"]: one["state"] for one in found["standards"]}
                self.assertLessEqual(held & set(states), {one for one, state in states.items() if state == "mastered"})
                self.assertLessEqual(held, set(states))

    def test_the_likely_outcome_is_compare_s(self):
        """The same level and chance as the outcome view says of the student."""
        outcome = signed_in("coach").get("/api/compare/outcome", params={**SCOPE, "grade": "4", "count": 500}).json()
        for row in random.Random(7).sample(outcome["rows"], 5):
            said = [one for one in page(row["student_id"]).json()["said"] if one["what"] == "likely"]
            self.assertEqual(len(said), 1)
            self.assertIn(f"most likely {row['likely']} ({100 * row['chance']:.0f}\u00a0%)", said[0]["sentence"])

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
            self.assertEqual((weekly["aim"], weekly["trend"]), (one["aim"], one["trend"]))
            self.assertIn(one["said"], weekly["said"])
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


class Then(unittest.TestCase):
    """The page as of a school year that is over."""

    def test_as_of_last_year(self):
        """Grade and school of that year, nothing later, and the round of its last two windows."""
        row = next(row for row in rows(grade="5") if row["gain"] is not None)
        now = page(row["student_id"]).json()
        self.assertIn("2025-26", now["rosters"])
        then = page(row["student_id"], as_of="2025-26").json()
        self.assertEqual((then["as_of"], then["grade"]), ("2025-26", "4"))
        self.assertLess(then["last"], "2026-07-15")
        self.assertEqual(then["due"], [])
        days = [one["on"] for thread in then["threads"] for one in thread["points"]]
        days += [one["on"] for one in (*then["marks"], *then["practice"], *then["results"]) if one["on"]]
        self.assertLessEqual(max(days), then["last"])
        earlier = [one for one in now["results"] if one["on"] and one["on"] <= then["last"]]
        self.assertEqual([one["id"] for one in then["results"]], [one["id"] for one in earlier])
        self.assertFalse([one for one in then["said"] if one["what"] in ("next", "likely")])

    def test_an_unknown_or_running_year(self):
        """404 either way."""
        student = rows()[0]["student_id"]
        for year in ("2026-27", "1999-00", "x"):
            self.assertEqual(page(student, as_of=year).status_code, 404)


class Changed(unittest.TestCase):
    """What changed since the reader last looked."""

    def look_long_ago(self, student, login):
        with stage.demo().noting() as session:
            ask = session.connection().exec_driver_sql
            person = ask("SELECT id FROM person WHERE login = %s", (login,)).scalar()
            ask("INSERT INTO view_log (person_id, student, at) VALUES (%s, %s, UTC_TIMESTAMP() - INTERVAL 2 HOUR)",
                (person, student))  # fmt: skip

    def test_notes_and_results_since_the_last_look(self):
        """Only what the reader may read; a second look within the half hour is the same look."""
        student = rows("teacher")[3]["student_id"]
        for login in ("teacher", "coach"):
            self.look_long_ago(student, login)
        client = signed_in("coach")
        body = {"audience": "internal", "text": "between us", "shared": False}
        act = client.post(f"/api/students/{student}/notes", json=body).json()["id"]
        try:
            for _ in range(2):
                seen = page(student).json()
                self.assertIn("1 note", seen["changed"])
                self.assertIsNotNone(seen["looked"])
            self.assertNotIn("1 note", page(student, "teacher").json()["changed"])
        finally:
            client.post(f"/api/acts/{act}/undo")
        self.assertNotIn("1 note", page(student).json()["changed"])


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
