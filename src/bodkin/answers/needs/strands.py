"""Strand by strand: who is below, near and at the line, and by how much of the strand's own error."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl
from pydantic import BaseModel, Field
from typing_extensions import TypedDict

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.norms.expectation import kept_from
from bodkin.answers.comparison.norms.norms_and_cuts import (
    Notes,
)
from bodkin.answers.comparison.pairing import ROWS
from bodkin.answers.comparison.step_answer import Names, StepAnswer, display_name
from bodkin.answers.needs.strand_scores import LINES, Line, StrandScores, TableOf, held_of, strand_scores
from bodkin.answers.words import plural
from bodkin.core.arrays import FloatArray
from bodkin.core.needs.strands import strand_verdicts
from bodkin.core.windows import Window
from bodkin.store.reads.table.score_table import ScoreTable

MOST_NAMED = 2000
"""With more students the answer holds counts along the distance instead of one number a student."""
FEW = 2000
"""So many results at a time are looked through for one of some students."""
STEP, REACH = 0.05, 8.0
"""Width of a count along the distance, and how far from the line it goes, in standard errors."""


class LineChoice(BaseModel):
    """A line to hold the strands against; ``why`` says why it cannot be taken."""

    key: Line
    words: str
    why: str | None


class StrandStudent(TypedDict):
    """A student of the picture; a plain dict, for there are thousands in an answer."""

    student_id: str
    name: str
    grade: str | None
    section: str | None


class StrandColumn(BaseModel):
    """A strand: each student's distance from the line, in the order of the students.

    ``distance`` in the strand's standard errors, ``points`` in its own points, ``earlier`` the distance at the
    earlier window if that was asked for; empty where something is missing. ``verdict``: -1 below and 1 above
    beyond error, else 0. With many students these are empty, and ``counts`` holds how many lie in each step
    along the distance.
    """

    strand: str
    n: int
    below: int
    below_beyond: int = Field(description="of those below, below by more than the strand's error")
    median: float | None
    distance: list[float | None]
    points: list[float | None]
    score: list[float | None]
    earlier: list[float | None]
    verdict: list[int | None]
    counts: list[int]


class StrandsAnswer(StepAnswer):
    """Needs by strand."""

    measure: str
    window: str | None
    earlier_window: str | None
    line: Line
    lines: list[LineChoice]
    of_points: bool = Field(description="strands are per cents of points instead of scale scores")
    students: list[StrandStudent]
    strands: list[StrandColumn]
    low: float
    step: float


def students_of(comparison: Comparison, *columns: str) -> pl.DataFrame:
    """The students that the sentence's figures stand on, with some columns of theirs."""
    students = comparison.students
    # Of so many columns only the wanted ones are copied.
    wanted = students.select(columns)
    if comparison.scope.paired or comparison.scope.single:
        counted = students["matched"]
        # Before the second window nobody has both results; whoever has the first is looked at.
        enough = counted.any() or comparison.scope.single
        return wanted.filter(counted if enough else students["from_score"].is_not_null())
    return wanted


_WORDS: dict[Line, str] = {
    "own": "own overall score", "class": "class mean", "grade": "grade mean", "district": "district mean",
    "norm": "norm of grade and week", "target": "target",
}  # fmt: skip


def line_choices(comparison: Comparison, tables: Sequence[ScoreTable], strands: Sequence[str]) -> list[LineChoice]:
    """The lines to choose from, each with why it cannot be taken here."""
    scope = comparison.scope.model_copy(update={"strand": strands[0] if strands else None})
    norms, cuts = any(one.norms.height for one in tables), any(one.cuts.height for one in tables)
    bands = comparison.bands
    why: dict[Line, str | None] = {
        "district": kept_from(scope) if comparison.scope.reach is not None else None,
        "norm": None if norms else "no strand norms; import norms with a strand column",
        "target": None if cuts and len(bands) > 1 else "no cuts for these strands",
    }
    words = dict(_WORDS)
    if comparison.scope.reach is not None:
        words["grade"] = "grade mean, my students"
    if len(bands) > 1:
        words["target"] = f"target ({bands[quoted_order(len(bands)) - 1]})"
    return [LineChoice(key=line, words=words[line], why=why.get(line)) for line in LINES]


def first_line(comparison: Comparison, choices: Sequence[LineChoice]) -> Line:
    """The line that the sentence names: norms where there are any, the district, else the own whole."""
    free = {one.key for one in choices if one.why is None}
    if comparison.scope.against == "district" and "district" in free:
        return "district"
    return "norm" if "norm" in free and comparison.scope.against == "norms" else "own"


def _listed(values: FloatArray) -> list[float | None]:
    return pl.Series(np.round(values, 4), nan_to_null=True).to_list()


def _counts(ordered: FloatArray) -> list[int]:
    """How many distances, in their order, lie in each step; those beyond the reach in the first and the last."""
    edges = np.arange(-REACH, REACH + STEP / 2, STEP)[1:-1]
    ends = ordered.searchsorted(edges).tolist()
    return [end - begin for begin, end in zip([0, *ends], [*ends, ordered.size], strict=True)]


