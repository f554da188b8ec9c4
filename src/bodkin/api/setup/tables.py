"""Setup: every table on its way out, as CSV, as a workbook, or all together in open standards."""

import io
import tempfile
import zipfile
from pathlib import Path
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel

from bodkin.answers.comparison.exports import Table
from bodkin.api.context import Context, need
from bodkin.api.progress import reporting_progress
from bodkin.api.responses import TABLE_FILES, ZIP_FILE, Form, export_file, log_export
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.exchange.oneroster.package_out import oneroster_package
from bodkin.exchange.plain.export import plain_table, table_sizes, write_plain_files
from bodkin.policy.rights import Right

router = Part(prefix="/tables", tags=["tables"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]

MOST_ROWS = 1_048_575
"""Rows that a sheet of a workbook can hold below its header."""


class TableLine(BaseModel):
    """A table that can be taken out, and how many rows it has."""

    name: str
    rows: int


def _zip(context: Context, content: bytes, name: str) -> Response:
    log_export(context, name, "zip", len(context.names))
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type="application/zip", headers=headers)


@router.get("")
def all_tables(context: Setup) -> list[TableLine]:
    """Every table that can be taken out."""
    return [TableLine(name=name, rows=rows) for name, rows in table_sizes(context.session).items()]


@router.get("/oneroster.zip", response_class=Response, responses=ZIP_FILE)
def oneroster(context: Setup) -> Response:
    """The roster, the tests and their results as a OneRoster 1.2 package."""
    return _zip(context, oneroster_package(context.session), "oneroster.zip")


@router.get("/all.zip", response_class=Response, responses=ZIP_FILE)
def every_table(context: Setup) -> Response:
    """Every table as CSV, with a data package that describes them."""
    packed = io.BytesIO()
    with (
        tempfile.TemporaryDirectory(prefix="bodkin-") as folder,
        reporting_progress(context) as progress,
        zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive,
    ):
        for path in write_plain_files(context.session, Path(folder), progress):
            archive.write(path, path.name)
    return _zip(context, packed.getvalue(), "bodkin-tables.zip")


@router.get("/{name}.{form}", response_class=Response, responses=TABLE_FILES)
def one_table(name: str, form: Form, context: Setup) -> Response:
    """One table. Raises NotFound for another name, BadInput where a workbook cannot hold it."""
    frame = plain_table(context.session, name)
    if form is Form.XLSX and frame.height > MOST_ROWS:
        raise BadInput(f"{name} has {frame.height} rows; a sheet holds {MOST_ROWS}. Take it as CSV.")
    return export_file(context, Table(frame.columns, frame.rows()), name, form)
