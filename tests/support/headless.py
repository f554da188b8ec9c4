"""Runs the headless command over files of its own."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pandas as pd

from bodkin.cli import run
from tests.support import files


class Run(unittest.TestCase):
    """Writes files into a folder of its own and runs the command as a person would."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def write(self, **contents):
        for name, content in contents.items():
            data = content if isinstance(content, bytes) else content.encode()
            (self.folder / f"{name}.csv").write_bytes(data)

    def command(self, *more, first=files.FALL, second=files.WINTER, measure=files.MEASURE):
        words = ["compare", "--scores", str(self.folder / "scores.csv")]
        for name in ("norms", "growth_norms", "cuts", "calendar"):
            if (self.folder / f"{name}.csv").exists():
                words += [f"--{name.replace('_', '-')}", str(self.folder / f"{name}.csv")]
        words += ["--assessment", measure[0], "--subject", measure[1], "--from", first, "--to", second]
        words += [*more, "--out", str(self.folder / "out")]
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = run(words)
        return status, err.getvalue()

    def result(self, *more, **windows):
        status, errors = self.command(*more, **windows)
        self.assertEqual((status, errors), (0, ""))
        students = pd.read_csv(self.folder / "out" / "students.csv", dtype=str, keep_default_na=False)
        return students, json.loads((self.folder / "out" / "summary.json").read_text())


HEADER = "student_id,assessment,subject,window,grade,score,tested_on,standard_error,percentile,programs,school\n"


def line(student, window, score, day="", error="", grade="3", percentile="", programs="", school="North"):
    return f"{student},Tide Test,reading,{window},{grade},{score},{day},{error},{percentile},{programs},{school}\n"
