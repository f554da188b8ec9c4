"""Bringing files in: what is counted, the same file twice, a corrected one, undo, and being killed."""

import contextlib
import os
import signal
import tempfile
import threading
import time
import unittest
from datetime import datetime
from pathlib import Path

import numpy as np
from sqlalchemy import select, text

from bodkin.core.errors import Conflict, NotFound, StoreDown
from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.database import Store, versions
from bodkin.store.reads.table.load import load_score_table
from bodkin.store.server import DatabaseServer
from bodkin.store.settings import Settings
from bodkin.store.tables import Base, Person, Result
from bodkin.store.writes import groups
from bodkin.store.writes.undo import undo_import
from tests.support import files, killed, stage
from tests.support.answers import AS_IT_IS
from tests.support.extent import extent

NOW = datetime(2026, 9, 1)
MOMENTS = extent(4, 24)
"""How often an import is killed; each start of a process or a database takes its seconds."""


def bring(store, name, content):
    data = content if isinstance(content, bytes) else content.encode()
    with store.writing(scores=True) as session:
        return imports.bring_in(session, name, data, None, NOW, Changes(answers=AS_IT_IS))


def everything(store):
    """Every row of every table but the history of imports and the versions."""
    left = {"act", "import", "import_change", "district", "alembic_version"}
    with store.reading() as session:
        return {
            table.name: sorted(map(str, session.execute(select(table)).all()))
            for table in Base.metadata.sorted_tables
            if table.name not in left
        }


class Imports(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, cls.url = stage.fresh()

    def setUp(self):
        with self.store.writing(scores=True) as session:
            session.execute(text("SET FOREIGN_KEY_CHECKS=0"))
            for table in Base.metadata.sorted_tables:
                if table.name != "district":
                    session.execute(table.delete())
            session.execute(text("SET FOREIGN_KEY_CHECKS=1"))

    def test_what_comes_in_is_what_the_file_says(self):
        """The score table from the database equals the one a headless run reads from the same file."""
        content = files.scores(2, mark="\ufeff", newline="\r\n")
        _, seen = bring(self.store, "scores.csv", content)
        self.assertEqual(seen.kind, "scores")
        self.assertGreater(seen.plan.counts["without_score"], 0)
        with self.store.reading() as session:
            ours = load_score_table(session).results.sort("line")
        from bodkin.exchange.plain.plain_files import read_scores, results_frame
        from bodkin.store.reads.section_names import shared_names, with_schools

        theirs = results_frame(read_scores("scores.csv", content.encode()).frame, None)
        theirs = with_schools(theirs, shared_names(theirs))
        fields = [name for name in ours.columns if name != "line"]
        self.assertEqual(ours.select(fields).rows(), theirs.select(fields).rows())

    def test_the_same_file_twice_changes_nothing(self):
        """The second time there is nothing to do, and no import is recorded."""
        for name, content in (
            ("scores.csv", files.scores(2)),
            ("norms.csv", files.norms()),
            ("growth_norms.csv", files.growth_norms()),
            ("cuts.csv", files.cuts()),
        ):
            with self.subTest(name=name):
                key, _ = bring(self.store, name, content)
                self.assertIsNotNone(key)
                before = everything(self.store)
                again, seen = bring(self.store, name, content)
                self.assertIsNone(again)
                self.assertEqual((seen.plan.counts["new"], seen.plan.counts["changed"]), (0, 0))
                self.assertEqual(everything(self.store), before)

    def test_a_corrected_file_changes_only_the_corrected_rows(self):
        """One score mended: one change, told with both values; undo brings the old one back."""
        content = files.scores(2)
        bring(self.store, "scores.csv", content)
        before = everything(self.store)
        header, *rows = content.splitlines()
        place = next(at for at, row in enumerate(rows) if f",{files.FALL}," in row and ",English," in row)
        fields = rows[place].split(f"{files.FALL},")
        grade, score, rest = fields[1].split(",", 2)
        rows[place] = f"{fields[0]}{files.FALL},{grade},{float(score or 400) + 7:g},{rest}"
        key, seen = bring(self.store, "mended.csv", "\n".join([header, *rows]) + "\n")
        self.assertEqual(seen.plan.counts["new"] + seen.plan.counts["changed"], 1)
        with self.store.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(self.store), before)

    def test_undo_restores_every_table_row_for_row(self):
        """Scores, norms and cuts brought in and undone, in the opposite order."""
        empty = everything(self.store)
        keys = []
        for name, content in (("s.csv", files.scores(3)), ("n.csv", files.norms()), ("c.csv", files.cuts())):
            keys.append((bring(self.store, name, content)[0], everything(self.store)))
        for (key, _), after in zip(reversed(keys), [*(state for _, state in reversed(keys[:-1])), empty], strict=True):
            with self.store.writing(scores=True) as session:
                undo_import(session, key)
            self.assertEqual(everything(self.store), after)
        with self.assertRaisesRegex(Conflict, "undone already"), self.store.writing(scores=True) as session:
            undo_import(session, keys[0][0])
        with self.assertRaises(NotFound), self.store.writing(scores=True) as session:
            undo_import(session, 10**9)

    def test_undo_refuses_while_newer_work_rests_on_it(self):
        """A group of the students, or a newer file about them: named, and nothing changes."""
        key, _ = bring(self.store, "scores.csv", files.scores(2))
        with self.store.writing(scores=False) as session:
            coach = Person(name="C", role="coach")
            session.add(coach)
            session.flush()
            group, _ = groups.make(
                session, {"name": "G", "focus": "f", "first_day": NOW.date(), "last_day": NOW.date()}, None, coach.id
            )
            groups.add_members(session, group, ["st-0001"], NOW.date())
        before = everything(self.store)
        with self.assertRaisesRegex(Conflict, "1 group member rows"), self.store.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(self.store), before)

    def test_refused_rows_stay_out_and_good_ones_come_in(self):
        """One bad row of three is named; the two others are there."""
        rows = "\n".join(f"s{at},T,reading,{files.FALL},3,{score}" for at, score in enumerate(["500", "5OO", "510"]))
        _, seen = bring(self.store, "scores.csv", f"student_id,assessment,subject,window,grade,score\n{rows}\n")
        self.assertEqual([(fault.line, fault.column) for fault in seen.reading.faults], [(3, "score")])
        with self.store.reading() as session:
            self.assertEqual(sorted(session.scalars(select(Result.score))), [500, 510])

    def test_a_file_of_no_known_kind_says_what_is_missing(self):
        """The nearest kind and what the header lacks."""
        with self.assertRaisesRegex(BadFile, "line 1, column sd: a norms file needs this column"):
            bring(self.store, "n.csv", "assessment,subject,grade,season,week,mean\n")

    def test_bands_that_a_new_file_drops_are_removed(self):
        """A set of cuts is replaced whole."""
        head = "assessment,subject,grade,season,band,order,min_score\n"
        bring(self.store, "c.csv", head + "T,r,3,,Low,1,\nT,r,3,,Mid,2,500\nT,r,3,,High,3,520\n")
        _, seen = bring(self.store, "c2.csv", head + "T,r,3,,Low,1,\nT,r,3,,High,2,510\n")
        self.assertEqual(seen.plan.counts, {"new": 0, "changed": 2, "same": 1})
        with self.store.reading() as session:
            cuts = load_score_table(session).cuts.sort("order")
        self.assertEqual(cuts["band"].to_list(), ["Low", "High"])

    def test_every_write_raises_the_version_in_its_own_transaction(self):
        """A transaction that fails leaves the version as it was."""
        with self.store.reading() as session:
            before = versions(session)
        with self.assertRaises(RuntimeError), self.store.writing(scores=True):
            raise RuntimeError("half-way")
        with self.store.reading() as session:
            self.assertEqual(versions(session), before)
        bring(self.store, "scores.csv", files.scores(2, 10))
        with self.store.reading() as session:
            self.assertEqual(versions(session), (before[0] + 1, before[1] + 1))


