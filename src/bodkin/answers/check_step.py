"""The Check step: are the results complete, and can we believe them?"""

from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.scope import Scope, measure_title, who_title
from bodkin.answers.steps import Names, display_name, plural
from bodkin.core.arrays import FloatArray
from bodkin.core.belief import doubt, language_or_skill, two_sittings
from bodkin.core.windows import grade_key, parse_window
from bodkin.store.checking import CheckData
from bodkin.store.score_table import ScoreTable

NOT_COUNTED = ("beside", "set aside")
NEWLY = "newly arrived"
RUSHED_SHARE, RUSHED_FEWEST = 1 / 3, 6
"""A class is named as rushed where at least a third of its tests, and at least six, were too fast."""
CHANCE = 0.5
"""Share of right answers below which a multiple-choice adaptive test was rather guessed than worked on."""


class Missing(BaseModel):
    """A student without a result in the window; the reason where one is known."""

    student_id: str
    name: str
    reason: str | None
    recorded: bool


class ClassLine(BaseModel):
    """How far a class is: expected, tested, and who is missing."""

    school: str | None
    section: str
    grade: str | None
    teacher: str | None
    expected: int
    tested: int
    excused: int
    missing: list[Missing]


class Doubtful(BaseModel):
    """A result that is hard to believe, with the evidence; ``both`` suggests a retest.

    Minutes; ``limit`` is the fastest twentieth of the grade; ``change`` in spreads of the
    difference's error against the last result.
    """

    result_id: int
    student_id: str
    name: str
    grade: str | None
    school: str | None
    section: str | None
    language: str | None
    tested_on: date | None
    score: float
    standard_error: float | None
    minutes: float | None
    limit: float | None
    own_median: float | None
    last_score: float | None
    last_window: str | None
    change: float | None
    items_tried: int | None
    items_right: int | None
    used: str | None
    entitled: list[str]
    fast_for_all: bool
    fast_for_self: bool
    far_below: bool
    both: bool
    why: str
    state: str | None
    decided: str | None
    retest: bool


class OneSitting(BaseModel):
    """One of several sittings of a student in the window."""

    result_id: int
    tested_on: date | None
    score: float
    standard_error: float | None
    minutes: float | None
    used: str | None
    counts: bool
    state: str | None
    decided: str | None


class SeveralSittings(BaseModel):
    """A student with several results in the window; ``difference`` the last less the first, with its error."""

    student_id: str
    name: str
    section: str | None
    language: str | None
    difference: float
    error: float | None
    beyond: bool
    sittings: list[OneSitting]


class TwoLanguages(BaseModel):
    """A student with results in two languages: the home language less English, in errors of the difference."""

    student_id: str
    name: str
    section: str | None
    home: str
    home_score: float
    home_error: float | None
    english_score: float
    english_error: float | None
    difference: float
    errors: float | None
    need: str


class Without(BaseModel):
    """A student who sat without what the plan promises."""

    student_id: str
    name: str
    section: str | None
    entitled: list[str]
    used: str | None


class Retest(BaseModel):
    """A second sitting that was asked for."""

    id: int
    student_id: str
    name: str
    school: str | None
    section: str | None
    why: str
    accommodations: str | None
    asked_by: str | None
    asked_at: datetime
    state: str
    sat_since: bool


class Rushed(BaseModel):
    """A class many of whose tests were too fast."""

    section: str
    school: str | None
    fast: int
    tested: int


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


@dataclass(frozen=True, slots=True)
class Looked:
    """What a check looks at: the scope's window, and who of the roster belongs to it."""

    window: str
    is_open: bool
    roster: pl.DataFrame
    sittings: pl.DataFrame


def _window(table: ScoreTable, scope: Scope, data: CheckData, today: date) -> tuple[str, bool]:
    """The later window once it has begun or has results, else the earlier one; and whether it is still open."""
    span = table.calendar.windows.get(scope.to_window)
    there = data.sittings.filter(pl.col("window") == scope.to_window).height > 0
    chosen = scope.to_window if there or (span is not None and span[0] <= today) else scope.from_window
    days = table.calendar.windows.get(chosen)
    return chosen, days is not None and days[0] <= today <= days[1]


