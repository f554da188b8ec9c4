"""The interface's own description, from which the client's types are made."""

import json
from pathlib import Path

from bodkin.api.app import build
from bodkin.commands.client import DESCRIPTION
from bodkin.store.database import Store
from bodkin.store.settings import Settings


def openapi_text() -> str:
    """The OpenAPI document as it is committed; needs no database."""
    nowhere = Settings(Path("/nonexistent"), None, Path("/nonexistent"))
    described = build(nowhere, Store("mariadb+mysqldb://nobody@127.0.0.1/none")).openapi()
    return json.dumps(described, indent=1, ensure_ascii=False) + "\n"


def write_description() -> None:
    """Write the OpenAPI document anew."""
    DESCRIPTION.write_text(openapi_text(), encoding="utf-8")
