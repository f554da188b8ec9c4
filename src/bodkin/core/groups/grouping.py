"""Groups proposed from needs: who goes best where while every rule is kept, and which rules clash if none can."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from ortools.sat.python import cp_model

from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import need_distance
from bodkin.core.groups.grouping_rules import (
    Checked,
    GroupingRules,
    Rule,
    always_in_class,
    checked,
    too_many_apart,
)
from bodkin.core.groups.placement import Placement, why_there

EFFORT = 3.0
"""Solver's own measure of work, about a second each: unlike the clock it ends at the same place every time."""

BUILDING = 0.01
"""What building a model of the rules costs, in the same measure."""

CLASH_PART = 0.8
"""Part of the effort that the search for clashing rules may take, after the search that found none."""

GRAIN = 10_000
"""The solver counts in whole numbers: distances to this part of a spread."""


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
        self.lead: dict[tuple[int, int, int], cp_model.IntVar] = {}
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
            if rules.loads:
                return every + self._led(rules)
            return every + [model.add(sum(t[g][s] for g in groups) <= n) for s, n in enumerate(rules.free_adults)]
        (student,) = rule.students
        pairs = [(g, s) for g in groups for s in rule.slots if s < rules.slots]
        return [model.add(x[student][g] + t[g][s] <= 1) for g, s in pairs]

    def _led(self, rules: Checked) -> list[cp_model.Constraint]:
        """Who leads each group: one adult, once a slot, no more a week and in a row than the adult carries."""
        model, groups = self.model, range(len(self.t))
        lead = self.lead = {
            (g, a, s): model.new_bool_var(f"a{g},{a},{s}")
            for g in groups for a, own in enumerate(rules.adults) for s in sorted(own)
        }  # fmt: skip
        parts = [
            model.add(sum(lead[g, a, s] for a, own in enumerate(rules.adults) if s in own) == self.t[g][s])
            for g in groups for s in range(rules.slots)
        ]  # fmt: skip
        for a, own in enumerate(rules.adults):
            busy = {s: sum(lead[g, a, s] for g in groups) for s in sorted(own)}
            parts += [model.add(one <= 1) for one in busy.values()]
            if rules.week is not None:
                parts.append(model.add(sum(busy.values()) <= rules.week[a]))
            if rules.in_a_row is not None:
                spans = (range(s, s + rules.in_a_row + 1) for s in range(rules.slots - rules.in_a_row))
                parts += [
                    model.add(sum(busy[s] for s in span) <= rules.in_a_row)
                    for span in spans if all(s in busy for s in span)
                ]  # fmt: skip
        return parts


def _solver(effort: float, linear: int = 2) -> cp_model.CpSolver:
    solver = cp_model.CpSolver()
    # One worker, a fixed seed and a limit that no clock measures: the same input, the same groups.
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = effort
    # All rules are sums: told to the solver's linear side (2), too small groups are seen at once.
    solver.parameters.linearization_level = linear
    return solver


class _Budget:
    """One stock of work that all searches of a clash share, in the solver's deterministic units."""

    def __init__(self, effort: float) -> None:
        self.left = effort

    def solve(self, model: cp_model.CpModel, most: float, linear: int = 2) -> tuple[cp_model.CpSolver, object]:
        """The solver after its work, and what it found; no more than ``most`` and what is left."""
        solver = _solver(max(1e-3, min(most, self.left)), linear)
        status = solver.solve(model)
        # Building a model costs too; without that many small ones would seem free.
        self.left -= solver.response_proto.deterministic_time + BUILDING
        return solver, status


def _clash(students: int, groups: int, rules: Checked, effort: float) -> tuple[tuple[Rule, ...], bool]:
    """The smallest set of rules that cannot be kept together, and whether it is proven smallest.

    Sets of rules that must be given up one of are gathered; the smallest choice that hits all of
    them either clashes, and is the answer, or shows another such set. Half of the effort goes here, the
    rest to a set from which no rule can be spared.
    Source: Ignatiev, Previti, Liffiton & Marques-Silva (2015), Smallest MUS extraction with
    minimal hitting set dualization, CP 2015.
    """
    to_hit: list[list[Rule]] = []
    budget = _Budget(effort)
    while budget.left > effort / 2:
        chosen = cp_model.CpModel()
        take = {rule: chosen.new_bool_var(str(rule)) for rule in rules.rules}
        for one_of in to_hit:
            chosen.add_bool_or([take[rule] for rule in one_of])
        chosen.minimize(sum(take.values()))
        picker, picked = budget.solve(chosen, effort / 4)
        if picked != cp_model.OPTIMAL:
            break
        wanted = [rule for rule in rules.rules if picker.boolean_value(take[rule])]
        _, status = budget.solve(_Model(students, groups, rules, wanted, soft=False).model, effort / 4)
        if status == cp_model.INFEASIBLE:
            return tuple(wanted), True
        trial = _Model(students, groups, rules, rules.rules, soft=True)
        literals = {rule: literal for rule, literal in trial.held.items() if literal is not None}
        trial.model.add_bool_and([literals[rule] for rule in wanted])
        trial.model.maximize(sum(literals.values()))
        # With many rules that may be given up the linear side is slow, with few it is quick: try both.
        for linear in (1, 2):
            grower, grown = budget.solve(trial.model, effort / 10, linear)
            if grown in {cp_model.OPTIMAL, cp_model.FEASIBLE}:
                break
        else:
            break
        to_hit.append([rule for rule in rules.rules if not grower.boolean_value(literals[rule])])
    return _irreducible(students, groups, rules, budget), False