def look(table: ScoreTable, scope: Scope, data: CheckData, today: date) -> Looked:
    """The window that is checked, the students expected in it, and its sittings.

    The roster is that of the window's last day, or of today where that is earlier; filters go by it.
    """
    window, is_open = _window(table, scope, data, today)
    year = parse_window(window).school_year
    roster = data.rosters.get(year)
    days = table.calendar.windows.get(window)
    day = min(today, days[1]) if days is not None else today
    if roster is None:
        roster = pl.DataFrame(schema={**_ROSTER, "first_day": pl.Date})
    begins = pl.col("since").min().over("student_id").alias("first_day")
    here = (pl.col("since").is_null() | (pl.col("since") <= day)) & (
        pl.col("until").is_null() | (pl.col("until") >= day)
    )
    home_first = pl.col("kind").eq_missing(pl.lit("home")).not_()
    roster = (
        roster.with_columns(begins, home_first.alias("other"))
        .filter(here)
        .sort("student_id", "other", maintain_order=True)
        .unique("student_id", keep="first", maintain_order=True)
    )
    # Only the grades that sit this test at all.
    grades = data.sittings.filter(pl.col("window") == window)["grade"].drop_nulls().unique().to_list()
    if grades:
        roster = roster.filter(pl.col("grade").is_in(grades) | pl.col("grade").is_null())
    roster = _narrowed(roster, scope, data)
    sittings = _as_decided(data.sittings, data).filter(pl.col("student_id").is_in(roster["student_id"].to_list()))
    if scope.language is not None:
        sittings = sittings.filter(pl.col("language") == scope.language)
    return Looked(window, is_open, roster, sittings)


_ROSTER: dict[str, Any] = {
    "student_id": pl.String, "school": pl.String, "section": pl.String, "teacher": pl.String, "grade": pl.String,
    "since": pl.Date, "until": pl.Date, "kind": pl.String,
}  # fmt: skip


def _as_decided(sittings: pl.DataFrame, data: CheckData) -> pl.DataFrame:
    """Sittings with what has been decided about them by now."""
    told = ["state", "state_why", "state_by"]
    return sittings.drop(told).join(data.states, on="result_id", how="left", maintain_order="left")


def _narrowed(roster: pl.DataFrame, scope: Scope, data: CheckData) -> pl.DataFrame:
    for name in ("grade", "school", "section", "teacher"):
        if values := getattr(scope, name):
            roster = roster.filter(pl.col(name).is_in(list(values)))
    if scope.program:
        named = data.programs.filter(pl.col("program").is_in(list(scope.program)))["student_id"]
        inside = pl.col("student_id").is_in(named.to_list())
        if "none" in scope.program:
            inside = inside | ~pl.col("student_id").is_in(data.programs["student_id"].unique().to_list())
        roster = roster.filter(inside)
    if scope.students is not None:
        roster = roster.filter(pl.col("student_id").is_in(list(scope.students)))
    return roster


def _counting(sittings: pl.DataFrame) -> pl.DataFrame:
    """Sittings that count, the one of each window and language last."""
    return sittings.filter(~pl.col("state").is_in(list(NOT_COUNTED)).fill_null(value=False)).sort(
        ["tested_on", "result_id"], nulls_last=False
    )


