"""Home: every story of the first steps is told there, in true sentences that open what they are about."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import polars as pl
from scipy import stats

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.home.findings import standing, unit_looks
from bodkin.answers.scope.scope import Scope
from bodkin.api.app import build
from bodkin.store.reads.table.load import load_score_table
from tests.api.client import TestClient
from tests.support import stage

SCOPE = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall", "to_window": "2026-27 winter"}


class Home(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        application = build(stage.settings(), stage.demo())
        cls.clients = {}
        for login in ("coach", "teacher", "aide"):
            cls.clients[login] = TestClient(application)
            answer = {"login": login, "password": "tideline-demo"}
            assert cls.clients[login].post("/api/sign-in", json=answer).status_code == 204

    def home(self, who="coach", **more):
        return self.clients[who].get("/api/home", params=SCOPE | more).json()

    def test_every_story_of_the_first_steps_stands_on_home(self):
        """Each planted story of steps 1 to 3 is a sentence of its own."""
        answer = self.home()
        worth = [(one["step"], one["subject"], one["sentence"]) for one in answer["worth_a_look"]]
        for step, subject, words in (
            ("check", "reading", "is hard to believe"),
            ("check", "mathematics", "Class 7 Yawl rushed"),
            ("check", "reading", "did better in Portuguese than in English"),
            ("compare", "reading", "Grade 4 at Saltgrass Primary fell behind"),
            ("growth", "reading", "Strong starters in grade 6 at Causeway Intermediate grew"),
            ("groups", "reading", "Deep water readers: its students grew no more than similar students"),
        ):
            with self.subTest(words):
                self.assertTrue(any(one[:2] == (step, subject) and words in one[2] for one in worth), worth)
        self.assertIn("Tide pool readers", answer["celebrate"][0]["sentence"])

    def test_the_figures_of_a_sentence_are_those_of_the_step_it_opens(self):
        """The scope that a sentence carries gives the numbers it says."""
        fell = next(one for one in self.home()["worth_a_look"] if one["step"] == "compare")
        answer = self.clients["coach"].get("/api/compare", params=SCOPE | fell["scope"]).json()
        shares = [round(100 * answer["quoted"][f"{side}_share"]) for side in ("from", "to")]
        self.assertIn(
            f"{shares[0]}\u00a0% were at Steady or above in fall, {shares[1]}\u00a0% in winter", fell["detail"]
        )
        self.assertEqual(answer["matched_n"], fell["n"])
        # The size, and that it is beyond chance, once more by scipy's test of two means.
        rows = self.clients["coach"].get("/api/growth", params=SCOPE | {"grade": "4", "count": 5000}).json()["rows"]
        here = [r["distance"] for r in rows if r["school"] == "Saltgrass Primary" and r["distance"] is not None]
        other = [r["distance"] for r in rows if r["school"] != "Saltgrass Primary" and r["distance"] is not None]
        self.assertAlmostEqual(fell["size"], np.mean(here) - np.mean(other), places=2)
        self.assertLess(stats.ttest_ind(here, other, equal_var=False).pvalue, 0.005)

    def test_a_teacher_meets_the_own_students_worth_a_word(self):
        """Names within reach only, each with the figures of the student's own row; nobody for a whole district."""
        found = self.home("teacher")["words"]
        self.assertTrue(found["earned"] and found["needs"])
        rows = {}
        for subject in ("reading", "mathematics"):
            answer = self.clients["teacher"].get("/api/growth", params=SCOPE | {"subject": subject}).json()
            rows |= {(row["student_id"], subject): row for row in answer["rows"]}
        for word in (*found["earned"], *found["needs"]):
            row = rows[word["student_id"], "reading" if "Reading" in word["measure"] else "mathematics"]
            self.assertEqual((word["name"], word["distance"]), (row["name"], row["distance"]))
            self.assertIn(f"{row['from_score']:.0f} to {row['to_score']:.0f}", word["said"])
            self.assertEqual(row["distance"] > 0, word["kind"] == "earned")
        self.assertEqual(self.home("coach")["words"], {"earned": [], "needs": []})

    def test_nothing_is_told_of_chance(self):
        """A district of students drawn alike has nothing to tell in at least 95 of 100 looks at it."""
        with stage.demo().reading() as session:
            table = load_score_table(session)
        comparison = compare(table, Scope(**SCOPE))
        rng, told = np.random.default_rng(5), 0
        known = pl.col("gain_z").is_not_null()
        for _ in range(40):
            chance = pl.Series(rng.normal(size=comparison.students.height))
            drawn = comparison.students.with_columns(gain_z=pl.when(known).then(chance))
            told += any(standing(unit_looks(replace(comparison, students=drawn))))
        # 2 are expected; more than 5 would come up about once in seventy.
        self.assertLessEqual(told, 5)

    def test_a_teacher_s_home_is_about_the_own_class_only(self):
        """No other class, and no student of another class, is named."""
        for one in self.home("teacher")["worth_a_look"]:
            self.assertNotIn("Yawl", one["sentence"])
        self.assertEqual(self.clients["aide"].get("/api/home", params=SCOPE).status_code, 200)

    def test_what_happened_since(self):
        """Imports and decisions after a moment, the latest first; nothing before it."""
        coach = self.clients["coach"]
        before = datetime.now(UTC) - timedelta(seconds=2)

        def said():
            return [(one["said"], one["path"]) for one in self.home(since=before.isoformat())["since"]]

        # Other tests may have done something a moment ago.
        known = said()
        doubt = coach.get("/api/check", params=SCOPE).json()["doubts"][0]
        done = coach.post("/api/check/decisions", json={"act": "keep", "result_id": doubt["result_id"]}).json()
        self.assertEqual([one for one in said() if one not in known], [(f"{done['said']}.", "check")])
        later = (datetime.now(UTC) + timedelta(seconds=5)).isoformat()
        self.assertEqual(self.home(since=later)["since"], [])
        coach.post(f"/api/acts/{done['id']}/undo")
        self.assertEqual(said(), known)
        self.assertEqual(self.home()["since"], [])
