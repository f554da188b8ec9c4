"""What of a trend leaves the classroom: an attacker with linear algebra learns nothing about a few students."""

import itertools
import unittest

import numpy as np

from bodkin.answers.compare.trend import trend_answer
from bodkin.answers.compare.trend_withheld import lines_shown, shares_shown
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import sentence
from tests.support.tables import BASE, SPRING, WINTER, table_of, three_windows, with_spring

SMALL = 10


def told_sets(rows):
    """Every set of students whose sum follows from sums over the rows (0 and 1, a column a student): by brute force.

    A set is found where its indicator is a combination of rows; combinations of -1, 0 and 1 of up to three rows reach
    every one for so few rows.
    """
    found = set()
    for factors in itertools.product((-1, 0, 1), repeat=len(rows)):
        made = np.einsum("i,ij->j", np.array(factors), np.array(rows, dtype=int))
        if set(made.tolist()) <= {0, 1}:
            found.add(tuple(made.tolist()))
    return [np.array(one, dtype=bool) for one in found]


class Sets(unittest.TestCase):
    def drawn(self, draw):
        n = int(draw.integers(8, 70))
        masks = [np.ones(n, dtype=bool)]
        masks += [draw.random(n) < draw.random() for _ in range(int(draw.integers(1, 4)))]
        return masks

    def test_no_few_students_follow_from_what_is_shown(self):
        """Over 400 drawn cases each set that follows from the lines shown is empty or has ten; large lines do stand."""
        draw, stood = np.random.default_rng(4), 0
        for _ in range(400):
            masks = self.drawn(draw)
            shown = lines_shown(masks, SMALL)
            rows = [mask for mask, one in zip(masks, shown, strict=True) if one]
            for found in told_sets(rows) if rows else []:
                self.assertFalse(0 < found.sum() < SMALL, [int(mask.sum()) for mask in masks])
            stood += sum(shown[1:])
        self.assertGreater(stood, 100)

    def test_shares_give_nobody_away(self):
        """Those above, and those below, of each set that follows from the lines with a share: nobody or ten."""
        draw, stood = np.random.default_rng(5), 0
        for _ in range(400):
            masks = self.drawn(draw)
            n = masks[0].size
            above, known = draw.random(n) < draw.random(), draw.random(n) < 0.95
            shown = lines_shown(masks, SMALL)
            told = shares_shown(masks, shown, above, known, SMALL)
            self.assertTrue(all(one or not share for one, share in zip(shown, told, strict=True)))
            rows = [mask for mask, one in zip(masks, told, strict=True) if one]
            for found in told_sets(rows) if rows else []:
                for side in (above & known, ~above & known):
                    self.assertFalse(0 < (found & side).sum() < SMALL)
            stood += sum(told)
        self.assertGreater(stood, 100)

    def test_borders(self):
        """Ten of twenty stand, nine of twenty and of nineteen do not, nobody has no line; the whole from ten."""
        ten = np.arange(20) < 10
        everybody = np.ones(20, dtype=bool)
        self.assertEqual(lines_shown([everybody, ten], SMALL), [True, True])
        self.assertEqual(lines_shown([everybody, np.arange(20) < 9], SMALL), [True, False])
        self.assertEqual(lines_shown([np.ones(19, dtype=bool), np.arange(19) < 10], SMALL), [True, False])
        self.assertEqual(lines_shown([everybody, np.zeros(20, dtype=bool)], SMALL), [True, False])
        self.assertEqual(lines_shown([ten[:9], ten[:9]], SMALL), [False, False])
        self.assertEqual(shares_shown([everybody], [True], ten, everybody, SMALL), [True])
        self.assertEqual(shares_shown([everybody], [True], np.arange(20) < 11, everybody, SMALL), [False])
        self.assertEqual(shares_shown([everybody], [True], everybody, everybody, SMALL), [True])


class Answer(unittest.TestCase):
    def answer_for(self, withhold, over=(), n=40):
        table = with_spring(table_of(three_windows(n)))
        scope = Scope(**{**BASE, "to_window": SPRING, "between": (WINTER,)})
        return trend_answer(table, scope, sentence(scope, norms=True), list(over), {}, 1, withhold)

    def test_large_lines_lose_only_scores_of_one_student(self):
        """Forty students: mean and range stay; median, lowest and highest go."""
        plain, shown = self.answer_for(None), self.answer_for(SMALL)
        self.assertEqual(shown.headline, plain.headline)
        for before, after in zip(plain.lines[0].points, shown.lines[0].points, strict=True):
            self.assertEqual((after.n, after.mean, after.low), (before.n, before.mean, before.low))
            self.assertEqual((after.median, after.lowest, after.highest), (None, None, None))

    def test_a_small_subgroup_is_withheld(self):
        """Every fourth of forty: nine or ten of 38, so at each window nothing of it, and no word of its gap."""
        shown = self.answer_for(SMALL + 1, over=["program: ML"])
        self.assertTrue(all(point.withheld and point.n is None for point in shown.lines[1].points))
        self.assertIn("ML", self.answer_for(None, over=["program: ML"]).lead)
        self.assertNotIn("ML", shown.lead)

    def test_few_students_have_no_words(self):
        """Eight students: nothing of them, neither in figures nor in words."""
        shown = self.answer_for(SMALL, n=8)
        self.assertEqual((shown.headline, shown.lead, shown.steady), ("Too few students to show", "", None))
        self.assertTrue(all(point.withheld for line in shown.lines for point in line.points))