def completion(looked: Looked, data: CheckData, names: Names, table: ScoreTable) -> list[ClassLine]:
    """How far each class is, those with most to chase first."""
    inside = _counting(looked.sittings).filter(pl.col("window") == looked.window)
    tested = set(inside["student_id"])
    reasons = data.reasons.filter(pl.col("window") == looked.window).select("student_id", "reason")
    told = dict(reasons.iter_rows())
    days = table.calendar.windows.get(looked.window)
    lines = []
    for _, rows in looked.roster.group_by("school", "section", maintain_order=True):
        missing = []
        for row in rows.iter_rows(named=True):
            student = row["student_id"]
            if student in tested:
                continue
            late = days is not None and row["first_day"] is not None and row["first_day"] > days[0]
            reason = told.get(student) or (NEWLY if late else None)
            missing.append(
                Missing(student_id=student, name=display_name(names, student), reason=reason, recorded=student in told)
            )
        first = rows.row(0, named=True)
        grades = Counter(rows["grade"].drop_nulls())
        lines.append(
            ClassLine(
                school=first["school"], section=first["section"] or "without a class",
                grade=grades.most_common(1)[0][0] if grades else None, teacher=first["teacher"], expected=rows.height,
                tested=rows.height - len(missing), excused=sum(one.reason is not None for one in missing),
                missing=sorted(missing, key=lambda one: (one.reason is not None, one.name)),
            )
        )  # fmt: skip
    return sorted(
        lines,
        key=lambda one: (
            -(one.expected - one.tested - one.excused), one.school or "", grade_key(one.grade or ""), one.section,
        ),
    )  # fmt: skip


def _floats(frame: pl.DataFrame, name: str) -> FloatArray:
    return frame[name].cast(pl.Float64).fill_null(float("nan")).to_numpy()


def _positive(frame: pl.DataFrame, name: str) -> FloatArray:
    """Minutes or errors; what is 0 or less was not measured."""
    values = _floats(frame, name)
    return np.where(values > 0, values, np.nan)


def _last_counted(past: pl.DataFrame, order: dict[str, int]) -> pl.DataFrame:
    """Each student's last counted result before the window: ``last_score``, ``last_error``, ``last_window``."""
    return (
        past.with_columns(place=pl.col("window").replace_strict(order, default=None, return_dtype=pl.Int64))
        .sort("place")
        .unique("student_id", keep="last", maintain_order=True)
        .select(
            "student_id",
            pl.col("score").alias("last_score"),
            pl.col("standard_error").alias("last_error"),
            pl.col("window").alias("last_window"),
        )
    )


def _earlier_minutes(now: pl.DataFrame, past: pl.DataFrame) -> FloatArray:
    """Minutes of earlier windows, a row a student, NaN where there are none."""
    if not past.height:
        return np.full((now.height, 1), np.nan)
    wide = past.pivot("window", index="student_id", values="minutes")
    joined = now.select("student_id").join(wide, on="student_id", how="left", maintain_order="left")
    before = joined.drop("student_id").cast(pl.Float64).fill_null(float("nan")).to_numpy()
    return np.where(before > 0, before, np.nan)


def doubts_of(data: CheckData, window: str) -> pl.DataFrame:
    """Every sitting of the window in the district with its doubts, grade by grade and language by language.

    Adds ``fast_for_all``, ``fast_for_self``, ``far_below``, ``limit``, ``own_median`` and ``change``
    (missing where they cannot be told) and the last counted result before.
    """
    if window in data.worked:
        return data.worked[window]
    order = {name: at for at, name in enumerate(_in_order(data.sittings))}
    before = [name for name in order if order[name] < order.get(window, 0)]
    past = _counting(data.sittings).filter(pl.col("window").is_in(before))
    past = past.unique(["student_id", "window", "language"], keep="last", maintain_order=True)
    parts = []
    for (_, language), now in data.sittings.filter(pl.col("window") == window).group_by(
        "grade", "language", maintain_order=True
    ):
        mine = past.filter(pl.col("language").eq_missing(pl.lit(language, dtype=pl.String)))
        rows = now.join(_last_counted(mine, order), on="student_id", how="left", maintain_order="left")
        found = doubt(
            _positive(rows, "minutes"), _earlier_minutes(rows, mine), _floats(rows, "score"),
            _positive(rows, "standard_error"), _floats(rows, "last_score"), _positive(rows, "last_error"),
        )  # fmt: skip
        parts.append(
            rows.with_columns(
                pl.Series("fast_for_all", found.fast_for_all),
                pl.Series("fast_for_self", found.fast_for_self),
                pl.Series("far_below", found.far_below),
                pl.lit(found.limit, dtype=pl.Float64).alias("limit"),
                pl.Series("own_median", found.own_median).fill_nan(None),
                pl.Series("change", found.change).fill_nan(None),
            )
        )
    whole = pl.concat(parts) if parts else data.sittings.clear()
    data.worked[window] = whole
    return whole


