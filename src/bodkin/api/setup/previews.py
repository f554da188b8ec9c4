"""What waiting files hold and what bringing them in would do, as the screen shows it."""

from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime

from pydantic import BaseModel
from sqlalchemy.orm import Session

from bodkin.answers.setup.rehearsal import Rehearsal, rehearse
from bodkin.api.context import now
from bodkin.api.errors import FaultBody, fault_body
from bodkin.api.setup.drafts import Draft, DraftChanges
from bodkin.exchange.changes.plans import ReportProgress
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports import imports as exchange
from bodkin.exchange.imports.bundles import Waiting, bring_in_all, preview_all
from bodkin.exchange.imports.kinds import KINDS, whole_kind
from bodkin.exchange.imports.understanding import Understood, opened
from bodkin.exchange.questions.question import NEAREST, Answers, Choice, Question
from bodkin.exchange.tables_in.dates import DAY_FORMATS
from bodkin.store.database import Store, day_of
from bodkin.store.reads.table.load import load_score_table

SHOWN_FAULTS, SHOWN_REFUSED, SHOWN_ITEMS = 500, 100, 100


class PreviewRow(BaseModel):
    """A row of the file and what would become of it."""

    line: int
    what: str
    act: str
    detail: str


class HeaderRow(BaseModel):
    """A column of the file: its header as written and as compared, and what it stands for (none: kept out)."""

    title: str
    name: str
    column: str | None


class StrangeValue(BaseModel):
    """A value of the file that is none of Bodkin's, and what it is read as (none: not clear)."""

    column: str
    value: str
    read_as: str | None


class ColumnChoice(BaseModel):
    """A column that a file of this kind can have."""

    name: str
    required: bool


class DateSampleAnswer(BaseModel):
    """A date as the file writes it, and the day that it is read as; empty where it cannot be read so."""

    written: str
    read: str


class MappingAnswer(BaseModel):
    """How the file is read, and where that comes from."""

    source: str
    to_confirm: bool
    headers: list[HeaderRow]
    choices: list[ColumnChoice]
    missing: list[str]
    values: list[StrangeValue]
    day_format: str | None
    day_formats: list[str]
    day_words: dict[str, str]
    days_unread: int
    day_samples: dict[str, list[DateSampleAnswer]]
    sheet: str | None
    sheets: list[str]


class RefusedRow(BaseModel):
    """A row that stays out: its cells by header, and what is wrong with which of them."""

    line: int
    cells: dict[str, str]
    faults: dict[str, str]


class ChoiceAnswer(BaseModel):
    """One answer that a question takes: its word and how a person reads it."""

    answer: str
    words: str


class QuestionItem(BaseModel):
    """One thing that is asked; ``known``: what else it could be the same as (answered as ``same:`` and the value)."""

    key: str
    said: str
    lines: list[int]
    n: int
    choices: list[ChoiceAnswer]
    known: list[str]
    answer: str | None


class QuestionAnswer(BaseModel):
    """What is doubtful about a file, of one kind; ``n`` items in all, ``open`` of them not answered."""

    kind: str
    words: str
    n: int
    open: int
    choices: list[ChoiceAnswer]
    items: list[QuestionItem]


class PreviewAnswer(BaseModel):
    """What was understood of a file and what bringing it in would do."""

    draft: str
    file: str
    kind: str
    rows: int
    counts: dict[str, int]
    refused: int
    adds: dict[str, int]
    unknown_columns: list[str]
    notices: list[str]
    sample: list[PreviewRow]
    faults: list[FaultBody]
    refused_rows: list[RefusedRow]
    questions: list[QuestionAnswer]
    open_questions: int
    mapping: MappingAnswer
    changes: DraftChanges
    nothing_to_do: bool
    seen_before: bool


class UnreadFile(BaseModel):
    """A file that cannot be read at all, and why."""

    draft: str
    file: str
    message: str
    faults: list[FaultBody]


class ImportOutcome(BaseModel):
    """What bringing a file in came to; no id where there was nothing to do."""

    file: str
    id: int | None
    counts: dict[str, int]


class BundleAnswer(BaseModel):
    """Files that wait together, in the order in which they would come in, and those that cannot be read."""

    files: list[PreviewAnswer]
    unread: list[UnreadFile]
    notices: list[str] = []


def _mapping(understood: Understood) -> MappingAnswer:
    kind = KINDS.get(understood.kind)
    columns = kind.layout.columns if kind else ()
    read_as = understood.how.values
    return MappingAnswer(
        source=understood.source,
        to_confirm=understood.to_confirm,
        headers=[HeaderRow(title=title, name=name, column=column) for title, name, column in understood.headers],
        choices=[ColumnChoice(name=column.name, required=column.required) for column in columns],
        missing=understood.missing,
        values=[
            StrangeValue(column=column, value=value, read_as=read_as.get(column, {}).get(value))
            for column, seen in understood.strange.items()
            for value in seen
        ],
        day_format=understood.how.day_format,
        day_formats=understood.day_formats,
        day_words=DAY_FORMATS,
        days_unread=understood.days_unread,
        day_samples={
            way: [DateSampleAnswer(written=one.written, read=one.read) for one in found]
            for way, found in understood.day_samples.items()
        },
        sheet=understood.sheet,
        sheets=understood.sheets,
    )


