"""How an answer leaves: as JSON, or as a file."""

from collections.abc import Sequence
from enum import StrEnum
from typing import Any

from fastapi.responses import Response
from pydantic import BaseModel

from bodkin.answers.comparison.exports import Table, table_text, workbook
from bodkin.api.context import Context, now
from bodkin.store.writes.logs import note_export


def answered(model: BaseModel) -> Response:
    """A model as JSON, written once: it was made from checked parts and is not checked again."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")


def answered_list(models: Sequence[BaseModel]) -> Response:
    """Models as a JSON list, in the same way."""
    written = ",".join(one.model_dump_json(by_alias=True) for one in models)
    return Response(f"[{written}]", media_type="application/json")


class Form(StrEnum):
    """Forms a table leaves in."""

    CSV = "csv"
    XLSX = "xlsx"


XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_TEXT = {"schema": {"type": "string"}}
_BYTES = {"schema": {"type": "string", "format": "binary"}}
TABLE_FILES: dict[int | str, dict[str, Any]] = {
    200: {"description": "A table as a file.", "content": {"text/csv": _TEXT, XLSX: _BYTES}}
}
"""What a route that gives a table as a file says of itself."""
ZIP_FILE: dict[int | str, dict[str, Any]] = {
    200: {"description": "Files in a zip.", "content": {"application/zip": _BYTES}}
}


def export_file(context: Context, table: Table, name: str, form: Form) -> Response:
    """A table as a download, noted in the log of exports with how many students it names."""
    students = None
    if "student_id" in table.header:
        at = list(table.header).index("student_id")
        students = len({row[at] for row in table.rows})
    what = f"{name}: {table.caption}" if table.caption else name
    log_export(context, what, form.value, students)
    return table_file(table, name, form)


def log_export(context: Context, what: str, form: str, students: int | None) -> None:
    """Note in the log who took what out, about how many students."""
    with context.runtime.store.noting() as session:
        note_export(session, context.person.id, what, form, students, now())


def table_file(table: Table, name: str, form: Form) -> Response:
    """A table as a download; in CSV the byte-order mark lets spreadsheets read accents right."""
    safe = "".join(letter if letter.isascii() and (letter.isalnum() or letter in "-_.") else "-" for letter in name)
    headers = {"Content-Disposition": f'attachment; filename="{safe}.{form.value}"'}
    if form is Form.CSV:
        return Response("\ufeff" + table_text(table), media_type="text/csv; charset=utf-8", headers=headers)
    return Response(workbook(table), media_type=XLSX, headers=headers)
