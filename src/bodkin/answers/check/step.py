"""The Check step: are the results complete, and can we believe them?"""

from dataclasses import dataclass
from datetime import date
from functools import cached_property

import polars as pl
from pydantic import BaseModel

from bodkin.answers.check.doubts import doubtful, doubts_in_words
from bodkin.answers.check.pairs import language_words, several_sittings, two_languages
from bodkin.answers.check.rows import (
    ClassLine,
    Doubtful,
    Missing,
    Retest,
    Rushed,
    SeveralSittings,
    TwoLanguages,
    Without,
)
from bodkin.answers.check.sittings import WindowSittings, entitled_to, window_sittings
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title, who_title
from bodkin.answers.words import plural
from bodkin.core.windows import grade_key, parse_window
from bodkin.store.reads.check_data import CheckData
from bodkin.store.reads.table.score_table import ScoreTable

NEWLY = "newly arrived"


class CheckAnswer(BaseModel):
    """The step's answer for one window of a measure."""

    caption: str
    window: str
    open: bool
    headline: str
    lead: str
    expected: int
    tested: int
    excused: int
    waiting: int
    classes: list[ClassLine]
    rushed: list[Rushed]
    doubts: list[Doubtful]
    believed: int
    several: list[SeveralSittings]
    languages: list[TwoLanguages]
    language_words: str
    without: list[Without]
    retests: list[Retest]
    notes: list[str]


def _reasons(seen: WindowSittings, data: CheckData, table: ScoreTable) -> pl.DataFrame:
    """The roster with ``tested``, and for those who are not the ``reason``, ``recorded`` where somebody said it."""
    reasons = data.reasons.filter(pl.col("window") == seen.window).unique("student_id", keep="last")
    days = table.calendar.windows.get(seen.window)
    late = pl.lit(value=False) if days is None else (pl.col("first_day") > days[0]).fill_null(value=False)
    known = pl.col("given_reason").is_not_null() & (pl.col("given_reason") != "")
    return seen.roster.join(
        reasons.select("student_id", given_reason="reason", recorded=pl.lit(value=True)), on="student_id", how="left",
        maintain_order="left",
    ).with_columns(
        pl.col("recorded").fill_null(value=False),
        tested=pl.col("student_id").is_in(seen.counting["student_id"].implode()),
        reason=pl.when(known).then("given_reason").when(late).then(pl.lit(NEWLY)),
    )  # fmt: skip


def completion(seen: WindowSittings, data: CheckData, names: Names, table: ScoreTable) -> list[ClassLine]:
    """How far each class is, those with most to follow up first."""
    place = ["school", "section"]
    roster = _reasons(seen, data, table)
    missing: dict[tuple[str | None, str | None], list[Missing]] = {}
    for school, section, student, reason, recorded in (
        roster.filter(~pl.col("tested")).select(*place, "student_id", "reason", "recorded").iter_rows()
    ):
        one = Missing(student_id=student, name=display_name(names, student), reason=reason, recorded=recorded)
        missing.setdefault((school, section), []).append(one)
    # The grade of most of a class; of two as many the one met first.
    grades = (
        roster.filter(pl.col("grade").is_not_null())
        .group_by(*place, "grade", maintain_order=True)
        .len()
        .sort("len", descending=True, maintain_order=True)
        .unique(place, keep="first", maintain_order=True)
        .drop("len")
    )
    classes = roster.group_by(*place, maintain_order=True).agg(
        pl.col("teacher").first(), pl.len().alias("expected"), pl.col("tested").sum()
    )
    lines = []
    for school, section, teacher, expected, tested, grade in classes.join(
        grades, on=place, how="left", nulls_equal=True, maintain_order="left"
    ).iter_rows():
        away = missing.get((school, section), [])
        lines.append(
            ClassLine(
                school=school, section=section or "without a class", grade=grade, teacher=teacher, expected=expected,
                tested=tested, excused=sum(one.reason is not None for one in away),
                missing=sorted(away, key=lambda one: (one.reason is not None, one.name)),
            )
        )  # fmt: skip
    return sorted(
        lines,
        key=lambda one: (
            -(one.expected - one.tested - one.excused), one.school or "", grade_key(one.grade or ""), one.section,
        ),
    )  # fmt: skip


