"""How an answer leaves: as JSON, or as a file."""

from enum import StrEnum

from fastapi.responses import Response
from pydantic import BaseModel

from bodkin.answers.comparison.exports import Table, table_text, workbook


def answered(model: BaseModel) -> Response:
    """A model as JSON, written once: it was made from checked parts and is not checked again."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")


class Form(StrEnum):
    """Forms a table leaves in."""

    CSV = "csv"
    XLSX = "xlsx"


def table_file(table: Table, name: str, form: Form) -> Response:
    """A table as a download; in CSV the byte-order mark lets spreadsheets read accents right."""
    safe = "".join(letter if letter.isascii() and (letter.isalnum() or letter in "-_.") else "-" for letter in name)
    headers = {"Content-Disposition": f'attachment; filename="{safe}.{form.value}"'}
    if form is Form.CSV:
        return Response("\ufeff" + table_text(table), media_type="text/csv; charset=utf-8", headers=headers)
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(workbook(table), media_type=kind, headers=headers)
