"""The file that a start reads: only of this very database, whole or not at all, and what is newer comes from there."""

import json
import tempfile
import unittest
from contextlib import ExitStack
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from unittest import mock

import polars as pl
from sqlalchemy import delete, select, update

from bodkin.answers.check import doubts
from bodkin.answers.needs import evidence
from bodkin.answers.scope.scope import Scope
from bodkin.api import runtime
from bodkin.store.database import versions
from bodkin.store.ledger import identity, new_identity
from bodkin.store.reads import check_data, check_tables, load_needs
from bodkin.store.reads.check_tables import CheckTables
from bodkin.store.reads.table import refresh
from bodkin.store.reads.table.load import load_score_table, strand_names
from bodkin.store.reads.table.refresh import ScoreTables
from bodkin.store.reads.table.start_file import RowsFile, read_results
from bodkin.store.tables import (
    Answer,
    Assessment,
    Enrolment,
    MasteryEntry,
    PracticeEntry,
    Result,
    School,
    SchoolYear,
    StrandResult,
    Window,
)
from tests.api.application import SCOPE
from tests.support import stage


class InAFolder(unittest.TestCase):
    """A small district of its own, and a folder for the files of a start that is not there yet."""

    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "held"


class Start(InAFolder):
    def setUp(self):
        super().setUp()
        self.whole = 0

    def started(self, many=10):
        """The table of a process that starts now; ``whole`` counts those that read everything."""
        tables = ScoreTables(held=self.folder, many=many)
        read = refresh.named_results

        def counted(kept, naming):
            self.whole += kept.height > 5_000
            return read(kept, naming)

        with self.store.reading() as session, mock.patch.object(refresh, "named_results", counted):
            table = tables.current(session)
            if tables.keeping is not None:
                tables.keeping.join()
            self.assertTrue(table.results.equals(load_score_table(session, stage.TODAY).results))
            return table

    def written(self, change):
        with self.store.writing(scores=True) as session:
            change(session)

    def rescore(self, session):
        some = list(session.scalars(select(Result.id).order_by(Result.id).limit(7)))
        session.execute(update(Result).where(Result.id.in_(some)).values(score=Result.score + 1))

    def test_the_second_start_reads_what_is_newer(self):
        """The first reads all and leaves the file; the next ones read seven results, or nothing."""
        self.started()
        self.assertEqual(self.whole, 1)
        self.started()
        self.written(self.rescore)
        self.started()
        self.assertEqual(self.whole, 1)
        self.assertEqual({one.stat().st_mode & 0o077 for one in self.folder.iterdir()}, {0})

    def test_a_newer_file_takes_the_place_of_the_older(self):
        """One file of results is there, of the version that was read last."""
        self.started()
        self.written(lambda session: session.execute(update(Result).values(score=Result.score + 1)))
        self.started()
        self.assertEqual(self.whole, 2)
        self.assertEqual(len(list(self.folder.glob("*.arrow"))), 1)

    def test_the_file_follows_many_changes(self):
        """Once more than so many results are newer it is written anew, and the next start need not read them."""
        self.started()
        before = {one.name for one in self.folder.glob("*.arrow")}
        with mock.patch.object(refresh, "MANY_NEWER", 5):
            self.written(self.rescore)
            self.started()
        self.assertNotEqual({one.name for one in self.folder.glob("*.arrow")}, before)
        self.started()
        self.assertEqual(self.whole, 1)

    def test_few_results_leave_no_file(self):
        """A small district is read in no time."""
        self.started(many=10**6)
        self.assertFalse(self.folder.exists())

    def test_another_database_s_file_is_none(self):
        """A copy of a database has a mark of its own; a version yet to come is not of this one either."""
        self.started()
        with self.store.reading() as session:
            mine, newest = identity(session), versions(session)[0]
        file = RowsFile(self.folder, "scores")
        self.assertIsNotNone(read_results(file, mine, newest))
        self.assertIsNone(read_results(file, mine, newest - 1))
        self.assertIsNone(read_results(file, "database other", newest))
        with self.store.engine.begin() as connection:
            new_identity(connection)
        self.started()
        self.assertEqual(self.whole, 2)

    def test_what_is_removed_is_gone_from_the_file(self):
        """A result that is removed stands in no file once somebody has looked; nor does what another database held."""
        self.started()
        with self.store.reading() as session:
            line = session.scalars(
                select(Result.id).where(Result.id.not_in(select(StrandResult.result_id))).order_by(Result.id)
            ).first()
        self.written(lambda session: session.execute(delete(Result).where(Result.id == line)))
        self.started()
        (rows,) = self.folder.glob("*.arrow")
        self.assertNotIn(line, pl.read_ipc(rows)["line"].to_list())
        with self.store.engine.begin() as connection:
            new_identity(connection)
        with self.store.reading() as session:
            file = RowsFile(self.folder, "scores")
            self.assertIsNone(read_results(file, identity(session), versions(session)[0]))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_district_that_became_small_leaves_no_file(self):
        """What was held of the large one goes."""
        self.started()
        self.started(many=10**6)
        self.written(lambda session: session.execute(update(School).where(School.id == 1).values(name="New name")))
        self.started(many=10**6)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_other_names_are_read_anew(self):
        """A school that is called otherwise stands in thousands of results."""
        self.started()
        self.written(
            lambda session: session.execute(
                update(School).where(School.name == "Saltgrass Primary").values(name="Other")
            )
        )
        self.started()
        self.assertEqual(self.whole, 2)

    def test_whatever_is_wrong_with_it(self):
        """Cut, of another shape, of another format, not there: everything is read from the database."""
        for at, spoil in enumerate(
            (
                lambda rows, _: rows.write_bytes(rows.read_bytes()[:1000]),
                lambda rows, _: pl.read_ipc(rows).drop("score").write_ipc(rows),
                lambda rows, _: pl.read_ipc(rows).head(3_000).write_ipc(rows),
                lambda _, said: said.write_text("{"),
                lambda _, said: said.write_text(json.dumps(json.loads(said.read_text()) | {"format": 0})),
                lambda _, said: said.write_text(json.dumps(json.loads(said.read_text()) | {"naming": {}})),
                lambda rows, _: rows.unlink(),
            ),
            start=1,
        ):
            self.started()
            with self.subTest(at=at):
                (rows,) = self.folder.glob("*.arrow")
                spoil(rows, self.folder / "scores.json")
                before = self.whole
                self.started()
                self.assertEqual(self.whole, before + 1)

    def test_a_folder_that_cannot_be_written(self):
        """The question is answered all the same, and nothing half is left."""
        self.folder.parent.joinpath("held").write_text("in the way")
        self.started()
        self.assertEqual(self.whole, 1)
        self.assertEqual(self.folder.read_text(), "in the way")


