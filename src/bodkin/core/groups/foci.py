"""How far a need lies from a group's focus, and foci found from the needs themselves."""

import numpy as np
import scipy
from numpy.typing import ArrayLike
from scipy import sparse

from bodkin.core.arrays import FloatArray, IntArray, floats
from bodkin.core.errors import BadInput


def need_distance(needs: ArrayLike, foci: ArrayLike) -> FloatArray:
    """Euclidean distance of each need from each focus, shape (students, groups).

    ``needs``: shape (students, k), in spreads; ``foci``: shape (groups, k). A measure that a student has not
    is left out and the others count for it: the distance is multiplied by sqrt(measures / known).
    Raises BadInput for other shapes, a missing focus, or a student without any measure, who is named.
    """
    table, focus = floats("needs", needs), floats("foci", foci)
    if table.ndim != 2 or focus.ndim != 2 or table.shape[1] != focus.shape[1]:
        raise BadInput(f"needs and foci must have the same measures as columns: {table.shape}, {focus.shape}")
    if not focus.shape[0] or not table.shape[0]:
        raise BadInput(f"there must be students and groups: {table.shape[0]} students, {focus.shape[0]} groups")
    if np.isnan(focus).any():
        raise BadInput("every focus must be known")
    known = (~np.isnan(table)).sum(axis=1)
    if not known.all():
        raise BadInput(f"student {int(np.argmin(known))} has no measure to be placed by")
    square = np.nansum((table[:, None, :] - focus[None, :, :]) ** 2, axis=2)
    return floats("distance", np.sqrt(square * (table.shape[1] / known)[:, None]))


def foci_from_needs(
    needs: ArrayLike, groups: int, rounds: int = 50, fewest: int = 0, most: int | None = None
) -> FloatArray:
    """Focus of each of so many groups, shape (groups, k): the means that the needs gather around.

    Starts from the need nearest the mean and goes on with the need furthest from all chosen, then
    Lloyd's rounds; no chance is involved. With ``fewest`` or ``most`` students a group, each round gives every
    focus at least and at most so many, at the least distance in all, so that no focus serves one outlier.
    A student with a missing measure is placed by the others and does not move a focus in that measure.
    Raises BadInput for a student without any need, more groups than different needs, or sizes that no
    grouping can have. Source: Lloyd (1982), IEEE Trans. Inf. Theory 28, 129-137; start of Gonzalez (1985),
    Theoretical Computer Science 38, 293-306; sizes as Bradley, Bennett & Demiriz (2000), Constrained
    k-means clustering, MSR-TR-2000-65.
    """
    table = floats("needs", needs)
    if table.ndim != 2 or np.isnan(table).all(axis=1).any():
        raise BadInput("needs must be known, with students as rows and measures as columns")
    students = table.shape[0]
    different = np.unique(table, axis=0).shape[0]
    if not 1 <= groups <= different:
        raise BadInput(f"{groups} groups cannot be found among {different} different needs")
    room = students if most is None else most
    if not 0 <= fewest <= room or fewest * groups > students or room * groups < students:
        raise BadInput(f"{students} students cannot be in {groups} groups of {fewest} to {room}")
    # A start has every measure: the mean stands in for what is missing.
    whole = np.where(np.isnan(table), np.nanmean(table, axis=0), table)
    chosen = [int(np.argmin(need_distance(table, [whole.mean(axis=0)])[:, 0]))]
    while len(chosen) < groups:
        chosen.append(int(np.argmax(need_distance(table, whole[chosen]).min(axis=1))))
    focus = whole[chosen]
    sized = fewest > 0 or room < students
    for _ in range(rounds):
        distance = need_distance(table, focus)
        nearest = _within_sizes(distance, fewest, room) if sized else np.argmin(distance, axis=1)
        # A focus that has lost everybody, or everybody with a measure, stays where it is.
        moved = focus.copy()
        for g in range(groups):
            mine = table[nearest == g]
            known = (~np.isnan(mine)).any(axis=0)
            moved[g, known] = np.nanmean(mine[:, known], axis=0) if known.any() else moved[g, known]
        if np.array_equal(moved, focus):
            break
        focus = moved
    return focus


def _within_sizes(distance: FloatArray, fewest: int, most: int) -> IntArray:
    """The group of each student at the least sum of squared distances with so many students in each."""
    students, groups = distance.shape
    one_each = sparse.kron(sparse.eye_array(students), np.ones((1, groups)))
    in_each = sparse.kron(np.ones((1, students)), sparse.eye_array(groups))
    # Sums of whole numbers: the corners of what fits are whole numbers too, so a linear program is enough.
    found = scipy.optimize.linprog(
        (distance**2).ravel(), A_eq=one_each, b_eq=np.ones(students), A_ub=sparse.vstack([in_each, -in_each]),
        b_ub=np.concatenate([np.full(groups, float(most)), np.full(groups, -float(fewest))]), bounds=(0, 1),
        method="highs-ds",
    )  # fmt: skip
    return np.asarray(np.argmax(found.x.reshape(students, groups), axis=1), dtype=np.int64)
