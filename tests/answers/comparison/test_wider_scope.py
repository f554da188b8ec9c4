"""A scope beyond two windows of a whole test: strands, one window, own days, all but, what to judge by."""

import unittest
from dataclasses import replace
from datetime import date

import numpy as np
import polars as pl
from pydantic import ValidationError
from scipy import stats

from bodkin.answers.compare.step import compare_answer
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.drill_down import Pick, picked
from bodkin.answers.comparison.measures.strand_measure import CARRIED, FEWER, carried_cuts, strand_table
from bodkin.answers.comparison.norms.expectation import FEWEST_DISTRICT, district_means, history, window_means
from bodkin.answers.comparison.pairing import results_of, results_of_students
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.growth.step import summer_words
from bodkin.answers.home.rail import GroupsLine, rail
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption, sentence
from bodkin.core.windows import Window, read_window
from bodkin.store.reads.table.score_table import FIELDS, ROSTER, WORD, Memo, bytes_of
from tests.support.tables import BASE, FALL, WINTER, grown_of, pairs, result, table_of

SPRING = "2025-26 spring"


def answer_for(table, **more):
    made = compare(table, Scope(**{**BASE, **more}))
    return made, summarise(made)


def a_strand(table, scores, norms=None):
    """The table of a strand of the test at hand; ``norms``: those of the test where none are given."""
    norms = table.norms if norms is None else norms
    return strand_table(table, "Tide", "reading", scores, norms, carried_cuts(table, "Tide", "reading"))


class Windows(unittest.TestCase):
    def test_days_of_ones_own_take_season_and_year_from_their_middle(self):
        """August to November is fall of the year that begins, March is spring of the year before."""
        for text, window in (
            ("2025-10-01..2025-11-15", Window(2025, 0)),
            ("2025-12-20..2026-01-20", Window(2025, 1)),
            ("2026-03-01..2026-03-31", Window(2025, 2)),
            ("2026-08-20..2026-09-10", Window(2026, 0)),
        ):
            with self.subTest(text=text):
                found = read_window(text)
                self.assertEqual((found.year, found.order), (window.year, window.order))
                self.assertEqual(str(found), text)
        self.assertEqual(read_window("2025-10-01..2025-11-15").label, "Oct 1 to Nov 15, 2025")
        self.assertEqual(read_window("2025-12-20..2026-01-20").word, "Dec 20, 2025 to Jan 20, 2026")

    def test_own_days_go_by_the_day_and_name_what_lies_outside(self):
        """A result inside the days counts whatever its window; others are counted and named."""
        rows = pairs(n=20)
        for at, row in enumerate(rows):
            row["tested_on"] = date(2025, 10, 1 + at % 10) if row["window"] == FALL else date(2026, 1, 5 + at % 10)
        rows.append(result(900, "late", FALL, 480, tested_on=date(2025, 11, 20)))
        rows.append(result(901, "free", None, 480, tested_on=date(2025, 10, 4)))
        own = "2025-09-20..2025-10-20"
        made, summary = answer_for(table_of(rows), from_window=own)
        self.assertEqual((summary.counts.from_, summary.counts.matched), (21, 20))
        self.assertEqual(made.outside["student_id"].to_list(), ["late"])
        self.assertIn("Sep 20 to Oct 20, 2025", caption(made.pieces))
        reasons = {row.reason: row.n for row in summary.counts.left_out}
        self.assertEqual(reasons, {"no result in 2025-26 winter": 1, "outside the windows": 1})

    def test_two_spans_of_one_season_stand_in_order_and_expect_nothing(self):
        """September against November: moves are shown, growth has no norm, and a note says why."""
        rows = pairs(n=20)
        for row in rows:
            row["tested_on"] = date(2025, 9, 10) if row["window"] == FALL else date(2025, 11, 10)
        made, summary = answer_for(
            table_of(rows), from_window="2025-09-01..2025-09-30", to_window="2025-11-01..2025-11-30"
        )
        self.assertEqual(summary.counts.matched, 20)
        self.assertEqual(summary.growth.n, 0)
        self.assertTrue(any("one season" in note for note in made.notes))

    def test_one_window_alone(self):
        """Shares and five numbers of that window; no movement, and growth says what is missing."""
        made, summary = answer_for(table_of(pairs()), from_window=WINTER)
        answer = compare_answer(made, summary, 1)
        scores = made.students["to_score"].to_numpy()
        self.assertEqual((answer.from_n, answer.to_n, answer.overall.n), (0, 60, 60))
        self.assertEqual(answer.overall.median, float(np.median(scores)))
        self.assertEqual((answer.overall.lowest, answer.overall.highest), (scores.min(), scores.max()))
        self.assertEqual(answer.headline, "Where students stand in winter")
        self.assertEqual(grown_of(made).headline, "Growth needs two windows")
        self.assertIn("winter 2025-26, students with a result", answer.caption)
        share = answer.quoted.to_share
        self.assertEqual(rail(summary, GroupsLine(0, ""))[1].line, f"{int(share * 100 + 0.5)}\u00a0% at Mid or above")

    def test_between_windows_match_only_who_has_all(self):
        """A student without the middle window is left out, and told why."""
        rows = [row for row in pairs(n=12) if row["window"] == FALL]
        rows += [{**row, "window": SPRING, "line": row["line"] + 500} for row in rows]
        rows += [{**row, "window": WINTER, "line": row["line"] + 900} for row in rows[:10]]
        _, summary = answer_for(table_of(rows), to_window=SPRING, between=(WINTER,))
        self.assertEqual(summary.counts.matched, 10)
        self.assertEqual([(row.reason, row.n) for row in summary.counts.left_out], [("no result in 2025-26 winter", 2)])

    def test_the_same_grade_each_time_follows_no_student(self):
        """Fourth graders of two years: each window has its own, nobody is matched, nobody left out."""
        rows = [result(at, f"a{at}", FALL, 500 + at) for at in range(12)]
        rows += [result(50 + at, f"b{at}", "2026-27 fall", 510 + at) for at in range(8)]
        rows += [result(80 + at, f"a{at}", "2026-27 fall", 530, grade="5") for at in range(12)]
        _, summary = answer_for(table_of(rows), to_window="2026-27 fall", follow="grade", grade=("4",))
        self.assertEqual((summary.counts.from_, summary.counts.to, summary.counts.matched), (12, 8, 0))
        self.assertEqual(summary.counts.left_out, [])
        self.assertEqual(sum(row.to_n for row in summary.bands), 8)


