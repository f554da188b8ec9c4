"""What one would say first of a student: standing, growth, what to teach next, the last session."""

from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import BaseModel

from bodkin.answers.comparison.explanations import growth_words
from bodkin.answers.comparison.norms.threads import Thread
from bodkin.answers.comparison.step_answer import StudentRow
from bodkin.core.windows import day_words
from bodkin.store.reads.student.record import DayRecord


class SaidOfStudent(BaseModel):
    """One of the things one would say first; ``explained``: how it was worked out."""

    what: Literal["standing", "growth", "next", "likely", "session"]
    sentence: str
    explained: str


def said_of(
    rounds: Mapping[str, StudentRow], threads: Sequence[Thread], sessions: Sequence[DayRecord],
    next_skill: tuple[str, str] | None, likely: tuple[str, str] | None,
) -> list[SaidOfStudent]:  # fmt: skip
    """Standing, growth, what to teach next, the last session, the likely outcome; what is not known is not said.

    ``next_skill`` and ``likely``: a sentence and how it was worked out.
    """
    said = []
    for measure, row in rounds.items():
        # Of two languages the one that the round is in.
        ends = [row["to_score"], row["from_score"]]
        last = next(
            (one.points[-1] for one in threads if one.title.startswith(measure) and one.points[-1].score in ends), None
        )
        if last is not None:
            words = f"{measure}: {last.score:.0f}"
            if last.low is not None and last.high is not None:
                words += f" ({last.low:.0f} to {last.high:.0f})"
            if last.percentile is not None:
                words += f", percentile {last.percentile:.0f}"
            said.append(
                SaidOfStudent(what="standing", sentence=words + (f", {last.band}" if last.band else ""),
                              explained=row["explained"].split("\n")[0])
            )  # fmt: skip
        growth = growth_words(row)
        if growth is not None:
            said.append(SaidOfStudent(what="growth", sentence=f"{measure}: {growth}", explained=row["explained"]))
    if next_skill is not None:
        said.append(SaidOfStudent(what="next", sentence=next_skill[0], explained=next_skill[1]))
    came = [one for one in sessions if one.kind == "came"]
    if came:
        last_one = came[-1]
        words = f"Last session {day_words(last_one.on)}, {last_one.words}"
        words += f", {last_one.size:.0f} minutes" if last_one.size else ""
        said.append(SaidOfStudent(what="session", sentence=words, explained=f"{len(came)} of {len(sessions)} sessions"))
    if likely is not None:
        said.append(SaidOfStudent(what="likely", sentence=likely[0], explained=likely[1]))
    return said
