"""Runs any headless command over files of its own."""

import io
import math
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pandas as pd

from bodkin.cli import run


class CommandRun(unittest.TestCase):
    """Runs a command over files of its own."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.out = self.folder / "out"

    def write(self, **contents):
        for name, content in contents.items():
            # rules_toml stands for rules.toml; anything else is a plain file.
            file = name.replace("_toml", ".toml") if name.endswith("_toml") else f"{name}.csv"
            (self.folder / file).write_text(content, encoding="utf-8")

    def command(self, name, *more, **files):
        words = [name]
        for option, file in files.items():
            path = self.folder / (file if "." in file else f"{file}.csv")
            words += [f"--{option.replace('_', '-')}", str(path)]
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = run([*words, *more, "--out", str(self.out)])
        return status, err.getvalue()

    def done(self, name, *more, status=0, **files):
        self.assertEqual(self.command(name, *more, **files), (status, ""))

    def read(self, name):
        return pd.read_csv(self.out / f"{name}.csv", dtype=str, keep_default_na=False)

    def refused(self, name, *words, more=(), **files):
        status, errors = self.command(name, *more, **files)
        self.assertEqual(status, 2, errors)
        for word in words:
            self.assertIn(word, errors)
        self.assertFalse(self.out.exists())

    def close(self, text, number, what):
        if number is None or (isinstance(number, float) and math.isnan(number)):
            self.assertEqual(text, "", what)
        else:
            self.assertAlmostEqual(float(text), float(number), places=9, msg=str(what))
