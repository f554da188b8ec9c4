"""What of a trend may leave the classroom: no figure of a few students, nor one that gives a few away."""

from collections.abc import Sequence

import numpy as np

from bodkin.core.arrays import BoolArray, IntArray


def _sets(masks: Sequence[BoolArray]) -> IntArray:
    """For each student a number that says which of the subgroups they are in."""
    places: IntArray = np.zeros(masks[0].size, dtype=np.int64)
    for at, mask in enumerate(masks):
        places |= mask.astype(np.int64) << at
    return places


def _all_large(counts: IntArray, minimum: int) -> bool:
    """Whether every count is nothing or at least the minimum."""
    return bool(((counts == 0) | (counts >= minimum)).all())


def lines_shown(masks: Sequence[BoolArray], minimum: int) -> list[bool]:
    """Which lines of one window may be shown; ``masks``: who is in each, the first line being everybody.

    Whatever can be worked out from sums over lines is made of the sets of students who are in just the same lines.
    Subgroups are shown as long as each such set holds nobody or ``minimum`` students; the later ones give way.
    """
    everybody, *groups = masks
    if int(everybody.sum()) < minimum:
        return [False] * len(masks)
    shown: list[bool] = [True]
    kept: list[BoolArray] = []
    for group in groups:
        counts = np.bincount(_sets([*kept, group])[everybody])
        fits = bool(group[everybody].any()) and _all_large(counts, minimum)
        shown.append(fits)
        if fits:
            kept.append(group)
    return shown


def shares_shown(masks: Sequence[BoolArray], shown: Sequence[bool], above: BoolArray, known: BoolArray, minimum: int
                 ) -> list[bool]:  # fmt: skip
    """Which of the shown lines may tell their share at or above; ``above`` and ``known``: one entry a student.

    The share of everybody stands where those above and those below are nobody or enough; those of the subgroups
    only together, where that holds in each set of students who are in just the same of the shown lines.
    """
    everybody = masks[0]
    high, low = everybody & known & above, everybody & known & ~above
    groups = [mask for mask, is_shown in zip(masks[1:], shown[1:], strict=True) if is_shown]
    whole = shown[0] and _all_large(np.array([high.sum(), low.sum()]), minimum)
    apart = whole and bool(groups) and all(
        _all_large(np.bincount(_sets(groups)[side]), minimum) for side in (high, low) if side.any()
    )  # fmt: skip
    return [whole, *(is_shown and apart for is_shown in shown[1:])]
