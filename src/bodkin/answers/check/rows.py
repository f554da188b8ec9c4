"""The rows of the Check step: who is missing, what is doubtful, what stands twice."""

from datetime import date, datetime

from pydantic import BaseModel


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
    """A student with results in two languages: the home language less English, in errors of the difference.

    ``need``: language, skill or cannot tell; None without an error, a norm or a target to say so.
    """

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
    need: str | None


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