class Summer(unittest.TestCase):
    def test_a_summer_is_told_beside_what_was_expected(self):
        """Spring to the next fall: the mean change, the expectation, and one sentence for both."""
        rows = []
        for at in range(20):
            rows.append(result(at, f"s{at}", "2024-25 spring", 500 + at, grade="3", standard_error=8.0))
            rows.append(result(50 + at, f"s{at}", FALL, 488 + at, grade="4", standard_error=8.0))
        made, summary = answer_for(table_of(rows), from_window="2024-25 spring", to_window=FALL)
        self.assertEqual(summary.growth.n, 0)
        # The first grade has no norms here; with some, what was expected stands beside the change.
        table = table_of(rows)
        spring = table.norms.filter(pl.col("season") == "winter").with_columns(
            grade=pl.lit("3"), season=pl.lit("spring"), mean=pl.lit(509.5)
        )
        made, summary = answer_for(replace(table, norms=pl.concat([table.norms, spring])),
                             from_window="2024-25 spring", to_window=FALL)  # fmt: skip
        answer = grown_of(made)
        self.assertTrue(answer.summer)
        self.assertAlmostEqual(summary.growth.mean_gain, -12.0)
        # Everybody at the norm mean of spring is expected at that of fall: 500 - 509.5.
        self.assertAlmostEqual(summary.growth.mean_expected, -9.5)
        self.assertEqual(answer.headline, "Scores fell over the summer, more than expected")
        self.assertIn("\u221212.0 points; \u22129.5 points was expected", answer.lead)

    def test_every_way_a_summer_can_go(self):
        """Down, up and even, as expected, more and less."""
        for change, expected, words in (
            (-5, -5.4, "fell over the summer, about as expected"),
            (-5, -2, "fell over the summer, more than expected"),
            (-5, -9, "fell over the summer, less than expected"),
            (6, 2, "rose over the summer, more than expected"),
            (6, 9, "rose over the summer, less than expected"),
            (0.4, -4, "stayed where they were over the summer"),
        ):
            with self.subTest(change=change, expected=expected):
                self.assertEqual(summer_words(change, expected), f"Scores {words}")


