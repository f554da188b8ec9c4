"""A page as data: sections of paragraphs, lists, tables and marks, ready to be drawn."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field


class Text(BaseModel):
    """A paragraph."""

    kind: Literal["text"] = "text"
    text: str


class Items(BaseModel):
    """A list."""

    kind: Literal["list"] = "list"
    items: list[str]


class Grid(BaseModel):
    """A table of words; ``numbers``: columns that are set to the right."""

    kind: Literal["table"] = "table"
    header: list[str]
    rows: list[list[str]]
    numbers: list[int] = []


class LaneMark(BaseModel):
    """A growth lane: first and present score with its range, the expected score, the goal; said in ``alt``."""

    kind: Literal["lane"] = "lane"
    alt: str
    first: float | None
    now: float
    low: float | None
    high: float | None
    expected: float | None
    goal: float | None
    expected_text: str
    goal_text: str


class PathPoint(BaseModel):
    """A result on a path; ``x`` is its day as a share 0..1 of the years shown; ``open``: the line begins anew."""

    x: float
    score: float
    low: float | None
    high: float | None
    open: bool


class PathCut(BaseModel):
    """Where a band begins along the path."""

    band: str
    points: list[tuple[float, float]]


class PathMark(BaseModel):
    """Results of a test over the bands that rise; said in ``alt``."""

    kind: Literal["path"] = "path"
    title: str
    alt: str
    points: list[PathPoint]
    cuts: list[PathCut]
    ticks: list[tuple[float, str]]


class StepsMark(BaseModel):
    """The band as a flight of steps."""

    kind: Literal["steps"] = "steps"
    band: str
    order: int
    count: int
    text: str


Block = Annotated[Text | Items | Grid | LaneMark | PathMark | StepsMark, Field(discriminator="kind")]


class SheetSection(BaseModel):
    """A section of a page."""

    key: str
    heading: str
    blocks: list[Block]


class PageSheet(BaseModel):
    """The pages of one student."""

    student_id: str
    sort: tuple[str, str, str]
    language: str
    title: str
    subtitle: str
    caption: str
    confidential: str
    made: str
    day: tuple[int, int, int]
    page_of: str
    sections: list[SheetSection]
