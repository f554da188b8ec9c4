"""Names in a file that nobody knows yet: tests, subjects, languages, schools, classes, and what each may mean."""

import difflib
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import InstrumentedAttribute, Session

from bodkin.exchange.questions.question import LEAVE, NEW, SAME, Answers, Choice, Item, Question
from bodkin.store.reads.corrected import corrected
from bodkin.store.tables import Assessment, Person, Program, Result, School, SchoolYear, Section, Strand

CLOSE = 0.85
"""How alike two folded names must be (difflib's ratio) for one to be shown as the nearest."""
MOST_KNOWN = 200
PART = "|"

LANGUAGES = {
    "ar": "arabic", "de": "german", "en": "english", "es": "spanish", "fa": "persian", "fr": "french",
    "hi": "hindi", "hmn": "hmong", "ht": "haitian creole", "it": "italian", "ja": "japanese", "km": "khmer",
    "ko": "korean", "pl": "polish", "ps": "pashto", "pt": "portuguese", "ru": "russian", "so": "somali",
    "sw": "swahili", "tl": "tagalog", "uk": "ukrainian", "ur": "urdu", "vi": "vietnamese", "zh": "chinese",
}  # fmt: skip
"""Codes of languages and their English names (ISO 639-1, 639-2 where there is none), for telling EN from English."""
_OTHER_NAMES = {**LANGUAGES, **{name: code for code, name in LANGUAGES.items()}}


@dataclass(frozen=True, slots=True)
class _Column:
    """A column whose values are names. With ``only_near`` only another spelling is asked about."""

    name: str
    what: str
    known: InstrumentedAttribute[str] | InstrumentedAttribute[str | None]
    with_: tuple[str, ...] = ()
    only_near: bool = False
    listed: bool = False


COLUMNS = (
    _Column("assessment", "test", Assessment.name, ("assessment", "subject")),
    _Column("subject", "subject", Assessment.subject, ("assessment", "subject")),
    _Column("strand", "strand", Strand.name, ("strand", "assessment"), only_near=True),
    _Column("language", "language", Result.language),
    _Column("school", "school", School.name),
    _Column("teacher", "teacher", Person.name, only_near=True),
    _Column("programs", "program", Program.name, only_near=True, listed=True),
    _Column("program", "program", Program.name, only_near=True),
)


def folded(text: str) -> str:
    """A name without case, accents, spaces and signs."""
    plain = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in plain if letter.isalnum())


class Spellings:
    """Known names by how they are written without case, accents, spaces and signs."""

    def __init__(self, known: Iterable[str]) -> None:
        self._spelled = {folded(one): one for one in known}

    def add(self, name: str) -> None:
        """Know one more name; an earlier one of the same letters stays."""
        self._spelled.setdefault(folded(name), name)

    def nearest(self, value: str, *, languages: bool = False, close_too: bool = True) -> str | None:
        """The known name that another spelling most likely means; None where none is alike.

        Without ``close_too`` only one that differs in capitals, accents, spaces and signs alone.

        >>> Spellings(["Saltgauge", "Tidemark"]).nearest("SaltGauge")
        'Saltgauge'
        >>> Spellings(["english"]).nearest("EN", languages=True)
        'english'
        """
        mine = folded(value)
        if languages and (other := _OTHER_NAMES.get(mine)) in self._spelled:
            return self._spelled[other] if other is not None else None
        if mine in self._spelled:
            return self._spelled[mine]
        if not close_too or len(mine) <= 3:
            return None
        close = difflib.get_close_matches(mine, self._spelled, n=1, cutoff=CLOSE)
        # Two names that differ in a number alone are two things: Room 101 and Room 102.
        return self._spelled[close[0]] if close and _digits(close[0]) == _digits(mine) else None


def _digits(text: str) -> str:
    return "".join(letter for letter in text if letter.isdigit())


def _choices(what: str, near: str | None) -> tuple[Choice, ...]:
    same = [Choice(f"{SAME}:{near}", f'the same as "{near}"')] if near else []
    return (*same, Choice(NEW, f"a new {what}"), Choice(LEAVE, "leave out"))


def _exploded(rows: pl.DataFrame, column: _Column) -> pl.DataFrame:
    named = rows.select("line", pl.col(column.name).alias("value")).drop_nulls()
    if column.listed:
        named = named.with_columns(pl.col("value").str.split(";")).explode("value")
        named = named.with_columns(pl.col("value").str.strip_chars()).filter(pl.col("value") != "")
    return named


def _asked(session: Session, rows: pl.DataFrame, column: _Column) -> Question | None:
    named = _exploded(rows, column)
    found = named.group_by("value").agg(pl.len().alias("n"), pl.col("line").min().alias("first"))
    counts = {value: (n, first) for value, n, first in found.sort("n", descending=True).iter_rows()}
    if not counts:
        return None
    there = set(session.scalars(select(column.known).distinct()))
    # What a file called a result whose language somebody has corrected is known too.
    there |= set(corrected(session).said.get(column.name, {}).values())
    known = sorted(one for one in there if one)
    fresh = [value for value in counts if value not in set(known)]
    items = []
    # What the file itself writes more often is what a rarer spelling of it may mean.
    often, spellings = list(known), Spellings(known)
    for value in fresh:
        near = spellings.nearest(value, languages=column.name == "language", close_too=not column.only_near)
        often.append(value)
        spellings.add(value)
        if near is None and (column.only_near or not known):
            continue
        n = counts[value][0]
        lines = tuple(named.filter(pl.col("value") == value)["line"].head(5).to_list())
        said = f'"{value}" is not known' + (f'; the nearest is "{near}"' if near else "")
        items.append(Item(value, said, lines, n, _choices(column.what, near), tuple(dict.fromkeys(often[:MOST_KNOWN]))))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        meant = {value: answer.split(":", 1)[1] for value, answer in answers.items() if answer.startswith(f"{SAME}:")}
        left = [value for value, answer in answers.items() if answer == LEAVE]
        if not column.listed:
            frame = frame.filter(~pl.col(column.name).is_in(left).fill_null(value=False)) if left else frame
            return frame.with_columns(pl.col(column.name).replace(meant)) if meant else frame
        # Of a list only the name goes, not the row.
        parts = pl.col(column.name).str.split(";").list.eval(pl.element().str.strip_chars().replace(meant))
        kept = parts.list.eval(pl.element().filter(~pl.element().is_in(left))) if left else parts
        text = kept.list.unique(maintain_order=True).list.join(";")
        return frame.with_columns(pl.when(text == "").then(None).otherwise(text).alias(column.name))

    words = f"{column.what}s that are not known yet"
    return Question(f"new_{column.what}", words, items, settle) if items else None


