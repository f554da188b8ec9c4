"""Proposed groups against full enumeration; every rule kept; clashes named by their smallest set."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linear_sum_assignment
from scipy.spatial.distance import cdist

from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import foci_from_needs, need_distance
from bodkin.core.groups.grouping import propose_groups
from bodkin.core.groups.grouping_rules import GroupingRules, Rule, checked, in_words
from bodkin.core.groups.placement import check_move
from tests.support.extent import extent


def slot_choices(groups, rules):
    """Every way to give groups slots in which enough adults are free; one empty way without adults."""
    if rules.adults is None:
        return [()]
    slots = sorted(set().union(*rules.adults)) if rules.adults else []
    ways = itertools.product(slots, repeat=groups)
    return [way for way in ways if all(way.count(s) <= sum(s in own for own in rules.adults) for s in set(way))]


def keeps(place, slots, rules, sizes=True):
    """Whether one grouping keeps every rule, told without the solver."""
    groups = len(rules.fewest)
    if sizes:
        for g in range(groups):
            if not rules.fewest[g] <= list(place).count(g) <= rules.most[g]:
                return False
    if any(place[a] != place[b] for a, b in rules.together) or any(place[a] == place[b] for a, b in rules.apart):
        return False
    if not slots:
        return True
    return all(slots[g] not in rules.blocked[i] for i, g in enumerate(place))


def best_by_enumeration(distance, rules):
    """Least sum of distances over every grouping and every choice of slots; None where none keeps the rules."""
    students, groups = distance.shape
    ways = slot_choices(groups, rules)
    sums = (
        sum(distance[i, g] for i, g in enumerate(place))
        for place in itertools.product(range(groups), repeat=students)
        for slots in ways
        if keeps(place, slots, rules)
    )
    return min(sums, default=None)


@st.composite
def small_cases(draw):
    students, groups = draw(st.integers(2, 5)), draw(st.integers(1, 3))
    seed = draw(st.integers(0, 10_000))
    pair = st.tuples(st.integers(0, students - 1), st.integers(0, students - 1)).filter(lambda p: p[0] != p[1])
    fewest = draw(st.lists(st.integers(0, 2), min_size=groups, max_size=groups))
    most = [low + draw(st.integers(0, 3)) for low in fewest]
    some = st.sets(st.integers(0, 2), max_size=2)
    adults = draw(st.one_of(st.none(), st.lists(some, min_size=1, max_size=3)))
    blocked = draw(st.lists(some, min_size=students, max_size=students))
    rng = np.random.default_rng(seed)
    rules = GroupingRules(
        fewest, most, draw(st.lists(pair, max_size=2)), draw(st.lists(pair, max_size=2)), adults, blocked
    )
    return rng.normal(size=(students, 2)), rng.normal(size=(groups, 2)), rules


class AgainstEnumeration(unittest.TestCase):
    @settings(max_examples=extent(25, 60))
    @given(small_cases())
    def test_best_of_all_and_every_rule_kept(self, case):
        """Reference: every grouping there is, looked at one by one; a clash only where none keeps the rules."""
        needs, foci, rules = case
        answer = propose_groups(needs, foci, rules)
        best = best_by_enumeration(cdist(needs, foci), rules)
        if best is None:
            self.assertEqual(answer.placements, ())
            self.assertTrue(answer.clash and answer.smallest)
            return
        self.assertTrue(answer.proven)
        self.assertAlmostEqual(answer.total, best, delta=len(needs) * 1e-4)
        self.assertTrue(keeps([one.group for one in answer.placements], answer.slots, rules))
        if answer.slots:
            taught = list(zip(answer.slots, answer.adults, strict=True))
            self.assertEqual(len(set(taught)), len(taught))
            self.assertTrue(all(slot in rules.adults[adult] for slot, adult in taught))

    def test_without_rules_on_company_it_is_an_assignment(self):
        """Reference: scipy.optimize.linear_sum_assignment with a column for each place of a group."""
        rng = np.random.default_rng(5)
        needs, foci = rng.normal(size=(40, 3)), rng.normal(size=(5, 3))
        answer = propose_groups(needs, foci, GroupingRules(0, 8))
        places = np.repeat(cdist(needs, foci), 8, axis=1)
        self.assertAlmostEqual(answer.total, places[linear_sum_assignment(places)].sum(), delta=0.004)


class Clashes(unittest.TestCase):
    def smallest(self, students, groups, rules):
        """The least number of rules that no grouping keeps together, by trying every set of them."""
        spelled = checked(rules, students, groups)
        places = list(itertools.product(range(groups), repeat=students))
        ways = list(itertools.product([None, *range(spelled.slots)], repeat=groups))

        def kept(rule, place, slots):
            if rule.kind in {"most", "fewest"}:
                sizes = [place.count(g) for g in rule.groups]
                return all(size <= rule.bound if rule.kind == "most" else size >= rule.bound for size in sizes)
            if rule.kind in {"together", "apart"}:
                one, other = rule.students
                return (place[one] == place[other]) == (rule.kind == "together")
            if rule.kind == "adults":
                return None not in slots and all(slots.count(s) <= spelled.free_adults[s] for s in set(slots))
            return slots[place[rule.students[0]]] not in rule.slots

        for size in range(1, len(spelled.rules) + 1):
            for some in itertools.combinations(spelled.rules, size):
                if not any(all(kept(rule, p, w) for rule in some) for p in places for w in ways):
                    return size
        return None

    def test_the_smallest_set_by_trying_all(self):
        """Five students, two groups, rules that clash in several ways of different size."""
        cases = [
            GroupingRules(0, 5, [(0, 1), (1, 2), (2, 3)], [(0, 3), (3, 4)]),
            GroupingRules(2, 2, [(0, 1)], [(0, 1)]),
            GroupingRules(3, 4, [], [(0, 1), (1, 2), (0, 2)]),
            GroupingRules(1, 4, [], [], [{0}], [[]] * 5),
        ]
        for rules in cases:
            with self.subTest(rules=rules):
                answer = propose_groups(np.zeros((5, 1)), [[0.0], [1.0]], rules)
                self.assertTrue(answer.smallest)
                self.assertEqual(len(answer.clash), self.smallest(5, 2, rules))

    def test_who_is_never_free_clashes_alone(self):
        """A student who must stay in class in every slot of every adult: no other rule need be named."""
        rules = GroupingRules(1, 4, [], [], [{0, 1}, {0}], [[0, 1, 2], [], [], [], []])
        answer = propose_groups(np.zeros((5, 1)), [[0.0], [1.0]], rules)
        self.assertEqual(answer.clash, (Rule("slots", (0,), slots=(0, 1, 2)),))
        self.assertTrue(answer.smallest)

    def test_own_sizes_are_rules_of_their_own(self):
        """Groups with a size of their own each have a rule; the others share one for each size."""
        found = checked(GroupingRules([1, 2, 1], [4, 3, 4], own_sizes=[1]), 5, 3).rules
        self.assertEqual(found, [
            Rule("most", groups=(0, 2), bound=4), Rule("most", groups=(1,), bound=3),
            Rule("fewest", groups=(0, 2), bound=1), Rule("fewest", groups=(1,), bound=2),
        ])  # fmt: skip

    def test_in_words(self):
        """Names in place of positions; a rule on every group says so."""
        rules = GroupingRules(1, 2, [(1, 0)], [(0, 1)])
        answer = propose_groups(np.zeros((3, 1)), [[0.0], [1.0]], rules)
        words = {in_words(rule, ["Ana", "Bo", "Cy"], ["red", "blue"], []) for rule in answer.clash}
        self.assertEqual(words, {"Ana and Bo together", "Ana and Bo apart"})
        self.assertEqual(
            [
                in_words(rule, ["Ana"], ["red", "blue"], ["Mon 9", "Tue 9"])
                for rule in (
                    Rule("most", groups=(0, 1), bound=4),
                    Rule("fewest", groups=(1,), bound=2),
                    Rule("adults"),
                    Rule("slots", (0,), slots=(0, 1)),
                )
            ],
            [
                "at most 4 students in every group",
                "at least 2 students in blue",
                "each group needs an adult who is free in its slot",
                "Ana stays in class in Mon 9, Tue 9",
            ],
        )

    def test_too_many_students_is_seen_at_once(self):
        """90 students, 12 groups of 7: the size alone clashes, and nothing else is named."""
        needs = np.random.default_rng(0).normal(size=(90, 3))
        answer = propose_groups(needs, foci_from_needs(needs, 12), GroupingRules(5, 7, apart=[(0, 1)]))
        self.assertEqual(answer.clash, (Rule("most", groups=tuple(range(12)), bound=7),))
        self.assertTrue(answer.smallest)


class Reasons(unittest.TestCase):
    foci = ((0.0,), (10.0,), (30.0,))

    def why(self, needs, rules):
        answer = propose_groups(np.array(needs)[:, np.newaxis], self.foci, rules)
        return [(one.group, one.why, one.second) for one in answer.placements]

    def test_each_reason(self):
        """One small case a reason; the second best is the next focus that could be had."""
        self.assertEqual(self.why([1.0], GroupingRules(0, 3)), [(0, "nearest", 1)])
        self.assertEqual(self.why([0.0, 1.0], GroupingRules(0, 1))[1], (1, "full", 0))
        self.assertEqual(
            self.why([0.0, 1.0], GroupingRules(0, 2, apart=[(1, 0)])), [(0, "nearest", 2), (1, "apart", 2)]
        )
        self.assertEqual(self.why([0.0, 6.0], GroupingRules(0, 2, together=[(1, 0)]))[1], (0, "together", 1))
        # A pair for which there is no room is kept out by the room, not by one another.
        full = self.why([0.0, 0.0, 4.0, 4.0], GroupingRules(0, 3, together=[(0, 1), (2, 3)]))
        self.assertEqual(full[2:], [(1, "full", 0), (1, "full", 0)])
        self.assertEqual(self.why([0.0, 1.0, 2.0], GroupingRules([0, 1, 0], 3))[2], (1, "needed", 0))
        slots = GroupingRules(0, 2, adults=[{0}, {1}, {2}], blocked=[[0, 1], [2]])
        answer = propose_groups([[0.0], [29.0]], self.foci, slots)
        self.assertEqual([one.group for one in answer.placements], [0, 2])
        self.assertEqual(answer.slots[0], 2)
        tight = GroupingRules([1, 0, 0], [1, 3, 0], adults=[{0}, {0}, {0}], blocked=[[0], []])
        self.assertEqual(propose_groups([[0.0], [0.0]], self.foci, tight).placements, ())

    def test_a_slot_of_the_nearest_group(self):
        """Two adults free at one time each: the group that suits meets while the student must stay in class."""
        rules = GroupingRules([2, 0], 2, adults=[{0}, {1}], blocked=[[0], [0], [1]])
        answer = propose_groups([[0.0], [0.0], [1.0]], [[0.0], [10.0]], rules)
        self.assertEqual([(one.group, one.why, one.second) for one in answer.placements][2], (1, "slot", None))
        self.assertEqual((answer.slots, answer.adults), ((1, 0), (1, 0)))

    def test_distances_are_told(self):
        """Own and second best focus, in the needs' own unit."""
        answer = propose_groups([[4.0]], self.foci, GroupingRules(0, 3)).placements[0]
        self.assertEqual((answer.distance, answer.second_distance), (4.0, 6.0))


