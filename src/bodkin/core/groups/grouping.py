"""Groups proposed from needs: who goes best where while every rule is kept, and which rules clash if none can."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike
from ortools.sat.python import cp_model
from scipy.spatial.distance import cdist

from bodkin.core.arrays import FloatArray, IntArray, floats
from bodkin.core.errors import BadInput
from bodkin.core.groups.grouping_rules import Checked, GroupingRules, Rule, checked

EFFORT = 3.0
"""Solver's own measure of work, about a second each: unlike the clock it ends at the same place every time."""

GRAIN = 10_000
"""The solver counts in whole numbers: distances to this part of a spread."""

Why = Literal["nearest", "slot", "apart", "full", "together", "needed", "others"]


@dataclass(frozen=True, slots=True)
class Placement:
    """Where one student goes and why.

    ``distance``: from the need to the group's focus; ``second``: the next best group that the
    student could be in by time and company (None where there is none) with its distance.
    ``why``: "nearest": no focus is nearer. Otherwise the nearer group could not be had because of
    its slot, a student to be kept apart from, being full, a student to be kept together with,
    the own group needing its fewest, or because others gain more ("others").
    """

    group: int
    distance: float
    why: Why
    second: int | None
    second_distance: float | None


@dataclass(frozen=True, slots=True)
class Proposal:
    """Placements of all students; slot and adult of each group (None where times do not matter).

    ``total``: sum of distances; ``bound``: no grouping can be below it; ``proven``: there is none
    better. Without placements ``clash`` holds the smallest set of rules that cannot be kept
    together (``smallest`` says whether that is proven), or is empty where the work ended early.
    """

    placements: tuple[Placement, ...] = ()
    slots: tuple[int, ...] | None = None
    adults: tuple[int, ...] | None = None
    total: float | None = None
    bound: float | None = None
    proven: bool = False
    clash: tuple[Rule, ...] = ()
    smallest: bool = False


class _Model:
    """The constraint model: x[i][g] student i in group g, t[g][s] group g in slot s."""

    def __init__(self, students: int, groups: int, rules: Checked, kept: Sequence[Rule], soft: bool) -> None:
        self.model = model = cp_model.CpModel()
        self.x = [[model.new_bool_var(f"x{i},{g}") for g in range(groups)] for i in range(students)]
        self.t = [[model.new_bool_var(f"t{g},{s}") for s in range(rules.slots)] for g in range(groups)]
        self.held = {rule: model.new_bool_var(str(rule)) if soft else None for rule in rules.rules}
        for own in self.x:
            model.add_exactly_one(own)
        for rule in kept:
            for part in self._parts(rule, rules):
                literal = self.held[rule]
                if literal is not None:
                    part.only_enforce_if(literal)

    def _parts(self, rule: Rule, rules: Checked) -> list[cp_model.Constraint]:
        model, x, t = self.model, self.x, self.t
        groups = range(len(t))
        if rule.kind == "most":
            return [model.add(sum(own[g] for own in x) <= rule.bound) for g in rule.groups]
        if rule.kind == "fewest":
            return [model.add(sum(own[g] for own in x) >= rule.bound) for g in rule.groups]
        if rule.kind == "together":
            one, other = rule.students
            return [model.add(x[one][g] == x[other][g]) for g in groups]
        if rule.kind == "apart":
            one, other = rule.students
            return [model.add(x[one][g] + x[other][g] <= 1) for g in groups]
        if rule.kind == "adults":
            every = [model.add(sum(t[g]) == 1) for g in groups]
            return every + [model.add(sum(t[g][s] for g in groups) <= n) for s, n in enumerate(rules.free_adults)]
        (student,) = rule.students
        pairs = [(g, s) for g in groups for s in rule.slots if s < rules.slots]
        return [model.add(x[student][g] + t[g][s] <= 1) for g, s in pairs]


def _solver(effort: float, linear: int = 2) -> cp_model.CpSolver:
    solver = cp_model.CpSolver()
    # One worker, a fixed seed and a limit that no clock measures: the same input, the same groups.
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = effort
    # All rules are sums: told to the solver's linear side (2), too small groups are seen at once.
    solver.parameters.linearization_level = linear
    return solver


