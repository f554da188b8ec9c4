"""What waiting files hold and what bringing them in would do, as the screen shows it."""

from collections.abc import Sequence

from pydantic import BaseModel

from bodkin.api.context import Context, now, reporting_progress
from bodkin.api.errors import FaultBody, fault_body
from bodkin.api.setup.drafts import Draft, DraftChanges
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports import imports as exchange
from bodkin.exchange.imports.bundles import Waiting, preview_all
from bodkin.exchange.tables_in.mapping import DAY_FORMATS

SHOWN_FAULTS, SHOWN_REFUSED = 500, 100


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


class RefusedRow(BaseModel):
    """A row that stays out: its cells by header, and what is wrong with which of them."""

    line: int
    cells: dict[str, str]
    faults: dict[str, str]


class LikelyStudent(BaseModel):
    """An id of the file that is new, and a known student of the same name and grade."""

    student_id: str
    name: str
    grade: str
    known_id: str


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
    likely: list[LikelyStudent]
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


class BundleAnswer(BaseModel):
    """Files that wait together, in the order in which they would come in, and those that cannot be read."""

    files: list[PreviewAnswer]
    unread: list[UnreadFile]
    notices: list[str] = []


def _mapping(understood: exchange.Understood) -> MappingAnswer:
    kind = exchange.KINDS.get(understood.kind)
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
    )


def _refused(context: Context, draft: Draft, faults: list[Fault]) -> list[RefusedRow]:
    """The first refused rows with their cells, for a person to mend."""
    lines = sorted({fault.line for fault in faults})[:SHOWN_REFUSED]
    content = draft.path.read_bytes()
    if not lines or exchange.whole_kind(content) is not None:
        return []
    sheet, _ = exchange.opened(context.session, draft.name, content, draft.said().changes())
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


def _answer(context: Context, draft: Draft, seen: exchange.Preview) -> PreviewAnswer:
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
        refused_rows=_refused(context, draft, faults),
        likely=[
            LikelyStudent(student_id=one.student_id, name=one.name, grade=one.grade, known_id=one.known_id)
            for one in seen.likely
        ],
        mapping=_mapping(seen.understood),
        changes=said,
        nothing_to_do=seen.plan.empty,
        seen_before=seen.seen_before is not None,
    )


def waiting_file(draft: Draft) -> Waiting:
    """A draft as the exchange takes it."""
    return Waiting(draft.key, draft.name, draft.path.read_bytes, draft.said().changes())


def bundle(context: Context, waiting: Sequence[Draft], notices: Sequence[str] = ()) -> BundleAnswer:
    """What files that wait together would do. Raises BadInput where none of them can be read."""
    by_key = {draft.key: draft for draft in waiting}
    with reporting_progress(context) as progress:
        if len(waiting) == 1:
            found = preview_all(context.session, [waiting_file(draft) for draft in waiting], now(), progress)
        else:
            with context.runtime.store.trying() as session:
                found = preview_all(session, [waiting_file(draft) for draft in waiting], now(), progress)
    answer = BundleAnswer(files=[], unread=[], notices=list(notices))
    for one in found:
        draft = by_key[one.file.key]
        if one.seen is not None:
            answer.files.append(_answer(context, draft, one.seen))
        elif one.problem is not None:
            faults = one.problem.faults if isinstance(one.problem, BadFile) else []
            body_faults = [fault_body(fault) for fault in faults[:SHOWN_FAULTS]]
            message = str(one.problem).splitlines()[0]
            answer.unread.append(UnreadFile(draft=draft.key, file=draft.name, message=message, faults=body_faults))
    if not answer.files:
        raise next(one.problem for one in found if one.problem is not None)
    return answer
