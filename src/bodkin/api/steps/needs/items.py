"""Needs by item of a common test: figures, answers, and mending an item."""

from typing import Annotated

from fastapi import Depends, Query, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.drill_down import DrillDown, students_behind
from bodkin.answers.comparison.exports import Table
from bodkin.answers.needs.item_analysis import TestAnalysis
from bodkin.answers.needs.items import (
    AnswersGrid,
    By,
    ItemsAnswer,
    analysis_of,
    answers_grid,
    items_answer,
    units_of,
    who_chose,
)
from bodkin.answers.needs.mending import Mend, MendPreview, mend_preview, mended
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope, OneLine
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.api.steps.needs.shared import COUNT, MOST, ActDone, Export, Scores
from bodkin.core.errors import NotFound
from bodkin.core.needs.items import FEWEST
from bodkin.policy.rights import Right
from bodkin.store.writes.needs import mend_item, mends_of

router = Part(prefix="/needs/items", tags=["needs"])
Mends = Annotated[Context, Depends(need(Right.ITEMS))]
Text64 = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=64)]


class ItemsStep(ItemsAnswer):
    """The step's answer, what was changed about the items, and whether this person may change them."""

    may_mend: bool
    mends: list[Mend]


class ItemChange(BaseModel):
    """An item with its right answers, and whether it counts."""

    model_config = ConfigDict(extra="forbid")

    test: OneLine
    item: Text64
    keys: list[Text64] = Field(min_length=1, max_length=12)
    dropped: bool = False


class ItemMended(ItemChange):
    """A change of an item to keep, with the reason."""

    why: str = Field(min_length=1, max_length=255)


def _analysis(context: Context, scope: Scope, *, lowest: bool, export: bool = False
              ) -> tuple[TestAnalysis, Comparison]:  # fmt: skip
    comparison, _ = context.of_students(scope, export=export)
    data = context.runtime.needs(context.session)
    return analysis_of(comparison, data, lowest_fifth=lowest), comparison


def _own(context: Context, scope: Scope) -> bool:
    """Whether this is a class's own view: of one class, or of a person who sees own students only."""
    return len(scope.section) == 1 or context.role.own_view


@router.get("", response_model=ItemsStep)
def items(context: Scores, scope: AskedScope, by: By = "section", lowest: bool = False) -> Response:
    """Each item of a common test: who chose what, how well it tells students apart, and what looks wrong."""
    return context.unless_known(lambda: _items(context, scope, by, lowest=lowest))


def _items(context: Context, scope: Scope, by: By, *, lowest: bool) -> Response:
    comparison, parts = context.of_students(scope)
    data = context.runtime.needs(context.session)
    test = analysis_of(comparison, data, lowest_fifth=lowest)
    answer = items_answer(test, data, parts, units_of(comparison, by), own=_own(context, scope))
    mends = [
        Mend(id=one.id, said=one.said, by=one.by, on=one.at.date(), state=one.state)
        for one in mends_of(context.session, test.test)
    ]
    step = ItemsStep.model_construct(
        **dict(answer), may_mend=context.may(Right.ITEMS), mends=mends
    )  # fmt: skip
    return answered(step)


@router.get("/answers")
def who_answered_what(context: Scores, scope: AskedScope, lowest: bool = False) -> AnswersGrid:
    """Students x items, both sorted by score; only wrong answers show their letter."""
    test, comparison = _analysis(context, scope, lowest=lowest)
    if 0 < test.n < FEWEST and not _own(context, scope):
        raise NotFound(f"Fewer than {FEWEST} sat this test: answers are shown in the class's own view only.")
    sections = dict(comparison.students.select("student_id", "section").iter_rows())
    caption = "".join(piece.text for piece in comparison.pieces)
    return answers_grid(test, context.names, sections, caption)


@router.get("/drill-down", response_model=DrillDown)
def behind(
    context: Scores, scope: AskedScope, item: str, option: str | None = None, lowest: bool = False,
    count: Annotated[int, Query(ge=1, le=MOST)] = COUNT,
) -> Response:  # fmt: skip
    """The students who chose an option of an item, or left it out."""
    test, comparison = _analysis(context, scope, lowest=lowest)
    if 0 < test.n < FEWEST and not _own(context, scope):
        raise NotFound(f"Fewer than {FEWEST} sat this test: answers are shown in the class's own view only.")
    title = f"Item {item}: {'chose ' + option if option is not None else 'not answered'}"
    return answered(students_behind(comparison, who_chose(test, item, option), title, context.names, count))


@router.post("/preview")
def preview(body: ItemChange, context: Mends) -> MendPreview:
    """Whose score would change, and by how much, were an item mended; nothing is kept."""
    data = context.runtime.needs(context.session)
    after = mended(data, body.test, body.item, body.keys, dropped=body.dropped)
    return mend_preview(data, after, body.test, body.item, context.names)


@router.post("/mend")
def mend(body: ItemMended, context: Mends) -> ActDone:
    """Give an item another key, accept a second answer, or drop it: everything is scored again."""
    mended(context.runtime.needs(context.session), body.test, body.item, body.keys, dropped=body.dropped)
    with context.runtime.store.writing(scores=False) as session:
        key = mend_item(
            session, body.test, body.item, body.keys, dropped=body.dropped, why=body.why.strip(),
            by_id=context.person.id, at=now(),
        )  # fmt: skip
    return ActDone(id=key, said=f"{body.test}: item {body.item} was changed, and everything is scored again")


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def items_file(form: Form, context: Scores, scope: AskedScope, lowest: bool = False) -> Response:
    """The items with their figures as a spreadsheet."""
    test, _ = _analysis(context, scope, lowest=lowest)
    data = context.runtime.needs(context.session)
    _, parts = context.of_students(scope)
    answer = items_answer(test, data, parts, None, own=_own(context, scope))
    options = list(dict.fromkeys(one.option for row in answer.items for one in row.options))
    header = ["item", "key", "points", "dropped", "standards", "n", "answered", "right", "share_right",
              "discrimination", "upper_less_lower", "flags", *(f"chose {option}" for option in options)]  # fmt: skip
    rows: list[list[object]] = []
    for row in answer.items:
        counts = {one.option: one.n for one in row.options}
        rows.append(
            [row.item, ";".join(row.keys), row.points, row.dropped, ";".join(one.standard for one in row.standards),
             answer.n, row.answered, row.right_n, row.difficulty, row.discrimination, row.upper_lower,
             "; ".join(f"{flag.words} {flag.detail}" for flag in row.flags),
             *(counts.get(option) for option in options)]
        )  # fmt: skip
    return export_file(context, Table(header, rows, parts["caption"]), "items", form)


@router.get("/answers.{form}", response_class=Response, responses=TABLE_FILES)
def answers_file(form: Form, context: Export, scope: AskedScope, lowest: bool = False) -> Response:
    """Students x items as a spreadsheet: the option that each chose."""
    test, comparison = _analysis(context, scope, lowest=lowest, export=True)
    grid = answers_grid(test, context.names, {}, "")
    chosen = {
        student: [test.options[at][place] if place >= 0 else "" for at, place in enumerate(row)]
        for student, row in zip(test.students, test.chosen.tolist(), strict=True)
    }
    labels = test.items["item"].to_list()
    rows: list[list[object]] = [
        [row.student_id, row.name, row.total, *chosen[row.student_id]] for row in grid.students
    ]  # fmt: skip
    caption = "".join(piece.text for piece in comparison.pieces)
    return export_file(context, Table(["student_id", "name", "points", *labels], rows, caption), "answers", form)