def _clash(students: int, groups: int, rules: Checked, effort: float) -> tuple[tuple[Rule, ...], bool]:
    """The smallest set of rules that cannot be kept together, and whether it is proven smallest.

    Sets of rules that must be given up one of are gathered; the smallest choice that hits all of
    them either clashes, and is the answer, or shows another such set.
    Source: Ignatiev, Previti, Liffiton & Marques-Silva (2015), Smallest MUS extraction with
    minimal hitting set dualization, CP 2015.
    """
    to_hit: list[list[Rule]] = []
    spent = 0.0
    while spent < effort:
        chosen = cp_model.CpModel()
        take = {rule: chosen.new_bool_var(str(rule)) for rule in rules.rules}
        for one_of in to_hit:
            chosen.add_bool_or([take[rule] for rule in one_of])
        chosen.minimize(sum(take.values()))
        picker, solver = _solver(effort), _solver(effort)
        picker.solve(chosen)
        wanted = [rule for rule in rules.rules if picker.boolean_value(take[rule])]
        if solver.solve(_Model(students, groups, rules, wanted, soft=False).model) == cp_model.INFEASIBLE:
            return tuple(wanted), True
        trial = _Model(students, groups, rules, rules.rules, soft=True)
        literals = {rule: literal for rule, literal in trial.held.items() if literal is not None}
        trial.model.add_bool_and([literals[rule] for rule in wanted])
        trial.model.maximize(sum(literals.values()))
        # With many rules that may be given up the linear side is slow, with few it is quick: try both.
        for linear in (1, 2):
            grower = _solver(effort / 10, linear)
            found = grower.solve(trial.model) in {cp_model.OPTIMAL, cp_model.FEASIBLE}
            spent += grower.response_proto.deterministic_time
            if found:
                break
        else:
            break
        to_hit.append([rule for rule in rules.rules if not grower.boolean_value(literals[rule])])
        spent += picker.response_proto.deterministic_time + solver.response_proto.deterministic_time
    return _irreducible(students, groups, rules, effort), False


def _irreducible(students: int, groups: int, rules: Checked, effort: float) -> tuple[Rule, ...]:
    """A set of clashing rules, each left out in turn where it can be spared, while the effort lasts."""
    kept, spent = list(rules.rules), 0.0
    for rule in rules.rules:
        if spent > effort:
            break
        fewer = [other for other in kept if other != rule]
        solver = _solver(effort / 10)
        if solver.solve(_Model(students, groups, rules, fewer, soft=False).model) == cp_model.INFEASIBLE:
            kept = fewer
        spent += solver.response_proto.deterministic_time
    return tuple(kept)


def _adults(slots: Sequence[int], rules: GroupingRules) -> tuple[int, ...]:
    """An adult for each group, each at most once a slot, as evenly loaded as a greedy choice makes it."""
    load = [0] * len(rules.adults or ())
    chosen = [-1] * len(slots)
    for slot in sorted(set(slots)):
        here = [group for group, own in enumerate(slots) if own == slot]
        free = [adult for adult, own in enumerate(rules.adults or ()) if slot in own]
        free.sort(key=lambda adult: (load[adult], adult))
        for group, adult in zip(here, free, strict=False):
            chosen[group] = adult
            load[adult] += 1
    return tuple(chosen)


def _why(
    student: int, place: IntArray, distance: FloatArray, rules: Checked, given: GroupingRules, slots: Sequence[int]
) -> Placement:
    own = int(place[student])
    apart = [b if a == student else a for a, b in given.apart if student in (a, b)]
    together = [b if a == student else a for a, b in given.together if student in (a, b)]
    order = [int(g) for g in np.argsort(distance[student], kind="stable")]
    nearest = order[0]

    def in_class(group: int) -> bool:
        return bool(slots) and slots[group] in rules.blocked[student]

    def has_apart(group: int) -> bool:
        return any(place[other] == group for other in apart)

    why: Why = "others"
    size = np.bincount(place, minlength=len(rules.most))
    if distance[student, own] <= distance[student, nearest]:
        why = "nearest"
    elif in_class(nearest):
        why = "slot"
    elif has_apart(nearest):
        why = "apart"
    elif together:
        why = "together"
    elif size[nearest] >= rules.most[nearest]:
        why = "full"
    elif size[own] <= rules.fewest[own]:
        why = "needed"
    second = next((g for g in order if g != own and not in_class(g) and not has_apart(g)), None)
    away = None if second is None else float(distance[student, second])
    return Placement(own, float(distance[student, own]), why, second, away)


