"""Names as they are compared, and the words a spreadsheet writes where it has no value."""

from collections.abc import Collection, Sequence

Record = tuple[int, list[str]]
"""Line of the file and its values."""

TITLE_LINES = 30
"""Lines above the header that are looked through for it."""

NOT_CALCULATED = "#NOT CALCULATED"
"""Stands in a cell whose formula was never worked out: the file holds no value for it."""

ERROR_WORDS = frozenset(
    {"#N/A", "#REF!", "#VALUE!", "#DIV/0!", "#NAME?", "#NULL!", "#NUM!", "#SPILL!", "#CALC!", "#FIELD!",
     "#GETTING_DATA", "#N/A N/A", "ERR:502", "ERR:504", "ERR:508", "ERR:509", "ERR:511", "ERR:522", NOT_CALCULATED}
)  # fmt: skip
"""What stands in a cell that a spreadsheet could not work out (ECMA-376 18.18.11 and newer ones; common practice)."""


def header_name(text: str) -> str:
    """A header as it is compared: lower case, spaces as underscores."""
    return "_".join(text.strip().lower().split())


def place_of_header(rows: Sequence[Record], known: Collection[str]) -> int | None:
    """Which of the first rows is the header: the first with two known names or more; None where there is none."""
    names = set(known)
    for place, (_, values) in enumerate(rows):
        if len({header_name(value) for value in values} & names) >= 2:
            return place
    return None
