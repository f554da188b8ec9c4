"""Sheets and reports made into PDF and pictures with a Typst template each; nothing else may enter a page."""

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import typst

from bodkin.answers.share.blocks import PageSheet
from bodkin.answers.share.report import Report
from bodkin.core.errors import BodkinError

FOLDER = Path(__file__).parent
STANDARD: Literal["ua-1"] = "ua-1"
"""PDF/UA-1: tagged, with names for every picture."""
SCREEN_PPI = 110.0
BOX = "□"
"""Stands for a letter that no font here has."""
MOST_LETTERS = 60
_MISSING = re.compile(r"the text `\"(.+?)\"` could not be displayed", re.DOTALL)


class NotPrinted(BodkinError):
    """A page that could not be made, in words."""


@dataclass(frozen=True, slots=True)
class Printed:
    """A finished PDF; ``letters``: those that no font has and that stand as a box."""

    content: bytes
    letters: str


def _pages(made: bytes | list[bytes] | None) -> list[bytes]:
    """What the compiler made, as a list: one of a single page stands alone."""
    if made is None:
        raise NotPrinted("This page could not be made.")
    return made if isinstance(made, list) else [made]


def _inputs(report: Report) -> dict[str, str]:
    return {"report": json.dumps(report.model_dump(), ensure_ascii=False)}


class Press:
    """Makes pages; one at a time, so each thread has its own."""

    def __init__(self) -> None:
        self._compiler = typst.Compiler(
            input=str(FOLDER / "page.typ"), root=str(FOLDER), font_paths=[str(FOLDER / "fonts")],
            ignore_system_fonts=True,
        )  # fmt: skip

    def pdf(self, sheets: Sequence[PageSheet], *, printer: bool = False) -> Printed:
        """The pages of sheets as one PDF; for the printer each begins on a right-hand page."""
        text = json.dumps([sheet.model_dump() for sheet in sheets], ensure_ascii=False)
        letters = ""
        # A letter that no font has stops the work and is named: it becomes a box, and the work begins anew.
        for _ in range(MOST_LETTERS):
            inputs = {"sheets": text, "printer": "yes" if printer else "no"}
            try:
                content = self._compiler.compile(format="pdf", sys_inputs=inputs, pdf_standards=STANDARD)
            except typst.TypstError as error:
                found = _MISSING.search(str(error))
                if found is None:
                    raise NotPrinted(f"This page could not be made: {str(error)[:200]}") from error
                for letter in found[1]:
                    letters += letter
                    text = text.replace(letter, BOX)
                continue
            return Printed(_pages(content)[0], letters)
        raise NotPrinted("This page holds too many letters that no font here has.")

    def report(self, report: Report) -> bytes:
        """Views for the team as landscape pages in one PDF."""
        found = self._reporting().compile(format="pdf", sys_inputs=_inputs(report), pdf_standards=STANDARD)
        return _pages(found)[0]

    def report_pictures(self, report: Report) -> list[bytes]:
        """The same pages drawn one by one, as PNG."""
        return _pages(self._reporting().compile(format="png", ppi=SCREEN_PPI, sys_inputs=_inputs(report)))

    @staticmethod
    def _reporting() -> typst.Compiler:
        return typst.Compiler(
            input=str(FOLDER / "report.typ"), root=str(FOLDER), font_paths=[str(FOLDER / "fonts")],
            ignore_system_fonts=True,
        )  # fmt: skip

    def pictures(self, sheet: PageSheet) -> list[bytes]:
        """The same pages drawn one by one, as PNG."""
        text = json.dumps([sheet.model_dump()], ensure_ascii=False)
        drawn = self._compiler.compile(format="png", ppi=SCREEN_PPI, sys_inputs={"sheets": text})
        return _pages(drawn)

    def section_pages(self, sheet: PageSheet) -> list[tuple[str, int]]:
        """Each section of a sheet with the page it begins on, counted from 1."""
        text = json.dumps([sheet.model_dump()], ensure_ascii=False)
        compiler = typst.Compiler(
            input=str(FOLDER / "page.typ"), root=str(FOLDER), font_paths=[str(FOLDER / "fonts")],
            ignore_system_fonts=True, sys_inputs={"sheets": text},
        )  # fmt: skip
        found = json.loads(compiler.query("<section>", field="value"))
        return [(str(one["section"]), int(one["page"])) for one in found]
