"""Backup, drop, restore: the same rows and the same answers; files that are none are found out beforehand."""

import hashlib
import json
import tempfile
import unittest
import zipfile
from datetime import datetime
from pathlib import Path

from sqlalchemy import select, text

from bodkin.api.app import build
from bodkin.core.errors import BadInput, Conflict
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.backup import restore_backup, write_backup
from bodkin.store.database import LOGS
from bodkin.store.tables import Base, Student
from tests.api.application import SCOPE
from tests.api.client import TestClient
from tests.support import files, killed, stage
from tests.support.answers import AS_IT_IS
from tests.support.extent import extent


def everything(store):
    """Every row of every table, just as the database tells it."""
    with store.reading() as session:
        return {
            table.name: session.execute(text(f"SELECT * FROM `{table.name}` ORDER BY id")).all()
            for table in Base.metadata.sorted_tables
        }


def answers(store):
    """What a coach is told, of several questions."""
    client = TestClient(build(stage.settings(), store))
    assert client.post("/api/sign-in", json={"login": "coach", "password": "tideline-demo"}).status_code == 204
    asked = [("compare", {**SCOPE, "by": "section"}), ("growth", SCOPE), ("groups", {}), ("scope/rail", SCOPE)]
    return [client.get(f"/api/{path}", params=params).json() for path, params in asked]


class Damaged:
    """Copies of a backup with something changed in them."""

    def damaged(self, change):
        """A copy of the backup with something changed in its parts."""
        path = self.folder / "damaged.zip"
        with zipfile.ZipFile(self.path) as packed, zipfile.ZipFile(path, "w") as out:
            for name in packed.namelist():
                content = change(name, packed.read(name))
                if content is not None:
                    out.writestr(name, content)
        return path


