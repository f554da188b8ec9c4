"""The outlook over a scope: chances of students, the count and its range, whom an aim takes, and the past."""

import unittest

import numpy as np
from scipy import stats

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.drill_down import Pick, picked
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.growth.outlook import outlook_answer, outlook_units, past_outlook
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, FALL, WINTER, pairs, result, table_of


def to_come(**more):
    """A comparison of 60 students whose winter is still to come."""
    rows = [row for row in pairs(1, 60) if row["window"] == FALL]
    return compare(table_of(rows), Scope(**BASE, **more))


class Ahead(unittest.TestCase):
    def test_chances_counts_and_ranges_agree_with_scipy(self):
        """Norms 500 to 508 with a spread of 20 and a correlation of 0.85; cuts at 490 and 510."""
        made = to_come()
        summary = summarise(made)
        start = made.students["from_score"].to_numpy()
        expected, spread = 508 + 0.85 * (start - 500), 20 * np.sqrt(1 - 0.85**2)
        chances = stats.norm.sf(490, expected, spread)
        np.testing.assert_allclose(made.students["chance_at_or_above"].to_numpy(), chances)
        count = stats.poisson_binom(chances[:50])
        self.assertEqual(summary.outlook.window, WINTER)
        whole = summary.outlook.at_or_above
        self.assertEqual(whole.band, "Mid")
        self.assertAlmostEqual(whole.expected_share, chances.mean())
        few = compare(table_of([r for r in pairs(1, 50) if r["window"] == FALL]), Scope(**BASE))
        some = summarise(few).outlook.at_or_above
        self.assertEqual((some.low * 50, some.high * 50), (count.ppf(0.1), count.ppf(0.9)))
        self.assertAlmostEqual(sum(band.expected_n for band in summary.outlook.bands), 60)
        high = stats.norm.sf(510, expected, spread).sum()
        self.assertAlmostEqual(summary.outlook.bands[2].expected_n, high)

    def test_each_unit_has_its_own_range(self):
        """Share and central 80 % of each school, as scipy.stats.poisson_binom has them; the lowest first."""
        made = to_come(by="school")
        found = outlook_units(made)
        chances = made.students["chance_at_or_above"].to_numpy()
        schools = made.students["school"].to_numpy()
        self.assertEqual((found.by, found.band), ("school", "Mid"))
        self.assertAlmostEqual(found.whole, chances.mean())
        self.assertEqual({row.value for row in found.rows}, {"North", "South"})
        self.assertEqual([row.figure.raw for row in found.rows], sorted(row.figure.raw for row in found.rows))
        for row in found.rows:
            own = chances[schools == row.value]
            count = stats.poisson_binom(own)
            self.assertEqual(row.n, own.size)
            self.assertAlmostEqual(row.figure.raw, own.mean())
            np.testing.assert_allclose([row.figure.low * own.size, row.figure.high * own.size], count.ppf([0.1, 0.9]))
            self.assertFalse(row.figure.different)

    def test_a_window_that_has_come_has_no_outlook_by_unit(self):
        """Nobody has a chance, so no unit has one."""
        found = outlook_units(compare(table_of(pairs()), Scope(**BASE, by="school")))
        self.assertEqual((found.rows, found.whole), ([], None))

    def test_an_aim_says_whom_it_takes_and_who_could_go_either_way(self):
        """Students between 30 and 70 in 100, the likeliest first; the aim's share less the middle of the count."""
        made = to_come()
        answer = outlook_answer(made, summarise(made), None, 0.95)
        chances = np.sort(made.students["chance_at_or_above"].to_numpy())[::-1]
        between = chances[(chances >= 0.3) & (chances <= 0.7)]
        self.assertEqual(answer.between_n, between.size)
        rows = picked(made, Pick(chance_from=0.3, chance_to=0.7))
        np.testing.assert_array_equal(rows["chance_at_or_above"].to_numpy(), between)
        middle = round(chances.sum())
        self.assertAlmostEqual(answer.takes, 57 - middle, delta=1)
        self.assertIn("takes about", answer.lead)
        self.assertEqual(outlook_answer(made, summarise(made), None, 0.1).takes, 0)
        self.assertIn("if nothing changes", answer.headline)
        self.assertAlmostEqual(answer.now, (made.students["from_score"] >= 490).mean())

    def test_without_a_window_to_come_there_is_none(self):
        """Once somebody has sat it; without norms or cuts; at one window; with a grade followed."""
        rows = pairs(1, 30)
        seen = compare(table_of(rows), Scope(**BASE))
        self.assertIsNone(summarise(seen).outlook)
        self.assertEqual(seen.students["chance_at_or_above"].null_count(), 30)
        answer = outlook_answer(seen, summarise(seen), None)
        self.assertIn("nobody has sat yet", answer.reason)
        fall = [row for row in rows if row["window"] == FALL]
        plain = table_of(fall)
        for table in (table_of(fall, norms=plain.norms.clear()), table_of(fall, cuts=plain.cuts.clear())):
            self.assertIsNone(summarise(compare(table, Scope(**BASE))).outlook)
        self.assertIsNone(summarise(compare(plain, Scope(**BASE, follow="grade"))).outlook)
        one = Scope(**{**BASE, "to_window": FALL})
        self.assertIsNone(summarise(compare(plain, one)).outlook)

    def test_few_students_are_not_looked_ahead_for_outside_the_classroom(self):
        """A withheld summary of nine has no outlook; of sixty it has."""
        from bodkin.answers.comparison.suppression import suppress_small_cells

        for n, there in ((9, False), (60, True)):
            made = compare(table_of([r for r in pairs(1, n) if r["window"] == FALL]), Scope(**BASE))
            self.assertEqual(suppress_small_cells(summarise(made), 10, made).outlook is not None, there)


class Past(unittest.TestCase):
    def years(self, shift):
        """Two earlier years in which growth was off what the norms say by so many points, and this fall."""
        rng = np.random.default_rng(7)
        rows = []
        for year in ("2023-24", "2024-25"):
            for at in range(150):
                start = rng.normal(500, 20)
                later = 508 + shift + 0.85 * (start - 500) + rng.normal(0, 20 * np.sqrt(1 - 0.85**2))
                for season, score in (("fall", start), ("winter", later)):
                    rows.append(result(len(rows), f"{year}{at}", f"{year} {season}", score, standard_error=8.0))
        rows += [result(len(rows) + at, f"n{at}", FALL, rng.normal(500, 20), standard_error=8.0) for at in range(40)]
        return table_of(rows)

    def test_chances_that_came_true_and_chances_that_did_not(self):
        """With growth as the norms say nothing is said to be off; eight points less is said, and which way."""
        for shift, off, word in ((0, False, "came true"), (-8, True, "too high"), (8, True, "too low")):
            past = past_outlook(self.years(shift), Scope(**BASE))
            self.assertEqual((past.n, past.off), (300, off))
            self.assertIn(word, past.sentence)
            self.assertEqual(past.windows, ["2023-24 winter", "2024-25 winter"])
            self.assertEqual(sum(step.n for step in past.steps), 300)
            self.assertTrue(all(step.low <= step.happened <= step.high for step in past.steps))

    def test_without_a_past_nothing_is_said(self):
        """No earlier year; fewer than thirty results; other grades than the scope's."""
        self.assertIsNone(past_outlook(table_of(pairs(1, 60)), Scope(**BASE)))
        self.assertIsNone(past_outlook(self.years(0), Scope(**BASE, grade=("5",))))
