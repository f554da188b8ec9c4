"""Every public function of the core refuses what it cannot take, naming what is wrong; none is left out."""

import importlib
import inspect
import pkgutil
import unittest
from datetime import date

import numpy as np

import bodkin.core
from bodkin.core import arrays, calendar, suppression, windows
from bodkin.core.check import credibility, which_counts
from bodkin.core.compare import cohorts, movement, outcome_link, units
from bodkin.core.errors import BadInput
from bodkin.core.follow_up import (
    dosage,
    events,
    many,
    matched_comparison,
    patterns,
    phases,
    practice,
    trend,
    two_dimensions,
)
from bodkin.core.groups import foci, grouping, grouping_rules, membership_rules, placement
from bodkin.core.growth import expected_growth, goals, growth_percentiles, outlook, resembling
from bodkin.core.needs import items, mastery, standards, strands
from bodkin.core.scores import adaptive, band_chances, cuts, gap, local_rank, norms, scales, shares

EXPECTED = expected_growth.expected_growth([500.0], 500, 20, 510, 20)
AIM = trend.AimLine(0, 40, 20, 60)
DAY = np.datetime64("2026-01-01")
EXIT = membership_rules.MembershipRule("Tide", "reading", "score", "at least", 500)
GRAPH = standards.prerequisite_graph({"a": []})
INF = [np.inf]
NO_CURVES = growth_percentiles.growth_curves([], [])
ONE_GROUP = grouping_rules.GroupingRules(0, 1)
CHECKED = grouping_rules.checked(ONE_GROUP, 1, 1)
SITTINGS = credibility.two_sittings([1.0], [1.0], [1.0], [1.0])
RULES = grouping_rules.GroupingRules([0, 0], 3)
LOG = practice.practice_log([0], [DAY], [1.0], [1.0], [1.0])
TWO = practice.practice_log([0, 1], [DAY] * 2, [1.0] * 2, [1.0] * 2, [1.0] * 2)

