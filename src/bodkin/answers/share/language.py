"""A language of the pages: every word from one file, with its dates, numbers and names of windows."""

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

from bodkin.core.errors import BadInput
from bodkin.core.windows import parse_window

FOLDER = Path(__file__).parent / "languages"


@dataclass(frozen=True, slots=True)
class Language:
    """The words of one language; ``voice`` is ``family`` or ``student``, whom the sentences speak to."""

    words: Mapping[str, Any]
    voice: str = "family"

    @property
    def name(self) -> str:
        """What the language calls itself."""
        return str(self.words["name"])

    @property
    def code(self) -> str:
        """Of ISO 639-1."""
        return str(self.words["code"])

    def say(self, key: str, **gaps: object) -> str:
        """A sentence in the voice of the page."""
        own = self.words.get(self.voice, {})
        return str(own.get(key) or self.words["family"][key]).format(**gaps)

    def word(self, part: str, key: str, **gaps: object) -> str:
        """A word of another part, such as a heading."""
        return str(self.words[part][key]).format(**gaps)

    def heading(self, section: str, **gaps: object) -> str:
        """The heading of a section."""
        own = self.words.get(f"{self.voice}_headings", {})
        return str(own.get(section) or self.words["headings"][section]).format(**gaps)

    def subject(self, subject: str) -> str:
        """A subject's name; one that the language does not know stands as it is."""
        return str(self.words["subjects"].get(subject, subject))

    def window(self, name: str, *, in_text: bool = False) -> str:
        """A window of the calendar in words, with its school year as the screens have it: "winter 2026-27".

        ``in_text``: as part of a sentence, where the language then says it otherwise.
        """
        window = parse_window(name)
        alone = self.words["seasons"]
        forms = self.words.get("seasons_in_text", alone) if in_text else alone
        return str(forms[window.word]).format(year=window.school_year)

    def day(self, day: date) -> str:
        """A date in words."""
        return str(self.words["date"]).format(day=day.day, month=self.words["months"][day.month - 1], year=day.year)

    def number(self, value: float, decimals: int = 0) -> str:
        """A number as the language writes it; ranks and scores without decimals."""
        return f"{value:.{decimals}f}".replace("-", "−").replace(".", str(self.words["decimal"]))

    def listed(self, parts: Sequence[str]) -> str:
        """Parts as one phrase: "a, b and c"."""
        if len(parts) < 2:
            return "".join(parts)
        return f"{', '.join(parts[:-1])} {self.words['and']} {parts[-1]}"


@cache
def _words(name: str) -> Mapping[str, Any]:
    with (FOLDER / f"{name}.toml").open("rb") as file:
        return tomllib.load(file)


@cache
def languages() -> Mapping[str, str]:
    """File names of the languages there are, by code."""
    names = sorted(path.stem for path in FOLDER.glob("*.toml"))
    return {str(_words(name)["code"]): name for name in names}


def language_of(code: str, voice: str = "family") -> Language:
    """A language by its code. Raises BadInput, naming those there are."""
    known = languages()
    if code not in known:
        raise BadInput(f"page_language: there is no {code!r}; choose one of {', '.join(sorted(known))}")
    return Language(_words(known[code]), voice)
