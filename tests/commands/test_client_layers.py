"""The client's folders import one way, and steps do not import each other."""

import os
import re
import unittest
from collections import defaultdict
from pathlib import Path

from bodkin.store.settings import ROOT

CLIENT = ROOT / "web" / "src"
LAYERS = (
    {"main"},
    {"app"},
    {"home", "check", "compare", "growth", "needs", "groups", "follow-up", "student", "share", "setup", "figures"},
    {"frame"},
    {"panel"},
    {"goals", "views"},
    {"pins"},
    {"step"},
    {"scope"},
    {"people"},
    {"ui", "marks"},
    {"styles", "words"},
    {"api"},
)
"""From the top down; folders of one layer do not import each other."""
MOST = 12
LONGEST = 400
GENERATED = "schema.d.ts"


def sources():
    return [path for path in CLIENT.rglob("*.ts*") if path.name != GENERATED]


def room(path):
    first = path.relative_to(CLIENT).parts[0]
    return first.partition(".")[0]


def imports():
    """Every import of a file of ours: from which file, to which folder."""
    for path in sources():
        for target in re.findall(r'(?:from|import) "(\.[^"]*)"', path.read_text(encoding="utf-8")):
            reached = os.path.normpath(path.parent / target)
            yield path, Path(os.path.relpath(reached, CLIENT)).parts[0].partition(".")[0]


class Layers(unittest.TestCase):
    def test_every_folder_has_its_layer(self):
        """A new folder stands in the table before anything imports it."""
        known = set().union(*LAYERS)
        self.assertLessEqual({room(path) for path in sources()}, known)

    def test_imports_point_downwards(self):
        """No arrow upwards, none between folders of one layer: so no circle, and no step knows another."""
        level = {name: at for at, names in enumerate(LAYERS) for name in names}
        wrong = [
            f"{path.relative_to(CLIENT)} -> {target}"
            for path, target in imports()
            if target != room(path) and level[target] <= level[room(path)]
        ]
        self.assertEqual(wrong, [])

    def test_folders_hold_a_dozen_modules_and_files_stay_short(self):
        """In the client and in Python alike; migrations and generated files stand apart."""
        beside, long = defaultdict(list), []
        python = [path for path in (ROOT / "src").rglob("*.py") if "migrations" not in path.parts]
        for path in [*sources(), *python]:
            if path.name != "__init__.py":
                beside[path.parent].append(path.name)
            if len(path.read_text(encoding="utf-8").splitlines()) > LONGEST:
                long.append(str(path.relative_to(ROOT)))
        wide = {str(folder.relative_to(ROOT)): len(names) for folder, names in beside.items() if len(names) > MOST}
        self.assertEqual((wide, long), ({}, []))
