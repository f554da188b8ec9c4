"""The Check step over the interface: its figures against the core and plain counting, decisions and their undoing."""

import unittest
from datetime import date

import numpy as np
from scipy import stats

from bodkin.api.app import build
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.bundles import Waiting, bring_in_all
from bodkin.store.tables import Person
from tests.api.client import TestClient
from tests.support import stage

SCOPE = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall", "to_window": "2026-27 winter"}


class OverTheDemo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        application = build(stage.settings(), stage.demo())
        cls.clients = {}
        for login in ("coach", "lead", "teacher", "aide"):
            cls.clients[login] = TestClient(application)
            answer = {"login": login, "password": "tideline-demo"}
            assert cls.clients[login].post("/api/sign-in", json=answer).status_code == 204

    def check(self, who="coach", **more):
        answer = self.clients[who].get("/api/check", params=SCOPE | more)
        self.assertEqual(answer.status_code, 200, answer.text[:300])
        return answer.json()

    def sql(self, query):
        with stage.demo().reading() as session:
            return [tuple(row) for row in session.connection().exec_driver_sql(query)]

    def test_who_was_tested_is_counted_once_more_by_the_database(self):
        """The counts by class equal those of a query written here."""
        answer = self.check()
        roster = (
            "SELECT DISTINCT e.student_id FROM enrolment e JOIN section s ON s.id = e.section_id WHERE "
            "s.school_year_id = 3 AND e.first_day <= '2027-02-05' AND e.last_day >= '2027-02-05'"
        )
        expected = {row[0] for row in self.sql(roster)}
        window = self.sql("SELECT id FROM window WHERE season = 'winter' AND school_year_id = 3")[0][0]
        tested = {
            row[0]
            for row in self.sql(f"SELECT student_id FROM result WHERE assessment_id = 1 AND window_id = {window}")
        }
        self.assertEqual((answer["expected"], answer["tested"]), (len(expected), len(expected & tested)))
        missing = {one["student_id"] for line in answer["classes"] for one in line["missing"]}
        self.assertEqual(len(missing), len(expected - tested))
        self.assertEqual(answer["waiting"] + answer["excused"], len(missing))
        self.assertEqual(sum(line["expected"] for line in answer["classes"]), answer["expected"])

    def test_the_outlier_stands_first_with_its_evidence(self):
        """The planted wild score leads the list, with time and change in words."""
        answer = self.check()
        first = answer["doubts"][0]
        self.assertTrue(first["both"])
        self.assertEqual((first["grade"], first["minutes"]), ("8", 4))
        self.assertIn("4 minutes; under ", first["why"])
        self.assertIn("beyond test error", first["why"])
        self.assertEqual(sum(one["both"] for one in answer["doubts"]), 1)

    def test_the_class_that_rushed_is_named(self):
        """The planted class and how many of its tests were too fast."""
        answer = self.check(subject="mathematics")
        self.assertEqual([one["section"] for one in answer["rushed"]], ["7 Yawl"])
        self.assertIn("Class 7 Yawl rushed", answer["lead"])
        rail = self.clients["coach"].get("/api/scope/rail", params=SCOPE | {"subject": "mathematics"}).json()
        step = next(one for one in rail["steps"] if one["path"] == "check")
        self.assertIn("7 Yawl rushed", step["finding"])
        self.assertIn(f"{answer['waiting']} not tested", step["line"])

    def test_two_languages_say_what_the_need_is(self):
        """The planted group of readers: the need is language for most of them."""
        answer = self.check()
        needs = [row["need"] for row in answer["languages"]]
        self.assertGreater(needs.count("language") / len(needs), 0.7)
        row = answer["languages"][0]
        errors = row["difference"] / np.hypot(row["home_error"], row["english_error"])
        self.assertAlmostEqual(row["errors"], errors)
        # 1.96 is the normal's 97.5th percentile: beyond it "language", by scipy.
        limit = stats.norm.ppf(0.975)
        for row in answer["languages"]:
            self.assertEqual(row["need"] == "language", row["errors"] > round(limit, 2))

    def test_a_teacher_sees_the_own_class_and_may_only_ask(self):
        """Another class is not there, and a decision is refused."""
        answer = self.check("teacher")
        self.assertEqual([line["section"] for line in answer["classes"]], ["4 Curlew"])
        self.assertEqual((answer["may_decide"], answer["may_ask"]), (False, True))
        result = self.check()["doubts"][0]
        body = {"act": "keep", "result_id": result["result_id"]}
        self.assertEqual(self.clients["teacher"].post("/api/check/decisions", json=body).status_code, 403)
        ask = {"student_id": result["student_id"], "assessment": "Saltgauge", "subject": "reading",
               "window": answer["window"], "why": "x"}  # fmt: skip
        self.assertEqual(self.clients["teacher"].post("/api/check/retests", json=ask).status_code, 404)
        # A lead of another school neither.
        self.assertEqual(self.clients["lead"].post("/api/check/decisions", json=body).status_code, 404)

    def test_set_aside_counts_nowhere_and_undo_brings_it_back(self):
        """Compare's count falls by one and rises again."""
        coach = self.clients["coach"]
        before = coach.get("/api/compare", params=SCOPE).json()
        doubt = self.check()["doubts"][0]
        body = {"act": "set aside", "result_id": doubt["result_id"], "why": ""}
        self.assertEqual(coach.post("/api/check/decisions", json=body).status_code, 422)
        done = coach.post("/api/check/decisions", json=body | {"why": "left the room"}).json()
        self.assertEqual(coach.get("/api/compare", params=SCOPE).json()["matched_n"], before["matched_n"] - 1)
        now = next(one for one in self.check()["doubts"] if one["result_id"] == doubt["result_id"])
        self.assertEqual(now["decided"], "set aside by Maren Tolliver: left the room")
        self.assertEqual(self.check()["waiting"] + self.check()["excused"], sum(
            len(line["missing"]) for line in self.check()["classes"]))  # fmt: skip
        self.assertEqual(coach.get("/api/acts").json()[0]["said"], done["said"])
        self.assertEqual(coach.post(f"/api/acts/{done['id']}/undo").status_code, 200)
        self.assertEqual(coach.post(f"/api/acts/{done['id']}/undo").status_code, 409)
        self.assertEqual(coach.get("/api/compare", params=SCOPE).json()["matched_n"], before["matched_n"])

    def test_another_sitting_counts_and_undo_brings_the_first_back(self):
        """The chosen result of two stands in the figures until undone."""
        coach = self.clients["coach"]
        several = self.check()["several"][0]
        one, other = several["sittings"][0], several["sittings"][-1]
        self.assertEqual((one["counts"], other["counts"]), (False, True))
        row = self.row(several["student_id"])
        self.assertEqual(row["to_score"], other["score"])
        done = coach.post("/api/check/decisions", json={"act": "counts", "result_id": one["result_id"]}).json()
        self.assertEqual(self.row(several["student_id"])["to_score"], one["score"])
        again = coach.post("/api/check/decisions", json={"act": "counts", "result_id": other["result_id"]}).json()
        # The older decision cannot be undone before the newer one.
        self.assertEqual(coach.post(f"/api/acts/{done['id']}/undo").status_code, 409)
        for key in (again["id"], done["id"]):
            self.assertEqual(coach.post(f"/api/acts/{key}/undo").status_code, 200)
        self.assertEqual(self.row(several["student_id"])["to_score"], other["score"])
        alone = next(x for x in self.check()["doubts"] if x["student_id"] != several["student_id"])
        answer = coach.post("/api/check/decisions", json={"act": "counts", "result_id": alone["result_id"]})
        self.assertEqual(answer.status_code, 409)

    def row(self, student):
        rows = self.clients["coach"].get("/api/drill-down", params=SCOPE | {"student": student}).json()["rows"]
        return rows[0]

    def test_retests_and_reasons_are_asked_given_and_undone(self):
        """Each act changes the step's answer and leaves it as it was."""
        coach, answer = self.clients["coach"], self.check()
        doubt = answer["doubts"][0]
        ask = {"student_id": doubt["student_id"], "assessment": "Saltgauge", "subject": "reading",
               "window": answer["window"], "why": doubt["why"], "accommodations": "Extra time"}  # fmt: skip
        asked = coach.post("/api/check/retests", json=ask).json()
        self.assertEqual(coach.post("/api/check/retests", json=ask).status_code, 409)
        now = self.check()
        self.assertEqual(
            [(one["name"], one["accommodations"]) for one in now["retests"]], [(doubt["name"], "Extra time")]
        )
        # Asked for on the demo's day, after the window: nobody has sat again since.
        self.assertEqual([one["sat_since"] for one in now["retests"]], [False])
        key = now["retests"][0]["id"]
        done = coach.post(f"/api/check/retests/{key}/done").json()
        self.assertEqual(coach.post(f"/api/check/retests/{key}/withdrawn").status_code, 409)
        csv = coach.get("/api/check/retests.csv", params=SCOPE).text
        self.assertIn("Extra time", csv)
        for one in (done, asked):
            coach.post(f"/api/acts/{one['id']}/undo")
        self.assertEqual(self.check()["retests"], [])

        line = next(line for line in answer["classes"] if any(one["reason"] is None for one in line["missing"]))
        student = next(one["student_id"] for one in line["missing"] if one["reason"] is None)
        given = coach.post(
            "/api/check/reasons", json={"student_id": student, "window": answer["window"], "reason": "ill"}
        )
        self.assertEqual(self.check()["excused"], answer["excused"] + 1)
        self.assertIn(",ill", coach.get("/api/check/missing.csv", params=SCOPE).text)
        coach.post(f"/api/acts/{given.json()['id']}/undo")
        self.assertEqual(self.check()["excused"], answer["excused"])


