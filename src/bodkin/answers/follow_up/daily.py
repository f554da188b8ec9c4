"""Every day: who needs a word and who has earned one, from practice, weekly results and sessions of that day."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.practice.seen import PracticeSeen, of_students
from bodkin.answers.follow_up.progress import Days
from bodkin.answers.words import plural
from bodkin.core.follow_up.events import record_of_last, run_reached, runs_at_end
from bodkin.core.follow_up.practice import NOT_SEEN_DAYS
from bodkin.core.windows import day_words

PASSED_IN_A_ROW, FAILED_IN_A_ROW, MISSED_IN_A_ROW, CAME_IN_A_ROW = 5, 3, 2, 10
"""Lengths of runs that are worth a word (common practice)."""

Kind = Literal["needs", "earned"]


class DayWord(BaseModel):
    """A word to a student: about what, on which day it became so, and whether it was said."""

    student_id: str
    name: str
    kind: Kind
    about: str = Field(description="names the event; a word said about it never comes up again")
    on: date
    sentence: str
    source: str
    said_on: date | None


class DailyAnswer(BaseModel):
    """The words of a day: only what became so since the school day before, so that nothing repeats tomorrow."""

    day: date
    since: date = Field(description="the school day before; what became so until then stood in its list")
    headline: str
    lead: str
    needs: list[DayWord]
    earned: list[DayWord]


@dataclass(frozen=True, slots=True)
class _Event:
    student: str
    kind: Kind
    about: str
    on: date
    sentence: str
    source: str


def _day(value: np.datetime64) -> date:
    found: date = value.astype("datetime64[D]").item()
    return found


def _practice(seen: PracticeSeen, students: Sequence[str], since: date, day: date, school: Days) -> Iterable[_Event]:
    """Away for two weeks, back again, passed five in a row, did not pass three in a row."""
    log = of_students(seen, students)
    # By student and day, as the whole log is.
    log = log.where(log.day <= np.datetime64(day, "D"))
    who = log.student
    ends = np.flatnonzero(np.append(who[1:] != who[:-1], True)) if who.size else np.zeros(0, dtype=np.int64)
    begins = np.append(0, ends[:-1] + 1)
    latest = log.day[ends].astype("datetime64[D]")
    # The day on which the last entry of each lies so many school days back; none yet where it is still to come.
    place = np.searchsorted(school, latest, "right") + NOT_SEEN_DAYS - 1
    reached = np.append(school, np.datetime64("NaT", "D"))[np.minimum(place, school.size)]
    before, present = np.datetime64(since, "D"), np.datetime64(day, "D")
    left, entered = (reached > before) & (reached <= present), latest > before
    # What is said of many who were last seen on one day is made once.
    gone = {
        last: (f"practice: away since {last.isoformat()}", on,
               f"No practice for {NOT_SEEN_DAYS} school days, since {day_words(last)}")
        for last, on in set(zip(latest[left].tolist(), reached[left].tolist(), strict=True))
    }  # fmt: skip
    seen_last, whom = latest.tolist(), who[ends].tolist()
    for one in np.flatnonzero(left | entered).tolist():
        student, last = students[whom[one]], seen_last[one]
        if left[one]:
            about, on, sentence = gone[last]
            yield _Event(student, "needs", about, on, sentence, "practice")
        if not entered[one]:
            continue
        at = slice(begins[one], ends[one] + 1)
        days = log.day[at]
        earlier = days[days < days[-1]]
        if earlier.size:
            away = int(np.searchsorted(school, days[-1], "left")) - int(np.searchsorted(school, earlier[-1], "right"))
            if away >= NOT_SEEN_DAYS:
                yield _Event(student, "earned", f"practice: back on {last.isoformat()}", last,
                             f"Practices again after {plural(away, 'school day')} without", "practice")  # fmt: skip
        passed = log.passed[at]
        if run_reached(passed, PASSED_IN_A_ROW):
            yield _Event(student, "earned", f"practice: passed a run on {last.isoformat()}", last,
                         f"Passed {PASSED_IN_A_ROW} or more texts in a row", "practice")  # fmt: skip
        if run_reached(1.0 - passed, FAILED_IN_A_ROW):
            yield _Event(student, "needs", f"practice: not passed on {last.isoformat()}", last,
                         f"Did not pass {FAILED_IN_A_ROW} or more texts in a row", "practice")  # fmt: skip


def _weekly(results: pl.DataFrame, goals: Mapping[str, float], since: date, day: date) -> Iterable[_Event]:
    """The best or lowest result so far, and a goal reached for the first time; ``results`` of one weekly test."""
    rows = results.filter(pl.col("tested_on") <= day).sort("tested_on", "line")
    new = rows.filter(pl.col("tested_on") > since)["student_id"].unique().to_list()
    for (student,), mine in rows.filter(pl.col("student_id").is_in(new)).group_by("student_id", maintain_order=True):
        latest = dict(zip(mine["tested_on"].to_list(), mine["score"].to_list(), strict=True))
        scores, on = list(latest.values()), next(reversed(latest))
        test, who = mine["assessment"][-1], str(student)
        goal = goals.get(who)
        if goal is not None and scores[-1] >= goal > max(scores[:-1], default=-np.inf):
            yield _Event(who, "earned", f"{test}: goal on {on.isoformat()}", on,
                         f"Reached the goal of {goal:.0f}: {scores[-1]:.0f}", test)  # fmt: skip
        elif (record := record_of_last(scores)) is not None:
            kind: Kind = "earned" if record == "best" else "needs"
            words = "Best result so far" if record == "best" else "Lowest result so far"
            yield _Event(who, kind, f"{test}: {record} on {on.isoformat()}", on, f"{words}: {scores[-1]:.0f}", test)


def _sessions(attended: pl.DataFrame, since: date, day: date) -> Iterable[_Event]:
    """Missed two in a row, came to ten in a row, at a session held since the school day before."""
    rows = attended.filter(pl.col("day") <= day)
    met = rows.filter(pl.col("day") > since).select("group").unique()
    rows = rows.join(met, on="group", how="semi").sort("group", "student_id", "day")
    places = rows.select("group", "student_id").unique(maintain_order=True).with_row_index("place")
    rows = rows.join(places, on=["group", "student_id"], how="left", maintain_order="left")
    place, came = rows["place"].to_numpy(), (rows["minutes"] > 0).cast(pl.Float64).to_numpy()
    missed, stayed = runs_at_end(place, 1.0 - came, places.height), runs_at_end(place, came, places.height)
    names = dict(rows.select("group", "name").unique().iter_rows())
    last = dict(rows.group_by("group").agg(pl.col("day").max()).iter_rows())
    own = dict(rows.group_by("place").agg(pl.col("day").max()).iter_rows())
    for at, (group, student) in enumerate(places.select("group", "student_id").iter_rows()):
        on, name = last[group], names[group]
        # Who was not in the group at its last session has no run there.
        if own[at] != on:
            continue
        if missed[at] and missed[at] % MISSED_IN_A_ROW == 0:
            yield _Event(student, "needs", f"{name}: missed on {on.isoformat()}"[:160], on,
                         f"Missed {MISSED_IN_A_ROW} or more sessions in a row", name)  # fmt: skip
        if stayed[at] and stayed[at] % CAME_IN_A_ROW == 0:
            yield _Event(student, "earned", f"{name}: came on {on.isoformat()}"[:160], on,
                         f"Came to {CAME_IN_A_ROW} or more sessions in a row", name)  # fmt: skip


def daily_answer(
    students: Sequence[str], day: date, school: Days, seen: PracticeSeen,
    weekly: Sequence[tuple[pl.DataFrame, Mapping[str, float]]], attended: pl.DataFrame,
    said: Mapping[tuple[str, str], date], names: Names,
) -> DailyAnswer:  # fmt: skip
    """The words of a day for some students.

    ``school``: school days up to the day, rising; ``weekly``: results of each weekly test with each student's goal;
    ``attended``: group, its name, day, student_id, minutes of sessions that were held;
    ``said``: the day on which a word was said, by student and event. One word a student and source: the first found.
    """
    before = school[school < np.datetime64(day, "D")]
    since = _day(before[-1]) if before.size else date.min
    events = [*_practice(seen, students, since, day, school)]
    for results, goals in weekly:
        events += _weekly(results.filter(pl.col("student_id").is_in(students)), goals, since, day)
    events += _sessions(attended.filter(pl.col("student_id").is_in(students)), since, day)
    words: dict[Kind, list[DayWord]] = {"needs": [], "earned": []}
    for one in events:
        words[one.kind].append(
            DayWord(
                student_id=one.student, name=display_name(names, one.student), kind=one.kind, about=one.about,
                on=one.on, sentence=one.sentence, source=one.source, said_on=said.get((one.student, one.about)),
            )
        )  # fmt: skip
    for own in words.values():
        own.sort(key=lambda word: (word.said_on is not None, word.source, word.sentence, word.name, word.student_id))
    needs, earned = (len({one.student_id for one in words[kind]}) for kind in ("needs", "earned"))
    return DailyAnswer(
        day=day, since=since, headline=_headline(needs, earned), needs=words["needs"], earned=words["earned"],
        lead=f"What became so after {day_words(since)}; nothing of it comes up again on another day.",
    )  # fmt: skip


def _headline(needs: int, earned: int) -> str:
    if not needs and not earned:
        return "Nobody needs a word today"
    parts = []
    if needs:
        parts.append(f"{plural(needs, 'student needs', 'students need')} a word")
    if earned:
        parts.append(f"{earned:,} {'has' if earned == 1 else 'have'} earned one" if needs
                     else f"{plural(earned, 'student has', 'students have')} earned a word")  # fmt: skip
    return ", ".join(parts)
