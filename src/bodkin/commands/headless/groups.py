"""The headless run of the Groups step."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from bodkin.answers.headless.groups import Named, groups_texts
from bodkin.commands.headless.needs import written
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import foci_from_needs
from bodkin.core.groups.grouping import EFFORT, propose_groups
from bodkin.core.groups.grouping_rules import GroupingRules
from bodkin.exchange.plain.headless.groups import MeasureTable, Rules, check_number, read_groups, read_needs, read_rules


def _sizes(
    rules: Rules, groups: MeasureTable | None, count: int, students: int
) -> tuple[list[int], list[int], list[int]]:
    """Fewest and most of each group, and the groups with sizes of their own."""
    found = {"fewest": [rules.fewest or 0] * count, "most": [students if rules.most is None else rules.most] * count}
    own = set()
    for name, sizes in (groups.sizes if groups is not None else {}).items():
        for at, size in enumerate(sizes):
            if not np.isnan(size):
                found[name][at] = int(size)
                own.add(at)
    return found["fewest"], found["most"], sorted(own)


def _foci(needs: MeasureTable, groups: MeasureTable | None, number: int | None, rules: Rules) -> FloatArray:
    if groups is not None:
        return groups.values
    check_number(number or 0, needs)
    return foci_from_needs(needs.values, number or 0, fewest=rules.fewest or 0, most=rules.most)


def _positions(names: Sequence[str], pairs: Sequence[tuple[str, str]]) -> list[tuple[int, int]]:
    at = {name: place for place, name in enumerate(names)}
    return [(at[one], at[other]) for one, other in pairs]


def groups_files(
    needs: Path, groups: Path | None, number: int | None, rules: Path | None, out: Path
) -> tuple[list[Path], bool]:
    """Place students in groups and write the run's files; returns their paths, and whether there are groups.

    Raises BadInput or BadFile, with nothing written.
    """
    if (groups is None) == (number is None):
        raise BadInput("--groups: give either --groups with foci or --number of groups to find")
    table = read_needs(needs)
    given = read_rules(rules, table.names) if rules is not None else Rules()
    focus = read_groups(groups, table.measures) if groups is not None else None
    foci = _foci(table, focus, number, given)
    names = focus.names if focus is not None else [str(at + 1) for at in range(len(foci))]
    fewest, most, own = _sizes(given, focus, len(names), len(table.names))
    every = [slot for slots in (given.adults or {}).values() for slot in slots]
    every += [slot for slots in given.stays.values() for slot in slots]
    slots = {slot: at for at, slot in enumerate(dict.fromkeys(every))}
    stays = [[slots[slot] for slot in given.stays.get(one, ())] for one in table.names] if given.adults else []
    asked = GroupingRules(
        fewest, most, _positions(table.names, given.together), _positions(table.names, given.apart),
        None if given.adults is None else [[slots[slot] for slot in own_] for own_ in given.adults.values()],
        stays, own_sizes=own,
    )  # fmt: skip
    proposal = propose_groups(table.values, foci, asked, given.effort or EFFORT)
    named = Named(table.names, names, table.measures, list(slots), list(given.adults or {}))
    return written(out, groups_texts(proposal, foci, named)), bool(proposal.placements)
