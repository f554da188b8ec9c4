"""Setup, in the demo: a class sits the simulated adaptive test while one watches its results arrive."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict

from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.api.setup.previews import ImportOutcome
from bodkin.core.errors import Conflict, NotFound
from bodkin.exchange.imports.bundles import bring_in_all
from bodkin.exchange.services import sittings
from bodkin.policy.rights import Right

router = Part(prefix="/sittings", tags=["sittings"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]


class ClassChoice(BaseModel):
    """A class that can sit the test."""

    id: int
    name: str
    school: str | None
    n: int


class SittingChoices(BaseModel):
    """What can be sat, by whom, and when; ``there`` is false where no simulated test runs."""

    there: bool
    classes: list[ClassChoice]
    subjects: list[str]
    windows: list[str]


class NewSitting(BaseModel):
    """A class to send to its test."""

    model_config = ConfigDict(extra="forbid")

    section_id: Key
    subject: str
    window: str


class SitterAnswer(BaseModel):
    """A student at the test; what came of it where the student has finished."""

    student_id: str
    name: str
    last_score: float | None
    score: float | None = None
    standard_error: float | None = None
    minutes: float | None = None
    items_tried: int | None = None


class SittingAnswer(BaseModel):
    """A class at its test; who has finished stands first, in the order of finishing."""

    id: int
    section: str
    subject: str
    window: str
    first_day: date
    last_day: date
    done: int
    finished: bool
    students: list[SitterAnswer]


@router.get("/choices")
def choices(context: Setup) -> SittingChoices:
    """What can be sat, by whom, and when."""
    today = context.today
    return SittingChoices(
        there=context.runtime.settings.standins is not None,
        classes=[
            ClassChoice(id=key, name=name, school=school, n=n)
            for key, name, school, n in sittings.classes(context.session, today)
        ],
        subjects=sittings.subjects(context.session),
        windows=sittings.windows(context.session, today),
    )


def _answer(context: Context, key: int) -> SittingAnswer:
    at_test = _own(context, key)
    state = sittings.going(context.runtime.settings.standins, at_test)
    done = {one["student_id"]: one for one in state["done"]}
    known = {one.student_id: one for one in at_test.sitters}
    order = [*done, *(student for student in known if student not in done)]
    return SittingAnswer(
        id=key,
        section=at_test.section,
        subject=at_test.subject,
        window=at_test.window,
        first_day=at_test.first_day,
        last_day=at_test.last_day,
        done=len(done),
        finished=state["finished"],
        students=[
            SitterAnswer(
                student_id=student,
                name=known[student].name,
                last_score=known[student].last_score,
                **{
                    name: done[student][name] if student in done else None
                    for name in ("score", "standard_error", "minutes", "items_tried")
                },
            )
            for student in order
        ],
    )


def _own(context: Context, key: int) -> sittings.ClassAtTest:
    found = context.runtime.sittings.get((context.person.id, key))
    if found is None:
        raise NotFound("There is no such class at its test.")
    return found


@router.post("")
def start(new: NewSitting, context: Setup) -> SittingAnswer:
    """Send a class to its test."""
    runtime = context.runtime
    at_test = sittings.start(
        context.session, runtime.settings.standins, section=new.section_id, subject=new.subject, window=new.window,
        today=context.today,
    )  # fmt: skip
    runtime.sittings[context.person.id, at_test.key] = at_test
    return _answer(context, at_test.key)


@router.get("/{key}")
def going(key: Key, context: Setup) -> SittingAnswer:
    """How far a class is."""
    return _answer(context, key)


@router.post("/{key}/bring-in")
def bring_in(key: Key, context: Setup) -> list[ImportOutcome]:
    """Bring the results of a class in, once everybody has finished."""
    at_test = _own(context, key)
    state = sittings.going(context.runtime.settings.standins, at_test)
    if not state["finished"]:
        raise Conflict("Some are still at their test; wait until everybody has finished.")
    with context.runtime.store.writing(scores=True) as session:
        files = sittings.result_files(at_test, state["done"])
        # Students and test are Bodkin's own, so there is nothing to ask: a class that sits twice sits twice.
        done = bring_in_all(session, files, context.person.id, now(), supposing=True)
    del context.runtime.sittings[context.person.id, key]
    return [ImportOutcome(file=file.name, id=made, counts=seen.plan.counts) for file, made, seen in done]