def _without(seen: WindowSittings, data: CheckData, names: Names) -> list[Without]:
    entitled = entitled_to(data, seen.day)
    promised = seen.counting.filter(pl.col("student_id").is_in(list(entitled)))
    last = promised.unique("student_id", keep="last", maintain_order=True)
    return [
        Without(
            student_id=row["student_id"], name=display_name(names, row["student_id"]), section=row["section"],
            entitled=sorted(entitled[row["student_id"]]), used=row["accommodations"],
        )
        for row in last.iter_rows(named=True)
        if entitled.get(row["student_id"], set()) - set((row["accommodations"] or "").split(";"))
    ]  # fmt: skip


def _retests(seen: WindowSittings, data: CheckData, names: Names) -> list[Retest]:
    rows = data.retests.filter(pl.col("window") == seen.window)
    asked = pl.col("student_id").is_in(rows["student_id"].implode())
    place = {row["student_id"]: row for row in seen.roster.filter(asked).iter_rows(named=True)}
    last = dict(seen.later.iter_rows())
    return [
        Retest(
            id=row["id"], student_id=row["student_id"], name=display_name(names, row["student_id"]),
            school=place[row["student_id"]]["school"], section=place[row["student_id"]]["section"], why=row["why"],
            accommodations=row["accommodations"], asked_by=row["asked_by"], asked_at=row["asked_at"],
            state=row["state"],
            sat_since=(last.get(row["student_id"]) or date.min) > row["asked_at"].date(),
        )
        for row in rows.iter_rows(named=True)
        if row["student_id"] in place
    ]  # fmt: skip