def _years(rows: pl.DataFrame) -> pl.Expr | None:
    if "school_year" in rows.columns:
        return pl.col("school_year")
    return pl.col("window").str.slice(0, 7) if "window" in rows.columns else None


def _classes(session: Session, rows: pl.DataFrame) -> Question | None:
    """Classes that are new in a school and year that has classes already."""
    year = _years(rows)
    if year is None or not {"section", "school"} <= set(rows.columns):
        return None
    known: dict[tuple[str, str | None], list[str]] = {}
    query = (
        select(SchoolYear.name, School.name, Section.name)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .outerjoin(School, School.id == Section.school_id)
    )
    for in_year, school, name in session.execute(query):
        known.setdefault((in_year, school), []).append(name)
    placed = rows.select("line", year.alias("year"), "school", "section").drop_nulls(["year", "section"])
    groups = placed.group_by("year", "school", "section", maintain_order=True).agg(
        pl.len().alias("n"), pl.col("line").head(5)
    )
    items = []
    for in_year, school, name, n, lines in groups.sort("n", descending=True, maintain_order=True).iter_rows():
        there = known.get((in_year, school), [])
        if not there or name in there:
            continue
        near = Spellings(there).nearest(name)
        where = f"{school}, {in_year}" if school else in_year
        said = f'class "{name}" ({where}) is not known' + (f'; the nearest is "{near}"' if near else "")
        key = PART.join((in_year, school or "", name))
        items.append(Item(key, said, tuple(lines), n, _choices("class", near), tuple(sorted(there))))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        where = pl.concat_str([year, pl.col("school").fill_null(""), pl.col("section")], separator=PART)
        left = [key for key, answer in answers.items() if answer == LEAVE]
        meant = {key: answer.split(":", 1)[1] for key, answer in answers.items() if answer.startswith(f"{SAME}:")}
        frame = frame.with_columns(where.alias("@class")).filter(~pl.col("@class").is_in(left).fill_null(value=False))
        named = pl.col("@class").replace_strict(meant, default=None, return_dtype=pl.String)
        return frame.with_columns(section=pl.coalesce(named, "section")).drop("@class")

    return Question("new_class", "classes that are not known yet", items, settle) if items else None


def _measures(session: Session, rows: pl.DataFrame) -> Question | None:
    """Known tests in a known subject that they have not been in so far."""
    pair = ["assessment", "subject"]
    if not set(pair) <= set(rows.columns):
        return None
    known = {(row.name, row.subject) for row in session.execute(select(Assessment.name, Assessment.subject))}
    tests, subjects = {test for test, _ in known}, {subject for _, subject in known}
    groups = rows.drop_nulls(pair).group_by(pair, maintain_order=True).agg(pl.len().alias("n"), pl.col("line").head(5))
    items = []
    for test, subject, n, lines in groups.iter_rows():
        if (test, subject) in known or test not in tests or subject not in subjects:
            continue
        there = ", ".join(sorted(other for one, other in known if one == test))
        said = f"{test} in {subject} is new; so far it is known in {there}"
        choices = (Choice(NEW, "a test of this subject too"), Choice(LEAVE, "leave out"))
        items.append(Item(PART.join((test, subject)), said, tuple(lines), n, choices))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        left = [key for key, answer in answers.items() if answer == LEAVE]
        named = pl.concat_str(pair, separator=PART)
        return frame.filter(~named.is_in(left).fill_null(value=False)) if left else frame

    return Question("new_measure", "known tests in another subject", items, settle) if items else None


Find = Callable[[Session, pl.DataFrame], Question | None]


def _finder(column: _Column) -> Find:
    def find(session: Session, rows: pl.DataFrame) -> Question | None:
        if column.name not in rows.columns or not set(column.with_) <= set(rows.columns):
            return None
        return _asked(session, rows, column)

    return find


VALUE_FINDERS: Sequence[Find] = (*map(_finder, COLUMNS), _measures, _classes)
"""What asks about names, in the order in which one answer bears on the next."""


def safe_meanings(questions: Sequence[Question], answers: Answers) -> Mapping[str, Mapping[str, str]]:
    """Spellings that were said to be a known name, by column: what the next file of this shape can be read by."""
    found: dict[str, dict[str, str]] = {}
    columns = {f"new_{column.what}": column.name for column in COLUMNS if not column.listed}
    for question in questions:
        if (name := columns.get(question.kind)) is None:
            continue
        for value, answer in question.answered(answers).items():
            if answer.startswith(f"{SAME}:"):
                found.setdefault(name, {})[value] = answer.split(":", 1)[1]
    return found