class Large(unittest.TestCase):
    def case(self):
        rng = np.random.default_rng(7)
        needs = rng.normal(size=(90, 5))
        adults = [set(rng.choice(10, 4, replace=False).tolist()) for _ in range(6)]
        blocked = [set(rng.choice(10, rng.integers(0, 5), replace=False).tolist()) for _ in range(90)]
        together, apart = [(0, 1), (2, 3), (10, 20)], [(4, 5), (6, 7), (8, 9), (30, 31)]
        return needs, foci_from_needs(needs, 12), GroupingRules(5, 9, together, apart, adults, blocked)

    def test_ninety_students_are_solved_and_alike_twice(self):
        """12 groups, 6 adults, 10 slots: proven or bounded, every rule kept, the same groups again."""
        needs, foci, rules = self.case()
        answer, again = propose_groups(needs, foci, rules), propose_groups(needs, foci, rules)
        self.assertEqual(answer, again)
        self.assertLessEqual(answer.bound, answer.total)
        self.assertGreater(answer.bound, 0.95 * answer.total)
        place = [one.group for one in answer.placements]
        self.assertTrue(all(5 <= place.count(g) <= 9 for g in range(12)))
        whole = GroupingRules([5] * 12, [9] * 12, rules.together, rules.apart, rules.adults, rules.blocked)
        self.assertTrue(keeps(place, answer.slots, whole))
        self.assertEqual(len(set(zip(answer.slots, answer.adults, strict=True))), 12)

    def test_little_effort_ends_with_a_bound_or_nothing(self):
        """The work is cut off early: what is there keeps the rules, and nothing is called proven."""
        needs, foci, rules = self.case()
        answer = propose_groups(needs, foci, rules, effort=0.02)
        self.assertFalse(answer.proven)
        self.assertEqual(answer.clash, ())


