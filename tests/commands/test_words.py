"""Every label and sentence stands in the catalogues and in the list, and the documents name what the screens show."""

import re
import unittest

from bodkin.commands.words import CATALOGUES, words_text
from bodkin.store.settings import ROOT

CLIENT = ROOT / "web" / "src"
# A text between tags that begins a sentence or a label; marks and numbers are not words.
LOOSE = re.compile(r">\s*([A-Z][a-z]+(?: [a-z]+)+[.:?!]?)\s*<")
SPOKEN = re.compile(r'(?:aria-label|title|placeholder)="([^"]*[A-Za-z]{2}[^"]*)"')
STALE = (
    "What came in so far", "Take tables out", "Leave as they are", "Look again on", "could bring about",
    "one expects", "do not fit together", "Warning right",
)  # fmt: skip


class Words(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.everything = words_text()

    def test_the_list_holds_every_catalogue(self):
        """And the sentences of the answers, each text once in its part."""
        parts = {part.split("\n", 1)[0]: part for part in self.everything.split("\n## ")[1:]}
        catalogues = {path.stem for path in CATALOGUES.glob("*/*.ts")}
        self.assertLessEqual(catalogues - {"days"}, set(parts))
        self.assertIn("- Time zone\n", parts["setup"])
        self.assertTrue(any(name.startswith("answers/") for name in parts))
        for name, part in parts.items():
            lines = [line for line in part.splitlines() if line.startswith("- ")]
            self.assertEqual(len(lines), len(set(lines)), name)

    def test_no_words_stand_outside_the_catalogues(self):
        """A text between tags or in a label that is read aloud comes from a catalogue, ready for a second language."""
        loose = []
        for path in CLIENT.rglob("*.tsx"):
            text = path.read_text(encoding="utf-8")
            loose += [(path.name, found) for found in [*LOOSE.findall(text), *SPOKEN.findall(text)]]
        self.assertEqual(loose, [])

    def test_each_entry_is_used(self):
        """A catalogue holds nothing that no screen shows."""
        for path in sorted(CATALOGUES.glob("*/*.ts")):
            keys = re.findall(r"^  (\w+):", path.read_text(encoding="utf-8"), flags=re.M)
            folder = CLIENT / path.stem
            files = [*folder.rglob("*.ts*"), *([CLIENT / "app.tsx"] if path.stem == "frame" else [])]
            used = {key for file in files for key in re.findall(r"\bwords\.(\w+)", file.read_text(encoding="utf-8"))}
            self.assertEqual([key for key in keys if key not in used], [], path.stem)

    def test_documents_use_the_words_of_the_screens(self):
        """Wordings that the screens gave up are gone from the documents too."""
        for page in [ROOT / "README.md", *ROOT.joinpath("docs").rglob("*.md"), ROOT / "CHANGELOG.md"]:
            for words in STALE:
                with self.subTest(page=page.name, words=words):
                    self.assertNotIn(words, page.read_text(encoding="utf-8"))
        buttons = re.findall(
            r"(?<!\*)\*([A-Z][a-z][^*\n]{1,40})\*(?!\*)", (ROOT / "docs/users/README.md").read_text("utf-8")
        )
        missing = [name for name in buttons if name.rstrip(".:") not in self.everything]
        self.assertEqual(missing, [])
