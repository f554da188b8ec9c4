"""Packages, frameworks and plain files broken at random: a clear refusal or a right import, nothing else."""

import csv
import io
import json
import random
import unittest
from datetime import datetime

from bodkin.core.errors import BodkinError
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.bundles import Waiting, files_in, preview_all
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.imports.understanding import Changes
from tests.support import stage
from tests.support.case import framework
from tests.support.extent import extent
from tests.support.oneroster import ROSTER, package

NOW = datetime(2026, 9, 1)
JUNK = [
    "", "x", "😀", "-1", "1e309", "NaN", "2026-13-40", "a" * 400, '"', "{a:b},{c}", "true", "k1", "u1", "y", "مرحبا",
]  # fmt: skip
GOOD = ["2026-10-01", "reading", "2026-27 fall", "3", "fall", "500", "mastered", "a1"]
BOOK = {
    "lineItems": "sourcedId,status,dateLastModified,title,assignDate,classSourcedId,metadata.bodkin.window\n"
    "l1,,,Quiz,2026-10-01,k1,2026-27 fall\n",
    "results": "sourcedId,status,dateLastModified,lineItemSourcedId,studentSourcedId,score,scoreDate,"
    "metadata.bodkin.minutes\nx1,,,l1,u1,8,2026-10-02,12\n",
    "scoreScales": "sourcedId,status,dateLastModified,title,metadata.bodkin.assessment,metadata.bodkin.grade,"
    'metadata.bodkin.bands\nz,,,S,T,4,"[[1,""A"",null,null],[2,""B"",5,null]]"\n',
}


class Hostile(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()
        cls.rng = random.Random(20270212)

    def come(self, name: str, content: bytes) -> None:
        """Look at it and bring it in, in a transaction that is given up; only our own errors may come out."""
        try:
            with self.store.trying() as session:
                parts, _ = files_in(name, content)
                preview_all(session, [Waiting(part, part, lambda data=data: data) for part, data in parts], NOW)
                for part, data in parts:
                    imports.bring_in(session, part, data, None, NOW, Changes(confirmed=True))
        except BodkinError as error:
            self.assertTrue(str(error).strip())

    def test_packages_with_cells_that_make_no_sense(self):
        """Cells broken at random end in faults that name their place, never in a trace."""
        for _ in range(extent(12, 100)):
            files = ROSTER | (BOOK if self.rng.random() < 0.5 else {})
            for _ in range(self.rng.randint(1, 4)):
                name = self.rng.choice(list(files))
                lines = files[name].split("\n")
                place = self.rng.randrange(max(1, len(lines) - 1))
                cells = lines[place].split(",")
                cells[self.rng.randrange(len(cells))] = self.rng.choice(JUNK)
                lines[place] = ",".join(cells)
                files[name] = "\n".join(lines[: self.rng.randint(1, len(lines))] if self.rng.random() < 0.2 else lines)
            if self.rng.random() < 0.2:
                files.pop(self.rng.choice(list(files)))
            self.come("roster.zip", package(**files))

    def test_damaged_packages(self):
        """Zips cut short or altered are refused in words."""
        whole = package(**ROSTER)
        for _ in range(extent(20, 200)):
            bytes_ = bytearray(whole)
            for _ in range(self.rng.randint(1, 8)):
                bytes_[self.rng.randrange(len(bytes_))] = self.rng.randrange(256)
            self.come("roster.zip", bytes(bytes_[: self.rng.randint(10, len(bytes_))]))

    def mutated(self, answer):
        if isinstance(answer, dict):
            answer = {name: self.mutated(value) for name, value in answer.items()}
            if answer and self.rng.random() < 0.1:
                answer.pop(self.rng.choice(list(answer)))
            return answer
        if isinstance(answer, list):
            return [self.mutated(one) for one in answer] + ([None] if self.rng.random() < 0.05 else [])
        return self.rng.choice([None, 1, "x", [], {}, "a" * 1200, True]) if self.rng.random() < 0.06 else answer

    def test_frameworks_of_other_shapes(self):
        """JSON of any shape ends in a plan or a fault."""
        answer = json.loads(framework())
        for _ in range(extent(25, 200)):
            self.come("standards.json", json.dumps(self.mutated(answer)).encode())

    def test_rows_of_every_kind_that_make_no_sense(self):
        """Random rows of each kind of file end in faults that name line and column."""
        for kind in list(KINDS.values()) * extent(1, 5):
            names = [column.name for column in kind.layout.columns]
            rows = [[self.rng.choice(JUNK + GOOD) for _ in names] for _ in range(self.rng.randint(0, 6))]
            text = io.StringIO()
            csv.writer(text).writerows([names, *rows])
            self.come("rows.csv", text.getvalue().encode())
