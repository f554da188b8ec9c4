"""The command line on kept data, the launcher's words, and a port that is taken."""

import csv
import hashlib
import io
import json
import subprocess
import sys
import tempfile
import unittest
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from datetime import date
from pathlib import Path
from unittest import mock

import numpy as np
import polars as pl

from bodkin import GC_THRESHOLDS
from bodkin.cli import run
from bodkin.commands import data, serving
from bodkin.core.errors import BadInput, BodkinError, Conflict
from bodkin.demo.district import SALTGRASS, SCALES, SCHOOLS, norm_mean, school_days, window_days
from bodkin.demo.pupils import AWAY, make_pupils
from bodkin.demo.results import choose_helped, sittings
from bodkin.exchange.faults import BadFile
from tests.support import files, stage


class OnKeptData(unittest.TestCase):
    """Commands on the database of a running Bodkin: here the one that the tests have started."""

    @classmethod
    def setUpClass(cls):
        store, _ = stage.fresh()
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)

        class Opened:
            def __init__(self, **_):
                pass

            def __enter__(self):
                return store

            def __exit__(self, *_):
                return False

        patch = mock.patch.object(data, "open_store", Opened)
        patch.start()
        cls.addClassCleanup(patch.stop)

    def command(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = run([str(word) for word in words])
        return status, out.getvalue(), err.getvalue()

    def test_import_again_undo_and_export(self):
        """In, the same again, out as the files of a headless run, and back."""
        scores = self.folder / "scores.csv"
        scores.write_text(files.scores(3, 30))
        status, out, _ = self.command("import", scores, "--dry-run")
        self.assertIn("not brought in (--dry-run)", out)
        status, out, _ = self.command("import", scores)
        self.assertEqual(status, 0)
        number = out.split("brought in as import ")[1].split()[0]
        self.assertIn("nothing to do", self.command("import", scores)[1])
        status, out, _ = self.command("export", "--out", self.folder / "out")
        # The five files of a headless run, what else there is rows of, and the package that describes them.
        self.assertEqual(
            {Path(line).stem for line in out.splitlines()},
            {"scores", "norms", "growth_norms", "cuts", "calendar", "students", "programs", "datapackage"},
        )
        self.check_package(self.folder / "out")
        self.assertGreater(pl.read_csv(self.folder / "out" / "scores.csv").height, 60)
        status, out, _ = self.command("undo-import", number)
        self.assertIn("is undone", out)
        status, _, err = self.command("undo-import", number)
        self.assertEqual((status, err.strip()), (2, "This has been undone already."))

    def test_oneroster_out_and_a_zip_of_files_in(self):
        """A zip comes in whole, in the order in which one file needs another; the roster leaves as a package."""
        packed = self.folder / "all.zip"
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("absences.csv", "student_id,on,reason\nq1,2026-10-01,ill\n")
            archive.writestr(
                "scores.csv", "student_id,assessment,subject,window,grade,score\nq1,Q,r,2026-27 fall,3,400\n"
            )
        status, out, _ = self.command("import", packed)
        self.assertEqual((status, out.count("brought in as import")), (0, 2))
        numbers = [line.split()[-1] for line in out.splitlines() if "brought in as" in line]
        status, out, _ = self.command("export", "--out", self.folder / "roster", "--oneroster")
        package = Path(out.strip())
        self.assertEqual((status, package.name), (0, "oneroster.zip"))
        self.assertIn("nothing to do", self.command("import", package)[1])
        for number in reversed(numbers):
            self.assertIn("is undone", self.command("undo-import", number)[1])
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("absences.csv", "student_id,on,reason\nnobody,2026-10-01,ill\n")
        status, _, err = self.command("import", packed)
        self.assertEqual((status, "all.zip/absences.csv, line 2" in err, 'no student "nobody"' in err), (2, True, True))

    def check_package(self, folder):
        """The published rules: names, profiles, and fields in the order of the header; values fit their types."""
        package = json.loads((folder / "datapackage.json").read_text())
        self.assertEqual(package["profile"], "tabular-data-package")
        self.assertRegex(package["name"], "^[-a-z0-9._/]+$")
        reads = {"number": float, "integer": int, "date": date.fromisoformat, "string": str}
        self.assertEqual(len({one["name"] for one in package["resources"]}), 7)
        for resource in package["resources"]:
            self.assertRegex(resource["name"], "^[-a-z0-9._/]+$")
            content = (folder / resource["path"]).read_bytes()
            self.assertEqual(resource["bytes"], len(content))
            self.assertEqual(resource["hash"], "sha256:" + hashlib.sha256(content).hexdigest())
            rows = csv.DictReader(content.decode(resource["encoding"]).splitlines())
            fields = {field["name"]: field["type"] for field in resource["schema"]["fields"]}
            self.assertEqual(list(fields), rows.fieldnames)
            for row in rows:
                for name, value in row.items():
                    if value not in resource["schema"]["missingValues"]:
                        reads[fields[name]](value)
        self.assertEqual(
            {one["path"]: len(one["schema"]["fields"]) > 3 for one in package["resources"]}["scores.csv"], True
        )

    def test_headers_of_another_system_are_taken_on_one_s_word(self):
        """Guessed and told, not brought in; taken with --accept-mapping; remembered the next time."""
        path = self.folder / "vendor.csv"
        text = "Student Number;Test;Subject;Term;Grade Level;Scale Score;Test Date\n"
        path.write_text(text + "v1;Vendor;reading;Fall 2026-2027;Grade 4;500;9/21/2026\n")
        status, _, err = self.command("import", path)
        self.assertEqual(status, 2)
        for answer in (
            "student_number is read as student_id",
            '"Grade 4" is read as 4',
            "month/day/year",
            "--accept-mapping",
        ):
            self.assertIn(answer, err)
        status, out, _ = self.command("import", path, "--accept-mapping")
        self.assertEqual((status, "1 new" in out), (0, True))
        first = int(out.split("brought in as import ")[1].split()[0])
        path.write_text(text + "v1;Vendor;reading;Fall 2026-2027;Grade 4;501;9/21/2026\n")
        status, out, _ = self.command("import", path)
        self.assertEqual((status, "1 changed" in out, "you confirmed for an earlier file" in out), (0, True, True))
        for number in (first + 1, first):
            self.assertIn("is undone", self.command("undo-import", number)[1])
        path.write_text("student_id,assessment,subject\na,b,c\n")
        status, _, err = self.command("import", path)
        self.assertEqual((status, "column score: a scores file needs this column" in err), (2, True))

    def test_backup_and_restore(self):
        """Out into a file and back; what is there is not replaced unasked."""
        scores, kept = self.folder / "kept.csv", self.folder / "kept.zip"
        scores.write_text(files.scores(4, 20))
        number = self.command("import", scores)[1].split("brought in as import ")[1].split()[0]
        status, out, _ = self.command("backup", kept)
        self.assertEqual((status, out.endswith("kept.zip.\n")), (0, True))
        status, _, err = self.command("restore", kept)
        self.assertEqual((status, "holds data already" in err), (2, True))
        rows = out.split(" rows")[0]
        self.assertIn(f"{rows} rows are back", self.command("restore", kept, "--replace")[1])
        self.assertIn("nothing to do", self.command("import", scores)[1])
        self.assertEqual(self.command("restore", scores)[0], 2)
        self.assertIn("is undone", self.command("undo-import", number)[1])

    def test_refused_rows_stop_a_file_unless_they_are_to_be_skipped(self):
        """Status 2 with the place, nothing in; with --skip-refused the good rows come in."""
        path = self.folder / "bad.csv"
        path.write_text(f"student_id,assessment,subject,window,grade,score\na,T,r,{files.FALL},3,5OO\nb,T,r,,3,500\n")
        status, _, err = self.command("import", path)
        self.assertEqual(status, 2)
        self.assertIn("bad.csv, line 2, column score", err)
        status, out, _ = self.command("import", path, "--skip-refused")
        self.assertEqual((status, "1 new" in out), (0, True))
        with self.assertRaises(BadFile):
            data.bring_in(self.folder / "none.csv", skip_refused=False, dry_run=False, demo=False)

    def test_people(self):
        """Added once; role, password, school and login are checked by name."""
        answer = {
            "login": "ana",
            "name": "Ana Reed",
            "role": "coach",
            "school": None,
            "password": "long enough",
            "demo": False,
        }
        self.assertIn("can sign in as ana", data.add_person(**answer))
        with self.assertRaisesRegex(Conflict, "login"):
            data.add_person(**(answer | {"name": "Other"}))
        for change, word in (
            ({"role": "boss"}, "role"),
            ({"password": "short"}, "password"),
            ({"role": "school_lead"}, "school"),
            ({"role": "school_lead", "school": "None such"}, "no school"),
        ):
            with self.subTest(word=word), self.assertRaisesRegex(BadInput, word):
                data.add_person(**(answer | {"login": "new"} | change))


class Starting(unittest.TestCase):
    """The application as a new process reads it."""

    def test_a_start_reads_no_library_that_no_first_screen_needs(self):
        """Solver, statistics and optimisation come with who asks for them; garbage is collected as seldom as can be."""
        asks = (
            "import sys, gc, bodkin.api.app; print(*(one for one in sys.argv[1:] if one in sys.modules)); "
            "print(*gc.get_threshold())"
        )
        late = ["scipy.stats", "scipy.optimize", "scipy.interpolate", "ortools", "pandas"]
        done = subprocess.run([sys.executable, "-c", asks, *late], capture_output=True, text=True, check=True)
        read, collected = done.stdout.splitlines()
        self.assertEqual(read.split(), [])
        self.assertEqual(tuple(map(int, collected.split())), GC_THRESHOLDS)


class District(unittest.TestCase):
    """The invented district is the same on every machine and believable."""

    def test_one_seed_one_district(self):
        """Two makings are alike to the last score."""
        made = []
        for _ in range(2):
            rng = np.random.default_rng(7)
            pupils = make_pupils(rng)
            made.append([sitting.score for sitting in sittings(rng, pupils, choose_helped(pupils))])
        for first, second in zip(*made, strict=True):
            np.testing.assert_array_equal(first, second)

    def test_about_1900_students_in_four_schools(self):
        """Grades where they belong: nobody in grade 2 at the middle school."""
        pupils = make_pupils(np.random.default_rng(7))
        here = pupils.school[-1] != AWAY
        self.assertTrue(1850 <= here.sum() <= 1950)
        for at, name in enumerate(SCHOOLS):
            grades = set(pupils.grade[-1][pupils.school[-1] == at])
            self.assertTrue(grades <= ({2, 3, 4, 5} if "Primary" in name else {5, 6} if "Cause" in name else {6, 7, 8}))
        names = set(zip(pupils.given, pupils.family, strict=True))
        self.assertEqual(len(names), pupils.n)

    def test_windows_lie_in_the_weeks_of_instruction_that_they_claim(self):
        """The winter window of the last year has closed a week before the demo's day."""
        first, last = window_days("2026-27", "winter")
        self.assertEqual((stage.TODAY - last).days, 7)
        days = school_days("2026-27")
        self.assertEqual((days.index(first) // 5 + 1, days.index(last) // 5 + 1), (18, 21))

    def test_scores_follow_the_norms_and_errors_are_those_of_such_a_test(self):
        """Means within a third of a spread, standard errors from 9 to 14 for almost all."""
        rng = np.random.default_rng(7)
        pupils = make_pupils(rng)
        for sitting in sittings(rng, pupils, choose_helped(pupils)):
            if sitting.language != "English" or sitting.score.size < 500:
                continue
            means = [norm_mean(sitting.scale, int(grade), sitting.season) for grade in sitting.grade]
            z = (sitting.score - np.array(means)) / sitting.scale.sd
            self.assertLess(abs(z.mean()), 0.34)
            self.assertTrue(0.85 < z.std() < 1.25)
            self.assertGreater(((sitting.error >= 9) & (sitting.error <= 14)).mean(), 0.97)
        self.assertEqual({scale.subject for scale in SCALES}, {"reading", "mathematics"})
        self.assertIn(SALTGRASS, SCHOOLS)


class Watched(unittest.TestCase):
    """What dies is started again without a hand; what dies over and over is given up with a reason."""

    class Database:
        log = "mariadb.log"

        def __init__(self):
            self.running, self.starts = True, 0

        def start(self, *, same_port):
            assert same_port
            self.running, self.starts = True, self.starts + 1

    @staticmethod
    def process():
        return subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])

    def setUp(self):
        self.database, self.made = self.Database(), []
        self.server, self.other = self.process(), self.process()
        self.watched = serving._Watched(self.database, self.start, self.server, self.other)
        self.addCleanup(lambda: [serving.end(one) for one in (self.server, self.other, *self.made)])

    def start(self):
        self.made.append(self.process())
        return self.made[-1]

    def test_an_application_or_database_that_was_killed_is_there_again(self):
        """At the next look; the stand-in's end is said and left."""
        self.assertIs(self.watched.look(), self.server)
        self.server.kill()
        self.server.wait()
        self.database.running = False
        self.other.kill()
        self.other.wait()
        with redirect_stderr(io.StringIO()) as said:
            server = self.watched.look()
        self.assertEqual((server, self.database.starts), (self.made[0], 1))
        self.assertIsNone(server.poll())
        for words in ("The application has ended", "The database has ended", "simulated services have ended"):
            self.assertIn(words, said.getvalue())

    def test_what_ends_again_and_again_is_given_up(self):
        """After five times in a minute, with where to look."""
        with redirect_stderr(io.StringIO()), self.assertRaisesRegex(BodkinError, "again and again; see"):
            for _ in range(serving.RESTARTS + 1):
                self.database.running = False
                self.watched.look()
        self.assertEqual(self.database.starts, serving.RESTARTS)

    def test_ready_is_not_said_where_the_stand_in_is_not_there(self):
        """Another program had taken its port."""
        self.other.kill()
        self.other.wait()
        with self.assertRaisesRegex(BodkinError, "simulated services have ended"):
            serving._check_beside(self.other)