class Who(unittest.TestCase):
    def setUp(self):
        self.table = table_of(pairs())

    def test_all_but_is_the_rest(self):
        """A choice and its opposite share nobody and leave nobody out."""
        for more in ({"school": ("South",)}, {"section": ("4A", "4B")}, {"students": frozenset({"s001", "s007"})}):
            with self.subTest(more=more):
                inside = set(answer_for(self.table, **more)[0].students["student_id"])
                outside = set(answer_for(self.table, **more, all_but=True)[0].students["student_id"])
                self.assertEqual(inside & outside, set())
                self.assertEqual(len(inside | outside), 60)
        named = sentence(Scope(**BASE, school=("South",), all_but=True), norms=True)
        self.assertIn("all students but students at South", caption(named))

    def test_all_but_never_reaches_beyond_what_may_be_seen(self):
        """The reach is not turned round."""
        seen = frozenset({"s000", "s001", "s002"})
        made, _ = answer_for(self.table, reach=seen, students=frozenset({"s001"}), all_but=True)
        self.assertEqual(set(made.students["student_id"]), {"s000", "s002"})

    def test_todays_classes_move_students_and_nothing_else(self):
        """With today's roster the breakdown changes, the scores and the norms of the day do not."""
        today = [("s000", "4", "East", "4Z", "A. Reed", ["ML"])]
        table = replace(self.table, roster=pl.DataFrame(today, schema=ROSTER, orient="row"))
        made, _ = answer_for(table, roster="today", school=("East",))
        self.assertEqual(made.students["student_id"].to_list(), ["s000"])
        then, _ = answer_for(table, students=frozenset({"s000"}))
        self.assertEqual(made.students["gain_z"].to_list(), then.students["gain_z"].to_list())
        self.assertEqual(made.students["programs"].to_list(), [["ML"]])

    def test_fields_of_the_roster_filter_and_break_down(self):
        """A field's value as a filter finds those whom the breakdown counts under it."""
        rows = [(f"s{at:03}", "house", "red" if at % 4 else "blue") for at in range(50)]
        table = replace(self.table, fields=pl.DataFrame(rows, schema=FIELDS, orient="row"))
        by = {row.value: row.counts.matched for row in answer_for(table, by="field:house")[1].by}
        self.assertEqual(by, {"red": 37, "blue": 13, "not said": 10})
        _, blue = answer_for(table, field=("house: blue",))
        self.assertEqual(blue.counts.matched, 13)

    def test_two_breakdowns_at_once_add_up(self):
        """School crossed with class: every cell opens its students, cells add up to the first alone."""
        made, summary = answer_for(self.table, by="school", by2="section")
        alone = {row.value: row.counts.matched for row in answer_for(self.table, by="school")[1].by}
        crossed: dict[str, int] = {}
        for row in summary.by:
            crossed[row.value] = crossed.get(row.value, 0) + row.counts.matched
            pick = Pick(unit="school", value=row.value, unit2="section", value2=row.value2)
            self.assertEqual(picked(made, pick).height, row.counts.matched)
        self.assertEqual(crossed, alone)

    def test_a_breakdown_by_group_counts_a_student_in_each(self):
        """Members of two groups stand in both, others under none."""
        members = {"Owls": frozenset({"s000", "s001"}), "Terns": frozenset({"s001"})}
        made = compare(self.table, Scope(**BASE, by="group"), members=members)
        self.assertEqual({row.value: row.counts.matched for row in summarise(made).by},
                         {"Owls": 2, "Terns": 1, "none": 58})  # fmt: skip

    def test_what_is_no_scope_is_refused(self):
        """Unknown breakdowns, fields without value, windows out of place."""
        for wrong in (
            {"by": "field:"}, {"by2": "school"}, {"by": "school", "by2": "school"}, {"field": ("house",)},
            {"between": (SPRING,)}, {"between": ("x",)}, {"against": "luck"}, {"from_window": "2026-01-01..2025-01-01"},
        ):  # fmt: skip
            with self.subTest(wrong=wrong), self.assertRaises(ValidationError):
                Scope(**{**BASE, **wrong})


