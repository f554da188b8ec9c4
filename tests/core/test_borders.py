"""Every comparison of the core on its border and one step beyond, by hand; every shape that does not fit refused."""

import unittest
import unittest.mock
import warnings
from datetime import date

import numpy as np

from bodkin.core import (
    band_chances,
    belief,
    calendar,
    cohorts,
    cuts,
    expected_growth,
    goals,
    grouping,
    grouping_rules,
    growth_percentiles,
    helped,
    items,
    local_rank,
    mastery,
    movement,
    norms,
    outcome_link,
    practice,
    resembling,
    scales,
    shares,
    standards,
    strands,
    trend,
    which_counts,
    windows,
    withholding,
)
from bodkin.core.errors import BadInput, CutFault

NAN = np.nan


def days(*texts):
    return np.array([f"2027-{text}" for text in texts], dtype="datetime64[D]")


class Shapes(unittest.TestCase):
    def test_each_array_of_another_length_is_refused(self):
        """Two students in one array, three in another: whichever of a function's arrays is the odd one."""
        expectation = expected_growth.expected_growth([500.0, 510.0], 500.0, 20.0, 510.0, 20.0)
        two = [1.0, 2.0]
        functions = [
            (scales.score_at_percentile, [two, two, two]),
            (scales.reliable_change, [two, two, two, two]),
            (scales.normal_curve_equivalent, [two, two, two]),
            (scales.stanine, [two, two, two]),
            (scales.error_from_reliability, [two, [0.5, 0.6]]),
            (scales.score_range, [two, two]),
            (expected_growth.expected_growth, [two, two, two, two, two, [0.5, 0.6]]),
            (lambda *given: expected_growth.growth_seen(given[0], given[1], expectation, *given[2:]), [two] * 4),
            (lambda *given: goals.goal(*given, expectation), [two, two, two]),
            (cuts.near_cut, [two, two, [500.0]]),
            (lambda score, error: band_chances.band_chances(score, error, [1.0]), [two, two]),
            (lambda one, *rest: belief.doubt(one, [[1.0]] * len(one), *rest), [two] * 5),
            (practice.accuracy_on_length, [two, two, two]),
            (lambda *given: practice.practice_log([0, 1], days("02-01", "02-02"), *given), [two, two, two]),
            (norms.norm_curve, [two, two, two]),
            (outcome_link.equipercentile, [two, two]),
            (trend.trend, [two, two]),
        ]
        for function, fitting in functions:
            function(*fitting)
            # A list of cuts is no array of students.
            for place in [at for at, given in enumerate(fitting) if len(given) == 2]:
                odd = list(fitting)
                odd[place] = [0.5, 0.6, 0.7]
                with self.subTest(function=function, place=place), self.assertRaises(BadInput):
                    function(*odd)

    def test_an_expectation_of_other_students_is_refused(self):
        """Three students' scores against the expectation of two."""
        expectation = expected_growth.expected_growth([500.0, 510.0], 500.0, 20.0, 510.0, 20.0)
        three = [500.0, 510.0, 520.0]
        with self.assertRaises(BadInput):
            expected_growth.growth_seen(three, three, expectation)
        with self.assertRaises(BadInput):
            goals.goal(three, three, 10, expectation)

    def test_a_missing_value_on_either_side_leaves_the_pair_out(self):
        """First or second missing: the student does not count, whichever it is."""
        for first, second in ((NAN, 1.0), (1.0, NAN)):
            told = trend.trend([0.0, 1.0, 2.0, first], [1.0, 2.0, 3.0, second])
            self.assertEqual(told.n, 3)
            chances = band_chances.band_chances([first], [second], [500.0])
            self.assertTrue(np.isnan(chances).all())


