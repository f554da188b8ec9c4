"""A rehearsal: what an import would change on the screens, from the score table before it and after it."""

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import compare, quoted_order
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.scope.scope import Scope
from bodkin.core.windows import parse_window
from bodkin.store.reads.table.score_table import ScoreTable


class WindowCount(BaseModel):
    """Results of a window that count, before and after."""

    window: str
    before: int
    after: int


class RehearsedMeasure(BaseModel):
    """What would change about a test in a subject.

    ``windows``: only those whose results change in number. ``latest``: the latest window after the import, and
    ``latest_before`` the one before it; ``new`` and ``gone``: students with a result in the latest only after or
    only before. ``band``: the quoted band, with the share of the students of the latest window of then and of now at
    it or above, 0 to 1, missing where it cannot be told.
    """

    assessment: str
    subject: str
    windows: list[WindowCount]
    changed: int
    latest: str
    latest_before: str | None
    new: int
    gone: int
    band: str | None
    share_before: float | None
    share_after: float | None


class Rehearsal(BaseModel):
    """What an import would change on the screens; measures without a change are left out."""

    measures: list[RehearsedMeasure]


def rehearse(before: ScoreTable, after: ScoreTable) -> Rehearsal:
    """Hold two score tables beside each other, measure by measure."""
    rows = [
        _measure(before, after, assessment, subject)
        for assessment, subject in sorted(
            set(before.results.select("assessment", "subject").unique().rows())
            | set(after.results.select("assessment", "subject").unique().rows())
        )
    ]
    return Rehearsal(measures=[row for row in rows if row is not None])


def _of(table: ScoreTable, assessment: str, subject: str) -> pl.DataFrame:
    return table.results.filter(pl.col("assessment") == assessment, pl.col("subject") == subject)


def _measure(before: ScoreTable, after: ScoreTable, assessment: str, subject: str) -> RehearsedMeasure | None:
    was, now = (_of(table, assessment, subject) for table in (before, after))
    counts = {side: dict(frame.group_by("window").len().rows()) for side, frame in (("was", was), ("now", now))}
    windows = sorted((name for name in {*counts["was"], *counts["now"]} if name), key=parse_window)
    changed = _changed(was, now)
    share = (_share(before, assessment, subject, windows), _share(after, assessment, subject, windows))
    if counts["was"] == counts["now"] and not changed and share[0] == share[1]:
        return None
    latest = max((name for name in counts["now"] if name), key=parse_window, default=windows[-1] if windows else "")
    sat = [set(frame.filter(pl.col("window") == latest)["student_id"]) for frame in (was, now)]
    return RehearsedMeasure(
        assessment=assessment,
        subject=subject,
        windows=[
            WindowCount(window=name, before=counts["was"].get(name, 0), after=counts["now"].get(name, 0))
            for name in windows
            if counts["was"].get(name, 0) != counts["now"].get(name, 0)
        ],
        changed=changed,
        latest=latest,
        latest_before=max((name for name in counts["was"] if name), key=parse_window, default=None),
        new=len(sat[1] - sat[0]),
        gone=len(sat[0] - sat[1]),
        band=share[1][0] or share[0][0],
        share_before=share[0][1],
        share_after=share[1][1],
    )


PLACE = ["student_id", "window", "language", "tested_on"]


def _changed(was: pl.DataFrame, now: pl.DataFrame) -> int:
    """Results that stand in both tables with another score."""
    one, other = (frame.select(*PLACE, "score").unique(PLACE, keep="last", maintain_order=True) for frame in (was, now))
    both = one.join(other, on=PLACE, nulls_equal=True, suffix="_now")
    return both.filter(pl.col("score") != pl.col("score_now")).height


def _share(table: ScoreTable, assessment: str, subject: str, windows: list[str]) -> tuple[str | None, float | None]:
    """The quoted band and the share at it or above in the last window that has results."""
    sat = set(_of(table, assessment, subject)["window"])
    latest = max((name for name in windows if name in sat), key=parse_window, default=None)
    if latest is None:
        return None, None
    scope = Scope(assessment=assessment, subject=subject, from_window=latest, to_window=latest, matched=False)
    summary = summarise(compare(table, scope, []))
    quoted = next((band for band in summary.bands if band.order == quoted_order(len(summary.bands))), None)
    return (quoted.band, quoted.to_at_or_above) if quoted is not None else (None, None)
