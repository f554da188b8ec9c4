"""Pages from the command line: the same files as the screen's, addresses and saved views, faults that write nothing."""

import hashlib
import io
import shutil
import tempfile
import unittest
import zipfile
from contextlib import contextmanager
from pathlib import Path
from unittest import mock
from urllib.parse import urlencode

from bodkin.commands import pages
from bodkin.core.errors import BadInput
from tests.api.application import SCOPE, application, signed_in
from tests.api.steps.share.test_pages import CLASS, made
from tests.support import stage


def wanted(scope, **more):
    plain = {"audience": "family", "language": "pt", "sections": (), "subjects": ("reading", "mathematics"),
             "years": 1, "test": None, "login": "coach"}  # fmt: skip
    return pages.PagesWanted(scope, **{**plain, **more})


class FromTheCommandLine(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="bodkin-pages-"))
        self.addCleanup(shutil.rmtree, self.folder)

        @contextmanager
        def opened(**_asked):
            yield stage.demo()

        settings = application().state.runtime.settings
        for name, stand_in in (("open_store", opened), ("own_settings", lambda: settings)):
            patch = mock.patch.object(pages, name, stand_in)
            patch.start()
            self.addCleanup(patch.stop)

    def test_the_same_files_as_the_screen_s(self):
        """Name by name and byte by byte, from an address, its query, and a saved view."""
        _, content = made(page_language="pt")
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            theirs = {one: hashlib.sha256(packed.read(one)).hexdigest() for one in packed.namelist()}
        query = urlencode({**SCOPE, "section": CLASS["section"]})
        kept = signed_in("coach").post(
            "/api/views", json={"name": "The class", "line": None, "step": "share", "query": query}
        )
        self.assertLess(kept.status_code, 300, kept.text)
        self.addCleanup(lambda: signed_in("coach").delete(f"/api/views/{kept.json()['key']}"))
        for at, scope in enumerate((f"http://127.0.0.1:8750/share?{query}", query, "The class")):
            out = self.folder / str(at)
            said = pages.make_pages(wanted(scope), out, demo=False)
            own = {one.name: hashlib.sha256(one.read_bytes()).hexdigest() for one in out.iterdir()}
            self.assertEqual(own, theirs)
            self.assertEqual(len([line for line in said if line.endswith(".pdf")]), len(theirs))
        log = signed_in("coach").get("/api/share/log").json()
        self.assertEqual({one["sha256"] for one in log[: len(theirs)]}, set(theirs.values()))

    def test_faults_write_nothing(self):
        """Each names its option; the folder is not even made."""
        query, out = urlencode(SCOPE), self.folder / "none"
        for scope, more, words in (
            ("no such view", {}, "scope: there is no saved view"), ("assessment=Saltgauge", {}, "scope: "),
            (query, {"audience": "press"}, "audience: there is no 'press'"), (query, {"language": "xx"}, "language"),
            (query, {"sections": ("internal",)}, "for the team only"), (query, {"subjects": ("dance",)}, "dance"),
            (query, {"login": "nobody"}, "as: nobody signs in"),
        ):  # fmt: skip
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                pages.make_pages(wanted(scope, **more), out, demo=False)
        self.assertFalse(out.exists())
