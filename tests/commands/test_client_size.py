"""What a browser fetches: the first page and each step's part, compressed, as the build left them."""

import gzip
import json
import unittest

from bodkin.api.app import build
from bodkin.commands.client import want_client
from bodkin.store.settings import ROOT
from tests.api.client import TestClient
from tests.support import stage

DIST = ROOT / "web" / "dist"
FIRST_PAGE, STEP = 200_000, 60_000
"""Bytes at most, compressed: of the first page, and of what each page takes more."""
ENTRY = "index.html"


class Sizes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        want_client()
        cls.parts = json.loads((DIST / ".vite" / "manifest.json").read_text())

    def reached(self, key, found):
        """A part of the client with all that it imports from its first line on."""
        if key not in found:
            found.add(key)
            for other in self.parts[key].get("imports", []):
                self.reached(other, found)
        return found

    def bytes_of(self, keys, but=frozenset()):
        files = {file for key in keys for file in (self.parts[key]["file"], *self.parts[key].get("css", []))}
        files -= {file for key in but for file in (self.parts[key]["file"], *self.parts[key].get("css", []))}
        return sum((DIST / f"{file}.gz").stat().st_size for file in files)

    def test_the_first_page_and_each_other(self):
        """Each page is a part of its own, which takes no more than a step may."""
        first = self.reached(ENTRY, set())
        self.assertLess(self.bytes_of(first), FIRST_PAGE)
        pages = [key for key, part in self.parts.items() if part.get("isDynamicEntry")]
        self.assertGreaterEqual({key.rpartition("/")[2].partition(".")[0] for key in pages},
                                {"CheckPage", "ComparePage", "GrowthPage", "NeedsPage", "BoardPage", "FollowUpPage",
                                 "SharePage", "StudentPage", "SetupPage"})  # fmt: skip
        for key in pages:
            with self.subTest(page=key):
                self.assertLess(self.bytes_of(self.reached(key, set()), first), STEP)

    def test_they_are_served_compressed(self):
        """To a browser that takes that, and plain to another; the same script both times."""
        client = TestClient(build(stage.settings(), stage.small()))
        file = self.parts[ENTRY]["file"]
        small = client.get(f"/{file}", headers={"accept-encoding": "br, gzip;q=0.8"})
        plain = client.get(f"/{file}", headers={"accept-encoding": "identity"})
        self.assertEqual(small.headers["content-encoding"], "gzip")
        self.assertEqual(small.headers["content-type"], plain.headers["content-type"])
        self.assertIn("immutable", small.headers["cache-control"])
        self.assertNotIn("content-encoding", plain.headers)
        self.assertEqual(plain.content, (DIST / file).read_bytes())
        self.assertEqual(gzip.decompress((DIST / f"{file}.gz").read_bytes()), plain.content)
        self.assertLess(int(small.headers["content-length"]), 0.5 * int(plain.headers["content-length"]))