class OfCheck(InAFolder):
    """The sittings of each measure stand in a file of their own."""

    MEASURES = (("Saltgauge", "reading"), ("Saltgauge", "mathematics"))

    def started(self, *measures, many=10):
        """How often a process that starts now reads all sittings; they are those of the database."""
        tables = ScoreTables(held=self.folder, many=many)
        held = CheckTables(tables.naming, tables.touched, held=self.folder, many=many)
        whole = mock.Mock(side_effect=check_data.sittings_of)
        with self.store.reading() as session, mock.patch.object(check_tables, "sittings_of", whole):
            tables.current(session)
            for measure in measures or self.MEASURES:
                found = held.current(session, *measure, 1)
                self.assertTrue(found.sittings.equals(check_data.load_check(session, *measure).sittings), measure)
                if (keeping := held._held[measure].keeping) is not None:
                    keeping.join()
        return whole.call_count

    def write(self, change):
        with self.store.writing(scores=True) as session:
            session.execute(change)

    def files(self):
        return list(self.folder.glob("sittings-*.arrow"))

    def test_the_second_start_reads_what_is_newer(self):
        """Both measures are read whole once; what was written since is read and no more."""
        self.assertEqual(self.started(), 2)
        self.assertEqual(self.started(), 0)
        self.write(update(Result).where(Result.id < 3000).values(minutes=11.0, score=Result.score + 1))
        self.assertEqual(self.started(), 0)
        self.assertEqual(len(self.files()), 2)
        self.write(update(School).where(School.id == 1).values(name="Another name"))
        self.assertEqual(self.started(), 2)

    def doubts(self, window="2025-26 winter", measure=MEASURES[0]):
        """How often a process that starts now works the doubts of a window out; they are those of the database."""
        tables = ScoreTables(held=self.folder, many=10)
        held = CheckTables(tables.naming, tables.touched, held=self.folder, many=10)
        with self.store.reading() as session:
            tables.current(session)
            data, whole = held.current(session, *measure, 1), check_data.load_check(session, *measure)
            wanted = doubts.doubts_of(whole, window)
            with mock.patch.object(doubts, "_doubts", side_effect=doubts._doubts) as made:
                self.assertTrue(doubts.doubts_of(data, window).equals(wanted))
            if (keeping := held._held[measure].keeping) is not None:
                keeping.join()
        self.assertGreater(wanted.height, 20)
        return made.call_count

    def test_doubts_are_those_of_the_last_process_while_their_windows_stay(self):
        """Worked out once; again after a result of the window or of one before it changed, or by other code."""
        self.assertEqual([self.doubts() for _ in range(3)], [1, 0, 0])
        measure = self.MEASURES[0]

        def change(year, season):
            window = select(Window.id).join(SchoolYear).where(SchoolYear.name == year, Window.season == season)
            tests = select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1])
            some = select(Result.id).where(Result.window_id.in_(window), Result.assessment_id.in_(tests)).limit(20)
            with self.store.reading() as session:
                keys = session.scalars(some).all()
            self.write(update(Result).where(Result.id.in_(keys)).values(score=Result.score - 40, minutes=2.0))

        change("2026-27", "fall")
        self.assertEqual(self.doubts(), 0)
        change("2024-25", "spring")
        self.assertEqual([self.doubts(), self.doubts("2024-25 winter"), self.doubts("2024-25 winter")], [1, 1, 0])
        with mock.patch.object(check_tables, "MANY_NEWER", 5):
            self.assertEqual([self.doubts() for _ in range(3)], [1, 0, 0])
        with mock.patch.object(doubts, "_code", lambda: "another"):
            self.assertEqual([self.doubts(), self.doubts()], [1, 0])
        self.write(update(School).where(School.id == 1).values(name="A fourth name"))
        self.assertEqual([self.doubts(), self.doubts()], [1, 0])

    def test_the_file_follows_many_changes(self):
        """Once more than so many are newer it is written anew."""
        self.started()
        before = self.files()
        with mock.patch.object(check_tables, "MANY_NEWER", 5):
            self.write(update(Result).where(Result.id < 3000).values(score=Result.score + 1))
            self.assertEqual(self.started(), 0)
        self.assertFalse(set(before) & set(self.files()))

    def test_the_file_follows_what_is_written_of_other_measures(self):
        """A start reads all that is newer than the file of a measure, whatever it is of: none stays far behind."""
        self.started()
        before = self.files()
        tests = select(Assessment.id).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
        some = Result.assessment_id.in_(tests), Result.id < 3000
        self.write(update(Result).where(*some).values(score=Result.score + 1))
        with mock.patch.object(check_tables, "MANY_NEWER", 5):
            self.assertEqual(self.started(self.MEASURES[1]), 0)
        self.assertEqual(len(set(before) & set(self.files())), 1)
        self.assertEqual(self.started(), 0)

    def test_who_is_removed_stands_in_no_file(self):
        """One measure is looked at after that, the other is not: the result is in the file of neither."""
        self.started()
        with self.store.reading() as session:
            free = Result.id.not_in(select(StrandResult.result_id))
            tests = select(Assessment.id).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
            line = session.scalars(select(Result.id).where(free, Result.assessment_id.in_(tests))).first()
        for name in ("answers", "practice", "strands-0", "worked-0"):
            (self.folder / f"{name}-1.arrow").touch()
        self.write(delete(Result).where(Result.id == line))
        self.started(self.MEASURES[1])
        for file in self.files():
            self.assertNotIn(line, pl.read_ipc(file)["result_id"].to_list())
        self.assertEqual(len(self.files()), 1)
        self.assertEqual(
            [one.name for one in self.folder.iterdir() if one.name.startswith(("answ", "prac", "stra", "work"))], []
        )

    def test_a_small_district_leaves_none(self):
        """Nor does one that became small."""
        self.assertEqual(self.started(many=10**6), 2)
        self.assertEqual(self.files(), [])
        self.started()
        self.write(update(School).where(School.id == 1).values(name="A third name"))
        self.started(many=10**6)
        self.assertEqual(self.files(), [])


