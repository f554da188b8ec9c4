"""Strand by strand: what is said of a strand's distances, each checked one student at a time."""

import unittest

import numpy as np

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.needs.strand_scores import StrandScores
from bodkin.answers.needs.strands import REACH, STEP, _column, verdicts_of, window_with_strands
from bodkin.answers.scope.scope import Scope
from bodkin.core.windows import read_window
from tests.support.tables import BASE, FALL, WINTER, pairs, result, table_of


def scores(n, seed):
    """Three strands; some scores missing, some errors missing or 0, some far from the line, some on a step."""
    rng = np.random.default_rng(seed)
    score = 500 + np.round(rng.normal(0, 30, (n, 3)))
    score[::11, 0], score[5:9, 1] = np.nan, 500 + 10 * REACH
    score[1::7, 2], score[2::9, 2] = 500, 500 - 10 * STEP * 20
    score[3:4, 2], score[4:5, 2] = 0, 1000
    error = np.full((n, 3), 10.0)
    error[::13, 1], error[1::13, 1] = 0, np.nan
    return StrandScores(read_window(WINTER), score, error, np.full((n, 3), 500.0), np.full(n, 500.0))


class Columns(unittest.TestCase):
    def test_counts_and_middle_are_those_of_each_student(self):
        """Against a look at one distance after the other."""
        for n in (1, 2, 12, 501):
            now = scores(n, n)
            verdicts = verdicts_of(now, "norm")
            for at in range(3):
                with self.subTest(n=n, strand=at):
                    found = _column("One", at, now, None, verdicts, many=True)
                    known = [float(one) for one in now.distance[:, at] if not np.isnan(one)]
                    self.assertEqual(found.n, len(known))
                    self.assertEqual(found.below, sum(one < 0 for one in known))
                    # NumPy's own median and histogram, the ends of the scale drawn in.
                    self.assertEqual(found.median, float(np.median(known)) if known else None)
                    edges = np.arange(-REACH, REACH + STEP / 2, STEP)
                    inside = np.clip(known, -REACH, REACH - STEP / 2)
                    self.assertEqual(found.counts, np.histogram(inside, edges)[0].tolist())
                    beyond = [one for one, verdict in zip(now.distance[:, at], verdicts[:, at], strict=True)
                              if one < 0 and verdict < 0]  # fmt: skip
                    self.assertEqual(found.below_beyond, len(beyond))

    def test_few_students_stand_there_by_name_and_many_as_counts(self):
        """One of both, never both."""
        now = scores(12, 1)
        few, many = (_column("One", 0, now, None, verdicts_of(now, "norm"), many=many) for many in (False, True))
        self.assertEqual((len(few.distance), few.counts), (12, []))
        self.assertEqual((many.distance, sum(many.counts)), ([], many.n))


class Windows(unittest.TestCase):
    def test_a_window_counts_once_one_of_the_students_has_a_score_there(self):
        """Whether the first or the last of thousands; other students' scores do not count."""
        crowd = [result(at, f"a{at:05}", FALL, 500) for at in range(4500)]
        for mine in ("a00000", "a04499"):
            made = compare(table_of(crowd), Scope(**{**BASE, "students": frozenset([mine])}))
            self.assertEqual(made.students.height, 1)
            found = window_with_strands(made, made.students, table_of(crowd), None)
            self.assertEqual([one and str(one) for one in found], [FALL, None])
        made = compare(table_of(crowd + pairs()), Scope(**{**BASE, "students": frozenset(["s001"])}))
        found = window_with_strands(made, made.students, table_of(crowd), None)
        self.assertEqual(found, (None, None))
        found = window_with_strands(made, made.students, table_of(pairs()), None)
        self.assertEqual([str(one) for one in found], [WINTER, FALL])
