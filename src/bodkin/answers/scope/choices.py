"""What a scope can be made of, and the scope that a person meets first."""

from collections.abc import Collection
from datetime import date
from functools import partial

import polars as pl
from pydantic import BaseModel

from bodkin.answers.scope.sentence import measure_title
from bodkin.core.windows import SEASONS, Window, grade_key, parse_window
from bodkin.store.reads.table.score_table import ScoreTable

TESTED_ENOUGH = 0.5
"""Share of a year's students that a window must have tested to be a first choice."""


class MeasureChoice(BaseModel):
    """A measure with results; ``windows`` with any, the latest first; ``common`` for a common test with items."""

    assessment: str
    subject: str
    title: str
    n: int
    strands: list[str] = []
    windows: list[str] = []
    common: bool = False


class FieldChoice(BaseModel):
    """A field of the roster with the values that students have."""

    name: str
    values: list[str]


class WindowChoice(BaseModel):
    """A window with how many were tested; ``unfinished`` with fewer than half, or still open."""

    name: str
    n: int
    share: float | None
    unfinished: bool


class Choices(BaseModel):
    """Everything a scope can be made of for this person, latest windows first."""

    measures: list[MeasureChoice]
    windows: list[WindowChoice]
    grade: list[str]
    school: list[str]
    section: list[str]
    teacher: list[str]
    program: list[str]
    language: list[str]
    fields: list[FieldChoice]


class FirstScope(BaseModel):
    """The scope a person meets first; nothing where there are no results in reach."""

    assessment: str
    subject: str
    from_window: str
    to_window: str


def in_reach(table: ScoreTable, students: Collection[str] | None) -> pl.DataFrame:
    """Results of the students in reach."""
    if students is None:
        return table.results
    return table.results.filter(pl.col("student_id").is_in(list(students)))


def measures(table: ScoreTable, students: Collection[str] | None) -> list[MeasureChoice]:
    """Measures of the students in reach, in the order in which their results first came; found once for a table."""
    reach = None if students is None else frozenset(students)
    return table.worked.once(("measures", reach), lambda: _measures(table, reach))


def _measures(table: ScoreTable, reach: frozenset[str] | None) -> list[MeasureChoice]:
    results = in_reach(table, reach)

    def made(name: str, subject: str) -> MeasureChoice:
        mine = results.filter(pl.col("assessment") == name, pl.col("subject") == subject)
        windows = mine["window"].drop_nulls().unique().to_list()
        return MeasureChoice(
            assessment=name, subject=subject, title=measure_title(name, subject), n=mine["student_id"].n_unique(),
            windows=sorted(windows, key=parse_window, reverse=True),
        )  # fmt: skip

    # A measure whose results stay as they are is not counted again.
    return [
        table.worked.once(("measure choice", name, subject, reach), partial(made, name, subject))
        for name, subject in measures_met(table, reach)
    ]


def measures_met(table: ScoreTable, reach: frozenset[str] | None) -> list[tuple[str, str]]:
    """Assessment and subject of the measures of the students in reach, in the order of ``measures``."""

    def made() -> list[tuple[str, str]]:
        first = in_reach(table, reach).group_by("assessment", "subject").agg(pl.col("line").min())
        return [(name, subject) for name, subject, _ in first.sort("line").iter_rows()]

    return table.worked.once(("measures met", reach), made)


def windows(results: pl.DataFrame, table: ScoreTable, today: date) -> list[WindowChoice]:
    """Windows with results, or still to come within a year, the latest first."""
    inside = results.filter(pl.col("window").is_not_null())
    tested = dict(inside.group_by("window").agg(pl.col("student_id").n_unique()).iter_rows())
    of_year: dict[str, set[str]] = {}
    for window, students in inside.group_by("window").agg(pl.col("student_id").unique()).iter_rows():
        of_year.setdefault(window.split(" ")[0], set()).update(students)
    spans = table.calendar.windows
    coming = {name for name, (first, _) in spans.items() if first > today}
    nearest = sorted(coming, key=lambda name: spans[name])[:2]
    found: list[WindowChoice] = []
    for name in {*tested, *nearest}:
        n = tested.get(name, 0)
        share = n / len(of_year[name.split(" ")[0]]) if n else None
        still_open = name in spans and spans[name][1] >= today
        found.append(
            WindowChoice(name=name, n=n, share=share, unfinished=still_open or share is None or share < TESTED_ENOUGH)
        )
    return sorted(found, key=lambda choice: parse_window(choice.name), reverse=True)


def _windows_once(
    results: pl.DataFrame,
    table: ScoreTable,
    students: Collection[str] | None,
    measure: tuple[str, str] | None,
    today: date,
) -> list[WindowChoice]:
    reach = None if students is None else frozenset(students)
    return table.worked.once(("windows", reach, measure, today), lambda: windows(results, table, today))


def choices(
    table: ScoreTable,
    students: Collection[str] | None,
    measure: tuple[str, str] | None,
    years: Collection[str],
    today: date,
) -> Choices:
    """What can be chosen for a measure; fields as they stand in the school years looked at."""
    results, known = in_reach(table, students), measures(table, students)
    if measure is None and known:
        measure = (known[0].assessment, known[0].subject)
    if measure is not None:
        results = results.filter((pl.col("assessment") == measure[0]) & (pl.col("subject") == measure[1]))
    recent = results
    if years:
        # Names of windows are few; the year of each of half a million results would be as many texts.
        of_years = [one for one in results["window"].drop_nulls().unique() if parse_window(one).school_year in years]
        recent = results.filter(pl.col("window").is_null() | pl.col("window").is_in(of_years))

    def values(name: str) -> list[str]:
        return sorted(recent[name].drop_nulls().unique().to_list(), key=grade_key)

    seen = set(recent["student_id"].unique())
    field_values = table.fields.filter(pl.col("student_id").is_in(list(seen)))
    fields = [
        FieldChoice(name=str(name), values=sorted(rows["value"].unique().to_list(), key=grade_key))
        for (name,), rows in field_values.group_by("field", maintain_order=True)
    ]
    programs = sorted(recent["programs"].explode().drop_nulls().unique().to_list())
    return Choices(
        measures=[one.model_copy() for one in known],
        windows=_windows_once(results, table, students, measure, today),
        grade=values("grade"),
        school=values("school"),
        section=values("section"),
        teacher=values("teacher"),
        program=programs,
        language=values("language"),
        fields=fields,
    )


def _next(window: Window) -> Window:
    if window.order + 1 < len(SEASONS):
        return Window(window.year, window.order + 1)
    return Window(window.year + 1, 0)


def first_scope(table: ScoreTable, students: Collection[str] | None, today: date) -> FirstScope | None:
    """The person's own students, the latest two windows in which at least half are tested.

    With one such window only, the second is the next one, still to come.
    """
    results = in_reach(table, students)
    for measure in measures(table, students):
        mine = results.filter((pl.col("assessment") == measure.assessment) & (pl.col("subject") == measure.subject))
        found = [choice for choice in windows(mine, table, today) if choice.n]
        enough = [c for c in found if c.share is not None and c.share >= TESTED_ENOUGH] or found
        if not enough:
            continue
        latest = parse_window(enough[0].name)
        first, second = (parse_window(enough[1].name), latest) if len(enough) > 1 else (latest, _next(latest))
        return FirstScope(
            assessment=measure.assessment, subject=measure.subject, from_window=str(first), to_window=str(second)
        )
    return None
