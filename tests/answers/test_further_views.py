"""The trend, the history grid, the likely outcome and goals, on small tables made here."""

import math
import unittest
from dataclasses import replace

import numpy as np
import polars as pl
from scipy import stats
from sklearn.linear_model import LogisticRegression

from bodkin.answers.comparison import compare
from bodkin.answers.explain import row_explained
from bodkin.answers.goals_step import chosen_scores, goal_offers, next_target
from bodkin.answers.history_grid import columns_of, grid_table, history_grid
from bodkin.answers.outcome_step import outcome_answer
from bodkin.answers.scope import Scope
from bodkin.answers.sentence import sentence
from bodkin.answers.steps import student_rows
from bodkin.answers.trend_step import read_over, students_at, trend_answer
from bodkin.core.errors import BadInput
from bodkin.core.windows import Window, parse_window
from bodkin.store.score_table import NORMS
from tests.answers.test_scope import BASE, FALL, WINTER, pairs, result, table_of

SPRING = "2025-26 spring"
WINDOWS = (FALL, WINTER, SPRING)


def three_windows(n=40, seed=3):
    rng = np.random.default_rng(seed)
    rows, ability = [], rng.normal(0, 18, n)
    for at in range(n):
        programs = ["ML"] if at % 4 == 0 else []
        for place, window in enumerate(WINDOWS):
            if (at, place) in ((3, 1), (5, 2)):
                continue
            score = round(500 + 8 * place + ability[at] - 12 * bool(programs) + rng.normal(0, 6))
            rows.append(result(len(rows), f"s{at:03}", window, score, standard_error=8.0, programs=programs))
    return rows


def with_spring(table):
    row = {"assessment": "Tide", "subject": "reading", "grade": "4", "season": "spring", "week": 32.0, "mean": 515.0,
           "sd": 20.0}  # fmt: skip
    return replace(table, norms=pl.concat([table.norms, pl.DataFrame([row], schema=NORMS)]))


class Trend(unittest.TestCase):
    def setUp(self):
        self.rows = three_windows()
        self.table = with_spring(table_of(self.rows))

    def told(self, over=(), **more):
        scope = Scope(**{**BASE, "to_window": SPRING, "between": (WINTER,), **more})
        return trend_answer(self.table, scope, sentence(scope, norms=True), list(over), {}, 1)

    def scores(self, window, keep):
        return np.array([row["score"] for row in self.rows if row["window"] == window and keep(row)])

    def test_matched_means_and_intervals_equal_scipy(self):
        """The same 38 students at every window; t intervals as scipy.stats.t.interval has them."""
        answer = self.told()
        whole = {f"s{at:03}" for at in range(40)} - {"s003", "s005"}
        self.assertEqual((answer.n, answer.same_students), (38, True))
        for window, point in zip(WINDOWS, answer.lines[0].points, strict=True):
            x = self.scores(window, lambda row: row["student_id"] in whole)
            low, high = stats.t.interval(0.95, x.size - 1, x.mean(), stats.sem(x))
            self.assertEqual(point.n, 38)
            np.testing.assert_allclose([point.mean, point.low, point.high], [x.mean(), low, high])
            self.assertEqual((point.median, point.lowest, point.highest), (np.median(x), x.min(), x.max()))

    def test_all_with_a_result_stand_on_their_own_windows(self):
        """Forty, thirty-nine, thirty-nine."""
        self.assertEqual([point.n for point in self.told(matched=False).lines[0].points], [40, 39, 39])

    def test_a_subgroup_laid_over_and_its_gap(self):
        """Gap to all others with Welch's interval, as scipy.stats.ttest_ind gives it."""
        answer = self.told(over=["program: ML"], matched=False)
        for window, point in zip(WINDOWS, answer.lines[1].points, strict=True):
            mine = self.scores(window, lambda row: row["programs"] == ["ML"])
            rest = self.scores(window, lambda row: row["programs"] == [])
            interval = stats.ttest_ind(mine, rest, equal_var=False).confidence_interval(0.95)
            np.testing.assert_allclose(
                [point.gap, point.gap_low, point.gap_high], [mine.mean() - rest.mean(), *interval]
            )
        self.assertIn("ML: ", answer.lead)

    def test_a_point_opens_its_students(self):
        """As many as it counts."""
        scope = Scope(**{**BASE, "to_window": SPRING, "between": (WINTER,)})
        answer = self.told(over=["program: ML"])
        for at, point in enumerate(answer.lines[1].points):
            self.assertEqual(len(students_at(self.table, scope, at, "program: ML", {})), point.n)

    def test_what_cannot_be_laid_over_is_refused(self):
        """No subgroup, unknown kinds, five of them."""
        for wrong in (["ML"], ["shoe: 42"], ["field:x"], [f"section: {n}" for n in range(5)]):
            with self.subTest(wrong=wrong), self.assertRaises(BadInput):
                self.told(over=wrong)
        self.assertEqual(read_over("field:house: red"), ("field:house", "red"))

    def test_steady_needs_three_windows_at_the_quoted_band(self):
        """Counted by hand: Mid or above in all three and not falling."""

        def order(score):
            return 1 if score < 490 else 2 if score < 510 else 3

        wide = {}
        for row in self.rows:
            wide.setdefault(row["student_id"], {})[row["window"]] = order(row["score"])
        expected = sum(
            len(own) == 3 and own[SPRING] >= 2 and all(own[w] >= own[SPRING] for w in WINDOWS) for own in wide.values()
        )
        self.assertEqual(self.told().steady, expected)
        self.assertIsNone(self.told(to_window=WINTER, between=()).steady)


