"""The interface's own description, from which the client's types are made."""

import json
from datetime import date
from pathlib import Path

from bodkin.api.app import build
from bodkin.store.database import Store
from bodkin.store.settings import ROOT, Settings

TYPES = ROOT / "web" / "src" / "api" / "schema.d.ts"


def openapi_text() -> str:
    """The OpenAPI document; needs no database."""
    nowhere = Settings(Path("/nonexistent"), date(2027, 2, 12), Path("/nonexistent"))
    return json.dumps(build(nowhere, Store("mariadb+mysqldb://nobody@127.0.0.1/none")).openapi(), indent=1)


def types_text(folder: Path, described: str) -> str:
    """The client's types as they should be for an OpenAPI document, made by way of a scratch folder."""
    from bodkin.commands.client import run, want_packages

    want_packages()
    document, types = folder / "openapi.json", folder / "schema.d.ts"
    document.write_text(described)
    run("node_modules/.bin/openapi-typescript", str(document), "-o", str(types))
    return types.read_text()
