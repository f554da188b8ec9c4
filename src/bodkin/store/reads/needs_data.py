"""What the Needs step looks at: items and answers, standards and what they rest on, who has mastered what.

The database fills these frames for the screens and plain files fill them for the headless runs, so that
both put the same question to the same tables.
"""

from dataclasses import dataclass, field

import polars as pl

from bodkin.store.reads.table.score_table import WORD, Memo

TEXTS = pl.List(WORD)

ITEMS = pl.Schema(
    {
        "test": WORD, "item": WORD, "keys": TEXTS, "points": pl.Float64(), "options": TEXTS,
        "standards": TEXTS, "dropped": pl.Boolean(),
    }
)  # fmt: skip
"""One row an item, in the order of the test; ``options`` is empty where they are not told."""

ANSWERS = pl.Schema(
    {
        "line": pl.Int64(), "student_id": pl.String(), "test": WORD, "item": WORD,
        "tested_on": pl.Date(), "option": WORD, "points": pl.Float64(),
    }
)  # fmt: skip
"""One row an answer; ``line`` rises with the order of arrival, ``points`` stand before the key where known."""

STANDARDS = pl.Schema(
    {
        "standard": WORD, "grade": WORD, "subject": WORD, "strand": WORD, "text": pl.String(), "kind": WORD,
    }
)  # fmt: skip
"""One row a standard, by its code."""

PREREQUISITES = pl.Schema({"standard": WORD, "rests_on": WORD})

ENTRIES = pl.Schema(
    {
        "line": pl.Int64(), "student_id": pl.String(), "standard": WORD, "state": WORD,
        "on": pl.Date(), "source": WORD, "note": pl.String(), "by": WORD,
    }
)  # fmt: skip
"""One row an entry of mastery: mastered, nearly or not yet; ``by`` names the person who entered it."""

TEACHING = pl.Schema(
    {
        "standard": WORD, "grade": WORD, "school": WORD, "section": WORD, "from": pl.Date(), "to": pl.Date(),
    }
)  # fmt: skip
"""One row a time that a standard is taught: to a class, or to a whole grade."""

MATERIALS = pl.Schema(
    {"id": pl.Int64(), "standard": WORD, "title": pl.String(), "link": pl.String(), "check": pl.String()}
)
"""Teaching material on a standard, with a short check; ``link`` may be text."""


@dataclass(frozen=True, slots=True)
class NeedsData:
    """Frames with the schemas above.

    ``worked`` keeps what was worked out from items and answers, ``said`` what rests on entries too.
    """

    items: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=ITEMS))
    answers: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=ANSWERS))
    standards: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=STANDARDS))
    prerequisites: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=PREREQUISITES))
    entries: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=ENTRIES))
    teaching: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=TEACHING))
    materials: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=MATERIALS))
    worked: Memo = field(default_factory=Memo, compare=False)
    said: Memo = field(default_factory=Memo, compare=False)


def parts_of(column: str) -> pl.Expr:
    """A cell of values separated by semicolons as a list, in its order, without empty ones and doubles."""
    parts = pl.col(column).fill_null("").str.split(";").list.eval(pl.element().str.strip_chars())
    return parts.list.eval(pl.element().filter(pl.element() != "")).list.unique(maintain_order=True)
