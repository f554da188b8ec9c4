"""The data of the Needs step filled from the database, and kept until it changes."""

from dataclasses import replace
from datetime import date
from pathlib import Path
from threading import Lock

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, frame_of, read_rows
from bodkin.store.database import day_of, two_columns, versions
from bodkin.store.reads.kept import Kept
from bodkin.store.reads.needs_data import (
    ANSWERS,
    ENTRIES,
    ITEMS,
    MATERIALS,
    PREREQUISITES,
    STANDARDS,
    TEACHING,
    NeedsData,
    parts_of,
)
from bodkin.store.reads.people import current_year
from bodkin.store.reads.section_names import shared_names_kept, with_schools
from bodkin.store.reads.table.made_rows import MadeRows, kept_rows
from bodkin.store.reads.table.score_table import WORD, Memo
from bodkin.store.reads.table.start_file import ANSWERS_FILE, ENTRIES_FILE, MANY, MANY_SCORES, RowsFile
from bodkin.store.tables import (
    Answer,
    Item,
    MasteryEntry,
    Material,
    Person,
    Prerequisite,
    School,
    Section,
    Standard,
    Student,
    TeachingCalendar,
)

_ANSWERS: Columns = {
    "line": (Answer.id, pl.Int64()),
    "student_id": (Answer.student_id, pl.Int64()),
    "item_id": (Answer.item_id, pl.Int64()),
    "tested_on": (Answer.tested_on, pl.Date()),
    "option": (Answer.option, WORD),
    "points": (Answer.points, pl.Float64()),
}


def load_items(session: Session) -> pl.DataFrame:
    """Items of every common test, with ``id``, in the order in which they came."""
    text = pl.String()
    query = select(
        Item.id, Item.test, Item.item, Item.key, Item.points, Item.options, Item.standards, Item.dropped
    ).order_by(Item.id)
    schema = pl.Schema(
        {"id": pl.Int64(), "test": WORD, "item": WORD, "keys": text, "points": pl.Float64(), "options": text,
         "standards": text, "dropped": pl.Boolean()}
    )  # fmt: skip
    items = frame_of(session, query, schema)
    return items.with_columns(parts_of(name).cast(ITEMS[name]) for name in ("keys", "options", "standards"))


def load_answers(session: Session, items: pl.DataFrame) -> pl.DataFrame:
    """Every answer, as the step looks at it; ``items`` as :func:`load_items` gives them."""
    kept = read_rows(session, _ANSWERS, lambda query: query.order_by(Answer.id))
    students = two_columns(session, select(Student.id, Student.student_id))
    named = pl.col("student_id").replace_strict(students, default=None, return_dtype=pl.String)
    places = items.select("test", "item", item_id="id")
    return (
        kept.with_columns(named if students else pl.lit(None, dtype=pl.String).alias("student_id"))
        .join(places, on="item_id", how="inner", maintain_order="left")
        .select(list(ANSWERS))
    )


def _entries(session: Session) -> pl.DataFrame:
    query = (
        select(
            MasteryEntry.id, Student.student_id, Standard.code, MasteryEntry.state, MasteryEntry.day,
            MasteryEntry.source, MasteryEntry.note, Person.name,
        )
        .join(Student, Student.id == MasteryEntry.student_id)
        .join(Standard, Standard.id == MasteryEntry.standard_id)
        .outerjoin(Person, Person.id == MasteryEntry.by_id)
        .order_by(MasteryEntry.id)
    )  # fmt: skip
    return frame_of(session, query, ENTRIES)


def _materials(session: Session) -> pl.DataFrame:
    query = (
        select(Material.id, Standard.code, Material.title, Material.link, Material.check)
        .join(Standard, Standard.id == Material.standard_id)
        .order_by(Material.id)
    )
    return frame_of(session, query, MATERIALS)


def _teaching(session: Session, today: date) -> pl.DataFrame:
    """What is taught when in the school year of a day."""
    query = (
        select(
            Standard.code, TeachingCalendar.grade, School.name, Section.name, TeachingCalendar.first_day,
            TeachingCalendar.last_day,
        )
        .join(Standard, Standard.id == TeachingCalendar.standard_id)
        .outerjoin(Section, Section.id == TeachingCalendar.section_id)
        .outerjoin(School, School.id == Section.school_id)
        .where(TeachingCalendar.school_year_id == current_year(session, today))
        .order_by(TeachingCalendar.id)
    )  # fmt: skip
    return with_schools(frame_of(session, query, TEACHING), shared_names_kept(session))


def load_needs(session: Session, today: date) -> NeedsData:
    """Everything the step needs, at the state the session sees; the teaching calendar is that of today's year."""
    entries, materials, teaching = _entries(session), _materials(session), _teaching(session, today)
    return replace(load_tests(session), entries=entries, materials=materials, teaching=teaching)


def load_tests(session: Session, answers: MadeRows | None = None) -> NeedsData:
    """The same without entries, material and teaching calendar; ``answers``: who keeps them."""
    standards = select(
        Standard.code, Standard.grade, Standard.subject, Standard.strand, Standard.text, Standard.kind
    ).order_by(Standard.id)
    below = select(Prerequisite.standard_id, Prerequisite.rests_on_id)
    codes = two_columns(session, select(Standard.id, Standard.code))
    rests = [(codes[one], codes[other]) for one, other in session.execute(below)]
    items = load_items(session)
    return NeedsData(
        items=items.select(list(ITEMS)),
        # Read within, so that what is kept of them is known to rest on items.
        answers=(answers or MadeRows()).current(session, lambda: load_answers(session, load_items(session))),
        standards=frame_of(session, standards, STANDARDS),
        prerequisites=pl.DataFrame(rests, schema=PREREQUISITES, orient="row"),
    )


class NeedsTables:
    """Keeps the step's data of the newest versions, each part until a table of it changes.

    ``held``: the folder in which answers are kept for the next start.
    """

    def __init__(self, held: Path | None = None) -> None:
        answers = MadeRows(None if held is None else RowsFile(held, ANSWERS_FILE, ANSWERS), MANY)
        self._tests = Kept(lambda session: load_tests(session, answers))
        file = None if held is None else RowsFile(held, ENTRIES_FILE, ENTRIES)
        self._entries = kept_rows(_entries, file, MANY_SCORES)
        self._materials = Kept(_materials)
        # By itself: the answers rest on no day.
        self._teaching = Kept(lambda session: _teaching(session, day_of(session)))
        self._held: tuple[int, NeedsData, NeedsData] | None = None
        self._lock = Lock()

    def tests(self, session: Session) -> NeedsData:
        """The data without entries, material and teaching calendar."""
        return self._tests.current(session)

    def current(self, session: Session) -> NeedsData:
        """The data for the version that the session sees."""
        newest = versions(session)[0]
        with self._lock:
            tests, entries = self._tests.current(session), self._entries.current(session)
            materials, teaching = self._materials.current(session), self._teaching.current(session)
            held = self._held
            same = held is not None and held[1] is tests and held[2].entries is entries
            if held is not None and same and held[2].materials is materials and held[2].teaching is teaching:
                return held[2]
            # What was said of the entries rests on no material and no plan.
            said = held[2].said if held is not None and same else Memo()
            data = replace(tests, entries=entries, materials=materials, teaching=teaching, said=said)
            # A session that began before the last change has its own.
            if held is None or held[0] <= newest:
                self._held = (newest, tests, data)
            return data
