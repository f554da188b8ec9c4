"""What students are grouped by: strands, standards that they lack, scores, side by side in one table."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from bodkin.answers.words import signed
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.needs.mastery import MASTERED, NEARLY, NOT_YET, StateArray

Kind = Literal["strands", "standards", "score"]
LACKING = {MASTERED: 0.0, NEARLY: -1.0, NOT_YET: -2.0}
"""A standard as a need, on a scale like that of strands; thin or no evidence is no need that is known."""
MOST_STANDARDS = 12


@dataclass(frozen=True, slots=True)
class NeedTable:
    """Needs of students (rows) by measures (columns), NaN where not known; ``kinds``: one a column."""

    students: list[str]
    names: list[str]
    kinds: list[Kind]
    values: FloatArray

    @property
    def known(self) -> "NeedTable":
        """Those students of whom something is known."""
        keep = np.asarray(~np.isnan(self.values).all(axis=1))
        students = [self.students[at] for at in np.flatnonzero(keep).tolist()]
        return NeedTable(students, self.names, self.kinds, self.values[keep])


@dataclass(frozen=True, slots=True)
class NeedPart:
    """Some measures of one kind: ``values`` with a row for each of ``students``."""

    kind: Kind
    names: Sequence[str]
    students: Sequence[str]
    values: FloatArray


def needs_from_standards(codes: StateArray) -> FloatArray:
    """States of mastery (places in ``STATES``) as needs: mastered 0, nearly -1, not yet -2, else NaN."""
    values = np.full(codes.shape, np.nan)
    for state, need in LACKING.items():
        values[codes == state] = need
    return values


def needs_from_score(scores: FloatArray) -> FloatArray:
    """Scores of the students as distances from their own mean, in their own standard deviations (n - 1)."""
    known = scores[~np.isnan(scores)]
    spread = float(known.std(ddof=1)) if known.size > 1 else 0.0
    if spread == 0.0:
        return np.where(np.isnan(scores), np.nan, 0.0)
    return np.asarray((scores - known.mean()) / spread, dtype=np.float64)


def need_table(wanted: Sequence[str], parts: Sequence[NeedPart]) -> NeedTable:
    """The needs of some students side by side, in the order asked for. A score counts among these students alone."""
    columns: list[FloatArray] = []
    names: list[str] = []
    kinds: list[Kind] = []
    for part in parts:
        at = {student: place for place, student in enumerate(part.students)}
        values = np.full((len(wanted), len(part.names)), np.nan)
        for row, student in enumerate(wanted):
            if student in at:
                values[row] = part.values[at[student]]
        columns.append(needs_from_score(values) if part.kind == "score" else values)
        names += part.names
        kinds += [part.kind] * len(part.names)
    if not names:
        raise BadInput("by: choose strands, standards or a score to group by")
    return NeedTable(list(wanted), names, kinds, np.column_stack(columns))


def given_foci(table: NeedTable, named: Sequence[str]) -> FloatArray:
    """The focus of each group that is named by a measure: the mean need of the students who stand lowest in it.

    Where nobody stands lowest in it, that measure at the lowest value there is and the rest at their means.
    Raises BadInput for a name that is no measure.
    """
    means = np.nan_to_num(np.nanmean(table.values, axis=0))
    lowest = np.nanargmin(np.where(np.isnan(table.values), np.inf, table.values), axis=1)
    foci = []
    for name in named:
        if name not in table.names:
            raise BadInput(f'foci: there is no "{name}" among what is grouped by: {", ".join(table.names)}')
        at = table.names.index(name)
        mine = table.values[lowest == at]
        focus = means.copy()
        if mine.size:
            known = ~np.isnan(mine).all(axis=0)
            focus[known] = np.nanmean(mine[:, known], axis=0)
        else:
            focus[at] = float(np.nanmin(table.values))
        foci.append(focus)
    return np.array(foci)


def focus_words(table: NeedTable, focus: FloatArray) -> str:
    """What a group needs most: the lowest measure, and a second one nearly as low."""
    order = np.argsort(focus, kind="stable")
    told = [order[0], *(at for at in order[1:2] if focus[at] < 0 and focus[at] - focus[order[0]] < 0.5)]
    words = []
    for at in told:
        name, value = table.names[int(at)], float(focus[at])
        words.append(name if table.kinds[int(at)] == "standards" else f"{name} {signed(value)}")
    return ", ".join(words)