class Growth(unittest.TestCase):
    def seen(self, second, errors=(3.0, 4.0), rho=0.8):
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0, rho)
        return expected_growth.growth_seen([500.0], [second], expectation, [errors[0]], [errors[1]])

    def test_a_difference_of_just_the_error_is_as_expected(self):
        """Errors 3 and 4 make 5: exactly 5 points either way is within it."""
        for second, verdict in ((515.0, 0), (515.01, 1), (505.0, 0), (504.99, -1)):
            self.assertEqual(self.seen(second).verdict[0], verdict)

    def test_one_error_missing_is_no_verdict(self):
        """Either one; the distance stands all the same."""
        for errors in ((NAN, 4.0), (3.0, NAN)):
            told = self.seen(530.0, errors)
            self.assertTrue(np.isnan(told.verdict[0]))
            self.assertFalse(np.isnan(told.distance[0]))

    def test_a_small_spread_is_a_spread(self):
        """Half a point: distance and how usual a goal is are still told."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 0.5, 510.0, 0.5, 0.0)
        seen = expected_growth.growth_seen([500.0], [510.5], expectation)
        self.assertAlmostEqual(seen.distance[0], 1.0)
        self.assertAlmostEqual(goals.goal([500.0], [510.5], 10, expectation).usual[0], 0.1587, places=4)
        none = expected_growth.expected_growth([500.0], 500.0, 0.5, 510.0, 0.5, 1.0)
        self.assertTrue(np.isnan(goals.goal([500.0], [511.0], 10, none).usual[0]))

    def test_nobody_and_someone_without_a_rank(self):
        """Counts are 0 and not missing; with a spread of nothing there is no median."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0, 1.0)
        told = expected_growth.summarise_growth(expected_growth.growth_seen([500.0], [NAN], expectation), expectation)
        self.assertEqual((told.n, told.met_n, told.met_share), (0, 0, None))
        told = expected_growth.summarise_growth(expected_growth.growth_seen([500.0], [510.0], expectation), expectation)
        self.assertEqual((told.n, told.met_n, told.median_percentile), (1, 1, None))

    def test_goals(self):
        """The goal's own score; a target just reached; three windows are enough to be steady."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0)
        self.assertEqual(goals.goal([500.0], 512.0, 10, expectation).score.tolist(), [512.0])
        self.assertTrue(goals.growth_target([1, 1, 0, 0], 0.5).reached)
        self.assertEqual(goals.growth_target([NAN], 0.5).n, 0)
        np.testing.assert_array_equal(goals.steady([[2, 2, 3], [3, 2, 3], [2, NAN, 2]]), [0, 0, NAN])
        np.testing.assert_array_equal(goals.steady([[2, 2, 2], [1, 3, 3]]), [1, 0])
        np.testing.assert_array_equal(goals.steady([[2, 2], [3, 3], [1, 1]]), [NAN, NAN, NAN])

    def test_shares_in_words(self):
        """On the borders of each way to say it."""
        self.assertEqual(goals.one_in(0.001), "about 1 in 1,000")
        self.assertEqual(goals.one_in(0.6), "about 1 in 2")
        self.assertEqual(goals.one_in(2 / 3), "about 1 in 2")
        self.assertEqual(goals.one_in(0.67), "about 7 in 10")


class Calendars(unittest.TestCase):
    def test_closures_hold_both_ends(self):
        """Two spans, one of a single day; none gives no day."""
        told = calendar.closed_days([(days("02-08")[0], days("02-10")[0]), (days("03-01")[0],) * 2])
        np.testing.assert_array_equal(told, days("02-08", "02-09", "02-10", "03-01"))
        self.assertEqual(calendar.closed_days([]).dtype, np.dtype("datetime64[D]"))
        self.assertEqual(calendar.closed_days([]).size, 0)
        hours = tuple(np.datetime64(text) for text in ("2027-02-08T00", "2027-02-09T00"))
        np.testing.assert_array_equal(calendar.closed_days([hours]), days("02-08", "02-09"))

    def test_windows_of_one_year(self):
        """The same window is neither later nor across the summer."""
        fall = windows.Window(2026, 0)
        self.assertFalse(windows.across_summer(fall, windows.Window(2026, 2)))
        self.assertFalse(windows.within_one_year(fall, fall))
        self.assertTrue(windows.within_one_year(fall, windows.Window(2027, 0)))

    def test_grades_sort_as_in_school(self):
        """K before 1, 9 before 10, anything else last."""
        self.assertEqual(sorted(["10", "9", "x", "K", "1"], key=windows.grade_key), ["K", "1", "9", "10", "x"])

    def test_a_day_of_teaching_is_now(self):
        """A plan of one day is one."""
        day = date(2027, 2, 1)
        self.assertEqual(standards.when_taught("a", {"a": (day, day)}, day), "now")

    def test_norm_curves(self):
        """A missing week has no norm; rows in any order; the week that stands twice is named."""
        curve = norms.norm_curve([20.0, 5.0], [520.0, 500.0], [22.0, 20.0])
        told = curve.at([NAN, 5.0])
        np.testing.assert_array_equal(told.mean, [NAN, 500.0])
        np.testing.assert_array_equal(told.sd, [NAN, 20.0])
        with self.assertRaisesRegex(BadInput, "12"):
            norms.norm_curve([5.0, 12.0, 12.0, 20.0], [1.0, 2, 3, 4], [1.0, 1, 1, 1])
        for gap in ([NAN, 2.0], [1.0, 2.0], [1.0, 1.0]), ([5.0, 6.0], [NAN, 2.0], [1.0, 1.0]):
            with self.assertRaises(BadInput):
                norms.norm_curve(*gap)
        with self.assertRaises(BadInput):
            norms.norm_curve([5.0, 6.0], [1.0, 2.0], [NAN, 1.0])


class Doubts(unittest.TestCase):
    def doubt(self, minutes, earlier, score=500.0, last=500.0, error=5.0):
        n = len(minutes)
        return belief.doubt(minutes, earlier, [score] * n, [error] * n, [last] * n, [error] * n)

    def test_on_the_limits_there_is_no_doubt(self):
        """Just the 5th percentile, just half the own median, just less than 1.96 errors."""
        minutes = np.arange(10.0, 31.0)
        told = self.doubt(minutes, np.full((21, 1), 22.0))
        self.assertEqual(told.limit, 11.0)
        np.testing.assert_array_equal(np.flatnonzero(told.fast_for_all), [0])
        np.testing.assert_array_equal(np.flatnonzero(told.fast_for_self), [0])
        np.testing.assert_array_equal(told.change, np.zeros(21))
        none = [[NAN], [NAN]]
        told = belief.doubt([20.0, 20.0], none, [-9.79, -9.81], [3.0] * 2, [0.0] * 2, [4.0] * 2)
        np.testing.assert_array_equal(told.far_below, [False, True])

    def test_without_times_nobody_was_fast(self):
        """No minutes at all, and no earlier window."""
        told = self.doubt([NAN, NAN], np.empty((2, 0)))
        self.assertEqual((told.limit, told.too_fast.any()), (None, False))

    def test_two_languages(self):
        """The difference itself; only one below the target cannot tell; students must be the same."""
        told = belief.two_sittings([520.0], [3.0], [500.0], [4.0])
        self.assertEqual((told.difference[0], told.error[0], told.errors[0]), (20.0, 5.0, 4.0))
        just = belief.Difference(np.array([1.96]), np.array([1.0]), np.array([1.96]))
        self.assertEqual(belief.language_or_skill(just, [False], [True]), ["cannot tell"])
        self.assertEqual(belief.language_or_skill(just, [True], [False]), ["cannot tell"])
        self.assertEqual(belief.language_or_skill(just, [True], [True]), ["skill"])
        with self.assertRaisesRegex(BadInput, "same students"):
            belief.language_or_skill(just, [True, True], [True, True])

    def test_which_counts(self):
        """A score without its day or a day without its score is refused."""
        for day, score in (([1.0, 2.0], [500.0]), ([1.0], [NAN])):
            with self.assertRaises(BadInput):
                which_counts.which_counts("latest", day, score)


class Bands(unittest.TestCase):
    def test_cuts(self):
        """Cuts less than a point apart; percentiles from above 0; a student without any cut."""
        chances = band_chances.band_chances([500.0, 480.0], [10.0, 10.0], [499.5, 500.0])
        np.testing.assert_allclose(chances.sum(axis=1), [1, 1])
        rows = [cuts.CutRow(1, "a"), cuts.CutRow(2, "b", min_percentile=0.5)]
        self.assertEqual(cuts.cut_set(rows).cuts, (0.5,))
        with self.assertRaisesRegex(CutFault, "between 0 and 100"):
            cuts.cut_set([cuts.CutRow(1, "a"), cuts.CutRow(2, "b", min_percentile=0.0)])
        self.assertTrue(np.isnan(cuts.near_cut([500.0], [5.0], np.empty((1, 0)))).all())
        with self.assertRaisesRegex(CutFault, "an overlap"):
            cuts.cut_set([cuts.CutRow(1, "a"), cuts.CutRow(2, "b", 500.0), cuts.CutRow(3, "c", 500.0)])

    def test_movement_with_more_down_than_up(self):
        """Two up, three down, one the same: a net move of a sixth of them down."""
        told = movement.movement([1, 1, 3, 3, 2, 2], [2, 3, 1, 2, 1, 2], 3)
        self.assertEqual((told.up, told.same, told.down), (2, 1, 3))
        self.assertAlmostEqual(told.net, -1 / 6)

    def test_single_movers_count_in_the_tests(self):
        """One student up and none down: a pair of cells, and a band that only one window has."""
        told = movement.bowker([[5, 1], [0, 5]])
        self.assertEqual((told.statistic, told.df), (1.0, 1))
        told = movement.stuart_maxwell([[0, 1], [0, 0]])
        self.assertEqual((told.statistic, told.df), (1.0, 1))
        told = movement.stuart_maxwell([[4, 2, 0], [1, 4, 0], [2, 1, 0]])
        self.assertEqual(told.df, 2)

    def test_local_fifths(self):
        """Of ten different scores each fifth holds two; of a hundred, twenty; ties stand at their middle."""
        np.testing.assert_array_equal(local_rank.fifth(np.arange(10.0)), np.repeat([1, 2, 3, 4, 5], 2))
        np.testing.assert_array_equal(np.bincount(local_rank.fifth(np.arange(100.0)).astype(int))[1:], [20] * 5)
        self.assertEqual(local_rank.local_percentile([7.0]).tolist(), [50.0])
        self.assertEqual(local_rank.class_summary([NAN]).n, 0)

    def test_resembling(self):
        """Just one error beyond the ends is still within; half a point of error is one."""
        rows = [480.0, 500.0]
        for score, beyond in ((475.0, 0), (474.9, -1), (505.0, 0), (505.1, 1), (490.0, 0), (482.0, 0)):
            self.assertEqual(resembling.resembling(score, 5.0, rows).beyond, beyond, score)
        self.assertEqual(resembling.resembling(480.2, 0.5, rows).within_error.tolist(), [0])


class Outcome(unittest.TestCase):
    def test_thirty_are_enough(self):
        """Thirty pairs are a link and a curve, twenty-nine are told with their number."""
        rng = np.random.default_rng(3)
        x = rng.normal(500, 20, 30)
        y = (x + rng.normal(0, 20, 30) > 500).astype(float)
        self.assertIsNone(outcome_link.equipercentile(x, x + 5).reason)
        self.assertEqual(outcome_link.equipercentile(x, x + 5).n, 30)
        curve = outcome_link.level_curve(x, y)
        self.assertEqual((curve.reason, curve.n), (None, 30))
        few = outcome_link.equipercentile(x[:29], x[:29])
        self.assertEqual((few.n, few.interim.size, few.outcome.size), (29, 0, 0))
        self.assertTrue(np.isnan(few.at([500.0, 510.0])).all())
        self.assertEqual(few.at([500.0, 510.0]).shape, (2,))
        none = outcome_link.level_curve(x[:29], y[:29])
        self.assertEqual(none.n, 29)
        self.assertEqual(none.chance([500.0, 510.0]).shape, (2,))
        self.assertTrue(np.isnan(none.chance([500.0])).all())
        same = outcome_link.level_curve(x, np.ones(30))
        self.assertEqual((same.n, same.slope), (30, None))

    def test_below_the_lowest_score_met_nothing_is_said(self):
        """Nor above the highest."""
        x = np.arange(30.0)
        told = outcome_link.equipercentile(x, x).at([-1.0, 0.0, 29.0, 30.0])
        np.testing.assert_array_equal(np.isnan(told), [True, False, False, True])

    def test_scores_that_tell_the_level_perfectly(self):
        """Either way round, and with a shared score at the border."""
        x = np.arange(30.0)
        for scores in (x, -x, np.where(x < 15, 10.0, 10.0 + (x > 15))):
            told = outcome_link.level_curve(scores, (x >= 15).astype(float))
            self.assertIn("perfectly", told.reason)
            self.assertEqual(told.n, 30)
        back = np.where(x < 15, 10.0, 10.0 - (x > 15))
        self.assertIn("perfectly", outcome_link.level_curve(back, (x >= 15).astype(float)).reason)

    def test_the_area_needs_both_kinds(self):
        """Nobody or everybody fell short: no area, and nothing over nothing."""
        for short in ([0, 0, 0], [1, 1, 1]):
            told = outcome_link.telling([1.0, 2.0, 3.0], short, 2.5)
            self.assertEqual((told.area, told.n), (None, 3))


class Needs(unittest.TestCase):
    def test_mastery(self):
        """Limits at the ends of their range; three points are enough; half a point is evidence, if thin."""
        self.assertEqual(mastery.mastery_from_points([3], [3], 100, 0).states, ["mastered"])
        self.assertEqual(mastery.mastery_from_points([3.0, 2.0], [3, 3]).states, ["mastered", "nearly"])
        self.assertEqual(mastery.mastery_from_points([3.0, 1.0], [4, 2]).percent.tolist(), [75.0, 50.0])
        told = mastery.mastery_from_points([0.25, 0], [0.5, 0])
        self.assertEqual((told.states, told.percent[0]), (["thin evidence", "no evidence"], 50.0))
        self.assertTrue(np.isnan(told.percent[1]))
        for upper, lower in ((80, 80), (101, 60), (80, -0.5)):
            with self.assertRaisesRegex(BadInput, "within 0..100"):
                mastery.mastery_from_points([1], [3], upper, lower)
        with self.assertRaises(BadInput):
            mastery.mastery_from_points([1, 1], [3])

    def test_the_teacher_wins_on_one_day_whatever_the_state(self):
        """Also over a state that a sort by letters would put last; the later of two equals does not matter."""
        day = np.datetime64("2027-02-01")
        teacher = mastery.Evidence(day, by_teacher=True, state="mastered")
        told = [teacher, mastery.Evidence(day, by_teacher=False, state="thin evidence")]
        self.assertEqual(mastery.newest(told), "mastered")
        told = [teacher, mastery.Evidence(day, by_teacher=True, state="not yet")]
        self.assertEqual(mastery.newest(told), "mastered")

    def test_few_students_give_counts_only(self):
        """Nine give counts, ten give figures; what stands for nothing is nothing and no surprise."""
        told = items.item_figures(np.tile([[1.0, 0.0], [0.0, 1.0], [1.0, 1.0]], (3, 1)))
        self.assertEqual((told.n, told.few, told.alpha), (9, True, None))
        for figure in (told.difficulty, told.discrimination, told.upper_lower):
            np.testing.assert_array_equal(figure, [NAN, NAN])
        ten = items.item_figures(np.vstack([np.eye(2).repeat(4, axis=0), [[1, 1], [0, 0]]]))
        self.assertEqual((ten.n, ten.reason), (10, None))
        self.assertFalse(np.isnan(ten.difficulty).any())
        flags = items.item_flags([0] * 5 + [1] * 4, {0}, 3, np.zeros(9), -1.0)
        self.assertEqual(flags.chosen.tolist(), [5, 4, 0])
        self.assertEqual((flags.check_the_key, flags.shared_mistake, flags.does_not_tell), (False, None, False))
        self.assertEqual((flags.nobody_wrong, flags.nobody_right), (False, False))
        self.assertTrue(items.item_flags([1], {0}, 2, [1.0], 0.5).nobody_right)
        self.assertFalse(items.item_flags([0, 1], {0}, 2, [1.0, 1.0], 0.5).nobody_right)
        self.assertTrue(items.item_flags([0], {0}, 2, [1.0], 0.5).nobody_wrong)
        self.assertFalse(items.item_flags([], {0}, 2, [], 0.5).nobody_wrong)
        self.assertTrue(items.item_flags([0] * 7 + [1] * 3, {0}, 3, np.zeros(10), -1.0).does_not_tell)

    def test_the_top_third(self):
        """Of ten students the best three decide whether the key is doubted; a tie does not doubt it."""
        total = np.arange(10.0)
        sure = [0] * 7
        self.assertTrue(items.item_flags([*sure, 1, 1, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*sure, 1, 0, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*[1] * 7, 0, 0, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*[1] * 7, 0, 0, 1], {0}, 2, total, 0.5).check_the_key)
        self.assertTrue(items.item_flags([*[1] * 7, 0, 0, 1], {1}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*sure, 1, 0, -1], {0}, 2, total, 0.5).check_the_key)
        self.assertEqual(items.item_flags([*sure, 1, 1, 1], {0}, 2, total, 0.5).shared_mistake, 1)
        self.assertIsNone(items.item_flags([*sure, 2, 1, 1], {0}, 3, total, 0.5).shared_mistake)
        self.assertIsNone(items.item_flags([0] * 10, {0, 1}, 2, total, 0.5).shared_mistake)

    def test_items_without_spread(self):
        """One item has no alpha, nor has a test on which all did alike; two items have one, quietly."""
        one = np.array([[1.0], [0.0]] * 5)
        self.assertIsNone(items.item_figures(one).alpha)
        self.assertAlmostEqual(items.item_figures(np.array([[1.0, 1.0], [0.0, 0.0]] * 5)).alpha, 1.0)
        self.assertAlmostEqual(items.item_figures(np.array([[0.1, 0.1], [0.0, 0.0]] * 5)).alpha, 1.0)
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            self.assertIsNone(items.item_figures(np.array([[1.0, 0.0], [0.0, 1.0]] * 5)).alpha)
            items.item_figures(np.array([[1.0, 1.0], [0.0, 1.0]] * 5))

    def test_rescoring_goes_on_after_a_dropped_item(self):
        """Points of 0 are allowed; each part of the shape is looked at."""
        told = which_counts.rescore([[0, 1, 0]], [{0}, {1}, {0}], [1, 2, 0], [True, False, False])
        self.assertEqual(told.tolist(), [[0, 2, 0]])
        for options, keys in (([0, 1], [{0}, {1}]), ([[0, 1]], [{0}])):
            with self.assertRaises(BadInput):
                which_counts.rescore(options, keys, [1, 1], [False, False])

    def test_standards(self):
        """The rows keep what they were worked out from; a standard nobody knows is not offered."""
        graph = standards.prerequisite_graph({"b": ["a"], "c": [], "d": ["b", "c"]})
        self.assertEqual(standards.weigh(graph, {"a": 3}, ["b"])[0].lacking, 3)
        self.assertEqual(standards.priorities(graph, {"a": 2.0}, ["b"])[0].missed, 2.0)
        self.assertEqual(standards.beyond(graph, [], ["a", "x", "c"]), ["a", "c"])
        self.assertEqual(standards.path_to(graph, "d", []), ["a", "c", "b", "d"])

    def test_strands_target_shapes(self):
        """One for all, one a strand, one a student; anything else is refused."""
        scores, errors = np.full((3, 2), 500.0), np.full((3, 2), 5.0)
        for line in (490.0, [490.0, 490.0], [[490.0]] * 3, [[490.0, 490.0]], np.full((3, 2), 490.0)):
            np.testing.assert_allclose(strands.strand_profile(scores, errors, line), 2.0)
        for line in ([490.0] * 4, np.full((2, 2), 490.0)):
            with self.assertRaises(BadInput):
                strands.strand_profile(scores, errors, line)


class FollowUp(unittest.TestCase):
    aim = trend.AimLine(0, 40, 10, 60)

    def test_six_results_over_three_weeks(self):
        """Just enough of both is enough; one less of either is not; the weeks are from the first to the last."""
        weeks = np.array([1.0, 1.6, 2.2, 2.8, 3.4, 4.0])
        self.assertEqual(trend.next_step(weeks, self.aim.at(weeks) - 5, self.aim).act, "change")
        self.assertEqual(trend.next_step(weeks[:5], self.aim.at(weeks[:5]) - 5, self.aim).act, "none")
        short = np.array([1.0, 1.1, 1.2, 1.3, 3.8, 3.9])
        told = trend.next_step(short, self.aim.at(short) - 5, self.aim)
        self.assertEqual(told.act, "none")
        self.assertIn("6 over 2.9", told.reason)
        self.assertIn("0 over 0.0", trend.next_step([], [], self.aim).reason)
        one = trend.next_step([50.0], [1.0], self.aim)
        self.assertIn("1 over 0.0", one.reason)

    def test_the_last_four_decide(self):
        """Half a point above is above; on the line is neither; the first ones do not matter."""
        weeks = np.arange(8.0)
        line = self.aim.at(weeks)
        self.assertEqual(trend.next_step(weeks, line + 0.5, self.aim).act, "raise")
        self.assertEqual(trend.next_step(weeks, line - 0.5, self.aim).act, "change")
        mixed = line + np.array([9, 9, 9, 9, -1, -1, -1, -1])
        self.assertEqual(trend.next_step(weeks, mixed, self.aim).act, "change")
        self.assertEqual(trend.next_step(weeks, line, self.aim).act, "stay")

    def test_results_on_few_days_have_no_rule(self):
        """Six results on two days: no trend, said in words."""
        told = trend.next_step([0, 0, 0, 4, 4, 4], [30, 50, 41, 50, 46, 52], self.aim)
        self.assertEqual((told.act, told.reason), ("none", "a trend needs results on at least 3 different days"))
        self.assertEqual(trend.trend([0, 0, 0, 4], [1, 2, 3, 4]).n, 4)

    def test_ties_in_a_week_keep_their_order(self):
        """Several results of one day: the last four are those that came last."""
        weeks = np.array([0.0] * 20 + [5.0] * 20)
        scores = np.concatenate([np.full(20, 41.0), np.full(16, 99.0), np.full(4, 1.0)])
        self.assertEqual(trend.next_step(weeks, scores, self.aim).act, "change")

    def test_practice_on_its_last_day(self):
        """The last day counts; so does an entry on the only day; one item is an accuracy, none is not."""
        day = days("02-19")
        period = practice.Period(days("02-19")[0], day[0], days("03-01")[0])
        free = practice.PracticeGoals(*(np.array([value]) for value in (NAN, 0.5, NAN, NAN)))
        told = practice.practice(practice.practice_log([0], day, [1.0], [1.0], [1.0]), 1, period, free)
        self.assertEqual((told.entries[0], told.accuracy[0], told.days_since[0]), (1, 1.0, 10.0))
        self.assertEqual(told.amount_of_goal[0], 2.0)
        none = practice.PracticeGoals(*(np.array([value]) for value in (0.5, 0.0, NAN, NAN)))
        told = practice.practice(practice.practice_log([0], day, [1.0], [0.0], [0.0]), 1, period, none)
        self.assertTrue(np.isnan(told.accuracy[0]) and np.isnan(told.amount_of_goal[0]))
        self.assertEqual(told.reasons, ((),))
        for items_, right in ((NAN, 1.0), (4.0, NAN)):
            log = practice.practice_log([0, 0], [day[0]] * 2, [1.0] * 2, [2.0, items_], [1.0, right])
            self.assertEqual(practice.practice(log, 1, period, free).accuracy[0], 0.5)

    def test_texts_of_one_item(self):
        """One item is enough for an accuracy; a missing length or score leaves the entry out."""
        told = practice.accuracy_on_length([1.0, 2.0, 3.0, NAN, 5.0], [1, 1, 1, 1, 1], [1, 0, 0, 1, NAN])
        self.assertEqual((told.n, told.slope), (3, -0.5))
        self.assertEqual(practice.accuracy_on_length([1.0], [1], [1]).n, 1)
        shares = practice.share_by(["b", "c", "a"], [5.0, 5.0, 5.0])
        self.assertEqual(list(shares), ["a", "b", "c"])

    def test_did_it_help_at_the_edge_of_the_caliper(self):
        """The spread is that of all with both figures; a start just one caliper away is a pair."""
        start = np.array([0.0, 10.0, 30.0, 50.0])
        reach = 10 / start.std(ddof=1)
        told = helped.did_it_help([1.0, 0, 0, 0], start, [True, False, False, False], ["a"] * 4, reach)
        self.assertEqual(told.pairs.tolist(), [[0, 1]])
        told = helped.did_it_help([1.0, 0, 0, 0], start, [True, False, False, False], ["a"] * 4, reach * 0.999)
        self.assertEqual((told.pairs.size, told.unmatched), (0, 1))
        for z, x, pairs in (([1.0, NAN], [5.0, 5.0], 0), ([1.0, 0.0], [5.0, NAN], 0), ([1.0, 0.0], [5.0, 5.0], 1)):
            told = helped.did_it_help(z, x, [True, False], ["a", "a"], 5)
            self.assertEqual(told.pairs.shape, (pairs, 2))

    def test_those_with_fewest_candidates_choose_first(self):
        """Two members, one of them with a single candidate that the other would take too."""
        start = [500.0, 504.0, 502.0, 497.0, 300.0, 700.0]
        told = helped.did_it_help(
            [0.0] * 6, start, [True, True, False, False, False, False], ["a"] * 6, 3.5 / np.std(start, ddof=1)
        )
        self.assertEqual(sorted(told.pairs.tolist()), [[0, 3], [1, 2]])
        self.assertEqual(told.unmatched, 0)

    def test_the_nearest_is_taken(self):
        """Not the first, nor the one with the lowest start."""
        told = helped.did_it_help([0.0] * 4, [-50.0, -80.0, -51.0, 60.0], [True, False, False, False], ["a"] * 4, 5)
        self.assertEqual(told.pairs.tolist(), [[0, 2]])

    def test_ten_pairs_are_not_few(self):
        """Nine are."""
        for n, few in ((10, False), (9, True)):
            start = np.tile(np.arange(n) * 10.0, 2)
            member = np.arange(2 * n) < n
            told = helped.did_it_help(np.arange(2.0 * n), start, member, ["a"] * (2 * n), 0.2)
            self.assertEqual((told.pairs.shape[0], told.few), (n, few))

    def test_cohorts(self):
        """Two students have an interval with one degree of freedom; a window nobody sat says nothing, quietly."""
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            told = cohorts.cohort_means([[500.0, NAN], [510.0, NAN]])
        self.assertAlmostEqual(told.high[0] - told.mean[0], 12.7062 * 5, places=2)
        self.assertTrue(np.isnan(told.mean[1]))
        for confidence in (0.0, 1.0, 1.5):
            with self.assertRaisesRegex(BadInput, "between 0 and 1"):
                cohorts.cohort_means([[500.0]], confidence)


class LocalGrowth(unittest.TestCase):
    def test_no_curves_say_how_many_there_were(self):
        """And give missing percentiles in the students' own number, none of them beyond anything."""
        curves = growth_percentiles.growth_curves([[1.0, 2.0]], [3.0])
        told = growth_percentiles.local_growth_percentile(curves, [[1.0, 2.0]] * 3, [3.0] * 3)
        self.assertEqual((told.n, told.percentile.shape, told.beyond.any()), (1, (3,), False))


