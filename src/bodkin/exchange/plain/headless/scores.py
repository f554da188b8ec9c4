"""The score table of a headless run, from plain files and nothing else."""

from pathlib import Path

import polars as pl

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.plain.plain_files import (
    cuts_frame,
    growth_norms_frame,
    norms_frame,
    read_calendar,
    read_cuts,
    read_growth_norms,
    read_norms,
    read_scores,
    results_frame,
)
from bodkin.store.reads.section_names import shared_names, with_schools
from bodkin.store.reads.table.score_table import CUTS, GROWTH_NORMS, NORMS, Calendar, ScoreTable, empty


def content_of(path: Path) -> bytes:
    """The bytes of a file of a run. Raises BadFile that says why it cannot be read."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadFile([Fault(str(path), 0, "", f"cannot be read ({error.strerror})")]) from None


def score_table(
    scores: Path,
    norms: Path | None = None,
    growth_norms: Path | None = None,
    cuts: Path | None = None,
    calendar: Path | None = None,
) -> ScoreTable:
    """Read the files of a run. Raises BadFile with every fault of every file."""
    faults: list[Fault] = []
    readings = {}
    for name, path, read in (
        ("scores", scores, read_scores),
        ("norms", norms, read_norms),
        ("growth_norms", growth_norms, read_growth_norms),
        ("cuts", cuts, read_cuts),
    ):
        if path is None:
            continue
        try:
            readings[name] = read(str(path), content_of(path))
            faults += readings[name].faults
        except BadFile as error:
            faults += error.faults
    dates = None
    if calendar is not None:
        try:
            reading, dates = read_calendar(str(calendar), content_of(calendar))
            faults += reading.faults
        except BadFile as error:
            faults += error.faults
    if faults:
        raise BadFile(faults)
    results = results_frame(readings["scores"].frame, dates)
    return ScoreTable(
        with_schools(results, shared_names(results)),
        norms_frame(readings["norms"].frame) if norms else empty(NORMS),
        growth_norms_frame(readings["growth_norms"].frame) if growth_norms else empty(GROWTH_NORMS),
        cuts_frame(readings["cuts"].frame) if cuts else empty(CUTS),
        dates or Calendar(),
    )


def check_measure(table: ScoreTable, scores: Path, assessment: str, subject: str) -> None:
    """Raise BadInput that lists what the file has where it has no result of a measure."""
    there = table.results.select("assessment", "subject").unique().sort(pl.all()).rows()
    if (assessment, subject) not in there:
        listed = ", ".join(f'"{name}" in "{area}"' for name, area in there) or "none at all"
        message = f'no line has a result of "{assessment}" in "{subject}"; the file has: {listed}'
        raise BadFile([Fault(str(scores), 0, "assessment", message)])
