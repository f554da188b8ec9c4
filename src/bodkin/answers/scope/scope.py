"""The scope: what is being looked at."""

from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from bodkin.core.errors import BadInput
from bodkin.core.windows import Window, read_window

BY = ("school", "grade", "teacher", "section", "language", "program", "group")
"""What a breakdown can go by, besides any field of the roster."""

FIELD = "field:"
"""How a breakdown by a field of the roster begins: ``field:sex``."""

FEW = 100
"""So many students are looked at without what is kept of everybody."""

CutChoice = Literal["season", "year-end"]
Against = Literal["norms", "local", "district"]
Follow = Literal["students", "grade"]
Roster = Literal["then", "today"]
By = str


class ScopeFields(BaseModel):
    """The fields of a scope that an address can hold; the client's type is generated from them.

    Values of one filter add up, filters narrow each other, and ``all_but`` turns the whole
    choice round. An empty filter lets all through. One window alone is given as both; ``between``
    are further windows between the two. ``follow``: the same students over the windows, or the same
    grade at each. ``roster``: school, class, teacher and programs as on the day of the test, or as of
    today. ``section`` takes a name, which two schools may share, or ``school: name``. ``field`` holds
    values of roster fields as ``name: value``. ``group_on``: the groups' members of that day instead of today's.
    """

    assessment: str
    subject: str
    strand: str | None = None
    from_window: str
    to_window: str
    between: tuple[str, ...] = ()
    follow: Follow = "students"
    matched: bool = True
    cuts: CutChoice = "season"
    against: Against = "norms"
    roster: Roster = "then"
    all_but: bool = False
    grade: tuple[str, ...] = ()
    school: tuple[str, ...] = ()
    section: tuple[str, ...] = ()
    teacher: tuple[str, ...] = ()
    program: tuple[str, ...] = ()
    field: tuple[str, ...] = ()
    language: str | None = None
    group: tuple[int, ...] = ()
    group_on: date | None = None
    by: By | None = None
    by2: By | None = None


class Scope(ScopeFields):
    """A question's scope: measure, windows, who, matched or all, which cuts, against what.

    ``students`` narrows to a list of students, such as the pins or the members of a group;
    ``reach`` holds those the person may see, which nothing turns round.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    students: frozenset[str] | None = Field(default=None)
    reach: frozenset[str] | None = Field(default=None)

    @field_validator("from_window", "to_window")
    @classmethod
    def _window(cls, text: str) -> str:
        return str(read_window(text))

    @field_validator("between")
    @classmethod
    def _windows(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(str(window) for window in sorted({read_window(text) for text in texts}))

    @field_validator("by", "by2")
    @classmethod
    def _breakdown(cls, by: str | None) -> str | None:
        if by is not None and by not in BY and not (by.startswith(FIELD) and len(by) > len(FIELD)):
            raise BadInput(f'"{by}" is not a breakdown; there are {", ".join(BY)} and fields such as {FIELD}sex')
        return by

    @field_validator("field")
    @classmethod
    def _fields(cls, values: tuple[str, ...]) -> tuple[str, ...]:
        for value in values:
            if ": " not in value:
                raise BadInput(f'"{value}" is not a value of a field; write it like "sex: female"')
        return values

    @model_validator(mode="after")
    def _in_order(self) -> "Scope":
        if self.second < self.first:
            raise BadInput(f'the second window must come after the first; "{self.second.label}" does not')
        for window in map(read_window, self.between):
            if not self.first < window < self.second:
                raise BadInput(f'"{window.label}" does not lie between the first and the second window')
        if self.by2 is not None and self.by in (None, self.by2):
            raise BadInput("a second breakdown needs a different first one")
        return self

    @property
    def first(self) -> Window:
        """The earliest window."""
        return read_window(self.from_window)

    @property
    def second(self) -> Window:
        """The latest window."""
        return read_window(self.to_window)

    @property
    def windows(self) -> list[Window]:
        """All windows in order; one alone stands once."""
        if self.single:
            return [self.second]
        return [self.first, *map(read_window, self.between), self.second]

    @property
    def single(self) -> bool:
        """Whether one window alone is looked at."""
        return self.from_window == self.to_window

    @property
    def paired(self) -> bool:
        """Whether shares stand on students with a result in every window."""
        return self.matched and self.follow == "students" and not self.single

    def over(self, students: frozenset[str] | None) -> "Scope":
        """The same measure and windows over some students (None: everybody in reach), whatever else it narrows to."""
        lists = dict.fromkeys(("grade", "school", "section", "teacher", "program", "field", "group"), ())
        return self.model_copy(update={**lists, "students": students, "all_but": False, "language": None})

    @property
    def few(self) -> frozenset[str] | None:
        """The students that alone are looked at, where they are few; None for more, or for all but some."""
        named = self.students is not None and len(self.students) <= FEW and not self.all_but
        return self.students if named else None

    @property
    def narrowed(self) -> bool:
        """Whether anything narrows whom is looked at, besides what the person may see."""
        lists = (self.grade, self.school, self.section, self.teacher, self.program, self.field, self.group)
        return self.students is not None or bool(any(lists) or self.language)
