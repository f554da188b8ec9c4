"""The explanations of all figures, from the one page that documents them to the one the screens open."""

import re
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt
from pydantic import BaseModel

from bodkin.store.settings import ROOT

PAGE = ROOT / "docs" / "figures" / "README.md"


class Figure(BaseModel):
    """One figure: its place on the page (``id``, as links name it), its part, title and text as HTML."""

    id: str
    part: str
    title: str
    html: str


class Figures(BaseModel):
    """All figures in the page's order, after what is said of them all (HTML)."""

    foreword: str
    figures: list[Figure]


def figure_id(title: str) -> str:
    """A title as links name it: lower case, words joined by hyphens."""
    return "-".join(re.findall(r"[a-z0-9]+", title.lower()))


def read_figures(page: Path) -> Figures:
    """The figures of a page: its first part before any figure is the foreword; ``#`` a part, ``##`` a figure."""
    mark = MarkdownIt("commonmark", {"html": False})
    _, *parts = re.split(r"^# ", page.read_text(encoding="utf-8"), flags=re.MULTILINE)
    foreword, found = "", []
    for text in parts:
        part, _, rest = text.partition("\n")
        before, *sections = re.split(r"^## ", rest, flags=re.MULTILINE)
        foreword += mark.render(before)
        for section in sections:
            title, _, body = section.partition("\n")
            found.append(Figure(id=figure_id(title), part=part, title=title, html=mark.render(body)))
    return Figures(foreword=foreword, figures=found)


@cache
def figures() -> Figures:
    """The figures as the screens explain them."""
    return read_figures(PAGE)