def _irreducible(students: int, groups: int, rules: Checked, budget: _Budget) -> tuple[Rule, ...]:
    """A set of clashing rules, left out by halves, quarters and at last one by one where they can be spared."""
    kept = list(rules.rules)
    size = max(1, len(kept) // 2)
    while budget.left > 0:
        at = 0
        while at < len(kept) and budget.left > 0:
            fewer = kept[:at] + kept[at + size :]
            _, status = budget.solve(_Model(students, groups, rules, fewer, soft=False).model, budget.left / 4)
            if status == cp_model.INFEASIBLE:
                kept = fewer
            else:
                at += size
        if size == 1:
            break
        size = max(1, size // 2)
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


Value = Callable[[cp_model.IntVar], bool]
"""What a solution says of a variable."""


@dataclass(frozen=True, slots=True)
class _Task:
    """A search under way: the model, the distances and the rules that it goes by."""

    main: _Model
    distance: FloatArray
    rules: GroupingRules
    spelled: Checked

    def proposal(self, value: Value, bound: float, *, proven: bool) -> Proposal:
        """A solution of the model as groups, with the reason of each student."""
        students, groups = self.distance.shape
        place = np.array([next(g for g in range(groups) if value(own[g])) for own in self.main.x])
        slots: tuple[int, ...] = ()
        if self.rules.adults is not None:
            slots = tuple(next(s for s, held in enumerate(own) if value(held)) for own in self.main.t)
        total = float(self.distance[np.arange(students), place].sum())
        return Proposal(
            tuple(why_there(i, place, self.distance, self.spelled, slots) for i in range(students)),
            slots or None,
            self._adults(value, slots) if slots else None,
            total,
            total if proven else min(total, bound / GRAIN),
            proven,
        )

    def _adults(self, value: Value, slots: Sequence[int]) -> tuple[int, ...]:
        """The adult of each group: as the solver has it where loads are limited, else evenly."""
        if not self.spelled.loads:
            return _adults(slots, self.rules)
        led = {g: a for (g, a, _), held in self.main.lead.items() if value(held)}
        return tuple(led[g] for g in range(len(slots)))


class Search:
    """A search that somebody follows and may stop; ``better`` is given each better grouping as it is found.

    ``stop`` may be called from another thread. A search that is stopped gives the best grouping that it has.
    """

    def __init__(self, better: Callable[[Proposal], None] | None = None) -> None:
        self._better = better
        self._solver: cp_model.CpSolver | None = None
        self.stopped = False

    def stop(self) -> None:
        """End the search with the best so far."""
        self.stopped = True
        if self._solver is not None:
            self._solver.stop_search()

    def solve(self, task: _Task, effort: float) -> tuple[cp_model.CpSolver, object]:
        """The solver after its work on a task, and what it found."""
        self._solver = solver = _solver(effort)
        return solver, solver.solve(task.main.model, _Followed(task, self, self._better))


class _Followed(cp_model.CpSolverSolutionCallback):
    """Hands each better solution on as groups."""

    def __init__(self, task: _Task, search: Search, better: Callable[[Proposal], None] | None) -> None:
        super().__init__()
        self._task, self._search, self._better = task, search, better

    def on_solution_callback(self) -> None:
        """A better solution was found."""
        if self._better is not None:
            self._better(self._task.proposal(self.boolean_value, self.best_objective_bound, proven=False))
        if self._search.stopped:
            self.stop_search()


def propose_groups(
    needs: ArrayLike, foci: ArrayLike, rules: GroupingRules, effort: float = EFFORT, search: Search | None = None
) -> Proposal:
    """The grouping with the least sum of distances from needs to foci that keeps every rule.

    ``needs``: shape (students, k), one row a student, in spreads; ``foci``: shape (groups, k).
    Distance as :func:`need_distance`: a missing measure is left out.
    Every student gets one group; a group gets a slot in which an adult is
    free and none of its students must stay in class; an adult has one group a slot. Found and
    proven by a constraint solver (CP-SAT); ``effort`` limits its work in its own deterministic
    units, so the same input gives the same groups unless ``search`` is stopped. Where the rules
    clash the result says which.
    Raises BadInput for a student without any need, other shapes, no group, or a rule that cannot be.
    """
    distance = need_distance(needs, foci)
    if effort <= 0:
        raise BadInput(f"effort must be above 0, got {effort:g}")
    students, groups = distance.shape
    spelled = checked(rules, students, groups)
    if (crowd := too_many_apart(spelled, groups)) is not None:
        return Proposal(clash=(crowd,), smallest=True)
    if (kept := always_in_class(spelled)) is not None:
        return Proposal(clash=(kept,), smallest=True)
    cost = np.rint(distance * GRAIN).astype(np.int64)
    task = _Task(_Model(students, groups, spelled, spelled.rules, soft=False), distance, rules, spelled)
    terms = [int(cost[i, g]) * task.main.x[i][g] for i in range(students) for g in range(groups)]
    task.main.model.minimize(sum(terms))
    solver, status = (search or Search()).solve(task, effort)
    if status == cp_model.INFEASIBLE:
        clash, smallest = _clash(students, groups, spelled, CLASH_PART * effort)
        return Proposal(clash=clash, smallest=smallest)
    if status not in {cp_model.OPTIMAL, cp_model.FEASIBLE}:
        return Proposal()
    return task.proposal(solver.boolean_value, solver.best_objective_bound, proven=status == cp_model.OPTIMAL)