REFUSED = [
    # function, arguments, a word of the message
    (arrays.floats, ("score", INF), "score holds an infinite"),
    (arrays.positive, ("sd", [0.0]), "sd must be above 0"),
    (arrays.within, ("share", [2.0], 0, 1), "share must be from 0 to 1"),
    (arrays.same_shape, (), None),
    (scales.percent_below, (INF, 0, 1), "score"),
    (scales.as_rank, (INF,), "percent"),
    (scales.percentile_rank, ([1.0], 0, -1), "sd"),
    (scales.score_at_percentile, ([101], 0, 1), "percentile"),
    (scales.reliable_change, ([1.0], [2.0], [1.0], [0.0]), "error_second"),
    (scales.normal_curve_equivalent, ([1.0], 0, 0), "sd"),
    (scales.stanine, ([1.0], 0, 0), "sd"),
    (scales.error_from_reliability, ([1.0], [-0.1]), "reliability"),
    (scales.percent_of_points, ([3.0], [2.0]), "points possible"),
    (scales.score_range, ([1.0], [0.0]), "error"),
    (norms.norm_curve, ([], [], []), "norm curve"),
    (norms.middle_row, ([],), "norm row"),
    (calendar.closed_days, ([(DAY, DAY - 1)],), "closure"),
    (calendar.instructional_weeks, (np.array([DAY]), np.array([DAY]), np.array([], "datetime64[D]")), None),
    (windows.parse_window, ("x",), "not a window"),
    (windows.day_words, (date(2026, 1, 1),), None),
    (windows.read_window, ("2026-02-30..2026-03-01",), "a day that is none"),
    (windows.read_window, ("2026-10-02..2026-10-01",), "ends before it begins"),
    (windows.read_window, ("2026-01-01..2026-12-01",), "longer than"),
    (gap.gap_of_shares, ((3, 0), (2, 1)), "from 0 to n"),
    (gap.gap_of_moments, ((5, 1.0, -1.0), (5, 1.0, 1.0)), "variance must be 0 or more"),
    (gap.difference_of_moments, ((1, 1.0, 0.0), (5, 1.0, 1.0)), "each group needs 2 students"),
    (shares.shares_of_counts, ([-1, 2],), "count"),
    (movement.movement_of_table, ([[1, 2]],), "square"),
    (movement.movement_of_each, ([[1, 2], [3, 4]],), "square"),
    (windows.across_summer, (windows.Window(2026, 0), windows.Window(2026, 1)), None),
    (windows.within_one_year, (windows.Window(2026, 0), windows.Window(2026, 1)), None),
    (windows.next_grade, ("x",), None),
    (windows.grade_key, ("x",), None),
    (expected_growth.expected_growth, ([1.0], 0, 1, 0, 1, 2), "correlation"),
    (expected_growth.growth_seen, ([1.0], [2.0], EXPECTED, [-1.0], [1.0]), "error_first"),
    (expected_growth.summarise_growth, (expected_growth.growth_seen([1.0], [2.0], EXPECTED), EXPECTED), None),
    (
        expected_growth.summarise_growth_of_each,
        (expected_growth.growth_seen([1.0], [2.0], EXPECTED), EXPECTED, [np.array([1])]),
        "places from 0 to 0",
    ),
    (cuts.cut_set, ([],), "at least one band"),
    (cuts.band_orders, (INF, [1.0]), "values"),
    (cuts.near_cut, ([1.0], [0.0], [1.0]), "error"),
    (shares.wilson_interval, ([2], [1]), "count"),
    (shares.band_shares, ([9.0], 4), "band order"),
    (movement.movement, ([1.0], [9.0], 4), "band order"),
    (movement.stuart_maxwell, ([[1, 2]],), "square"),
    (movement.bowker, ([[1, 2]],), "square"),
    (movement.stuart_maxwell_of_each, ([[1, 2], [3, 4]],), "square"),
    (movement.bowker_of_each, ([[[1, -2], [3, 4]]],), "0 or more"),
    (suppression.withhold, ([-1], []), "counts"),
    (local_rank.local_percentile, ([[1.0]],), "one-dimensional"),
    (local_rank.fifth, ([[1.0]],), "one-dimensional"),
    (local_rank.lowest_fifth, ([[1.0]],), "one-dimensional"),
    (local_rank.class_summary, (INF,), "score"),
    (cohorts.cohort_means, ([[1.0]], 2), "confidence"),
    (gap.gap, ([1.0], INF), "second"),
    (goals.goal, ([1.0], 2.0, 0, EXPECTED), "weeks"),
    (goals.one_in, (0.5,), None),
    (goals.growth_target, (INF, 0.5), "met"),
    (goals.steady, (INF,), "orders"),
    (band_chances.band_chances, ([1.0], [1.0], [2.0, 1.0]), "cuts must rise"),
    (band_chances.expected_correct, ([1.0], [0.0], [1.0]), "error"),
    (resembling.resembling, (1.0, 1.0, []), "norm row"),
    (trend.trend, ([1.0], [1.0, 2.0]), "alike"),
    (trend.aim_line, ([1.0], [1.0], 2, 2), "baseline"),
    (trend.next_step, ([1.0], [1.0, 2.0], AIM), "alike"),
    (dosage.dosage, ([-1], [1], [1], [1]), "minutes"),
    (two_dimensions.two_dimensions, ([1.0], 1, [1.0, 2.0], 1), "one shape"),
    (credibility.doubt, ([0.0], [[1.0]], [1.0], [1.0], [1.0], [1.0]), "minutes"),
    (credibility.two_sittings, ([1.0], [0.0], [1.0], [1.0]), "error"),
    (credibility.language_or_skill, (SITTINGS, [1.0], [1.0], [0.0]), "spread must be above 0"),
    (items.item_figures, ([[np.nan]],), "none missing"),
    (items.item_flags, ([0], set(), 4, [1.0], 0.3), "no key"),
    (mastery.mastery_from_points, ([2], [1]), "points possible"),
    (mastery.newest, ([],), None),
    (mastery.counting_evidence, ([0], [1.0], [True], [1, 2], [0]), "the same pieces"),
    (items.scores_on_others, ([[0.5, 0.5]], [1.0, 0.0]), "worth must be above 0"),
    (standards.later_standards, (GRAPH, []), None),
    (standards.teaching_order, (GRAPH,), None),
    (standards.standards_below, (GRAPH, "x"), "no standard"),
    (standards.prerequisite_graph, ({"a": ["a"]},), "a -> a"),
    (standards.weigh, (GRAPH, {"x": 1}, []), "no standard"),
    (standards.path_to, (GRAPH, "x", []), "no standard"),
    (standards.beyond, (GRAPH, [], ["a"]), None),
    (standards.priorities, (GRAPH, {"a": -1}, []), "0 or more"),
    (standards.when_taught, ([(date(2027, 1, 2), date(2027, 1, 1))], date(2027, 1, 1)), "before it begins"),
    (strands.strand_profile, ([1.0], [1.0], 1.0), "students as rows"),
    (which_counts.which_counts, ("latest", [], []), "at least one"),
    (items.points_won, ([[0]], [set()], [1]), "no key"),
    (outcome_link.equipercentile, ([1.0], [1.0, 2.0]), "alike"),
    (outcome_link.level_curve, ([1.0], [3.0]), "0 or 1"),
    (outcome_link.prediction_accuracy, ([1.0], [1.0, 2.0], 1), "alike"),
    (two_dimensions.standing_move, ([1.0], [5.0]), "standings from 0 to 3"),
    (growth_percentiles.growth_curves, (INF, [1.0]), "earlier holds an infinite"),
    (growth_percentiles.expected_quantiles, (NO_CURVES, INF), "earlier holds an infinite"),
    (growth_percentiles.local_growth_percentile, (NO_CURVES, [1.0], INF), "later holds an infinite"),
    (grouping.propose_groups, ([INF], [[1.0]], RULES), "needs holds an infinite"),
    (foci.foci_from_needs, ([[1.0]], 0), "0 groups cannot be found"),
    (foci.need_distance, ([[np.nan]], [[1.0]]), "student 0 has no measure"),
    (placement.check_move, ([[1.0]], [[1.0]], [0], 0, 3, ONE_GROUP), "no group 3"),
    (
        placement.why_there,
        (0, np.array([0]), np.zeros((1, 1)), grouping_rules.checked(ONE_GROUP, 1, 1), []),
        None,
    ),
    (grouping_rules.always_in_class, (CHECKED,), None),
    (grouping_rules.too_many_apart, (CHECKED, 1), None),
    (expected_growth.error_away, ([1.0], [0.0], [1.0]), "error_first must be above 0"),
    (growth_percentiles.median_slope, (NO_CURVES, INF), "earlier holds an infinite"),
    (movement.movement_exact, ([[1, 2]],), "square"),
    (movement.movement_exact_of_each, ([[1, 2], [3, 4]],), "square"),
    (units.moments_of_each, ([1.0], [np.array([1])]), "places from 0 to 0"),
    (outcome_link.share_below, ([np.nan], [1.0]), "scores must be known"),
    (outcome_link.score_at_share, ([1.0], [1.5]), "share must be from 0 to 1"),
    (outlook.chances_at_or_above, ([1.0], [1.0, 2.0], [1.0]), "one a student"),
    (outlook.band_chances_to_come, ([[0.2, 0.4]],), "must not rise"),
    (outlook.count_distribution, ([1.5],), "chances must be from 0 to 1"),
    (outlook.count_range, ([0.5], 1.0), "central"),
    (outlook.students_it_takes, ([0.5], 2.0), "target"),
    (outlook.calibration, ([0.5], [0.5]), "happened must be 1 or 0"),
    (units.false_discoveries, ([2.0],), "p must be from 0 to 1"),
    (units.between_units, ([1.0], [0.0]), "variance must be above 0"),
    (units.compare_means, ([1.5], [1.0], [1.0], (3, 0.0, 1.0)), "n must hold whole numbers"),
    (units.prior_strength, ([0.5], [1], 0.5), "count must hold whole numbers"),
    (units.compare_shares, ([2], [3], (1, 5)), "the whole must hold every unit"),
    (units.net_move_interval, ([2], [2], [3]), "cannot exceed n"),
    (units.compare_net_moves, ([2], [0], [3], (1, 0, 5)), "the whole must hold every unit"),
    (items.end_weights, ([1.0], 0), "size"),
    (mastery.mastery_chance, ([2], [1]), "points possible"),
    (strands.strand_verdicts, ([1.0], [1.0]), "students as rows"),
    (grouping_rules.checked, (RULES, 1, 3), "one a group: 3 groups, 2 sizes"),
    (grouping_rules.in_words, (grouping_rules.Rule("together", (0, 1)), ["Ana"], [], []), "no name for every student"),
    (membership_rules.parse_rule, ("when they can read",), "is not a rule; write it like"),
    (membership_rules.rule_holds, (EXIT, [[]]), "at least 1 results as columns"),
    (dosage.weeks_to_make_up, ([-1.0], [1.0]), "cannot be negative"),
    (events.run_reached, ([2.0], 3), "0 or 1"),
    (events.runs_at_end, ([1, 0], [1.0, 1.0], 2), "places must rise"),
    (events.record_of_last, ([np.nan],), "known"),
    (many.aim_lines, ([1.0], [1.0], [1.0], [1.0]), "students by results"),
    (many.next_steps, ([[1.0]] * 2, [[1.0]] * 2, many.aim_lines([[1.0]], [[1.0]], [1.0], [1.0])), "aim lines for 2"),
    (phases.phase_start, ([(date(2026, 1, 1), "stop")], date(2026, 1, 2)), "there is no decision"),
    (patterns.practice_patterns, (TWO,), "one student"),
    (patterns.accuracy_gaps, (LOG, [True, False], [0], 1), "an entry for each"),
    (practice.practice_log, ([0], [DAY], [1.0], [1.0], [2.0]), "more right than tried"),
    (practice.practice, (LOG, 0, practice.Period(DAY, DAY, DAY), None), "there are 0"),
    (practice.share_by, (np.array(["a"]), np.array([0]), [0.0]), "sum of minutes must be above 0"),
    (adaptive.chance_right, (INF, 0.0), "ability holds an infinite"),
    (adaptive.expected_ability, ([[2.0]], [0.0]), "right must be 0 or 1"),
    (adaptive.likeliest_ability, ([[1.0]], [np.nan]), "needs a difficulty"),
    (adaptive.most_informative, ([0.0], [0.0], [[True]]), "student 0 has no item left"),
    (adaptive.administer, ([0.0], 1, None, 2, 0.3), "from 1 to the 1 items"),
    (matched_comparison.standardised_difference, ([np.nan], [1.0]), "known values"),
    (matched_comparison.matched_comparison, ([1.0], [1.0], [True], ["a"], -1), "caliper"),
]
"""None as word: a function of checked objects or plain text that has nothing to refuse."""