def _column(
    strand: str, at: int, now: StrandScores, before: StrandScores | None, verdicts: FloatArray, *, many: bool
) -> StrandColumn:
    distance, verdict = now.distance[:, at], verdicts[:, at]
    ordered = np.sort(distance)
    n = ordered.size - int(np.count_nonzero(np.isnan(distance)))
    # NaN is sorted to the end.
    ordered = ordered[:n]
    return StrandColumn.model_construct(
        strand=strand, n=n, below=int(ordered.searchsorted(0.0)),
        below_beyond=int(np.count_nonzero((distance < 0) & (verdict < 0))),
        median=float((ordered[(n - 1) // 2] + ordered[n // 2]) / 2) if n else None,
        distance=[] if many else _listed(distance),
        points=[] if many else _listed(now.score[:, at] - now.against[:, at]),
        score=[] if many else _listed(now.score[:, at]),
        earlier=[] if many or before is None else _listed(before.distance[:, at]),
        verdict=[] if many else pl.Series(verdict, nan_to_null=True).cast(pl.Int8).to_list(),
        counts=_counts(ordered) if many else [],
    )  # fmt: skip


def _headline(columns: Sequence[StrandColumn], line: str) -> str:
    if not columns or not columns[0].n:
        return "No strand scores in these windows"
    worst = columns[0]
    if not worst.below:
        return f"Nobody is below the {line} in any strand"
    return f"{worst.strand}: {worst.below:,} of {plural(worst.n, 'student')} below the {line}"


def _lead(columns: Sequence[StrandColumn]) -> str:
    if not columns or not columns[0].n:
        return "Bring in strand scores (strand_scores.csv) or choose a test that has strands."
    worst = columns[0]
    return (
        f"{worst.below_beyond:,} of them by more than the strand's error. A strand is a short test: "
        "one name alone may sit low by chance."
    )


def window_with_strands(
    comparison: Comparison, students: pl.DataFrame, table: ScoreTable, strand: str
) -> tuple[Window | None, Window | None]:
    """The latest window of the sentence with strand scores of its students, and the one before it that has some."""
    found: list[Window] = []
    for window in reversed(comparison.scope.windows):
        if len(found) == 2:
            break
        held = held_of(table, comparison, strand, window)["student_id"]
        # The first few mostly tell: all of them are looked for only where none of those is met.
        parts = (held[at : at + FEW] for at in range(0, held.len(), FEW))
        if any(students["student_id"].is_in(part.implode()).any() for part in parts):
            found.append(window)
    return (found[0] if found else None), (found[1] if len(found) > 1 else None)


@dataclass(frozen=True, slots=True)
class WorkedStrands:
    """Students and line of a scope; ``now`` at the latest window, ``before`` at the one before it if asked for."""

    students: pl.DataFrame
    line: Line
    lines: list[LineChoice]
    now: StrandScores | None = None
    before: StrandScores | None = None
    earlier_window: Window | None = None


def worked_strands(
    comparison: Comparison, strands: Sequence[str], whole: ScoreTable, table_of: TableOf, line: Line | None,
    notes: Notes, *, of_points: bool, earlier: bool = False,
) -> WorkedStrands:  # fmt: skip
    """The strand scores of a scope at its latest window, and with ``earlier`` at the one before."""
    students = students_of(comparison, "student_id", "grade", "section", *ROWS)
    choices = line_choices(comparison, [table_of(strand) for strand in strands], strands)
    free = {one.key for one in choices if one.why is None}
    taken = line if line in free else first_line(comparison, choices)
    if line is not None and line != taken:
        notes.add(f"held against the {_WORDS[taken]}: {next(one.why for one in choices if one.key == line)}")
    latest, first = None, None
    if strands:
        latest, first = window_with_strands(comparison, students, table_of(strands[0]), strands[0])
    if latest is None:
        return WorkedStrands(students, taken, choices)

    def at(window: Window) -> StrandScores:
        return strand_scores(comparison, students, strands, whole, table_of, taken, window, notes, of_points=of_points)

    return WorkedStrands(
        students, taken, choices, at(latest), at(first) if earlier and first is not None else None, first
    )


def verdicts_of(scores: StrandScores, line: Line) -> FloatArray:
    """Strands below (-1) or above (1) the line beyond error, shape (students, strands)."""
    return strand_verdicts(scores.score, scores.known_error, None if line == "own" else scores.against)


def strands_answer(
    comparison: Comparison, strands: Sequence[str], whole: ScoreTable, table_of: TableOf, names: Names,
    parts: dict[str, Any], line: Line | None = None, *, of_points: bool = False, earlier: bool = False,
) -> StrandsAnswer:  # fmt: skip
    """Needs by strand for a scope; ``parts`` are those that every step's answer has."""
    notes = Notes()
    worked = worked_strands(
        comparison, strands, whole, table_of, line, notes, of_points=of_points, earlier=earlier
    )  # fmt: skip
    students, taken, now, before = worked.students, worked.line, worked.now, worked.before
    many = students.height > MOST_NAMED
    columns: list[StrandColumn] = []
    if now is not None:
        verdicts = verdicts_of(now, taken)
        columns = [_column(strand, at, now, before, verdicts, many=many) for at, strand in enumerate(strands)]
        columns.sort(key=lambda one: (-one.below, one.strand))
        if np.isnan(now.error).all():
            notes.add("these strand scores have no standard error, so there is no distance in errors")
    shown = [] if many or now is None else [
        StrandStudent(student_id=student, name=display_name(names, student), grade=grade, section=section)
        for student, grade, section in students.select("student_id", "grade", "section").rows()
    ]  # fmt: skip
    words = next(one.words for one in worked.lines if one.key == taken)
    return StrandsAnswer.model_construct(
        **{**parts, "notes": [*parts["notes"], *notes.reasons]},
        headline=_headline(columns, words), lead=_lead(columns),
        measure=comparison.scope.assessment, window=now.window.label if now is not None else None,
        earlier_window=worked.earlier_window.label if worked.earlier_window is not None else None,
        line=taken, lines=worked.lines,
        of_points=of_points, students=shown, strands=columns, low=-REACH, step=STEP,
    )  # fmt: skip