class Withholding(unittest.TestCase):
    def test_what_is_hidden_or_shown_anyway(self):
        """A cell nobody sees needs company like a small one; one known from elsewhere is never withheld."""
        sums = [(0, [1, 2, 3])]
        self.assertEqual(withholding.withhold([60, 20, 20, 20], sums).tolist(), [False] * 4)
        told = withholding.withhold([60, 20, 20, 20], sums, already_hidden=[2])
        self.assertEqual(told.tolist(), [False, True, True, False])
        told = withholding.withhold([24, 4, 20], [(0, [1, 2])], always_shown=[1])
        self.assertEqual(told.tolist(), [False, False, False])
        told = withholding.withhold([44, 4, 20, 20], sums, always_shown=[2])
        self.assertEqual(told.tolist(), [False, True, False, True])

    def test_a_minimum_of_one(self):
        """Only empty cells are withheld; below that there is no minimum."""
        self.assertEqual(withholding.withhold([0, 1], [], 1).tolist(), [True, False])
        self.assertEqual(withholding.withhold([1, 2], [], 2).tolist(), [True, False])
        with self.assertRaisesRegex(BadInput, "minimum must be 1 or more, got 0"):
            withholding.withhold([1], [], 0)

    def test_linear_algebra_alone_finds_what_totals_tell(self):
        """With the solver away: one hidden part of a total, and hidden parts that add up to nothing."""
        with unittest.mock.patch.object(withholding, "SOLVER_CELLS", 0):
            told = withholding.withhold([35, 5, 15, 15], [(0, [1, 2, 3])])
            self.assertEqual(told.tolist(), [False, True, True, False])
            told = withholding.withhold([20, 0, 0, 20], [(0, [1, 2, 3])])
            self.assertEqual(told.tolist(), [False, True, True, True])
            told = withholding.withhold([5, 5, 30, 20, 10], [(2, [3, 4])])
            self.assertEqual(told.tolist(), [True, True, False, False, False])

    def test_parts_come_before_totals_and_the_smallest_first(self):
        """Of two sums with the small cell, a part of either; a total only where there is no part left."""
        told = withholding.withhold([35, 5, 30, 17, 12], [(0, [1, 2]), (3, [1, 4])])
        self.assertEqual(told.tolist(), [False, True, True, False, True])
        told = withholding.withhold([5, 5], [(0, [1])])
        self.assertEqual(told.tolist(), [True, True])


