"""What is known of one student for a page, without words: each figure as its step has it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from bodkin.answers.comparison.norms.threads import Thread
from bodkin.answers.comparison.step_answer import StudentRow
from bodkin.store.reads.student.many import GoalRow

Measure = tuple[str, str]


@dataclass(frozen=True, slots=True)
class StrandFact:
    """A strand's score and whether it lies below (-1) or above (1) the line beyond error, else 0; None unknown."""

    strand: str
    score: float
    verdict: int | None


@dataclass(frozen=True, slots=True)
class StrandsFact:
    """The strands of a test at its latest window with any; ``line``: what they are held against."""

    window: str
    line: str
    of_points: bool
    strands: Sequence[StrandFact]


@dataclass(frozen=True, slots=True)
class SkillsFact:
    """Standards of a subject that are held, and those to build next from the ground up, as the district words them."""

    held: Sequence[str]
    next: Sequence[str]


@dataclass(frozen=True, slots=True)
class HelpFact:
    """A group the student is in today, and its sessions so far."""

    group: str
    focus: str
    adult: str | None
    times_a_week: int | None
    minutes: float | None
    came: int
    held: int


@dataclass(frozen=True, slots=True)
class ItemFact:
    """An item of a common test: the student's answer, the right ones, and its standards."""

    item: str
    own: str | None
    keys: Sequence[str]
    right: bool
    standards: Sequence[str]


@dataclass(frozen=True, slots=True)
class ItemsFact:
    """A common test the student sat."""

    test: str
    items: Sequence[ItemFact]


@dataclass(frozen=True, slots=True)
class DecisionFact:
    """A decision of the team."""

    day: date
    words: str
    who: str | None
    review_on: date | None


@dataclass(frozen=True, slots=True)
class Facts:
    """One student. ``rounds``: the sentence's windows by measure; ``threads``: results over the years asked for.

    ``to_come``: the later window is not over yet.
    ``practice``: minutes over the last ``PRACTICE_WEEKS`` weeks, None where practice is not kept for the student.
    """

    student_id: str
    given: str
    family: str
    grade: str | None
    school: str | None
    section: str | None
    from_window: str
    to_window: str
    to_come: bool = False
    rounds: Mapping[Measure, StudentRow] = field(default_factory=dict)
    threads: Sequence[Thread] = ()
    strands: Mapping[Measure, StrandsFact] = field(default_factory=dict)
    skills: Mapping[str, SkillsFact] = field(default_factory=dict)
    goals: Sequence[GoalRow] = ()
    help: Sequence[HelpFact] = ()
    practice: float | None = None
    items: ItemsFact | None = None
    accommodations: Sequence[str] = ()
    notes: Sequence[tuple[date, str]] = ()
    internal: Sequence[tuple[date, str]] = ()
    doubtful: Sequence[str] = ()
    decisions: Sequence[DecisionFact] = ()
    contacts: Sequence[str] = ()

    @property
    def name(self) -> str:
        """As people say it."""
        return f"{self.given} {self.family}".strip() or self.student_id

    @property
    def anything(self) -> bool:
        """Whether there is any result to print."""
        return bool(self.rounds or self.threads)


PRACTICE_WEEKS = 4