class Against(unittest.TestCase):
    def setUp(self):
        rows = pairs(n=240)
        earlier = [
            {**row, "window": row["window"].replace("2025-26", "2024-25"), "student_id": "e" + row["student_id"],
             "line": row["line"] + 1000, "score": row["score"] + (4 if "winter" in row["window"] else 0)}
            for row in rows
        ]  # fmt: skip
        self.table = table_of([*rows, *earlier])

    def test_the_district_is_a_straight_line_through_its_own_students(self):
        """Expected scores are those of the least squares line, as scipy.stats.linregress draws it."""
        made, _ = answer_for(self.table, against="district")
        x, y = (made.students[f"{side}_score"].to_numpy() for side in ("from", "to"))
        line = stats.linregress(x, y)
        np.testing.assert_allclose(
            made.students["expected_score"].to_numpy(), line.intercept + line.slope * x, rtol=0, atol=1e-9
        )
        spread = np.std(y, ddof=1) * np.sqrt(1 - line.rvalue**2)
        np.testing.assert_allclose(made.students["expected_spread"].to_numpy(), spread, atol=1e-9)
        self.assertAlmostEqual(district_means(self.table, made.scope)["4"], y.mean())

    def test_the_mean_at_every_window_is_that_of_the_window_alone(self):
        """Window by window the district's mean of each grade; in whole points for a reader of some students.

        A later result without a grade counts for no grade, and neither does the one before it.
        """
        scope = Scope(**BASE)
        again = self.table.results.filter(pl.col("window") == FALL).head(20).with_columns(
            grade=pl.lit(None, dtype=WORD), line=pl.col("line") + 100_000
        )  # fmt: skip
        table = replace(self.table, results=pl.concat([self.table.results, again]), worked=Memo())
        found = window_means(table, scope)
        windows = table.results["window"].drop_nulls().unique().to_list()
        for window in windows:
            alone = scope.model_copy(update={"from_window": window, "to_window": window})
            means = district_means(table, alone)
            self.assertEqual(set(found.get(window, {})), set(means))
            for grade, mean in means.items():
                self.assertAlmostEqual(found[window][grade], mean, places=9)
        self.assertGreater(len(found), 1)
        self.assertNotEqual(found[FALL], window_means(self.table, scope)[FALL])
        part = window_means(table, scope.model_copy(update={"reach": frozenset({"s000"})}))
        for window, means in part.items():
            self.assertEqual(means, {grade: round(mean) for grade, mean in found[window].items()})

    def test_results_of_a_measure(self):
        """All of them, those in a language, those for which more is true; none of another subject."""
        self.assertTrue(results_of(self.table, "Tide", "reading").equals(self.table.results))
        self.assertEqual(results_of(self.table, "Tide", "reading", language="Welsh").height, 0)
        winter = results_of(self.table, "Tide", "reading", pl.col("window") == WINTER, pl.col("grade") == "4")
        mine = [
            row for row in self.table.results.iter_rows(named=True) if (row["window"], row["grade"]) == (WINTER, "4")
        ]
        self.assertEqual(winter.rows(named=True), mine)
        self.assertTrue(mine)
        self.assertEqual(results_of(self.table, "Tide", "mathematics").height, 0)
        one = results_of_students(self.table, {"s000"})
        self.assertEqual(one.rows(), results_of_students(self.table, {"s000", "nobody"}).rows())

    def test_a_small_part_is_held_against_the_whole_district(self):
        """Three students in reach are judged by all 240, and by nobody where those are too few."""
        reach = frozenset({"s000", "s001", "s002"})
        part, _ = answer_for(self.table, against="district", reach=reach)
        whole, _ = answer_for(self.table, against="district")
        mine = whole.students.filter(pl.col("student_id").is_in(list(reach)))
        # To a reader of some students the district's figures are rounded to whole points.
        np.testing.assert_allclose(part.students["expected_score"], mine["expected_score"], atol=2.0)
        self.assertNotEqual(part.students["expected_score"].to_list(), mine["expected_score"].to_list())
        few, _ = answer_for(table_of(pairs(n=FEWEST_DISTRICT - 1)), against="district")
        self.assertEqual(few.students["expected_score"].null_count(), FEWEST_DISTRICT - 1)
        self.assertTrue(any("fewer than 30" in note for note in few.notes))

    def test_one_s_own_days_and_slices_tell_nothing_of_the_whole_district(self):
        """Asked twice with one day more, a mean would give an outside student's score away: it is refused in words.

        A teacher's attack: 30 of the grade outside, one of them tested alone on a day of its own; every pair of
        questions that differ by that day gives the same answer, or none.
        """
        rows = pairs(n=60)
        for row in rows:
            row["tested_on"] = date(2025, 9, 8) if row["window"] == FALL else date(2026, 1, 12)
        rows[0]["tested_on"] = date(2025, 9, 20)
        rows[0]["score"] = 777.0
        table, reach = table_of(rows), frozenset({"s001", "s002"})
        spans = [
            ("2025-09-01..2025-09-19", "2026-01-05..2026-01-20"),
            ("2025-09-01..2025-09-20", "2026-01-05..2026-01-20"),
        ]
        for against in ("district", "local"):
            for first, second in spans:
                scope = {"from_window": first, "to_window": second, "reach": reach}
                made, _ = answer_for(table, against=against, **scope)
                self.assertEqual(made.students["expected_score"].null_count(), made.students.height)
                self.assertTrue(any("not for days of one's own" in note for note in made.notes))
                self.assertEqual(district_means(table, made.scope), {})
        for slice_ in ({"language": "English"}, {"strand": "Words"}):
            self.assertEqual(district_means(table, Scope(**BASE, **slice_, reach=reach)), {})
        means = district_means(table, Scope(**BASE, reach=reach))
        self.assertTrue(all(mean == round(mean) for mean in means.values()))
        free, _ = answer_for(table, against="district", from_window=spans[1][0], to_window=spans[1][1])
        self.assertLess(free.students["expected_score"].null_count(), free.students.height)

    def test_local_history_takes_in_the_years_before(self):
        """Both years' students hold the curves; half of all of them met the middle one."""
        scope = Scope(**BASE, against="local")
        self.assertEqual(history(self.table, scope).height, 480)
        made, summary = answer_for(self.table, against="local")
        self.assertEqual(summary.growth.n, 240)
        ranks = made.students["growth_percentile"].to_numpy()
        self.assertTrue(((ranks >= 1) & (ranks <= 99)).all())
        last, _ = answer_for(self.table, against="local", from_window="2024-25 fall", to_window="2024-25 winter")
        both = np.concatenate([made.students["met"].to_numpy(), last.students["met"].to_numpy()])
        # The median curves of a fit leave half of those they were fitted on on either side.
        self.assertAlmostEqual(both.mean(), 0.5, delta=0.06)

    def test_too_little_history_is_said(self):
        """Fewer than 200 students of a grade: no expectation, and the reason."""
        made, summary = answer_for(table_of(pairs(n=60)), against="local")
        self.assertEqual(summary.growth.n, 0)
        self.assertTrue(any("need 200 students" in note for note in made.notes))

    def test_bands_do_not_depend_on_what_growth_is_held_against(self):
        """Cuts and percentile cuts stay those of the test."""
        orders = [
            answer_for(self.table, against=one)[0].students["to_order"].to_list() for one in ("norms", "district")
        ]
        self.assertEqual(*orders)


