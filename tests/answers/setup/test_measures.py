"""Tests as they are set up: curves and cuts as they stand in the files, and every gap named where it is."""

import unittest

import polars as pl
from scipy.stats import norm

from bodkin.answers.comparison.norms.norm_points import NOMINAL_WEEKS
from bodkin.answers.setup.measures import measure, measures
from bodkin.core.errors import NotFound
from bodkin.store.reads.table.score_table import CUTS, GROWTH_NORMS, NORMS, RESULTS, ScoreTable

M = ("T", "reading")


def table(norms=(), cuts=(), grades=("3",)):
    results = pl.DataFrame({"assessment": [M[0]] * len(grades), "subject": [M[1]] * len(grades), "grade": list(grades)})
    results = pl.concat([pl.DataFrame(schema=RESULTS), results], how="diagonal_relaxed")
    return ScoreTable(
        results,
        pl.DataFrame([(*M, *row) for row in norms], schema=NORMS, orient="row"),
        pl.DataFrame(schema=GROWTH_NORMS),
        pl.DataFrame([(*M, *row) for row in cuts], schema=CUTS, orient="row"),
    )


FALL, WINTER, SPRING = (
    ("3", "fall", 4.0, 500.0, 20.0),
    ("3", "winter", 19.0, 510.0, 21.0),
    ("3", "spring", 32.0, 516.0, 22.0),
)


class Setups(unittest.TestCase):
    def test_curves_and_cuts(self):
        """Points in the order of the year; score cuts as they are, percentile cuts as their scores (scipy)."""
        cuts = [
            ("3", "fall", 1, "Low", None, None), ("3", "fall", 2, "High", 505.0, None),
            ("3", None, 1, "Low", None, None), ("3", None, 2, "High", None, 40.0),
        ]  # fmt: skip
        answer = measure(table([SPRING, FALL, WINTER], cuts), *M).grades[0]
        self.assertEqual([point.week for point in answer.norms], [4, 19, 32])
        self.assertEqual(answer.bands, ["Low", "High"])
        fall, end = answer.cuts
        self.assertEqual((fall.season, fall.week, fall.lows, fall.from_percentiles), ("fall", 4, [505.0], False))
        self.assertEqual((end.season, end.week, end.from_percentiles), (None, 32, True))
        self.assertAlmostEqual(end.lows[0], norm.ppf(0.40, 516, 22))
        self.assertEqual(answer.faults, [])

    def test_of_several_rows_of_a_season_the_middle_one(self):
        """As in the headless run; rows without a week stand at the season's usual place."""
        cuts = [
            ("3", "fall", 1, "Low", None, None),
            ("3", "fall", 2, "High", None, 50.0),
            ("3", None, 1, "Low", None, None),
        ]
        rows = [("3", "fall", week, 500.0 + week, 20.0) for week in (3.0, 4.0, 6.0)]
        self.assertAlmostEqual(measure(table([*rows, WINTER, SPRING], cuts), *M).grades[0].cuts[0].lows[0], 504.0)
        answer = measure(table([("3", "winter", None, 510.0, 21.0)]), *M).grades[0]
        self.assertEqual(answer.norms[0].week, NOMINAL_WEEKS["winter"])

    def test_every_gap_is_named_with_its_grade(self):
        """No norms, no cuts, a season without either, cuts that are none; a grade nobody sat is left alone."""
        cuts = [
            ("3", "fall", 1, "Low", None, None), ("3", "fall", 2, "High", 505.0, None),
            ("4", "fall", 1, "Low", None, None), ("4", "fall", 2, "Mid", 520.0, None),
            ("4", "fall", 3, "High", 510.0, None),
            ("4", None, 1, "Low", None, None), ("4", None, 2, "High", None, 40.0),
        ]  # fmt: skip
        answer = measure(table([FALL, WINTER, ("6", "fall", 4.0, 530.0, 20.0)], cuts, ("3", "3", "4", "5")), *M)
        self.assertEqual([one.grade for one in answer.grades], ["3", "4", "5", "6"])
        self.assertEqual(
            answer.faults,
            [
                "Grade 3: there are no norms for spring",
                "Grade 3: there are no cuts for winter and spring, and no year-end cut in their place",
                'Grade 4: fall cuts: unordered cuts: band "High" begins below the band under it',
                "Grade 4: there are 1 results and no norms",
                "Grade 5: there are 1 results and no norms",
                "Grade 5: there are 1 results and no cuts",
            ],
        )
        self.assertEqual(answer.grades[1].cuts[0].lows, [None])

    def test_the_list_and_what_is_not_in_it(self):
        """Whatever anything is known of; another test is none."""
        line = measures(table([FALL, WINTER], grades=("3", "4")))[0]
        self.assertEqual((line.assessment, line.subject), M)
        self.assertEqual((line.results, line.norms, line.growth_norms, line.cuts), (2, 2, 0, 0))
        with self.assertRaises(NotFound):
            measure(table(), "T", "singing")
        self.assertEqual(
            measures(ScoreTable(*(pl.DataFrame(schema=s) for s in (RESULTS, NORMS, GROWTH_NORMS, CUTS)))), []
        )