READ = {
    "strands": (runtime, "load_strand_scores"), "practice": (runtime, "load_practice"),
    "places": (check_data, "_every_place"), "today": (refresh, "load_roster"), "entries": (load_needs, "_entries"),
    "points": (evidence, "_from_points"),
}  # fmt: skip
"""What an application reads or works out once, by a name of its own."""


class OfTheApplication(unittest.TestCase):
    """What stands in files beside those: each is found by the next application."""

    def setUp(self):
        self.store = stage.small_copy()
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.settings = replace(stage.settings(), folder=Path(folder))
        for module, limit in (
            (runtime, "MANY"), (runtime, "MANY_SCORES"), (load_needs, "MANY"), (load_needs, "MANY_SCORES"),
            (refresh, "MANY_SCORES"),
        ):  # fmt: skip
            self.enterContext(mock.patch.object(module, limit, 1))
        with self.store.reading() as session:
            self.strand = strand_names(session)["Saltgauge", "reading"][0]

    def seen(self, settings):
        """What an application holds that starts now."""
        mine = runtime.Runtime(settings, self.store)
        with self.store.reading() as session:
            table, needs = mine.table(session), mine.standards(session)
            strand = mine.of_measure(session, table, Scope(**SCOPE, strand=self.strand))
            if (keeping := mine._tables.keeping) is not None:
                keeping.join()
            return {
                "strands": strand.results.select("line", "score"), "practice": mine.practice(session).text.to_frame(),
                "places": pl.concat(mine._rosters.current(session).values()), "today": table.roster,
                "entries": needs.entries, "points": evidence.evidence_from_points(needs, evidence.Limits()),
            }  # fmt: skip

    def started(self, settings=None):
        """What an application that starts now reads; what it holds is what one without files does."""
        with ExitStack() as patched:
            loads = {
                name: patched.enter_context(mock.patch.object(module, load, side_effect=getattr(module, load)))
                for name, (module, load) in READ.items()
            }
            found = self.seen(settings or self.settings)
            read = {name for name, load in loads.items() if load.called}
        with tempfile.TemporaryDirectory() as empty:
            whole = self.seen(replace(settings or self.settings, folder=Path(empty)))
        for name, frame in whole.items():
            self.assertTrue(found[name].equals(frame), name)
        return read

    def test_what_is_read_before_anybody_asks(self):
        """What first questions need at once; practice once they have been answered, and not before."""
        mine, waited = runtime.Runtime(self.settings, self.store), []
        with (
            mock.patch.object(runtime, "sleep", side_effect=lambda _: waited.append(mine._practice.newest)),
            mock.patch.object(runtime, "load_practice", side_effect=runtime.load_practice) as practice,
        ):
            mine.warm()
        self.assertEqual(waited, [None])
        practice.assert_called_once()
        with self.store.reading() as session:
            self.assertIs(mine.practice(session), mine._practice.newest)
            self.assertIs(mine.table(session), mine._tables._lately.newest.value)

    def test_the_next_one_reads_what_has_changed(self):
        """Everything once, nothing at the next start; then what rests on a table that changes, and no more."""
        self.assertEqual(self.started(), set(READ))
        self.assertEqual(self.started(), set())
        for table, change, read in (
            (StrandResult, {"score": StrandResult.score + 1}, {"strands"}),
            (PracticeEntry, {"minutes": PracticeEntry.minutes + 1}, {"practice"}),
            (MasteryEntry, {"state": "nearly"}, {"entries"}),
            (Answer, {"points": 0.5}, {"points"}),
            (Enrolment, {"first_day": None}, {"places", "today"}),
        ):
            with self.subTest(table=table.__tablename__):
                with self.store.writing(scores=True) as session:
                    session.execute(update(table).values(change))
                self.assertEqual(self.started(), read)
                self.assertEqual(self.started(), set())

    def test_another_day_and_other_code(self):
        """Where everybody is today is read on each day; what other code worked out is worked out anew."""
        self.started()
        self.addCleanup(setattr, self.store, "pinned", self.store.pinned)
        self.store.pinned = stage.TODAY + timedelta(days=1)
        self.assertEqual(self.started(), {"today"})
        with mock.patch.object(runtime, "made_by", lambda *_: "other code"):
            self.assertEqual(self.started(), {"points"})

    def test_who_is_removed_stands_in_none(self):
        """The files go with the first look after a result was removed, also where the results have no file."""
        for many in (1, 10**6):
            with self.subTest(many=many), mock.patch.object(runtime, "MANY", many):
                self.removed()

    def removed(self):
        self.started()
        with self.store.reading() as session:
            free = Result.id.not_in(select(StrandResult.result_id))
            line = session.scalars(select(Result.id).where(free).order_by(Result.id)).first()
        before = set(self.settings.held.glob("*.arrow"))
        with self.store.writing(scores=True) as session:
            session.execute(delete(Result).where(Result.id == line))
        with self.store.reading() as session:
            mine = runtime.Runtime(self.settings, self.store)
            mine.table(session)
            if (keeping := mine._tables.keeping) is not None:
                keeping.join()
        beside = {one for one in before if one.name.startswith(("answ", "prac", "stra", "entr", "poin", "rost"))}
        self.assertGreaterEqual(len(beside), 5)
        self.assertEqual([one for one in beside if one.exists()], [])
