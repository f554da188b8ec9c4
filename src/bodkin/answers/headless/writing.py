"""Writing the files of a headless run: all of them are there in the end, or none is new."""

import json
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import polars as pl


def list_text(column: str) -> pl.Expr:
    """A column of lists as one cell each, separated by semicolons."""
    return pl.col(column).list.join(";")


def json_text(content: Any) -> str:
    """A summary as the text of a JSON file."""
    return json.dumps(content, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def write_files(folder: Path, texts: Mapping[str, str]) -> list[Path]:
    """Write files by name into a folder; all are there in the end, or none is new."""
    folder.mkdir(parents=True, exist_ok=True)
    written: list[tuple[Path, Path]] = []
    try:
        for name, text in texts.items():
            with tempfile.NamedTemporaryFile("w", encoding="utf-8", dir=folder, delete=False) as draft:
                written.append((Path(draft.name), folder / name))
                draft.write(text)
        for source, target in written:
            source.chmod(0o644)
            os.replace(source, target)
    finally:
        for source, _ in written:
            source.unlink(missing_ok=True)
    return [target for _, target in written]
