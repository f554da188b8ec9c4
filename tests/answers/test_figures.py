"""The page that explains the figures: complete, sourced, and what the screens link to."""

import re
import tempfile
import unittest
from pathlib import Path

from bodkin.answers.figures import figures, read_figures
from bodkin.store.settings import ROOT


class Explained(unittest.TestCase):
    def test_every_link_of_the_screens_has_its_figure(self):
        """Names in the client's list, and names used in links, are figures of the page; each is used."""
        known = {one.id for one in figures().figures}
        listed = set(re.findall(r'\| "([a-z-]+)"', (ROOT / "web/src/step/How.tsx").read_text()))
        client = "".join(path.read_text() for path in (ROOT / "web/src").rglob("*.tsx"))
        used = set(re.findall(r'of="([a-z-]+)"', client))
        self.assertGreater(len(used), 5)
        self.assertEqual(used - known, set())
        self.assertEqual(listed, used)

    def test_every_figure_has_words_and_a_source(self):
        """A figure is told in a sentence of words and ends with where it comes from."""
        for one in figures().figures:
            with self.subTest(one.title):
                self.assertRegex(one.html, r"<p>(&quot;)?[A-Z][^<]{60,}")
                self.assertIn("Source: ", one.html)

    def test_no_figure_stands_twice(self):
        """A link finds one place."""
        ids = [one.id for one in figures().figures]
        self.assertEqual(len(ids), len(set(ids)))

    def test_parts_figures_and_raw_html(self):
        """Parts and figures in order; HTML in the text stays text."""
        with tempfile.TemporaryDirectory() as folder:
            page = Path(folder, "page.md")
            page.write_text(
                "# All\nBefore.\n\n# One\n## Alpha, & beta\n`a < b` <b>x</b>\n\n## C\nc\n", encoding="utf-8"
            )
            answer = read_figures(page)
        self.assertEqual(answer.foreword, "<p>Before.</p>\n")
        self.assertEqual([(one.part, one.id) for one in answer.figures], [("One", "alpha-beta"), ("One", "c")])
        self.assertIn("<code>a &lt; b</code> &lt;b&gt;x&lt;/b&gt;", answer.figures[0].html)
