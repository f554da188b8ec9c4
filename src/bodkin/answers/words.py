"""How answers say numbers: counts with their noun, shares, points with sign."""

import re
import unicodedata
from collections.abc import Iterable, Sequence

MINUS = "\u2212"


def plural(n: int, one: str, many: str | None = None) -> str:
    """``1 student``, ``3 students``, ``1,200 students``."""
    return f"{n:,} {one if n == 1 else many or one + 's'}"


def points(change: float) -> str:
    """Scale points with sign and one decimal, as ``+3.1 points``."""
    return f"{signed(change)} points"


def percent(share: float | None) -> str:
    """A share as a whole percent that does not break over lines; halves round up."""
    return "–" if share is None else f"{int(share * 100 + 0.5)}\u00a0%"


def signed(value: float, decimals: int = 1) -> str:
    """A number with sign and so many decimals; 0 has none."""
    size = f"{abs(value):.{decimals}f}"
    return size if float(size) == 0 else f"{'+' if value > 0 else MINUS}{size}"


def listed(names: Sequence[str]) -> str:
    """Names in a row: ``a``, ``a and b``, ``a, b and c``."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""


def without_accents(text: str) -> str:
    """The letters of a text without their accents, such as ``Emile`` of ``Émile``."""
    return "".join(one for one in unicodedata.normalize("NFKD", text) if not unicodedata.combining(one))


def _natural(text: str) -> tuple[list[tuple[bool, int, str]], str]:
    """A key that sorts as people do: numbers by their size, accents and capitals aside."""
    parts = [part for part in re.split(r"(\d+)", without_accents(text).casefold()) if part]
    return [(not part.isdecimal(), int(part) if part.isdecimal() else 0, part) for part in parts], text


def in_natural_order(texts: Iterable[str | None]) -> dict[str, int]:
    """Each text's place among all of them, as people sort them."""
    return {text: at for at, text in enumerate(sorted({one for one in texts if one is not None}, key=_natural))}