def doubtful(looked: Looked, data: CheckData, names: Names) -> tuple[list[Doubtful], list[Rushed]]:
    """Results of the window that are hard to believe, a suggested retest first; and classes that rushed."""
    whole = doubts_of(data, looked.window)
    if not whole.height:
        return [], []
    mine = whole.filter(pl.col("result_id").is_in(looked.sittings["result_id"].to_list()))
    mine = _as_decided(mine, data)
    entitled = _entitled(data)
    asked = set(data.retests.filter((pl.col("window") == looked.window) & (pl.col("state") == "open"))["student_id"])
    too_fast = pl.col("fast_for_all") | pl.col("fast_for_self")
    found = []
    for row in mine.filter(too_fast | pl.col("far_below")).iter_rows(named=True):
        fast = row["fast_for_all"] or row["fast_for_self"]
        found.append(
            Doubtful(
                **{name: row[name] for name in _SHOWN}, name=display_name(names, row["student_id"]),
                used=row["accommodations"], entitled=sorted(entitled.get(row["student_id"], ())),
                both=fast and row["far_below"], why=_why(row), decided=_decided(row),
                retest=row["student_id"] in asked,
            )
        )  # fmt: skip
    classes = mine.filter(pl.col("section").is_not_null()).group_by("school", "section", maintain_order=True)
    counted = classes.agg(too_fast.sum().alias("fast"), pl.len().alias("tested")).filter(
        (pl.col("fast") >= RUSHED_FEWEST) & (pl.col("fast") >= RUSHED_SHARE * pl.col("tested"))
    )
    rushed = [Rushed(**row) for row in counted.sort("fast", "section", descending=[True, False]).iter_rows(named=True)]
    return sorted(found, key=_weight), rushed


_SHOWN = (
    "result_id", "student_id", "grade", "school", "section", "language", "tested_on", "score", "standard_error",
    "minutes", "last_score", "last_window", "items_tried", "items_right", "state", "limit", "own_median", "change",
    "fast_for_all", "fast_for_self", "far_below",
)  # fmt: skip


def _weight(one: Doubtful) -> tuple[bool, bool, bool, float, str]:
    settled = one.state is not None or one.retest
    return settled, not one.both, not one.far_below, one.change if one.change is not None else 0.0, one.name


def _in_order(everyone: pl.DataFrame) -> list[str]:
    return [str(window) for window in sorted(map(parse_window, everyone["window"].drop_nulls().unique()))]


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _decided(row: dict[str, Any]) -> str | None:
    if row["state"] is None:
        return None
    by = f" by {row['state_by']}" if row["state_by"] else ""
    return f"{row['state']}{by}" + (f": {row['state_why']}" if row["state_why"] else "")


def _why(row: dict[str, Any]) -> str:
    told = []
    minutes = row["minutes"]
    if row["fast_for_all"]:
        told.append(f"{minutes:g} minutes, faster than 19 of 20 in this grade ({row['limit']:.0f})")
    if row["fast_for_self"]:
        told.append(f"{minutes:g} minutes, less than half of the {row['own_median']:g} it took before")
    if row["far_below"]:
        told.append(f"{row['score']:.0f} after {row['last_score']:.0f} in {row['last_window']}, beyond test error")
    tried, right = row["items_tried"], row["items_right"]
    if told and tried and right is not None and right < CHANCE * tried:
        told.append(f"{right} of {tried} items right")
    return "; ".join(told)


def _entitled(data: CheckData) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {}
    for student, accommodation, _, last in data.entitled.iter_rows():
        if last is None:
            found.setdefault(student, set()).add(accommodation)
    return found


