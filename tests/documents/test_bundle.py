"""One file per student: names that nobody can mix up, whole or not at all, a stop, a full disk."""

import errno
import hashlib
import io
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from pypdf import PdfReader

from bodkin.core.errors import Conflict
from bodkin.documents import bundle
from tests.support.sheets import sheet

PEOPLE = {
    "S3": ("Reed", "Ana"), "S1": ("Reed", "Ana"), "S2": ("Ash/../Birch", "Bo\n"), "S4": ("x" * 80, "🎈"),
    "s4": ("x" * 80, "🎈"), "S/5": ("الخالد", "مريم"), "S-5": ("الخالد", "مريم"), "S6": ("", ""),
}  # fmt: skip


def sheets_of(people=PEOPLE):
    return [sheet(student_id=key, family=family, given=given.strip()) for key, (family, given) in people.items()]


class Names(unittest.TestCase):
    def test_by_family_name_with_the_id(self):
        """No path, no odd sign, never two alike even where letters of either case are the same file."""
        names = bundle.file_names(sheets_of(), PEOPLE)
        self.assertEqual(names["S1"], "Reed_Ana_S1.pdf")
        self.assertEqual(names["S3"], "Reed_Ana_S3.pdf")
        self.assertEqual(names["S2"], "Ash----Birch_Bo_S2.pdf")
        self.assertEqual(names["S4"], f"{'x' * 40}_S4.pdf")
        self.assertEqual(names["S6"], "S6.pdf")
        self.assertEqual(len({one.casefold() for one in names.values()}), len(PEOPLE))
        for one in names.values():
            self.assertEqual(one, Path(one).name)
            self.assertLess(len(one.encode()), 255)

    def test_the_order_is_that_of_the_names(self):
        """Family name, given name, id."""
        ordered = [one.student_id for one in bundle.in_order(sheets_of({"b": ("Reed", "Zoë"), "a": ("ash", "Bo"),
                                                                        "c": ("Reed", "Ana")}))]  # fmt: skip
        self.assertEqual(ordered, ["a", "c", "b"])


class Whole(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="bodkin-pages-"))
        self.addCleanup(lambda: [one.unlink() for one in self.folder.iterdir()] and None)

    def left(self):
        return sorted(one.name for one in self.folder.iterdir())

    def test_a_zip_has_one_file_each(self):
        """In the order of names; each holds its own student alone, and its digest is the file's."""
        path, told = self.folder / "pages.zip", []
        made = bundle.write_zip(path, sheets_of(), PEOPLE, told.append)
        self.assertEqual(told, list(range(1, len(PEOPLE) + 1)))
        with zipfile.ZipFile(path) as packed:
            self.assertEqual(packed.namelist(), [one.name for one in made])
            for one in made:
                content = packed.read(one.name)
                self.assertEqual(hashlib.sha256(content).hexdigest(), one.sha256)
                self.assertGreaterEqual(len(PdfReader(io.BytesIO(content)).pages), 1)
        self.assertEqual(self.left(), ["pages.zip"])
        self.assertTrue({one.student_id for one in made if one.letters} <= {"S4", "s4"})

    def test_a_stop_leaves_nothing(self):
        """Stopped in the middle: no file and no half of one, in a zip and in a folder."""

        def stop(done):
            if done == 3:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            bundle.write_zip(self.folder / "pages.zip", sheets_of(), PEOPLE, stop)
        self.assertEqual(self.left(), [])

    def test_a_full_disk_leaves_nothing(self):
        """The write fails with the system's own word for it, and what was written before goes too."""
        full = OSError(errno.ENOSPC, "full")
        with (
            mock.patch.object(zipfile.ZipFile, "writestr", side_effect=full),
            self.assertRaisesRegex(Conflict, "No space left on device"),
        ):
            bundle.write_zip(self.folder / "pages.zip", sheets_of(), PEOPLE)
        self.assertEqual(self.left(), [])
        real, calls = Path.write_bytes, []

        def fails_third(path, content):
            calls.append(path)
            if len(calls) == 3:
                raise full
            return real(path, content)

        with mock.patch.object(Path, "write_bytes", fails_third), self.assertRaises(Conflict):
            bundle.write_folder(self.folder, sheets_of(), PEOPLE)
        self.assertEqual(self.left(), [])

    def test_a_folder_has_the_same_files(self):
        """The same names and the same digests as the zip."""
        packed = bundle.write_zip(self.folder / "pages.zip", sheets_of(), PEOPLE)
        (self.folder / "pages.zip").unlink()
        self.assertEqual(bundle.write_folder(self.folder, sheets_of(), PEOPLE), packed)
        self.assertEqual(self.left(), sorted(one.name for one in packed))