class Foci(unittest.TestCase):
    def test_three_clouds_are_found(self):
        """Known centres come back as the means of their own clouds, the same every time."""
        rng = np.random.default_rng(2)
        centres = np.array([[0.0, 0], [8, 0], [0, 8]])
        needs = np.vstack([centre + rng.normal(size=(20, 2)) for centre in centres])
        answer = foci_from_needs(needs, 3)
        means = np.array([needs[:20].mean(axis=0), needs[20:40].mean(axis=0), needs[40:].mean(axis=0)])
        np.testing.assert_allclose(answer[np.argmin(cdist(means, answer), axis=1)], means)
        np.testing.assert_array_equal(answer, foci_from_needs(needs, 3))

    def test_as_many_groups_as_needs(self):
        """Each need its own focus; one more is refused."""
        needs = [[0.0], [1.0], [1.0]]
        self.assertEqual(sorted(foci_from_needs(needs, 2)[:, 0]), [0, 1])
        with self.assertRaisesRegex(BadInput, "3 groups cannot be found among 2 different needs"):
            foci_from_needs(needs, 3)


class Refused(unittest.TestCase):
    def test_rules_that_cannot_be(self):
        """Each names what is wrong."""
        cases = [
            (GroupingRules(3, 2), "group 0 should hold at least 3 and at most 2"),
            (GroupingRules([1], 2), "fewest must be one size or one a group"),
            (GroupingRules(1, 2.5), "most must be a whole number of students, got 2.5"),
            (GroupingRules(1, 2, together=[(0, 0)]), "together must name two students from 0 to 2"),
            (GroupingRules(1, 2, apart=[(0, 3)]), "apart must name two students"),
            (GroupingRules(1, 2, adults=[{-1}]), "adults must hold slots numbered from 0"),
            (GroupingRules(1, 2, blocked=[[0]]), "3 students, 1 entries"),
        ]
        for rules, words in cases:
            with self.subTest(rules=rules), self.assertRaisesRegex(BadInput, words):
                propose_groups(np.zeros((3, 1)), np.zeros((2, 1)), rules)

    def test_needs_that_cannot_be(self):
        """A missing need is named by its student."""
        rules = GroupingRules(0, 5)
        for needs, foci, words in (
            ([[1.0], [np.nan]], [[0.0]], "student 1 has no measure"),
            ([[1.0]], [[np.nan]], "every focus must be known"),
            ([[1.0]], [[0.0, 1.0]], "same measures"),
            (np.zeros((0, 1)), [[0.0]], "0 students, 1 groups"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                propose_groups(needs, foci, rules)
        with self.assertRaisesRegex(BadInput, "effort"):
            propose_groups([[1.0]], [[0.0]], rules, effort=0)


class TooManyApart(unittest.TestCase):
    def test_thirteen_that_cannot_all_be_apart_are_said_in_one_sentence(self):
        """78 pairs in 12 groups clash at once, as one rule; twelve of them fit."""
        pairs = list(itertools.combinations(range(13), 2))
        needs = np.random.default_rng(3).normal(size=(40, 2))
        answer = propose_groups(needs, needs[:12], GroupingRules(0, 9, apart=pairs))
        self.assertEqual(answer.clash, (Rule("apart", students=tuple(range(13)), bound=12),))
        names = [f"s{at}" for at in range(40)]
        words = in_words(answer.clash[0], names, [str(g) for g in range(12)], [])
        self.assertTrue(words.startswith("these 13 cannot all be apart in 12 groups: s0, s1"))
        fits = propose_groups(needs, needs[:12], GroupingRules(0, 9, apart=list(itertools.combinations(range(12), 2))))
        self.assertEqual(fits.clash, ())

    def test_a_hard_clash_ends_with_the_budget(self):
        """A hundred random pairs apart and fifty together: rules that clash are told, the same ones twice."""
        rng = np.random.default_rng(0)
        needs = rng.normal(size=(60, 3))
        pairs = [tuple(int(one) for one in rng.choice(60, 2, replace=False)) for _ in range(150)]
        rules = GroupingRules(10, 20, apart=pairs[:100], together=pairs[100:])
        answer = propose_groups(needs, needs[:3], rules, effort=0.4)
        self.assertTrue(0 < len(answer.clash) < 150)
        again = propose_groups(needs, needs[:3], rules, effort=0.4)
        self.assertEqual(answer.clash, again.clash)


class Loads(unittest.TestCase):
    def test_an_adult_carries_no_more_a_week_and_in_a_row_than_allowed(self):
        """Four groups, one adult with five slots and one with two; every plan of the solver keeps both limits."""
        needs = np.random.default_rng(1).normal(size=(24, 2))
        free = [{0, 1, 2, 3, 4}, {0, 1}]
        answer = propose_groups(needs, needs[:4], GroupingRules(0, 20, adults=free, week=3, in_a_row=1))
        led = list(zip(answer.adults, answer.slots, strict=True))
        self.assertEqual(len(set(led)), 4)
        for adult, own in enumerate(free):
            slots = sorted(slot for who, slot in led if who == adult)
            self.assertLessEqual(len(slots), 3)
            self.assertLessEqual(set(slots), own)
            self.assertTrue(all(later - earlier > 1 for earlier, later in itertools.pairwise(slots)))
        none = propose_groups(needs, needs[:4], GroupingRules(0, 20, adults=[{0, 1, 2, 3}], week=3))
        self.assertEqual([rule.kind for rule in none.clash], ["adults"])
        with self.assertRaisesRegex(BadInput, "in_a_row"):
            propose_groups(needs, needs[:4], GroupingRules(0, 20, adults=free, in_a_row=0))


class Missing(unittest.TestCase):
    def test_a_missing_measure_is_left_out_and_the_others_count_for_it(self):
        """sqrt(measures / known): one of four missing, the distance over three grows by sqrt(4/3)."""
        found = need_distance([[1.0, 2.0, np.nan, 0.0]], [[0.0, 0.0, 7.0, 0.0]])
        self.assertAlmostEqual(found[0, 0], np.sqrt(5 * 4 / 3))
        rng = np.random.default_rng(9)
        needs, foci = rng.normal(size=(12, 3)), rng.normal(size=(3, 3))
        np.testing.assert_allclose(need_distance(needs, foci), cdist(needs, foci))

    def test_foci_under_sizes_serve_no_outlier(self):
        """One student far from all gets a focus alone without sizes, and never with at least four a group."""
        rng = np.random.default_rng(2)
        needs = np.vstack([rng.normal(size=(30, 2)), [[12.0, 12.0]]])
        needs[3, 1] = np.nan
        alone = np.bincount(need_distance(needs, foci_from_needs(needs, 3)).argmin(axis=1), minlength=3)
        self.assertEqual(alone.min(), 1)
        sized = foci_from_needs(needs, 3, fewest=4, most=20)
        self.assertGreater(np.linalg.norm(sized - [12, 12], axis=1).min(), 5)
        self.assertEqual(len(propose_groups(needs, sized, GroupingRules(4, 20)).placements), 31)
        for fewest, most in ((11, None), (0, 10), (5, 4)):
            with self.assertRaisesRegex(BadInput, "31 students cannot be in 3 groups"):
                foci_from_needs(needs, 3, fewest=fewest, most=most)


class ByHand(unittest.TestCase):
    needs, foci = ((0.0,), (1.0,), (9.0,), (10.0,)), ((0.0,), (10.0,))

    def test_a_move_says_what_it_breaks_and_costs(self):
        """Too many, too few, apart, in class; who is kept together moves along; a gain is below zero."""
        rules = GroupingRules(1, 3, apart=[(0, 3)], together=[(1, 2)], adults=[{0}, {1}], blocked=[[1], [], [], []])
        move = check_move(self.needs, self.foci, [0, 0, 0, 1], 1, 1, rules, slots=(0, 1))
        self.assertEqual((move.students, move.broken, move.cost), ((1, 2), (), 8.0 + 1.0 - 9.0 + 0.0 - 0.0))
        kinds = [rule.kind for rule in check_move(self.needs, self.foci, [0, 0, 0, 1], 0, 1, rules, (0, 1)).broken]
        self.assertEqual(kinds, ["apart", "slots"])
        kinds = [rule.kind for rule in check_move(self.needs, self.foci, [0, 0, 0, 1], 3, 0, rules, (0, 1)).broken]
        self.assertEqual(kinds, ["most", "fewest", "apart"])
        back = check_move(self.needs, self.foci, [1, 0, 0, 1], 0, 0, GroupingRules(0, 4))
        self.assertEqual(back.cost, -10.0)
        with self.assertRaisesRegex(BadInput, "one of 2 groups"):
            check_move(self.needs, self.foci, [0, 0, 0, 2], 0, 1, rules)

    def test_what_was_broken_before_is_not_the_move_s_fault(self):
        """A group too large stays so when somebody moves between two others."""
        rules = GroupingRules(0, [1, 4, 4])
        foci = ((0.0,), (5.0,), (10.0,))
        self.assertEqual(check_move(self.needs, foci, [0, 0, 1, 2], 2, 2, rules).broken, ())

    def test_second_places_respect_those_kept_together(self):
        """The partner must stay in class when the nearer other group meets: the next one is told."""
        foci = ((0.0,), (4.0,), (9.0,))
        rules = GroupingRules(0, 4, together=[(0, 1)], adults=[{0}, {1}, {2}], blocked=[[], [1]])
        answer = propose_groups([[0.0], [0.0]], foci, rules)
        own = answer.slots.index(1)
        self.assertNotIn(own, {answer.placements[0].group, answer.placements[0].second})
