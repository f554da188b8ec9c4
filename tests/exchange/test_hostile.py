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

    def come(self, name: str, content: bytes) -> list[imports.Preview]:
        """Look at it and bring it in, in a transaction that is given up; only our own errors may come out.

        What was brought in, as it was understood; nothing of what was refused.
        """
        try:
            with self.store.trying() as session:
                parts, _ = files_in(name, content)
                preview_all(session, [Waiting(part, part, lambda data=data: data) for part, data in parts], NOW)
                return [
                    imports.bring_in(session, part, data, None, NOW, Changes(confirmed=True))[1] for part, data in parts
                ]
        except BodkinError as error:
            self.assertTrue(str(error).strip())
            return []

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
        """The same JSON with some of its values, of whatever kind and depth, gone or replaced."""
        if self.rng.random() < 0.04:
            return self.rng.choice([None, 1, "x", [], {}, "a" * 1200, True, [1], {"x": 1}])
        if isinstance(answer, dict):
            answer = {name: self.mutated(value) for name, value in answer.items()}
            if answer and self.rng.random() < 0.1:
                answer.pop(self.rng.choice(list(answer)))
            return answer
        if isinstance(answer, list):
            return [self.mutated(one) for one in answer] + ([None] if self.rng.random() < 0.05 else [])
        return answer

    def test_frameworks_of_other_shapes(self):
        """JSON of any shape is refused in words, or each of its items is planned, at fault, or said to be a heading."""
        answer, read = json.loads(framework()), 0
        for _ in range(extent(25, 200)):
            changed = self.mutated(answer)
            for one in self.come("standards.json", json.dumps(changed).encode()):
                read += 1
                faults, planned = one.reading.faults, [row for row in one.plan.rows if row.what == "standard"]
                self.assertTrue(all(fault.column and fault.message for fault in faults), faults)
                headings = sum(int(said.split()[0]) for said in one.plan.notices if "are headings" in said)
                self.assertEqual(len(planned) + len(faults) + headings, len(changed["CFItems"]))
        self.assertGreater(read, 0)

    def test_rows_of_every_kind_that_make_no_sense(self):
        """Of random rows of each kind of file every one is read, or has faults that name line and column."""
        for kind in list(KINDS.values()) * extent(1, 5):
            names = [column.name for column in kind.layout.columns]
            rows = [[self.rng.choice(JUNK + GOOD) for _ in names] for _ in range(self.rng.randint(1, 6))]
            text = io.StringIO()
            csv.writer(text).writerows([names, *rows])
            (seen,) = self.come("rows.csv", text.getvalue().encode())
            with self.subTest(kind=seen.kind, rows=rows):
                faults = seen.reading.faults
                self.assertTrue(all(fault.column in names and fault.message for fault in faults), faults)
                lines = {row.line for row in [*seen.plan.rows, *faults]}
                self.assertEqual(lines, set(range(2, 2 + len(rows))))