class Killed(unittest.TestCase):
    """A process killed in the middle of an import leaves the data as they were, and the next try works."""

    def setUp(self):
        self.store, self.url = stage.fresh()

    def rows(self):
        with self.store.reading() as session:
            return session.scalar(text("SELECT COUNT(*) FROM result"))

    def kill(self, target, after: float) -> None:
        killed.kill(target, self.url, files.scores(9, 1500).encode(), NOW, after)

    def test_killed_before_the_end_of_the_transaction(self):
        """All rows written, none kept."""
        self.kill(killed.bring_and_wait, 0.0)
        self.assertEqual(self.rows(), 0)
        with self.store.reading() as session:
            self.assertEqual(imports.history(session), [])

    def test_killed_at_random_moments(self):
        """Moments over the length of an import: all rows are in or none, and the next try works."""
        began = time.monotonic()
        bring(self.store, "scores.csv", files.scores(9, 1500))
        length, whole = time.monotonic() - began, self.rows()
        self.assertGreater(whole, 4000)
        self.take_back()
        for after in np.random.default_rng(7).uniform(0, 1.3 * length, MOMENTS):
            with self.subTest(after=after):
                self.kill(killed.bring, after)
                rows = self.rows()
                self.assertIn(rows, (0, whole))
                if rows:
                    self.take_back()
        bring(self.store, "scores.csv", files.scores(9, 1500))
        self.assertEqual(self.rows(), whole)

    def take_back(self):
        with self.store.writing(scores=True) as session:
            undo_import(session, imports.history(session)[0].id)


class DatabaseKilled(unittest.TestCase):
    """The database itself killed in the middle of an import; it comes up again with all rows or none."""

    def test_killed_at_random_moments(self):
        """Moments over the length of an import, and the next try works."""
        holder = tempfile.TemporaryDirectory(prefix="bodkin-killed-")
        self.addCleanup(holder.cleanup)
        server = DatabaseServer(Settings(Path(holder.name), stage.TODAY, Path(holder.name)))
        server.start()
        self.addCleanup(server.stop)
        store = Store(server.settings.database_url)
        store.migrate()
        content = files.scores(9, 1500).encode()
        began = time.monotonic()
        bring(store, "scores.csv", content)
        length, whole = time.monotonic() - began, self.rows(store)
        for after in np.random.default_rng(8).uniform(0, 1.2 * length, MOMENTS // 2):
            if self.rows(store):
                with store.writing(scores=True) as session:
                    undo_import(session, imports.history(session)[0].id)
            killer = threading.Timer(after, os.kill, (server.process.pid, signal.SIGKILL))
            killer.start()
            # Killed before its end the import says that the database is away; killed after it, nothing.
            with contextlib.suppress(StoreDown):
                bring(store, "scores.csv", content)
            killer.join()
            server.process.wait()
            server.start(same_port=True)
            self.assertIn(self.rows(store), (0, whole), after)
        if not self.rows(store):
            bring(store, "scores.csv", content)
        self.assertEqual(self.rows(store), whole)

    @staticmethod
    def rows(store):
        with store.reading() as session:
            return session.scalar(text("SELECT COUNT(*) FROM result"))
