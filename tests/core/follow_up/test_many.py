"""The rule over many students at once says what it says of each."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.many import ACTS, aim_lines, next_steps
from bodkin.core.follow_up.trend import AimLine, aim_line, next_step, trend
from tests.support.extent import extent


def drawn(seed, students=400, most=24):
    draw = np.random.default_rng(seed)
    week, score = np.full((students, most), np.nan), np.full((students, most), np.nan)
    for at in range(students):
        n = int(draw.integers(0, most + 1))
        days = np.sort(draw.choice(np.arange(0, 5 * most), n, replace=False)) / 5
        # Results on a weekend stand at the same instructional week as those of the Monday after it.
        week[at, :n] = np.where(draw.random(n) < 0.1, np.floor(days), days)
        week[at, :n].sort()
        score[at, :n] = np.round(60 + draw.normal(1.2, 1) * week[at, :n] + draw.normal(0, 5, n))
    goal_week, goal = draw.uniform(-2, 30, students), draw.uniform(50, 110, students)
    goal[draw.random(students) < 0.1] = np.nan
    return week, score, goal_week, goal


class Many(unittest.TestCase):
    def test_equals_one_by_one(self):
        """Students, 400 a draw: the same word, the same confirmation, the same slope, and every word occurs."""
        words = set()
        for seed in range(extent(1, 5)):
            week, score, goal_week, goal = drawn(seed)
            found = next_steps(week, score, aim_lines(week, score, goal_week, goal))
            for at in range(len(week)):
                known = ~np.isnan(week[at])
                weeks, scores = week[at, known], score[at, known]
                line = trend(weeks, scores)
                with self.subTest(seed=seed, at=at):
                    self.assertEqual(found.n[at], known.sum())
                    if line.slope is None:
                        self.assertTrue(np.isnan(found.slope[at]))
                    else:
                        self.assertAlmostEqual(found.slope[at], line.slope, places=9)
                    if known.sum() < 3 or np.isnan(goal[at]) or goal_week[at] <= np.median(weeks[:3]):
                        self.assertEqual(ACTS[found.act[at]], "none")
                        continue
                    aim = AimLine(float(np.median(weeks[:3])), float(np.median(scores[:3])), goal_week[at], goal[at])
                    one = next_step(weeks, scores, aim)
                    self.assertEqual(ACTS[found.act[at]], one.act)
                    confirmed = None if np.isnan(found.confirmed[at]) else bool(found.confirmed[at])
                    self.assertEqual(confirmed, one.confirmed)
                    words.add((one.act, one.confirmed))
        self.assertEqual(len(words), 6)

    def test_aim_lines_are_those_of_each(self):
        """Start at the middle week and score of the first three results; nobody without three or a goal to come."""
        week, score, goal_week, goal = drawn(9)
        found = aim_lines(week, score, goal_week, goal)
        for at in range(len(week)):
            known = ~np.isnan(week[at])
            if np.isnan(found.goal[at]):
                self.assertTrue(known.sum() < 3 or np.isnan(goal[at]) or goal_week[at] <= np.median(week[at, :3]))
            elif goal_week[at] > week[at, 2]:
                one = aim_line(week[at, known], score[at, known], goal_week[at], goal[at])
                self.assertEqual((found.start_week[at], found.start[at]), (one.start_week, one.start))

    def test_nobody_and_nothing(self):
        """No student, students without a result, and what cannot be taken."""
        none = next_steps(np.empty((0, 3)), np.empty((0, 3)), aim_lines(np.empty((0, 3)), np.empty((0, 3)), [], []))
        self.assertEqual(none.act.shape, (0,))
        empty = np.empty((2, 0))
        self.assertEqual(next_steps(empty, empty, aim_lines(empty, empty, [9.0] * 2, [9.0] * 2)).act.tolist(), [0, 0])
        nan = np.nan
        for week, words in (
            ([1.0], "students by results"),
            ([[nan, 1.0]], "from the left"),
            ([[2.0, 1.0]], "must rise"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                aim_lines(week, week, [1.0], [1.0])
        with self.assertRaisesRegex(BadInput, "entry for each student"):
            aim_lines([[1.0]], [[1.0]], [1.0, 2.0], [1.0])
        with self.assertRaisesRegex(BadInput, "1 aim lines for 2"):
            next_steps([[1.0], [1.0]], [[1.0], [1.0]], aim_lines([[1.0]], [[1.0]], [1.0], [1.0]))
