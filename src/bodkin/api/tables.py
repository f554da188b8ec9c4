"""Setup: every table on its way out, as CSV, as a workbook, or all together in open standards."""

import io
import tempfile
import zipfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel

from bodkin.answers.exports import Table
from bodkin.api.asking import Asking, Form, need, table_file
from bodkin.api.imports import telling
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput
from bodkin.exchange.export_plain import plain_table, table_sizes, write_plain_files
from bodkin.exchange.oneroster_out import oneroster_package

router = APIRouter(prefix="/tables", tags=["tables"])
Setup = Annotated[Asking, Depends(need(Right.SETUP))]

MOST_ROWS = 1_048_575
"""Rows that a sheet of a workbook can hold below its header."""


class TableLine(BaseModel):
    """A table that can be taken out, and how many rows it has."""

    name: str
    rows: int


def _zip(content: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type="application/zip", headers=headers)


@router.get("")
def all_tables(asking: Setup) -> list[TableLine]:
    """Every table that can be taken out."""
    return [TableLine(name=name, rows=rows) for name, rows in table_sizes(asking.session).items()]


@router.get("/oneroster.zip")
def oneroster(asking: Setup) -> Response:
    """The roster, the tests and their results as a OneRoster 1.2 package."""
    return _zip(oneroster_package(asking.session), "oneroster.zip")


@router.get("/all.zip")
def every_table(asking: Setup) -> Response:
    """Every table as CSV, with a data package that describes them."""
    packed = io.BytesIO()
    with (
        tempfile.TemporaryDirectory(prefix="bodkin-") as folder,
        telling(asking) as told,
        zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive,
    ):
        for path in write_plain_files(asking.session, Path(folder), told):
            archive.write(path, path.name)
    return _zip(packed.getvalue(), "bodkin-tables.zip")


@router.get("/{name}.{form}")
def one_table(name: str, form: Form, asking: Setup) -> Response:
    """One table. Raises NotFound for another name, BadInput where a workbook cannot hold it."""
    frame = plain_table(asking.session, name)
    if form is Form.XLSX and frame.height > MOST_ROWS:
        raise BadInput(f"{name} has {frame.height} rows; a sheet holds {MOST_ROWS}. Take it as CSV.")
    return table_file(Table(frame.columns, frame.rows()), name, form)
