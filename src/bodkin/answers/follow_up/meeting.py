"""A team meeting: whom the rules put on its list, and what the team needs of one student on one screen."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from pydantic import BaseModel, Field

from bodkin.answers.comparison.explanations import growth_words
from bodkin.answers.comparison.step_answer import Names, StudentRow, display_name
from bodkin.answers.follow_up.given import ENOUGH
from bodkin.answers.follow_up.group import Series
from bodkin.answers.follow_up.practice.many import PracticeRow
from bodkin.answers.follow_up.standings import GroupStanding
from bodkin.answers.words import percent
from bodkin.core.windows import day_words


@dataclass(frozen=True, slots=True)
class Review:
    """A decision that a team said it would look at again."""

    student: str
    kind: str
    on: date


class Suggested(BaseModel):
    """A student whom the rules put on the list, with every reason."""

    student_id: str
    name: str
    group: str | None
    reasons: list[str]


class StandingLine(BaseModel):
    """Where a student stands in a measure over the sentence's windows."""

    measure: str
    row: StudentRow


class GroupEvidence(BaseModel):
    """A student in a group: the picture with the figures, as Follow-up shows them."""

    group: int
    name: str
    focus: str
    assessment: str
    subject: str
    adaptive: bool
    first: date
    last: date
    series: Series
    sessions: list[date]


class MeetingEvidence(BaseModel):
    """What the team looks at of one student; kept with a decision as it was on its day."""

    on: date
    groups: list[GroupEvidence]
    standing: list[StandingLine]
    practice: PracticeRow | None
    practice_period: str | None


class DecisionSeen(BaseModel):
    """A decision: what, by whom, when it is looked at again, and whether it was carried out."""

    id: int
    day: date
    kind: str
    words: str
    text: str | None
    who: str | None
    review_on: date | None
    due: bool
    done: bool | None
    group: str | None
    meeting: int | None
    made_by: str | None


class TeamStudent(BaseModel):
    """One student before the team: what was decided last time first, then the evidence of today."""

    student_id: str
    name: str
    grade: str | None
    school: str | None
    programs: list[str]
    decided: list[DecisionSeen] = Field(description="the latest first")
    lines: list[str] = Field(description="the evidence in sentences, what calls for a decision first")
    evidence: MeetingEvidence


DECISIONS = {
    "stay": "Stay with the help", "change": "Change the help", "pause": "Pause the help", "raise": "Raise the goal",
    "end": "End the help", "other": "Something else",
}  # fmt: skip
"""Kinds of decisions as people say them."""


def suggested(
    groups: Iterable[GroupStanding], leaves: Mapping[str, str], reviews: Sequence[Review], on: date, names: Names
) -> list[Suggested]:
    """Students to talk about, those with most reasons first.

    Who needs a decision by the rule, who received too little help, who meets the exit rule of a group (``leaves``:
    the group's name by student), and whose review is due by the day ``on``.
    """
    reasons: dict[str, list[str]] = {}
    group_of: dict[str, str] = {}
    for one in reviews:
        if one.on <= on:
            words = DECISIONS.get(one.kind, one.kind)
            reasons.setdefault(one.student, []).append(f"review due {day_words(one.on)}: {words.lower()}")
    for group in groups:
        for one_of in group.students:
            group_of.setdefault(one_of.student_id, group.name)
            said = reasons.setdefault(one_of.student_id, [])
            if one_of.confirmed:
                said.append("the rule says change the help" if one_of.act == "change" else "the goal could be higher")
            if one_of.given.share is not None and one_of.given.share < ENOUGH:
                said.append(f"received {percent(one_of.given.share)} of the planned minutes")
    for student, name in leaves.items():
        reasons.setdefault(student, []).append(f"meets the exit rule of {name}")
        group_of.setdefault(student, name)
    found = [
        Suggested(student_id=student, name=display_name(names, student), group=group_of.get(student), reasons=why)
        for student, why in reasons.items()
        if why
    ]
    return sorted(found, key=lambda one: (-len(one.reasons), one.group or "", one.name, one.student_id))


def _standing_line(line: StandingLine) -> str:
    """A student's round in a measure, in one sentence."""
    row = line.row
    scores = [f"{score:.0f}" for score in (row["from_score"], row["to_score"]) if score is not None]
    ranks = [f"{rank:.0f}" for rank in (row["from_percentile"], row["to_percentile"]) if rank is not None]
    said = f"{line.measure}: {' to '.join(scores)}"
    if ranks:
        said += f", percentile {' to '.join(ranks)}"
    growth = growth_words(row)
    if growth is not None:
        said += f"; {growth}"
    return f"{said}."


def evidence_lines(evidence: MeetingEvidence) -> list[str]:
    """The evidence in sentences."""
    lines = []
    for one in evidence.groups:
        given = one.series.given
        lines.append(f"{one.name}: {one.series.said}.")
        if given.planned:
            lines.append(
                f"Received {given.minutes:.0f} of {given.planned:.0f} planned minutes, came to {given.attended} of"
                f" {given.held} sessions."
            )
    lines += [_standing_line(line) for line in evidence.standing]
    if evidence.practice is not None and evidence.practice_period:
        own = evidence.practice
        said = f"Practice in {evidence.practice_period}: {own.entries} entries"
        if own.accuracy is not None:
            said += f", {percent(own.accuracy)} right"
        lines.append(f"{said}; {', '.join(own.reasons)}." if own.reasons else f"{said}.")
    return lines


def decision_words(kind: str, text: str | None) -> str:
    """A decision as people say it: its kind, and the words that were written."""
    words = DECISIONS.get(kind, kind)
    return f"{words}: {text}" if text else words