class Strands(unittest.TestCase):
    def test_a_strand_is_looked_at_like_a_test(self):
        """Its own scores and norms; the cuts stand at the percentile they have on the whole test."""
        table = table_of(pairs())
        spring = table.norms.filter(pl.col("season") == "winter").with_columns(
            season=pl.lit("spring"), week=pl.lit(32.0), mean=pl.lit(515.0)
        )
        table = replace(table, norms=pl.concat([table.norms, spring]))
        scores = table.results.select("line", (pl.col("score") - 10).alias("score"), "standard_error")
        strand = a_strand(table, scores, table.norms.with_columns(pl.col("mean") - 10))
        made, _ = answer_for(strand, strand="Vocabulary")
        whole, _ = answer_for(table)
        # Scores and norms both ten lower: every student keeps percentile and expected gain.
        for name in ("from_percentile", "gain", "expected_gain"):
            np.testing.assert_allclose(made.students[name].to_numpy(), whole.students[name].to_numpy())
        # Year-end cuts of 490 and 510 about a spring mean of 515 with spread 20: z of -1.25 and -0.25,
        # 10.56 and 40.13 in a table of the standard normal distribution.
        kept = strand.cuts["min_percentile"].drop_nulls().sort()
        self.assertEqual([round(cut, 2) for cut in kept], [10.56, 40.13])
        self.assertIn(CARRIED, made.notes)
        self.assertIn("Tide Reading, Vocabulary", caption(made.pieces))

    def test_strands_share_the_results_they_have_in_common(self):
        """Each has its own scores; one with other results, as many or fewer, or with unknown ones, has its own rows."""
        table = table_of(pairs())
        every = table.results.select("line", "score", "standard_error")
        first = a_strand(table, every.head(-6))
        lines = every["line"].to_list()
        loose = pl.DataFrame({"line": [max(lines) + 1], "score": [1.0], "standard_error": [1.0]})
        for name, scores, shared in (
            ("the same", every.head(-6).reverse().with_columns(score=pl.col("score") + 1), True),
            ("one that does not count beside them", pl.concat([loose, every.head(-6)]), True),
            ("others", every.tail(-6), False), ("fewer", every.head(-7), False), ("more", every, False),
            ("none", every.clear(), False),
        ):  # fmt: skip
            with self.subTest(name):
                found = a_strand(table, scores)
                wanted = table.results.drop("score", "standard_error").join(scores, on="line", maintain_order="left")
                self.assertEqual(found.own is not None, shared)
                self.assertEqual(found.results.columns, table.results.columns)
                for column in ("line", "student_id", "score", "standard_error", "programs"):
                    self.assertEqual(found.results[column].to_list(), wanted[column].to_list(), column)
                self.assertEqual(found.results["percentile"].null_count(), wanted.height)
        self.assertEqual(first.results["score"].to_list(), every.head(-6)["score"].to_list())
        self.assertLess(bytes_of(first), bytes_of(first.results) / 2)

    def test_a_strand_of_few_among_the_scores_of_many(self):
        """The few results there are have their own scores, in whatever order either comes; of other tests none."""
        table = table_of(pairs())
        every = table.results.select("line", "score", "standard_error").with_columns(score=pl.col("score") + 5)
        for few in (table.results[[3, 1]], table.results[[7]], table.results.clear()):
            for scores in (every, every.reverse()):
                with self.subTest(n=few.height):
                    self.assertGreater(scores.height, FEWER * few.height)
                    found = a_strand(replace(table, results=few, worked=Memo()), scores).results
                    self.assertEqual(found["line"].to_list(), few["line"].to_list())
                    self.assertEqual(found["score"].to_list(), (few["score"] + 5).to_list())
        other = table.results[[3]].with_columns(subject=pl.lit("mathematics", dtype=WORD))
        self.assertEqual(a_strand(replace(table, results=other, worked=Memo()), every).results.height, 0)

    def test_cuts_without_norms_to_rank_them_are_left_out(self):
        """No norms: no bands, rather than cuts of another scale."""
        table = table_of(pairs())
        bare = replace(table, norms=table.norms.clear())
        scores = table.results.select("line", "score", "standard_error")
        self.assertEqual(a_strand(bare, scores).cuts["min_score"].count(), 0)


class LeavingTheClassroom(unittest.TestCase):
    def test_what_is_withheld_is_not_said_elsewhere(self):
        """Counts near a cut, lowest and highest, and a sentence of moves go with the cells."""
        made, summary = answer_for(table_of(pairs(n=14)), by="school")
        answer = compare_answer(made, suppress_small_cells(summary, 10, made), 1, 10)
        self.assertIsNone(answer.near_cut if 0 < (answer.near_cut or 0) < 10 else None)
        self.assertIsNone(answer.overall.lowest)
        self.assertEqual(answer.explained, {})
        small = compare_answer(made, suppress_small_cells(summary, 20, made), 1, 20)
        self.assertEqual(small.headline, "Too few students to show")
        self.assertIsNone(small.to_n)
        self.assertIsNone(small.overall)