class Small(unittest.TestCase):
    """A Bodkin with nothing, and with very little."""

    def setUp(self):
        self.store, _ = stage.fresh()
        with self.store.writing(scores=False) as session:
            session.add(Person(name="One", role="coach", login="one", password_hash=stage.password()))
        self.client = TestClient(build(stage.settings(), self.store))
        self.client.post("/api/sign-in", json={"login": "one", "password": "tideline-demo"})

    def check(self, **more):
        scope = SCOPE | {"assessment": "T"} | more
        return self.client.get("/api/check", params=scope).json()

    def test_nothing_at_all(self):
        """A district without results has an answer in words."""
        answer = self.check()
        self.assertEqual((answer["headline"], answer["classes"], answer["doubts"]), ("Nobody is expected here", [], []))

    def test_one_student_without_minutes_errors_or_dates(self):
        """Nothing can be doubted without evidence, and that is said."""
        scores = "student_id,assessment,subject,window,grade,score,school,section\n"
        scores += "a,T,reading,2026-27 winter,4,500,S,4A\nb,T,reading,2026-27 fall,4,500,S,4A\n"
        with self.store.writing(scores=True) as session:
            waiting = [Waiting("1", "scores.csv", scores.encode)]
            bring_in_all(session, waiting, None, imports.datetime(2026, 9, 1))
        answer = self.check()
        self.assertEqual((answer["expected"], answer["tested"], answer["waiting"]), (2, 1, 1))
        self.assertEqual(answer["doubts"], [])
        self.assertIn("These results have no minutes", answer["notes"][0])
        # The window still to come: the earlier one is checked.
        answer = self.check(to_window="2026-27 spring", from_window="2026-27 winter")
        self.assertEqual(answer["window"], "2026-27 winter")
        self.assertEqual(date.fromisoformat("2027-02-12"), stage.TODAY)
