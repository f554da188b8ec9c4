"""Every day: who needs a word and who has earned one, and words marked as said."""

from datetime import date, timedelta
from typing import Annotated

import polars as pl
from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.pairing import results_of, students_today
from bodkin.answers.follow_up.daily import DailyAnswer, daily_answer
from bodkin.answers.follow_up.progress import school_days
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.following.periods import practice_of
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.core.windows import day_words
from bodkin.policy.rights import Right
from bodkin.store.reads.assessments import all_tests
from bodkin.store.writes.follow_up.team import say_word, words_said
from bodkin.store.writes.goals import kept_goals
from bodkin.store.writes.undo import note

router = Part(prefix="/follow-up/daily", tags=["follow-up"])
Team = Annotated[Context, Depends(need(Right.TEAM))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
BACK = timedelta(days=120)
"""How far back sessions and results are looked at for a word of a day."""


class WordSaidAsked(BaseModel):
    """A word that was said: to whom, and about which event."""

    model_config = ConfigDict(extra="forbid")
    student_id: Annotated[str, StringConstraints(max_length=64)]
    about: Annotated[str, StringConstraints(min_length=1, max_length=160)]


class WordAct(BaseModel):
    """A word that was marked as said; its key undoes it."""

    id: int
    said: str


@router.get("", response_model=DailyAnswer)
def daily(context: Team, scope: AskedScope, day: date | None = None) -> Response:
    """The words of a day (today, where none is named) for the sentence's students."""
    return context.unless_known(lambda: answered(_daily(context, scope, day)))


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def daily_file(form: Form, context: Export, scope: AskedScope, day: date | None = None) -> Response:
    """The same words as a spreadsheet."""
    found, reach = _daily(context, scope, day), context.export_reach
    rows = [
        [one.student_id, one.name, one.kind, one.sentence, one.source, one.on, one.said_on]
        for one in (*found.needs, *found.earned)
        if reach is None or one.student_id in reach
    ]
    header = ["student_id", "name", "kind", "about", "source", "on", "said_on"]
    return export_file(context, Table(header, rows, f"Words of {day_words(found.day)}"), "words-of-a-day", form)


def _daily(context: Context, scope: Scope, day: date | None) -> DailyAnswer:
    today = context.today
    day = day or today
    if not today - BACK <= day <= today:
        raise BadInput(f"day: choose a day from {day_words(today - BACK)} to {day_words(today)}")
    students = students_today(context.table, context.narrowed(scope))["student_id"].to_list()
    names = {group.id: group.name for group in context.running_groups}
    named = pl.col("group").replace_strict(names, default=None, return_dtype=pl.String).alias("name")
    mine = pl.col("group").is_in(list(names)) & pl.col("day").is_between(day - BACK, day)
    attended = context.runtime.attendance(context.session).attended.filter(mine).with_columns(named)
    weekly = []
    for measure, test in all_tests(context.session).items():
        if test.kind == "probe":
            goals = {goal.student_id: goal.target for goal in kept_goals(context.session, *measure, None)}
            results = results_of(context.table, *measure, pl.col("tested_on") >= day - BACK)
            weekly.append((results, goals))
    school = school_days(context.table.calendar, day - timedelta(days=400), day)
    return daily_answer(
        students, day, school, practice_of(context), weekly,
        attended,
        words_said(context.session, students, day - BACK), context.names,
    )  # fmt: skip


@router.post("/said", status_code=201)
def said(body: WordSaidAsked, context: Team) -> WordAct:
    """Mark a word as said."""
    context.check_student(body.student_id)
    words = f"A word with {context.name_of(body.student_id)} marked as said ({body.about})"
    with context.runtime.store.writing(scores=False) as session:
        changes = say_word(session, body.student_id, body.about, context.today, context.person.id)
        act = note(session, "word", context.person.id, now(), words, changes)
    return WordAct(id=act, said=words)