class History(unittest.TestCase):
    def setUp(self):
        rows = three_windows(n=12)
        rows += [result(900 + at, f"s{at:03}", WINTER, 430 + at, language="Portuguese") for at in range(4)]
        rows += [result(950, "s000", "2023-24 fall", 470, grade="2")]
        self.table = with_spring(table_of(rows))
        scope = Scope(**BASE, matched=False)
        self.comparison = compare(self.table, scope)

    def grid(self, back=0, **more):
        columns = columns_of(
            self.comparison.scope, self.comparison.students["student_id"], [("Tide", "reading")],
            lambda _: self.table, back=back, strands=None,
        )  # fmt: skip
        return history_grid(self.comparison, columns, {}, **more)

    def test_a_column_for_each_window_and_language(self):
        """Three windows in English, one in Portuguese; an older year only when asked for."""
        told = [(column.language, column.window) for column in self.grid().columns]
        self.assertEqual(told, [("English", window) for window in WINDOWS] + [("Portuguese", WINTER)])
        self.assertNotIn("2023-24 fall", [column.window for column in self.grid(back=1).columns])
        self.assertIn("2023-24 fall", [column.window for column in self.grid(back=2).columns])

    def test_cells_are_scores_with_the_band_of_their_day(self):
        """Bands by the cuts of the grade; a window without a result is empty, not 0."""
        grid = self.grid()
        row = next(row for row in grid.rows if row.student_id == "s003")
        self.assertIsNone(row.cells[1])
        for cell in (cell for one in grid.rows for cell in one.cells[:3] if cell is not None):
            self.assertEqual(cell.order, 1 if cell.score < 490 else 2 if cell.score < 510 else 3)

    def test_sorted_by_a_column_those_without_come_last_either_way(self):
        """Up and down."""
        key = self.grid().columns[3].key
        for down in (False, True):
            scores = [row.cells[3].score if row.cells[3] else None for row in self.grid(sort=key, down=down).rows]
            self.assertEqual(scores[:4], sorted((430.0, 431.0, 432.0, 433.0), reverse=down))
            self.assertEqual(scores[4:], [None] * 8)

    def test_pages_and_the_spreadsheet_hold_the_same_rows(self):
        """Two pages are the whole; a score and a band a column."""
        whole = self.grid(count=None)
        parts = self.grid(count=7).rows + self.grid(start=7, count=7).rows
        self.assertEqual(parts, whole.rows)
        table = grid_table(whole)
        self.assertEqual(len(table.header), 5 + 2 * len(whole.columns))
        self.assertEqual([len(row) for row in table.rows], [len(table.header)] * 12)