class Intervals(unittest.TestCase):
    def test_confidence(self):
        """Strictly between 0 and 1, and passed on to every band; everybody and nobody touch the ends."""
        for confidence in (0.0, 1.0):
            with self.assertRaisesRegex(BadInput, "between 0 and 1"):
                shares.wilson_interval([1], [2], confidence)
        wide, narrow = shares.band_shares([1, 1, 2], 2, 0.99), shares.band_shares([1, 1, 2], 2, 0.5)
        self.assertTrue((wide.low < narrow.low).all() and (wide.high > narrow.high).all())
        low, high = shares.wilson_interval([0, 4], [4, 4])
        self.assertEqual((low[0], high[1]), (0.0, 1.0))
        self.assertTrue(low[1] < 1.0 and high[0] > 0.0)
        self.assertTrue(np.isnan(shares.wilson_interval([0], [0])).all())
        self.assertTrue(np.isnan(shares.band_shares([], 2).share).all())


class Proposing(unittest.TestCase):
    def test_adults_are_loaded_evenly(self):
        """Six groups in two slots, three adults free in both: two groups each."""
        rules = grouping_rules.GroupingRules(0, 1, adults=[{0, 1}] * 3, blocked=[[]])
        told = grouping.propose_groups([[0.0]], [[float(at)] for at in range(6)], rules)
        self.assertEqual(sorted(told.adults), [0, 0, 1, 1, 2, 2])

    def test_clashing_rules_without_the_proof_of_fewest(self):
        """Cut off at once, a clash is still a clash; with time, none of its rules can be spared."""
        spelled = grouping_rules.checked(grouping_rules.GroupingRules(0, 3, [(0, 1)], [(0, 1), (1, 2)]), 3, 2)
        kept = grouping._irreducible(3, 2, spelled, 3.0)
        self.assertEqual({rule.kind for rule in kept}, {"together", "apart"})
        self.assertEqual(len(kept), 2)
        hasty, proven = grouping._clash(3, 2, spelled, 1e-9)
        self.assertFalse(proven)
        self.assertLessEqual(set(kept), set(hasty))

    def test_shapes_of_needs_and_foci(self):
        """Either of one dimension is refused; one group is a group; needs that are alike count once."""
        rules = grouping_rules.GroupingRules(0, 3)
        for needs, foci in (([1.0], [[1.0]]), ([[1.0]], [1.0]), ([[1.0]], np.empty((0, 1)))):
            with self.assertRaises(BadInput):
                grouping.propose_groups(needs, foci, rules)
        self.assertEqual(grouping.foci_from_needs([[1.0, 3.0], [3.0, 5.0]], 1).tolist(), [[2.0, 4.0]])
        self.assertEqual(grouping.foci_from_needs([[1.0, 1.0], [2.0, 2.0]], 2).shape, (2, 2))
        for needs in ([1.0, 2.0], [[np.nan]]):
            with self.assertRaises(BadInput):
                grouping.foci_from_needs(needs, 1)
        with self.assertRaises(BadInput):
            grouping.foci_from_needs([[1.0, 2.0]], 2)
