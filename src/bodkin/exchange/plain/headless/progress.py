"""The files of ``./bodkin progress``: results, goals, the calendar; and who is in the group of ``helped``."""

from collections.abc import Collection
from pathlib import Path

import polars as pl

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.plain.headless.scores import content_of
from bodkin.exchange.plain.plain_files import read_calendar
from bodkin.exchange.plain.row_files import WHO, must
from bodkin.exchange.tables_in.reading import DAY, NUMBER, Column, Layout, doubled, one_of, read_plain
from bodkin.store.reads.table.score_table import Calendar

RESULTS = Layout("results", (WHO, must("measure"), must("on", DAY), Column("score", NUMBER, required=True)))
GOALS = Layout(
    "goals",
    (
        WHO, must("measure"), must("goal", NUMBER), must("by", DAY), Column("start", NUMBER),
        Column("start_on", DAY), Column("direction", one_of("up", "down")),
    ),
)  # fmt: skip
MEMBERS = Layout("members", (WHO,))


def read_progress_run(
    results: Path, goals: Path | None, calendar: Path | None
) -> tuple[pl.DataFrame, pl.DataFrame, Calendar | None]:
    """Results with a score, goals, and the calendar. Raises BadFile with every fault of every file."""
    faults: list[Fault] = []
    found = pl.DataFrame()
    aims = pl.DataFrame(schema={column.name: column.kind.dtype for column in GOALS.columns})
    dates = None
    try:
        reading = read_plain(str(results), content_of(results), RESULTS)
        faults += reading.faults
        found = reading.good()
    except BadFile as error:
        faults += error.faults
    if goals is not None:
        try:
            reading = read_plain(str(goals), content_of(goals), GOALS)
            faults += sorted(reading.faults + doubled(reading, ["student_id", "measure"], "goal"))
            aims = reading.good()
            if found.width:
                faults += _unknown(goals, aims, found["student_id"].unique().to_list(), "student of the results")
        except BadFile as error:
            faults += error.faults
    if calendar is not None:
        try:
            calendar_reading, dates = read_calendar(str(calendar), content_of(calendar))
            faults += calendar_reading.faults
        except BadFile as error:
            faults += error.faults
    if faults:
        raise BadFile(faults)
    return found, aims, dates


def _unknown(path: Path, rows: pl.DataFrame, there: Collection[str], what: str) -> list[Fault]:
    strangers = rows.filter(~pl.col("student_id").is_in(list(there)))
    return [
        Fault(str(path), line, "student_id", f'there is no {what} "{student}"')
        for line, student in strangers.select("line", "student_id").iter_rows()
    ]


def read_members(path: Path, students: Collection[str]) -> list[str]:
    """The students of a group. Raises BadFile for one who is not among some students."""
    reading = read_plain(str(path), content_of(path), MEMBERS)
    faults = reading.faults + _unknown(path, reading.good(), students, "student of the scores")
    if faults:
        raise BadFile(faults)
    return reading.frame["student_id"].unique(maintain_order=True).to_list()
