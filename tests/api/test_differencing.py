"""A teacher who puts many questions together does not find an outside child's score."""

import random
import unittest
from collections import defaultdict
from datetime import date, timedelta

from sqlalchemy import text

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from tests.api.client import TestClient
from tests.support import stage
from tests.support.extent import extent

QUESTIONS = extent(40, 200)
WINDOWS = [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27") for season in ("fall", "winter", "spring")]
ROUTES = ("growth", "growth", "growth/rows", "compare", "compare/trend", "compare/outcome", "growth/units")
MOVED = 90
"""Points by which the outside child's scores are moved."""


def numbers(answer, place=""):
    """Every number of an answer with its place; of a list the place is the list's, since its order may turn."""
    if isinstance(answer, dict):
        for name, value in answer.items():
            if name != "data_version":
                yield from numbers(value, f"{place}.{name}")
    elif isinstance(answer, list):
        for value in answer:
            yield from numbers(value, f"{place}[]")
    elif isinstance(answer, (int, float)) and not isinstance(answer, bool):
        yield place, float(answer)


def question(draw):
    """One question of an attacker: any windows, days moved by one, any comparison, any slice."""
    first, second = sorted(draw.sample(range(len(WINDOWS)), 2))
    asked = {"assessment": "Saltgauge", "subject": draw.choice(["reading", "mathematics"]),
             "from_window": WINDOWS[first], "to_window": WINDOWS[second],
             "against": draw.choice(["norms", "norms", "local", *["district"] * 9])}  # fmt: skip
    if draw.random() < 0.4:
        begins = date(2026, 9, 8) + timedelta(days=draw.randrange(3))
        ends = date(2026, 9, 20) + timedelta(days=draw.randrange(12))
        asked["from_window"], asked["to_window"] = f"{begins}..{ends}", "2026-27 winter"
    for name, values in (
        ("language", ["English", "Spanish"]), ("strand", ["Vocabulary", "Number"]), ("grade", ["4", "5"]),
        ("program", ["individual plan", "multilingual learner"]), ("follow", ["grade"]),
        ("by", ["program", "section"]),
    ):  # fmt: skip
        if draw.random() < 0.2:
            asked[name] = draw.choice(values)
    return draw.choice(ROUTES), asked


def by_place(answer):
    """The numbers at each place in rising order."""
    found = defaultdict(list)
    for place, number in numbers(answer):
        found[place].append(number)
    return {place: sorted(values) for place, values in found.items()}


class Attacker(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.demo_copy()
        cls.client = TestClient(build(stage.settings(), cls.store), raise_server_exceptions=False)
        cls.client.post("/api/sign-in", json={"login": "teacher", "password": PASSWORD})
        draw = random.Random(14)
        cls.questions = [question(draw) for _ in range(QUESTIONS)]

    def ask(self):
        answers = []
        for route, asked in self.questions:
            answer = self.client.get(f"/api/{route}", params=asked)
            self.assertIn(answer.status_code, (200, 422), answer.text)
            answers.append(by_place(answer.json()) if answer.status_code == 200 else {})
        return answers

    def move(self, student, points):
        """Every result of a child moved by so many points."""
        with self.store.writing(scores=True) as session:
            session.execute(
                text("UPDATE result SET score = score + :by WHERE student_id = (SELECT MIN(id) FROM student"
                     " WHERE student_id = :who)"),
                {"by": points, "who": student},
            )  # fmt: skip

    def outside(self):
        """A child of grade 4 whom the teacher does not teach, with results at both windows of this year."""
        asked = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall",
                 "to_window": "2026-27 winter", "grade": "4", "count": 500}  # fmt: skip
        coach = TestClient(self.client.app, raise_server_exceptions=False)
        coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
        mine, all_ = ({row["student_id"] for row in one.get("/api/growth", params=asked).json()["rows"]}
                      for one in (self.client, coach))  # fmt: skip
        return min(all_ - mine)

    def test_whoever_knows_all_but_one_child_learns_nothing_of_it(self):
        """The strongest attacker: the same questions to two districts that differ in one outside child.

        Whatever could be worked out from any of the answers together must differ between them. All that may
        is the rounding of a figure of hundreds: by one whole point, and seldom.
        """
        child = self.outside()
        before = self.ask()
        self.move(child, MOVED)
        after = self.ask()
        changed = 0
        for (route, asked), old, new in zip(self.questions, before, after, strict=True):
            self.assertEqual(old.keys(), new.keys(), (route, asked))
            changed += old != new
            pairs = [(place, *pair) for place in old for pair in zip(old[place], new[place], strict=True)]
            for place, first, second in pairs:
                # A point of a mean or spread, or what follows from one: a percentile, a distance, a share.
                self.assertLessEqual(abs(second - first), 5, (route, asked, place, first, second))
        self.assertLessEqual(changed, QUESTIONS / 10)
        asked_something = [old for old in before if old]
        self.assertGreater(len(asked_something), QUESTIONS / 2)

    def test_chances_rest_on_others_and_are_whole_per_cents(self):
        """Of the likely outcome: each student's chance, and how well the test told, from 30 students or more."""
        asked = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall",
                 "to_window": "2026-27 winter", "count": 5000}  # fmt: skip
        answer = self.client.get("/api/compare/outcome", params=asked).json()
        self.assertGreater(len(answer["rows"]), 10)
        told = [row[name] for row in answer["rows"] for name in ("chance", "on_track")]
        told += [one[name] for one in answer["accuracy"] for name in ("base_rate", "sensitivity", "area")
                 if one[name] is not None]  # fmt: skip
        for share in told:
            self.assertAlmostEqual(share * 100, round(share * 100), places=9)
        self.assertTrue(all(one["n"] % 10 == 0 for one in answer["accuracy"]))

    def test_the_attack_works_where_nothing_is_withheld(self):
        """The same questions of a coach tell of the child: so the test above can fail."""
        coach = TestClient(self.client.app, raise_server_exceptions=False)
        coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
        asked = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall", "count": 500,
                 "to_window": "2026-27 winter", "against": "district", "grade": "4"}  # fmt: skip
        child = self.outside()
        first = by_place(coach.get("/api/growth", params=asked).json())
        self.move(child, MOVED)
        second = by_place(coach.get("/api/growth", params=asked).json())
        self.assertGreater(
            sum(one != two for place in first for one, two in zip(first[place], second[place], strict=True)), 50
        )
