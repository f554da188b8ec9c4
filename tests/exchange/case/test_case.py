"""Standards as CASE JSON: the tree, the strands, the prerequisites, and what is wrong with a file."""

import unittest
from datetime import datetime

from sqlalchemy import func, select

from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports
from bodkin.store.tables import Prerequisite, Standard
from bodkin.store.writes.undo import undo_import
from tests.support import stage
from tests.support.case import ITEMS, LINKS, framework, item, link

NOW = datetime(2026, 9, 1)


class Standards(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()

    def seen(self, content):
        with self.store.reading() as session:
            return imports.preview(session, "standards.json", content)

    def test_items_become_standards_and_undo_takes_them_back(self):
        """A framework's tree and prerequisites come in; undo leaves the tables as they were."""
        content = framework()
        with self.store.writing(scores=True) as session:
            key, seen = imports.bring_in(session, "standards.json", content, None, NOW)
        self.assertEqual((seen.kind, seen.rows, seen.plan.counts["new"]), ("case", 5, 6))
        notices = " ".join(seen.plan.notices)
        for answer in ("1 items without a code", "1 standards are for several grades", "1 associations of other kinds"):
            self.assertIn(answer, notices)
        with self.store.reading() as session:
            rows = {one.code: one for one in session.scalars(select(Standard))}
            names = {one.id: one.code for one in rows.values()}
            session.expunge_all()
            rests = {(names[one.standard_id], names[one.rests_on_id]) for one in session.scalars(select(Prerequisite))}
        self.assertEqual(
            {code: one.grade for code, one in rows.items()}, {"3.N.1": "3", "4.N.1": "4", "K.N.1": "K", "5-6.N.1": "6"}
        )
        self.assertEqual(
            (rows["3.N.1"].strand, rows["3.N.1"].kind, rows["3.N.1"].subject), ("Number", "priority", "Mathematics")
        )
        self.assertEqual(rows["K.N.1"].strand, "Fen standards")
        # What comes before is what the later one rests on.
        self.assertEqual(rests, {("3.N.1", "K.N.1"), ("4.N.1", "3.N.1")})
        self.assertTrue(self.seen(content).plan.empty)
        other = framework([*ITEMS[:1], item("a", "3.N.1", ["03"], "Round well"), *ITEMS[2:]])
        self.assertEqual(self.seen(other).plan.rows[0].detail, "text Round to Round well")
        with self.store.writing(scores=True) as session:
            undo_import(session, key)
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).select_from(Standard)), 0)

    def test_single_items_at_fault_are_left_out(self):
        """A fault of one item names it and lets the others in."""
        items = [*ITEMS, item("e", "3.N.1", ["03"]), item("f", "9.N.1", ["09"], ""), item("g", "x" * 65, ["09"]), "no"]
        faults = [(fault.line, fault.column) for fault in self.seen(framework(items)).reading.faults]
        self.assertEqual(
            faults, [(6, "humanCodingScheme"), (7, "fullStatement"), (8, "humanCodingScheme"), (9, "CFItems")]
        )

    def test_what_is_no_framework_is_refused_whole(self):
        """Other JSON is refused, and nothing comes in."""
        circle = [*LINKS, link("precedes", "b", "c")]
        for content, answer in (
            (framework(links=circle), "rest on themselves"),
            (framework()[:-40], "not JSON"),
            (b'{"CFItems": 3}', "list of items"),
            (framework(CFAssociations=1), "list of associations"),
            (b'{"CFItems": "\xff"}', "UTF-8"),
            (b'{"CFItems": ' + b"[" * 100_000, "not JSON"),
        ):
            with self.subTest(answer), self.assertRaisesRegex(BadFile, answer):
                self.seen(content)