def propose_groups(needs: ArrayLike, foci: ArrayLike, rules: GroupingRules, effort: float = EFFORT) -> Proposal:
    """The grouping with the least sum of distances from needs to foci that keeps every rule.

    ``needs``: shape (students, k), one row a student, in spreads; ``foci``: shape (groups, k).
    Distance is Euclidean. Every student gets one group; a group gets a slot in which an adult is
    free and none of its students must stay in class; an adult has one group a slot. Found and
    proven by a constraint solver (CP-SAT); ``effort`` limits its work in its own deterministic
    units, so the same input gives the same groups. Where the rules clash the result says which.
    Raises BadInput for a missing need, other shapes, no group, or a rule that cannot be.
    """
    table, focus = floats("needs", needs), floats("foci", foci)
    if table.ndim != 2 or focus.ndim != 2 or table.shape[1] != focus.shape[1]:
        raise BadInput(f"needs and foci must have the same measures as columns: {table.shape}, {focus.shape}")
    if not focus.shape[0] or not table.shape[0]:
        raise BadInput(f"there must be students and groups: {table.shape[0]} students, {focus.shape[0]} groups")
    missing = np.flatnonzero(np.isnan(table).any(axis=1))
    if missing.size or np.isnan(focus).any():
        raise BadInput(f"every need and focus must be known; student {missing[0] if missing.size else 'focus'} is not")
    if effort <= 0:
        raise BadInput(f"effort must be above 0, got {effort:g}")
    students, groups = table.shape[0], focus.shape[0]
    spelled = checked(rules, students, groups)
    distance = cdist(table, focus)
    cost = np.rint(distance * GRAIN).astype(np.int64)
    main = _Model(students, groups, spelled, spelled.rules, soft=False)
    terms = [int(cost[i, g]) * main.x[i][g] for i in range(students) for g in range(groups)]
    main.model.minimize(sum(terms))
    solver = _solver(effort)
    status = solver.solve(main.model)
    if status == cp_model.INFEASIBLE:
        clash, smallest = _clash(students, groups, spelled, effort)
        return Proposal(clash=clash, smallest=smallest)
    if status not in {cp_model.OPTIMAL, cp_model.FEASIBLE}:
        return Proposal()
    place = np.array([next(g for g in range(groups) if solver.boolean_value(own[g])) for own in main.x])
    slots: tuple[int, ...] = ()
    if rules.adults is not None:
        slots = tuple(next(s for s, held in enumerate(own) if solver.boolean_value(held)) for own in main.t)
    proven = status == cp_model.OPTIMAL
    total = float(distance[np.arange(students), place].sum())
    return Proposal(
        tuple(_why(i, place, distance, spelled, rules, slots) for i in range(students)),
        slots or None,
        _adults(slots, rules) if slots else None,
        total,
        total if proven else min(total, solver.best_objective_bound / GRAIN),
        proven,
    )


def foci_from_needs(needs: ArrayLike, groups: int, rounds: int = 50) -> FloatArray:
    """Focus of each of so many groups, shape (groups, k): the means that the needs gather around.

    Starts from the need nearest the mean and goes on with the need furthest from all chosen, then
    Lloyd's rounds; no chance is involved. Raises BadInput for a missing need, or more groups than
    different needs. Source: Lloyd (1982), IEEE Trans. Inf. Theory 28, 129-137; start of
    Gonzalez (1985), Theoretical Computer Science 38, 293-306.
    """
    table = floats("needs", needs)
    if table.ndim != 2 or np.isnan(table).any():
        raise BadInput("needs must be known, with students as rows and measures as columns")
    different = np.unique(table, axis=0).shape[0]
    if not 1 <= groups <= different:
        raise BadInput(f"{groups} groups cannot be found among {different} different needs")
    chosen = [int(np.argmin(cdist(table, [table.mean(axis=0)])[:, 0]))]
    while len(chosen) < groups:
        chosen.append(int(np.argmax(cdist(table, table[chosen]).min(axis=1))))
    focus = table[chosen]
    for _ in range(rounds):
        nearest = np.argmin(cdist(table, focus), axis=1)
        # A focus that has lost everybody stays where it is.
        moved = np.array(
            [table[nearest == g].mean(axis=0) if (nearest == g).any() else focus[g] for g in range(groups)]
        )
        if np.array_equal(moved, focus):
            break
        focus = moved
    return focus