def _question(question: Question, answers: Answers) -> QuestionAnswer:
    # What every item takes can be said of all of them at once.
    common = set.intersection(*({choice.answer for choice in item.choices} for item in question.items))
    choices = [choice for choice in question.items[0].choices if choice.answer in common]
    if all(item.nearest not in (None, *common) for item in question.items):
        choices.insert(0, Choice(NEAREST, "each the same as its nearest"))
    return QuestionAnswer(
        kind=question.kind,
        words=question.words,
        n=len(question.items),
        open=question.open(answers),
        choices=[ChoiceAnswer(answer=choice.answer, words=choice.words) for choice in choices],
        items=[
            QuestionItem(
                key=item.key,
                said=item.said,
                lines=list(item.lines),
                n=item.n,
                choices=[ChoiceAnswer(answer=choice.answer, words=choice.words) for choice in item.choices],
                known=list(item.known),
                answer=question.answer_to(item, answers),
            )
            for item in question.items[:SHOWN_ITEMS]
        ],
    )


def _refused(session: Session, draft: Draft, faults: list[Fault]) -> list[RefusedRow]:
    """The first refused rows with their cells, for a person to mend."""
    lines = sorted({fault.line for fault in faults})[:SHOWN_REFUSED]
    content = draft.content() if lines else b""
    if not lines or whole_kind(content) is not None:
        return []
    sheet, _ = opened(session, draft.name, content, draft.said().changes())
    place = {line: at for at, line in enumerate(sheet.line)}
    messages: dict[int, dict[str, str]] = {}
    for fault in faults:
        messages.setdefault(fault.line, {})[fault.column] = fault.message
    return [
        RefusedRow(
            line=line,
            cells={name: sheet.columns[at][place[line]] or "" for at, name in enumerate(sheet.header) if name},
            faults=messages[line],
        )
        for line in lines
        if line in place
    ]


def _answer(session: Session, draft: Draft, seen: exchange.Preview) -> PreviewAnswer:
    said = draft.said()
    faults = seen.reading.faults
    return PreviewAnswer(
        draft=draft.key,
        file=draft.name,
        kind=seen.kind,
        rows=seen.rows,
        counts=seen.plan.counts,
        refused=len({(fault.file, fault.line) for fault in faults}),
        adds={name: n for name, n in seen.plan.adds.items() if n},
        unknown_columns=seen.reading.unknown,
        notices=[*seen.reading.notices, *seen.plan.notices],
        sample=[PreviewRow(line=r.line, what=r.what, act=r.act, detail=r.detail) for r in seen.plan.rows],
        faults=[fault_body(fault) for fault in faults[:SHOWN_FAULTS]],
        refused_rows=_refused(session, draft, faults),
        questions=[_question(question, said.answers) for question in seen.questions],
        open_questions=seen.open,
        mapping=_mapping(seen.understood),
        changes=said,
        nothing_to_do=seen.plan.empty,
        seen_before=seen.seen_before is not None,
    )


def _waiting(draft: Draft) -> Waiting:
    """A draft as the exchange takes it."""
    return Waiting(draft.key, draft.name, draft.content, draft.said().changes())


def bundle(store: Store, waiting: Sequence[Draft], notices: Sequence[str], progress: ReportProgress) -> BundleAnswer:
    """What files that wait together would do. Raises BadInput where none of them can be read."""
    by_key = {draft.key: draft for draft in waiting}
    files = [_waiting(draft) for draft in waiting]
    answer = BundleAnswer(files=[], unread=[], notices=list(notices))
    # Several files are brought in one after the other to see what comes of it, and none is kept.
    with store.reading() if len(files) == 1 else store.trying() as session:
        found = preview_all(session, files, now(), progress)
        for one in found:
            draft = by_key[one.file.key]
            if one.seen is not None:
                answer.files.append(_answer(session, draft, one.seen))
            elif one.problem is not None:
                faults = one.problem.faults if isinstance(one.problem, BadFile) else []
                body_faults = [fault_body(fault) for fault in faults[:SHOWN_FAULTS]]
                message = str(one.problem).splitlines()[0]
                answer.unread.append(UnreadFile(draft=draft.key, file=draft.name, message=message, faults=body_faults))
    if not answer.files:
        raise next(one.problem for one in found if one.problem is not None)
    return answer


class _Unchanged(Exception):
    """Nothing was to be done."""


def rehearsed(store: Store, waiting: Sequence[Draft], progress: ReportProgress) -> Rehearsal:
    """What bringing files in would change on the screens, worked out in a transaction that is given up."""
    with store.trying() as session:
        progress("Working out what would change", 0, 0)
        before = load_score_table(session, day_of(session))
        bring_in_all(session, [_waiting(one) for one in waiting], None, now(), progress, supposing=True)
        progress("Working out what would change", 0, 0)
        return rehearse(before, load_score_table(session, day_of(session)))


def bring_in_bundle(
    store: Store, waiting: Sequence[Draft], by_id: int, at: datetime, progress: ReportProgress
) -> list[ImportOutcome]:
    """Bring files in, all or none, in one transaction; refused rows stay out."""
    done: list[tuple[Waiting, int | None, exchange.Preview]] = []
    # What changes nothing must not make everybody's screen load anew.
    with suppress(_Unchanged), store.writing(scores=True) as session:
        done = bring_in_all(session, [_waiting(draft) for draft in waiting], by_id, at, progress)
        if not any(key for _, key, _ in done):
            raise _Unchanged
    return [ImportOutcome(file=file.name, id=key, counts=seen.plan.counts if key else {}) for file, key, seen in done]
