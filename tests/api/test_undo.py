"""Undo: every act, taken back by every way there is, leaves every answer as it was before."""

import unittest

from sqlalchemy import select

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from bodkin.store.tables import Act
from tests.api.application import SCOPE
from tests.api.client import TestClient
from tests.support import stage

GRADE_4 = {**SCOPE, "grade": "4", "school": "Saltgrass Primary"}
QUESTIONS = ("compare", "growth", "check", "scope/rail", "drill-down", "home")
BANDS = (("Starting", ""), ("Gaining", "470"), ("Steady", "500"), ("Leading", "540"))
CUTS = [
    {"assessment": "Saltgauge", "subject": "reading", "grade": "4", "season": "winter", "band": band,
     "order": str(order), "min_score": low}
    for order, (band, low) in enumerate(BANDS, 1)
]  # fmt: skip


class EveryAct(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        application = build(stage.settings(), cls.store)
        cls.coach, cls.teacher, cls.aide = (TestClient(application) for _ in range(3))
        for client, login in ((cls.coach, "coach"), (cls.teacher, "teacher"), (cls.aide, "aide")):
            client.post("/api/sign-in", json={"login": login, "password": PASSWORD})
        check = cls.coach.get("/api/check", params=GRADE_4).json()
        cls.missing = next(one["student_id"] for line in check["classes"] for one in line["missing"])
        cls.results = [one["result_id"] for one in check["doubts"]]
        rows = cls.coach.get("/api/drill-down", params=GRADE_4).json()["rows"]
        cls.students = [row["student_id"] for row in rows[:3]]

    def answers(self):
        """Every step's answer for the scope, without the version that only ever rises."""
        found = {}
        for path in QUESTIONS:
            answer = self.coach.get(f"/api/{path}", params=GRADE_4)
            self.assertEqual(answer.status_code, 200, path)
            found[path] = answer.json()
            if isinstance(found[path], dict):
                found[path].pop("data_version", None)
        found["groups"] = self.coach.get("/api/groups").json()
        return found

    def last(self):
        with self.store.reading() as session:
            return session.scalar(select(Act.id).order_by(Act.id.desc()).limit(1))

    def acts(self):
        """Each kind of act as a call that does it."""
        coach, result, student = self.coach, self.results[0], self.students[0]
        group = self.coach.get("/api/groups").json()[0]["id"]
        window = SCOPE["to_window"]
        retest = {
            "student_id": student,
            "assessment": "Saltgauge",
            "subject": "reading",
            "window": window,
            "why": "ill",
        }
        goal = {"students": self.students, "kind": "keep pace", "until": "2026-27 spring"}
        made = {"name": "Undone soon", "focus": "x", "first_day": "2027-02-15", "last_day": "2027-04-01",
                "students": self.students}  # fmt: skip
        return {
            "set aside": lambda: coach.post(
                "/api/check/decisions", json={"act": "set aside", "result_id": result, "why": "left the room"}
            ),
            "correction": lambda: coach.post(
                f"/api/students/results/{result}/corrections", json={"column": "score", "value": "501", "why": "typed"}
            ),
            "keep": lambda: coach.post("/api/check/decisions", json={"act": "keep", "result_id": result}),
            "retest": lambda: coach.post("/api/check/retests", json={**retest, "why": "ill"}),
            "reason": lambda: coach.post(
                "/api/check/reasons", json={"student_id": self.missing, "window": window, "reason": "away"}
            ),
            "goal": lambda: coach.post("/api/goals", params=GRADE_4, json=goal),
            "target": lambda: coach.put("/api/goals/target", params=GRADE_4, json={"share": 0.7}),
            "group made": lambda: coach.post("/api/groups", json=made),
            "group changed": lambda: coach.patch(
                f"/api/groups/{group}", json={"focus": "another", "add": self.students[:1]}
            ),
            "import": lambda: coach.post("/api/imports/edited", json={"kind": "cuts", "rows": CUTS}),
        }

    def test_each_undone_by_every_way_leaves_every_answer_as_it_was(self):
        """By the list of acts, by the step's own button (the same address), and imports by their history too."""
        before = self.answers()
        for name, act in self.acts().items():
            ways = ["act", "import"] if name == "import" else ["act"]
            for way in ways:
                with self.subTest(act=name, way=way):
                    done = act()
                    self.assertLess(done.status_code, 300, done.text)
                    changed = self.answers()
                    self.assertNotEqual(changed, before)
                    key = self.last()
                    path = f"/api/imports/{done.json()['id']}/undo" if way == "import" else f"/api/acts/{key}/undo"
                    self.assertLess(self.coach.post(path).status_code, 300)
                    after = self.answers()
                    for question in before:
                        self.assertEqual(after[question], before[question], question)
                    self.assertEqual(self.coach.post(f"/api/acts/{key}/undo").status_code, 409)

    def test_what_is_newer_is_named_and_nothing_changes(self):
        """A result set aside, then believed again: the first cannot go before the second."""
        acts = self.acts()
        acts["set aside"]()
        first = self.last()
        acts["keep"]()
        second = self.last()
        refused = self.coach.post(f"/api/acts/{first}/undo")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("the result is kept", refused.json()["message"])
        for key in (second, first):
            self.assertEqual(self.coach.post(f"/api/acts/{key}/undo").status_code, 200)

    def test_who_may_take_back_what(self):
        """Own acts, anybody's for a coach; never an act of a kind that one may not do."""
        mine = self.teacher.get("/api/drill-down", params=SCOPE).json()["rows"][0]["student_id"]
        reason = {"student_id": mine, "window": SCOPE["to_window"], "reason": "travels"}
        self.assertEqual(self.teacher.post("/api/check/reasons", json=reason).status_code, 200)
        own = self.last()
        self.acts()["import"]()
        brought = self.last()
        self.assertEqual(self.teacher.post(f"/api/acts/{brought}/undo").status_code, 403)
        self.assertEqual(self.aide.post(f"/api/acts/{own}/undo").status_code, 403)
        self.assertEqual(self.coach.post(f"/api/acts/{brought}/undo").status_code, 200)
        self.assertEqual(self.teacher.post("/api/acts/999999999/undo").status_code, 404)
        self.assertIn(own, [one["id"] for one in self.teacher.get("/api/acts").json()])
        self.assertEqual(self.aide.get("/api/acts").json(), [])
        self.assertEqual(self.coach.post(f"/api/acts/{own}/undo").status_code, 200)