def _targets(table: ScoreTable, scope: Scope, window: str) -> dict[str, float]:
    """Lowest score of the upper half of the bands by grade: the season's cut, else the year-end one."""
    season = parse_window(window).season
    own = table.cuts.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
    # A few dozen rows: gone through one by one they take a tenth of the time of a look for each grade.
    by_grade: dict[str, dict[str | None, list[float | None]]] = {}
    for grade, of, low in own.sort("order").select("grade", "season", "min_score").iter_rows():
        by_grade.setdefault(grade, {}).setdefault(of, []).append(low)
    found: dict[str, float] = {}
    for grade, by_season in by_grade.items():
        lows = [low for low in by_season.get(season) or by_season.get(None, []) if low is not None]
        if lows:
            found[grade] = lows[len(lows) // 2]
    return found


def _languages(table: ScoreTable, scope: Scope, seen: WindowSittings, names: Names) -> list[TwoLanguages]:
    window = seen.window
    return two_languages(seen, names, _targets(table, scope, window), _spreads(table, scope, window))


def _spreads(table: ScoreTable, scope: Scope, window: str) -> dict[str, float]:
    """Standard deviation of the norm by grade in the window's season, the middle one of several weeks."""
    mine = (pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject)
    rows = table.norms.filter(mine & (pl.col("season") == parse_window(window).season))
    return {str(grade): float(sd) for grade, sd in rows.group_by("grade").agg(pl.col("sd").median()).iter_rows()}


class Looked:
    """What the step, the rail and Home share: the window with its sittings, and what is doubtful in it.

    Thousands of results can be doubtful: they are put into words for whoever shows them.
    """

    def __init__(self, seen: WindowSittings, data: CheckData, names: Names) -> None:
        self.seen = seen
        self._found, self.rushed = doubtful(seen, data)
        self._entitled, self._names = entitled_to(data, seen.day), names

    def _words(self, found: pl.DataFrame) -> list[Doubtful]:
        return doubts_in_words(found, self._entitled, self._names)

    @cached_property
    def doubts(self) -> list[Doubtful]:
        """Every doubtful result, a suggested retest first."""
        return self._words(self._found)

    @cached_property
    def both(self) -> list[Doubtful]:
        """Those of them that were too fast and far below."""
        return self._words(self._found.filter("both"))

    @property
    def pending(self) -> list[Doubtful]:
        """Doubtful results that somebody should decide about."""
        return [one for one in self.both if one.state is None and not one.retest]


def looked_at(table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date) -> Looked:
    """The scope's window looked at, once for whoever asks about it in this state of the data."""
    plain = scope.model_copy(update={"by": None, "by2": None})
    return data.decided.once(
        ("looked at", table.version, table.view, plain, today),
        lambda: Looked(window_sittings(table, scope, data, today), data, names),
    )


def check_answer(
    table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date, *, groups: tuple[str, ...] = (),
    everyone: str = "all students",
) -> CheckAnswer:  # fmt: skip
    """The whole step."""
    looked = looked_at(table, scope, data, names, today)
    seen, doubts, rushed = looked.seen, looked.doubts, looked.rushed
    classes = completion(seen, data, names, table)
    expected, tested = seen.roster.height, sum(one.tested for one in classes)
    excused = sum(one.excused for one in classes)
    waiting = expected - tested - excused
    languages = _languages(table, scope, seen, names)
    caption = (
        f"{measure_title(scope.assessment, scope.subject)} for {who_title(scope, groups, everyone)}, {seen.window}."
    )
    return CheckAnswer(
        caption=caption, window=seen.window, open=seen.is_open,
        headline=_headline(expected, tested, waiting), lead=_lead(seen, excused, looked.pending, rushed),
        expected=expected,
        tested=tested, excused=excused, waiting=waiting, classes=classes, rushed=rushed, doubts=doubts,
        believed=sum(one.state == "kept" for one in doubts), several=several_sittings(seen, names),
        languages=languages, language_words=language_words(languages),
        without=_without(seen, data, names), retests=_retests(seen, data, names),
        notes=_notes(seen),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class CheckSeen:
    """What of a check stands out by itself, for Home and the pages."""

    looked: Looked
    languages: list[TwoLanguages]

    @property
    def window(self) -> str:
        """The window that is checked."""
        return self.looked.seen.window


def check_seen(table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date) -> CheckSeen:
    """Classes that rushed, doubtful results and pairs of languages of the window that is checked."""
    looked = looked_at(table, scope, data, names, today)
    return CheckSeen(looked, _languages(table, scope, looked.seen, names))


class CheckLine(BaseModel):
    """The step in one line and in one sentence, for the rail and Home."""

    line: str
    finding: str


def check_line(table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date) -> CheckLine:
    """What the rail and Home say of the step."""
    looked = looked_at(table, scope, data, names, today)
    roster = _reasons(looked.seen, data, table)
    expected, tested = roster.height, int(roster["tested"].sum())
    if not expected:
        return CheckLine(line="nobody expected", finding=f"Nobody is expected in {looked.seen.window}.")
    excused = roster.filter(~pl.col("tested"), pl.col("reason").is_not_null()).height
    waiting, pending = expected - tested - excused, looked.pending
    line = f"{waiting:,} not tested" if waiting else "all accounted for"
    if pending:
        line += f", {len(pending)} in doubt"
    lead = _lead(looked.seen, excused, pending, looked.rushed)
    return CheckLine(line=line, finding=f"{_headline(expected, tested, waiting)}. {lead}")


def _headline(expected: int, tested: int, waiting: int) -> str:
    if not expected:
        return "Nobody is expected here"
    if not waiting:
        return f"All {expected:,} are accounted for"
    return f"{tested:,} of {expected:,} tested; {waiting:,} to follow up"


def _lead(seen: WindowSittings, excused: int, pending: list[Doubtful], rushed: list[Rushed]) -> str:
    sentences = []
    if seen.is_open:
        sentences.append("The window is still open.")
    if excused:
        sentences.append(f"{plural(excused, 'student is', 'students are')} missing for a known reason.")
    if rushed:
        one = rushed[0]
        sentences.append(f"Class {one.section} rushed: {one.fast} of {one.tested} tests were too fast to believe.")
    loose = [one for one in pending if all(one.section != other.section for other in rushed)]
    if pending:
        more = f", {len(loose):,} of them elsewhere" if rushed and loose else ""
        sentences.append(f"{plural(len(pending), 'result was', 'results were')} both too fast and far below{more}.")
    return " ".join(sentences) or "No result of this window is both too fast and far below what the student did before."


def _notes(seen: WindowSittings) -> list[str]:
    inside, notes = seen.sittings, []
    if inside.height and inside["minutes"].null_count() == inside.height:
        notes.append("These results have no minutes, so results that were too fast cannot be found.")
    if not seen.roster.height:
        notes.append("Nobody in this view is on the roster of that school year.")
    return notes