class Backups(Damaged, unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.path = cls.folder / "all.zip"
        cls.rows = write_backup(stage.small(), cls.path)

    def test_the_whole_district_comes_back(self):
        """Row for row, answer for answer; the tables are up to date."""
        store, _ = stage.fresh()
        seen = []
        self.assertEqual(
            restore_backup(store, self.path, replace=False, progress=lambda *answer: seen.append(answer)), self.rows
        )
        self.assertEqual(everything(store), everything(stage.small()))
        self.assertEqual(answers(store), answers(stage.small()))
        self.assertGreater(self.rows, 30_000)
        self.assertEqual(len(seen), len(Base.metadata.sorted_tables) + 1)
        with store.reading() as session:
            self.assertEqual(session.scalar(text("SELECT @@foreign_key_checks")), 1)

    def test_what_is_there_stays_unless_it_is_to_be_replaced(self):
        """A database with one student; every letter of a name survives the way there and back."""
        name = 'Ze\\N\t"o"\n🌊 נור'
        store, _ = stage.fresh()
        with store.writing(scores=True) as session:
            session.add(Student(student_id="x", given_name=name, family_name=""))
        own = self.folder / "own.zip"
        write_backup(store, own)
        with self.assertRaisesRegex(Conflict, "holds data already"):
            restore_backup(store, self.path, replace=False)
        before = everything(store)
        self.assertEqual(len(before["student"]), 1)
        restore_backup(store, self.path, replace=True)
        self.assertEqual(everything(store)["student"], everything(stage.small())["student"])
        restore_backup(store, own, replace=True)
        after = everything(store)
        (was,), (now,) = before.pop("district"), after.pop("district")
        self.assertEqual(after, before)
        # The data are those of then; the versions that memory goes by have only risen.
        self.assertEqual((was.name, now.name), ("Our schools", "Our schools"))
        self.assertGreater((now.data_version, now.score_version), (was.data_version, was.score_version))
        with store.reading() as session:
            answer = session.execute(select(Student.given_name, Student.family_name)).one()
        self.assertEqual(tuple(answer), (name, ""))

    def test_only_its_owner_can_read_it(self):
        """And no half-written file is left beside it."""
        self.assertEqual(self.path.stat().st_mode & 0o077, 0)
        self.assertEqual([path.name for path in self.folder.glob("all*")], ["all.zip"])

    def test_damaged_and_foreign_files(self):
        """Each is told before anything is touched."""
        store, _ = stage.fresh()
        before = everything(store)
        none = self.folder / "none.txt"
        none.write_text("hello")
        manifest = {"format": 1, "revision": "9999", "tables": {}}
        for change, words in (
            (lambda name, data: None if name == "manifest.json" else data, "this is no backup"),
            (lambda name, data: data[:-9] if name == "student.tsv" else data, "student is not what was written"),
            (lambda name, data: None if name == "student.tsv" else data, "table student is damaged"),
            (
                lambda name, data: data.replace(b'"student_id"', b'"id`) x"') if name == "manifest.json" else data,
                "is none of Bodkin's",
            ),
            (lambda name, data: json.dumps(manifest) if name == "manifest.json" else data, "made by a newer Bodkin"),
            (
                lambda name, data: json.dumps(manifest | {"format": 2}) if name == "manifest.json" else data,
                "has format 2",
            ),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                restore_backup(store, self.damaged(change), replace=False)
        for path, words in ((self.folder / "missing.zip", "cannot be read"), (none, "this is no backup of Bodkin")):
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                restore_backup(store, path, replace=False)
        self.assertEqual(everything(store), before)


class Small(Damaged, unittest.TestCase):
    """A backup of a few hundred rows."""

    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.path = cls.folder / "all.zip"
        store, _ = stage.fresh()
        with store.writing(scores=True) as session:
            changes = Changes(answers=AS_IT_IS)
            imports.bring_in(session, "s.csv", files.scores(2).encode(), None, datetime(2026, 9, 1), changes)
        write_backup(store, cls.path)

    def test_a_manifest_that_was_changed_is_no_manifest(self):
        """Whatever shape it has now: told in words, and nothing is touched."""
        store, _ = stage.fresh()
        before = everything(store)
        whole = json.loads(zipfile.ZipFile(self.path).read("manifest.json"))
        for changed in (
            [], "x", {}, whole | {"tables": []}, whole | {"tables": {"student": 3}}, whole | {"revision": 7},
            whole | {"tables": {"student": {"columns": "id", "rows": 1, "sha256": ""}}},
            whole | {"tables": {"student": {"columns": ["id"], "rows": "1", "sha256": ""}}},
        ):  # fmt: skip
            written = json.dumps(changed)
            with self.subTest(written[:60]), self.assertRaisesRegex(BadInput, "this is no backup of Bodkin"):
                restore_backup(
                    store,
                    self.damaged(lambda name, data, w=written: w if name == "manifest.json" else data),
                    replace=False,
                )
        self.assertEqual(everything(store), before)

    def test_wrong_content_under_a_right_checksum_destroys_nothing(self):
        """Built up beside what is there and compared; only then would it be put in its place."""
        store, _ = stage.fresh()
        with store.writing(scores=True) as session:
            session.add(Student(student_id="x"))
        before = everything(store)
        for table, change in (
            ("student", lambda lines: lines.replace("\t", "\tnonsense", 3)),
            ("result", lambda lines: f"x{lines}"),
            ("student", lambda lines: lines.split("\n", 1)[1]),
        ):  # fmt: skip
            with zipfile.ZipFile(self.path) as packed:
                manifest = json.loads(packed.read("manifest.json"))
                written = change(packed.read(f"{table}.tsv").decode())
            manifest["tables"][table] |= {
                "sha256": hashlib.sha256(written.encode()).hexdigest(),
                "rows": written.count("\n"),
            }
            parts = {"manifest.json": json.dumps(manifest), f"{table}.tsv": written}
            with self.subTest(table), self.assertRaises(BadInput):
                restore_backup(store, self.damaged(lambda name, data, p=parts: p.get(name, data)), replace=True)
            self.assertEqual(everything(store), before)
            with store.reading() as session:
                left = {str(name) for name in session.scalars(text("SHOW DATABASES"))}
            # Another worker may be at a restore of its own.
            own = store.engine.url.database
            self.assertFalse(left & {f"{own}_restoring", f"{own}_replaced"})

    def test_killed_at_any_moment_all_or_nothing_is_there(self):
        """A process killed in the middle of a restore leaves what was there, or has put the whole in its place."""
        store, url = stage.fresh()
        with store.writing(scores=True) as session:
            session.add(Student(student_id="x"))
        own = self.folder / "small.zip"
        write_backup(store, own)
        small = len(everything(store)["student"])
        seen = set()
        for after in (0.1, 0.8, 3.0)[: extent(2, 3)]:
            killed.kill_restore(url, self.path, after)
            rows = len(everything(store)["student"])
            self.assertTrue(rows == small or rows > 100, rows)
            seen.add(rows == small)
            if rows != small:
                restore_backup(store, own, replace=True)
            self.assertEqual(len(everything(store)["student"]), small)
        self.assertTrue(any(seen))
        # The logs are guarded still, results know when they were written, and the next try works.
        restore_backup(store, self.path, replace=True)
        with store.reading() as session:
            triggers = session.scalar(
                text("SELECT COUNT(*) FROM information_schema.triggers WHERE trigger_schema = DATABASE()")
            )
        self.assertEqual(triggers, 2 * len(LOGS) + 2)
