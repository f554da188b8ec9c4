"""The checks that are no tests: style, types, import rules, the client's build, lines that the core's tests reach."""

import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from bodkin.commands import client
from bodkin.core.errors import BodkinError
from bodkin.store.settings import ROOT


def _tool(*words: str) -> Callable[[], None]:
    def run() -> None:
        done = subprocess.run([sys.executable, "-m", *words], cwd=ROOT, capture_output=True, text=True, check=False)
        if done.returncode:
            raise BodkinError((done.stdout + done.stderr).strip())

    return run


def _import_rules() -> None:
    # The tool has no module entry of its own.
    words = [str(ROOT / ".venv" / "bin" / "lint-imports"), "--no-cache"]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    if done.returncode:
        raise BodkinError(done.stdout + done.stderr)


def _client_types() -> None:
    # TypeScript 7 is a program of its own and ten times as quick; what makes the client's types still needs 5.
    client.want_types()
    client.run("node", "node_modules/typescript-native/bin/tsc", "--noEmit")


def _client(*words: str) -> Callable[[], None]:
    def run() -> None:
        client.want_packages()
        client.run(*words)

    return run


CHECKS: dict[str, Callable[[], None]] = {
    "client build": client.want_client,
    "mypy": _tool("mypy"),
    "tsc": _client_types,
    "import rules": _import_rules,
    "biome": _client("node_modules/.bin/biome", "check", "."),
    "ruff check": _tool("ruff", "check", "."),
    "ruff format": _tool("ruff", "format", "--check", "."),
}
"""Every check by name, the longest first; the client's build comes first, since browser tests wait for it."""


def core_with_coverage() -> Path:
    """Where a process of its own leaves the result of the core's tests and of the lines they reach.

    Coverage must begin before the core is imported, which a worker may have done long ago.
    """
    place = Path(tempfile.mkdtemp(prefix="bodkin-core-")) / "result.json"
    words = [sys.executable, "-m", "bodkin.commands.testing.core_coverage", str(place)]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    if not place.exists():
        raise BodkinError((done.stdout + done.stderr).strip())
    return place