def several_sittings(looked: Looked, names: Names) -> list[SeveralSittings]:
    """Students with several results in the window in one language: each sitting, and which one counts."""
    inside = looked.sittings.filter(pl.col("window") == looked.window).sort(
        ["tested_on", "result_id"], nulls_last=False
    )
    found = []
    for (student, language), rows in inside.group_by("student_id", "language", maintain_order=True):
        if rows.height < 2:
            continue
        counting = _counting(rows)
        counts = counting["result_id"].to_list()[-1] if counting.height else None
        first, last = rows.row(0, named=True), rows.row(rows.height - 1, named=True)
        errors = [_positive(rows, "standard_error")[at] for at in (-1, 0)]
        gap = two_sittings([last["score"]], [errors[0]], [first["score"]], [errors[1]])
        found.append(
            SeveralSittings(
                student_id=str(student), name=display_name(names, str(student)), section=last["section"],
                language=language if isinstance(language, str) else None, difference=float(gap.difference[0]),
                error=_known(gap.error[0]), beyond=bool(abs(np.nan_to_num(gap.errors[0])) > 1.96),
                sittings=[
                    OneSitting(
                        result_id=row["result_id"], tested_on=row["tested_on"], score=row["score"],
                        standard_error=row["standard_error"], minutes=row["minutes"], used=row["accommodations"],
                        counts=row["result_id"] == counts, state=row["state"], decided=_decided(row),
                    )
                    for row in rows.iter_rows(named=True)
                ],
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: (-abs(one.difference), one.name))


def two_languages(looked: Looked, names: Names, target: dict[str, float]) -> list[TwoLanguages]:
    """Students with a result in another language beside the English one, the largest difference first.

    ``target``: lowest score of the upper half of the bands, by grade.
    """
    inside = _counting(looked.sittings).filter(pl.col("window") == looked.window)
    inside = inside.unique(["student_id", "language"], keep="last", maintain_order=True)
    english = inside.filter(pl.col("language") == "English")
    home = inside.filter(pl.col("language").is_not_null() & (pl.col("language") != "English"))
    both = home.join(english, on="student_id", suffix="_english", maintain_order="left")
    if not both.height:
        return []
    gap = two_sittings(
        _floats(both, "score"), _positive(both, "standard_error"), _floats(both, "score_english"),
        _positive(both, "standard_error_english"),
    )  # fmt: skip
    low = np.array([target.get(grade, np.nan) for grade in both["grade"].fill_null("")])
    needs = language_or_skill(gap, _floats(both, "score") < low, _floats(both, "score_english") < low)
    rows = [
        TwoLanguages(
            student_id=row["student_id"], name=display_name(names, row["student_id"]), section=row["section_english"],
            home=row["language"], home_score=row["score"], home_error=row["standard_error"],
            english_score=row["score_english"], english_error=row["standard_error_english"],
            difference=float(gap.difference[at]), errors=_known(gap.errors[at]), need=needs[at],
        )
        for at, row in enumerate(both.iter_rows(named=True))
    ]  # fmt: skip
    return sorted(rows, key=lambda one: (-one.difference, one.name))


def _language_words(rows: list[TwoLanguages]) -> str:
    if not rows:
        return ""
    needs = Counter(row.need for row in rows)
    home = Counter(row.home for row in rows).most_common(1)[0][0]
    told = f"{plural(len(rows), 'student')} sat it in {home} and in English"
    if needs["language"]:
        told += (
            f"; {needs['language']} did better in {home} than test error explains: there the need is one of language"
        )
    if needs["skill"]:
        told += f"; for {needs['skill']} both lie below the target: there it is one of skill"
    return told + "."


def _without(looked: Looked, data: CheckData, names: Names) -> list[Without]:
    entitled = _entitled(data)
    inside = _counting(looked.sittings).filter(pl.col("window") == looked.window)
    last = inside.unique("student_id", keep="last", maintain_order=True)
    return [
        Without(
            student_id=row["student_id"], name=display_name(names, row["student_id"]), section=row["section"],
            entitled=sorted(entitled[row["student_id"]]), used=row["accommodations"],
        )
        for row in last.iter_rows(named=True)
        if entitled.get(row["student_id"], set()) - set((row["accommodations"] or "").split(";"))
    ]  # fmt: skip


def _retests(looked: Looked, data: CheckData, names: Names) -> list[Retest]:
    place = {row["student_id"]: row for row in looked.roster.iter_rows(named=True)}
    last = dict(looked.sittings.group_by("student_id").agg(pl.col("tested_on").max()).iter_rows())
    rows = data.retests.filter(pl.col("window") == looked.window)
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
    found: dict[str, float] = {}
    for (grade,), rows in own.group_by("grade"):
        of_season = rows.filter(pl.col("season") == season)
        used = (of_season if of_season.height else rows.filter(pl.col("season").is_null())).sort("order")
        lows = used["min_score"].drop_nulls().to_list()
        if lows:
            found[str(grade)] = lows[len(lows) // 2]
    return found


def check_answer(
    table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date, *, groups: tuple[str, ...] = (),
    everyone: str = "all students", named: bool = True,
) -> CheckAnswer:  # fmt: skip
    """The whole step. ``named`` false leaves out what needs the evidence, for the rail's one line."""
    looked = look(table, scope, data, today)
    classes = completion(looked, data, names, table)
    expected, tested = looked.roster.height, sum(one.tested for one in classes)
    excused = sum(one.excused for one in classes)
    waiting = expected - tested - excused
    doubts, rushed = doubtful(looked, data, names)
    pending = [one for one in doubts if one.both and one.state is None and not one.retest]
    languages = two_languages(looked, names, _targets(table, scope, looked.window)) if named else []
    caption = (
        f"{measure_title(scope.assessment, scope.subject)} for {who_title(scope, groups, everyone)}, {looked.window}."
    )
    return CheckAnswer(
        caption=caption, window=looked.window, open=looked.is_open,
        headline=_headline(expected, tested, waiting), lead=_lead(looked, excused, pending, rushed), expected=expected,
        tested=tested, excused=excused, waiting=waiting, classes=classes, rushed=rushed, doubts=doubts,
        believed=sum(one.state == "kept" for one in doubts), several=several_sittings(looked, names) if named else [],
        languages=languages, language_words=_language_words(languages),
        without=_without(looked, data, names) if named else [], retests=_retests(looked, data, names),
        notes=_notes(looked),
    )  # fmt: skip


class CheckLine(BaseModel):
    """The step in one line and in one sentence, for the rail and Home."""

    line: str
    finding: str


def check_line(table: ScoreTable, scope: Scope, data: CheckData, names: Names, today: date) -> CheckLine:
    """What the rail and Home say of the step."""
    told = check_answer(table, scope, data, names, today, named=False)
    if not told.expected:
        return CheckLine(line="nobody expected", finding=f"Nobody is expected in {told.window}.")
    pending = sum(one.both and one.state is None and not one.retest for one in told.doubts)
    line = f"{told.waiting} not tested" if told.waiting else "all accounted for"
    if pending:
        line += f", {pending} in doubt"
    return CheckLine(line=line, finding=f"{told.headline}. {told.lead}")


def _headline(expected: int, tested: int, waiting: int) -> str:
    if not expected:
        return "Nobody is expected here"
    if not waiting:
        return f"All {expected} are accounted for"
    return f"{tested:,} of {expected:,} tested; {waiting:,} to chase"


def _lead(looked: Looked, excused: int, pending: list[Doubtful], rushed: list[Rushed]) -> str:
    told = []
    if looked.is_open:
        told.append("The window is still open.")
    if excused:
        told.append(f"{plural(excused, 'student is', 'students are')} missing for a known reason.")
    if rushed:
        one = rushed[0]
        told.append(f"Class {one.section} hurried: {one.fast} of {one.tested} tests were too fast to believe.")
    loose = [one for one in pending if all(one.section != other.section for other in rushed)]
    if pending:
        more = f", {len(loose)} of them elsewhere" if rushed and loose else ""
        told.append(f"{plural(len(pending), 'result was', 'results were')} both too fast and far below{more}.")
    return " ".join(told) or "No result of this window is both too fast and far below what the student did before."


def _notes(looked: Looked) -> list[str]:
    inside = looked.sittings.filter(pl.col("window") == looked.window)
    notes = []
    if inside.height and inside["minutes"].null_count() == inside.height:
        notes.append("There are no minutes with these results: who was too fast cannot be told.")
    if not looked.roster.height:
        notes.append("Nobody of this scope is on the roster of that school year.")
    return notes
