"""Which tests a change asks for: those of the rooms it touches, in every layer."""

import subprocess
from pathlib import Path

from bodkin.store.settings import ROOT

LAYERS = ("core", "answers", "exchange", "policy", "store", "demo", "documents", "standins", "commands", "api")


def changed_files() -> list[str]:
    """Files that differ from the last commit, new ones among them."""
    words = ["git", "status", "--porcelain", "--untracked-files=all", "--no-renames"]
    listed = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return [line[3:] for line in listed.splitlines()]


def parts_for(files: list[str]) -> list[str]:
    """Parts of the test command for changed files; the checks always.

    A file of ``src/bodkin/answers/growth`` asks for the tests of ``growth`` in every layer and for
    those of ``answers`` that stand in no room; one of the client for the browser.
    """
    parts: dict[str, None] = {"checks": None}
    rooms: set[str] = set()
    layers: set[str] = set()
    for path in (Path(file) for file in files):
        if path.parts[:2] == ("src", "bodkin") and len(path.parts) > 3 and path.parts[2] in LAYERS:
            layers.add(path.parts[2])
            rooms.update(path.parts[3:-1])
        elif path.parts[0] == "tests" and len(path.parts) > 2:
            parts |= {"/".join(path.parts[1:-1]): None}
        elif path.parts[0] == "web":
            parts |= {"browser": None}
    for layer in LAYERS:
        top = ROOT / "tests" / layer
        mine = [room for room in rooms if (top / room).is_dir()]
        if layer in layers and not mine:
            parts |= {layer: None}
        parts |= {f"{layer}/{room}": None for room in mine}
    # A folder is not asked for beside one that holds it.
    whole = [part for part in parts if not any(part.startswith(f"{other}/") for other in parts)]
    return [part for part in whole if part == "checks" or (ROOT / "tests" / part).is_dir()]