def public_functions():
    for info in pkgutil.walk_packages(bodkin.core.__path__, "bodkin.core."):
        module = importlib.import_module(info.name)
        for name, thing in vars(module).items():
            if inspect.isfunction(thing) and thing.__module__ == module.__name__ and not name.startswith("_"):
                yield f"{info.name}.{name}", thing


class Refused(unittest.TestCase):
    def test_bad_values_are_refused_by_name(self):
        """Each function of the register, with a value it cannot take."""
        for function, arguments, word in REFUSED:
            with self.subTest(function=f"{function.__module__}.{function.__name__}"):
                if word is None:
                    function(*arguments)
                else:
                    with self.assertRaisesRegex(BadInput, word):
                        function(*arguments)

    def test_no_public_function_is_left_out(self):
        """A new function of the core fails here until it stands in the register."""
        known = {function for function, _, _ in REFUSED}
        missing = [name for name, function in public_functions() if function not in known]
        self.assertEqual(missing, [])

    def test_missing_is_missing(self):
        """The written policy: what each rule says of a student of whom the one thing it needs is not known."""
        nan = np.nan
        one = np.array([1.0, nan])
        known = practice.practice_log([0, 1], [DAY] * 2, one, [1.0, nan], [1.0, nan], passed=one, level=one)
        free = practice.PracticeGoals(*(np.array([100.0, 100.0]) for _ in range(4)))
        seen = practice.practice(known, 2, practice.Period(DAY, DAY, DAY), free)
        flags = items.item_flags([0, 1, 0], {0}, 2, [nan, 2.0, 1.0], 0.5)
        matched = matched_comparison.matched_comparison([0.0] * 3, [1.0, 1.0, 2.0], [nan, 1, 0], ["a"] * 3, 9)
        doubts = credibility.doubt([nan], [[nan, nan]], [500.0], [nan], [400.0], [9.0])
        policy = [
            # rule, what it says, what it must say
            ("points won", mastery.mastery_from_points([nan], [5.0]).states, ["no evidence"]),
            ("points possible", mastery.mastery_from_points([1.0], [nan]).states, ["no evidence"]),
            ("items", mastery.mastery_from_points([5.0], [5.0], items=[nan]).states, ["thin evidence"]),
            ("chance of mastery", np.isnan(mastery.mastery_chance([nan, 1], [5, nan])).tolist(), [True, True]),
            ("points missed", standards.priorities(GRAPH, {"a": nan}, []), []),
            ("target of two languages", credibility.language_or_skill(SITTINGS, [nan], [nan], [9.0]), [None]),
            ("cut of two dimensions", np.isnan(two_dimensions.two_dimensions([1.0], nan, [1.0], 1)).tolist(), [True]),
            ("minutes of practice", np.isnan(seen.minutes).tolist(), [False, True]),
            ("amount of practice", seen.reasons[1].count("amount low"), 0),
            ("accuracy of practice", np.isnan(seen.accuracy).tolist(), [False, True]),
            ("total in the top third", flags.top.tolist(), [0.0, 1.0]),
            ("membership", (matched.pairs.tolist(), matched.unmatched), ([[1, 2]], 0)),
            ("minutes of a test", (doubts.too_fast.tolist(), doubts.far_below.tolist()), ([False], [False])),
            ("strand", np.isnan(strands.strand_verdicts([[nan, 1.0]], 1.0)).tolist(), [[True, True]]),
            ("need", np.isnan(foci.need_distance([[nan, 3.0]], [[0.0, 0.0]])).tolist(), [[False]]),
            ("exit rule", np.isnan(membership_rules.rule_holds(EXIT, [[nan]])).tolist(), [True]),
            ("membership of a window", movement.movement([nan, 1.0], [1.0, nan], 2).n, 0),
            ("chance", outlook.count_range([nan, 1.0]), outlook.CountRange(1, 1.0, 1, 1, 1)),
            ("outcome", outlook.calibration([nan, 0.5], [1.0, nan]).n, 0),
            ("unit without students", np.isnan(units.compare_means([0], [nan], [nan], (3, 0.0, 1.0)).raw)[0], True),
            ("met", goals.growth_target([nan], 0.5).n, 0),
            ("gain", np.isnan(expected_growth.growth_seen([1.0], [nan], EXPECTED).met)[0], True),
            ("dosage", np.isnan(dosage.dosage([nan], [9.0], [1], [1]).minutes)[0], True),
            ("pair of tests", outcome_link.prediction_accuracy([nan, 1.0], [1.0, nan], 1.0).n, 0),
        ]
        for rule, says, must in policy:
            with self.subTest(rule=rule):
                self.assertEqual(says, must)

    def test_missing_values_never_become_numbers(self):
        """NaN in, NaN out, for every function that maps students one by one."""
        nan = [np.nan]
        for made in (
            scales.percentile_rank(nan, 500, 20),
            scales.stanine(nan, 500, 20),
            scales.normal_curve_equivalent(nan, 500, 20),
            scales.reliable_change(nan, [1.0], [1.0], [1.0]),
            expected_growth.expected_growth(nan, 500, 20, 510, 20).score,
            cuts.band_orders(nan, [1.0]),
            cuts.near_cut(nan, [1.0], [1.0]),
            local_rank.local_percentile(nan),
            band_chances.band_chances(nan, [1.0], [1.0])[0],
            two_dimensions.two_dimensions(nan, 1, [1.0], 1),
            goals.goal(nan, 510.0, 10, EXPECTED).points,
        ):
            self.assertTrue(np.isnan(made).all())