class Outcome(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(8)
        rows, cls.past = [], []
        for year, n in (("2023-24", 90), ("2024-25", 90), ("2025-26", 30)):
            for at in range(n):
                ability = rng.normal(500, 25)
                score, points = round(ability + rng.normal(0, 8)), round((ability - 380) / 6 + rng.normal(0, 2))
                rows.append(result(len(rows), f"{year}{at}", f"{year} winter", score, standard_error=8.0))
                if year != "2025-26":
                    rows.append(result(len(rows), f"{year}{at}", f"{year} spring", points, assessment="Spring Test"))
                    cls.past.append((score, points))
        table = table_of(rows)
        cuts = [
            {"assessment": "Spring Test", "subject": "reading", "grade": "4", "season": None, "order": order,
             "band": f"Level {order}", "min_score": low, "min_percentile": None}
            for order, low in ((1, None), (2, 17.0), (3, 21.0), (4, 25.0))
        ]  # fmt: skip
        cls.table = replace(table, cuts=pl.concat([table.cuts, pl.DataFrame(cuts, schema=table.cuts.schema)]))
        cls.answer = outcome_answer(
            cls.table, compare(cls.table, Scope(**BASE, matched=False)), ("Spring Test", "reading"), {}
        )

    def test_chances_equal_a_logistic_regression_of_the_years_before(self):
        """Level 3 or above, by scikit-learn without a penalty."""
        x, y = (np.array(values, dtype=float) for values in zip(*self.past, strict=True))
        fitted = LogisticRegression(C=1e12, tol=1e-10, max_iter=10_000).fit((x[:, None] - 500) / 25, y >= 21)
        rows = self.answer.rows
        scores = np.array([row.score for row in rows])
        expected = fitted.predict_proba((scores[:, None] - 500) / 25)[:, 1]
        np.testing.assert_allclose([row.on_track for row in rows], expected, atol=2e-4)
        self.assertAlmostEqual(self.answer.expected_share, expected.mean(), places=4)

    def test_the_likely_level_is_the_likeliest(self):
        """Chances of a student's level, of bands and of all add up as they should."""
        self.assertEqual(self.answer.years, ["2023-24", "2024-25"])
        self.assertEqual(sum(level.likely_n for level in self.answer.levels), 30)
        self.assertAlmostEqual(sum(level.expected_share for level in self.answer.levels), 1.0)
        for row in self.answer.rows:
            self.assertGreaterEqual(row.chance, 0.25)
        chances = [band.chance for band in self.answer.by_band if band.chance is not None]
        self.assertEqual(chances, sorted(chances))

    def test_how_well_it_told_counts_by_hand(self):
        """Warned are those below the lowest score of Mid, 490."""
        told = self.answer.telling[0]
        short = [(score < 490, points < 21) for score, points in self.past]
        both = sum(warned and fell for warned, fell in short)
        self.assertAlmostEqual(told.sensitivity, both / sum(fell for _, fell in short))
        self.assertAlmostEqual(told.positive_value, both / sum(warned for warned, _ in short))

    def test_without_history_it_says_so(self):
        """No earlier year: no level, and a note."""
        bare = table_of(pairs())
        told = outcome_answer(bare, compare(bare, Scope(**BASE)), ("Spring Test", "reading"), {})
        self.assertEqual((told.rows, told.expected_share), ([], None))
        self.assertTrue(told.notes)


class Goals(unittest.TestCase):
    def setUp(self):
        self.table = with_spring(table_of(pairs(n=30)))
        self.scope = Scope(**BASE)

    def offers(self, *students, **more):
        return goal_offers(self.table, self.scope, frozenset(students), {}, **more)

    def test_what_it_takes_by_hand(self):
        """Keeping pace and the lowest score of Mid in spring, from the winter score; as the formula has it."""
        told = self.offers("s000", "s001", "s002")
        self.assertEqual((told.until, told.band), (SPRING, 2))
        for row in told.rows:
            x = row.start
            expected = 515 + 0.85 * (x - 508)
            spread = 20 * math.sqrt(1 - 0.85**2)
            self.assertEqual(row.keep_pace.score, math.ceil(expected - 1e-9))
            self.assertEqual(row.weeks, 13.0)
            self.assertEqual(row.catch_up.score, 490)
            self.assertEqual(row.catch_up.there, x >= 490)
            needed = row.keep_pace.score
            self.assertAlmostEqual(row.keep_pace.usual, stats.norm.sf((needed - expected) / spread), places=12)
            self.assertAlmostEqual(row.keep_pace.a_week, (needed - x) / 13)

    def test_percentile_goals_and_own_ones(self):
        """The 75th percentile of spring: 515 + 0.6745 x 20, from a table of the normal distribution."""
        told = self.offers("s000", percentile=75)
        self.assertEqual(told.rows[0].catch_up.score, 529)
        start = told.rows[0].start
        self.assertEqual(chosen_scores(told, "own", 12.0), [("s000", start + 12)])
        for wrong in (None, 0.0):
            with self.assertRaises(BadInput):
                chosen_scores(told, "own", wrong)

    def test_who_is_there_already_gets_no_goal(self):
        """Catching up to where one is is no goal."""
        told = self.offers(*(f"s{at:03}" for at in range(30)))
        wanted = {row.student_id for row in told.rows if row.start < 490}
        self.assertEqual({student for student, _ in chosen_scores(told, "catch up", None)}, wanted)

    def test_a_student_without_the_later_result_starts_from_the_earlier(self):
        """And one without any stands apart."""
        rows = [row for row in pairs(n=30) if not (row["student_id"] == "s004" and row["window"] == WINTER)]
        told = goal_offers(with_spring(table_of(rows)), self.scope, frozenset({"s004", "s900"}), {})
        self.assertEqual([(row.student_id, row.start_window) for row in told.rows], [("s004", FALL)])
        self.assertEqual(told.without, ["s900"])

    def test_the_window_of_a_goal_lies_ahead(self):
        """Spring of the year, after spring that of the next; an earlier one is refused."""
        self.assertEqual(next_target(parse_window(WINTER)), Window(2025, 2))
        self.assertEqual(next_target(parse_window(SPRING)), Window(2026, 2))
        with self.assertRaises(BadInput):
            self.offers("s000", until=parse_window(FALL))


class Explained(unittest.TestCase):
    def test_a_row_tells_the_numbers_that_went_in(self):
        """Score, norm mean and spread, expected gain and distance, as the row has them."""
        table = with_spring(table_of(pairs(n=20)))
        for row in student_rows(compare(table, Scope(**BASE)).students, {}):
            told = row_explained(row)
            for number in (f"{row['from_score']:.0f}", "500.0", "508.0", f"{row['expected_score']:.1f}",
                           f"percentile {row['to_percentile']:.0f}"):  # fmt: skip
                self.assertIn(number, told)
        self.assertEqual(row_explained(dict.fromkeys(row, None)), "")
