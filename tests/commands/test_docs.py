"""The documents are complete: commands, columns, keys and pictures stand where a reader looks for them."""

import ast
import re
import unittest

from bodkin.answers.comparison.comparison import STUDENT_COLUMNS
from bodkin.cli import app
from bodkin.exchange.plain.plain_files import CALENDAR_ROWS, CUT_ROWS, GROWTH_NORM_ROWS, NORM_ROWS, SCORES
from bodkin.store.settings import ROOT
from tests.support import files
from tests.support.headless import HEADER, Run, line


def text(*parts: str) -> str:
    return ROOT.joinpath(*parts).read_text(encoding="utf-8")


class Documents(unittest.TestCase):
    def test_every_command_stands_in_the_readme_or_the_developers_page(self):
        """A command nobody can read of is a command nobody has."""
        pages = sorted((ROOT / "docs" / "developers").glob("*.md"))
        answer = text("README.md") + "".join(page.read_text(encoding="utf-8") for page in pages)
        for command in app.registered_commands:
            name = command.name or command.callback.__name__.replace("_", "-")
            with self.subTest(name=name):
                self.assertIn(name, answer)

    def test_every_column_of_the_plain_files_is_described(self):
        """As it must stand in the header."""
        answer = text("docs", "users", "files.md")
        for layout in (SCORES, NORM_ROWS, GROWTH_NORM_ROWS, CUT_ROWS, CALENDAR_ROWS):
            for column in layout.columns:
                with self.subTest(column=column.name):
                    self.assertRegex(answer, rf"\b{column.name}\b")

    def test_every_key_is_listed(self):
        """What the frame listens to stands in the list under the question mark."""
        listed = text("web", "src", "frame", "KeyHelp.tsx").lower()
        heard = re.findall(r'^\s+"?([a-z/?\[\]])"?: \(?', text("web", "src", "frame", "Frame.tsx"), flags=re.M)
        self.assertGreater(len(heard), 3)
        for key in heard:
            if key != "?":
                self.assertRegex(listed, rf'\["{re.escape(key)}"')

    def test_every_test_says_what_must_hold(self):
        """Each test has a docstring, so that a failure can be read without the code."""
        for path in (ROOT / "tests").rglob("test_*.py"):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.FunctionDef) and node.name.startswith("test_"):
                    with self.subTest(test=f"{path.name}: {node.name}"):
                        self.assertTrue(ast.get_docstring(node))

    def test_pictures_are_there_few_and_linked(self):
        """Under twenty, each linked from the readme."""
        answer = text("README.md")
        pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertTrue(1 <= len(pictures) < 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", answer)

    def test_links_between_documents_lead_somewhere(self):
        """Every relative link of the documents is a file."""
        for page in [ROOT / "README.md", *ROOT.joinpath("docs").rglob("*.md")]:
            for target in re.findall(r"\]\((?!http)([^)#]+)", page.read_text(encoding="utf-8")):
                with self.subTest(page=page.name, target=target):
                    self.assertTrue((page.parent / target).exists())

    def test_locks_hold_versions_and_no_addresses(self):
        """Every requirement is pinned with its hashes; no registry's address stands in a lock."""
        for name in ("requirements.lock", "requirements-test.lock", "requirements-installer.lock"):
            pinned = re.split(r"\n(?=\S)", text(name).strip())
            for row in pinned:
                self.assertRegex(row, r"^[\w.-]+(?:\[[\w,]+\])?==\S+ \\\n\s+--hash=sha256:[0-9a-f]{64}")
            self.assertNotIn("://", text(name))
        self.assertNotRegex(text("web", "package-lock.json"), r'"resolved"')


class Columns(Run):
    def test_students_csv_has_the_columns_as_they_are_written_down(self):
        """In that order, no more and no fewer."""
        self.write(scores=HEADER + line("a", files.FALL, 500))
        students, _ = self.result()
        self.assertEqual(tuple(students.columns), STUDENT_COLUMNS)
        self.assertEqual(len(STUDENT_COLUMNS), 24)
