"""Who is who: one id with two names, a known id under another name, a known student under another id."""

from collections.abc import Sequence

import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.core.windows import GRADES
from bodkin.exchange.questions.question import (
    LEAVE,
    NEW,
    SAME,
    Answers,
    Choice,
    Item,
    Question,
    lines_of,
    without_left,
)
from bodkin.exchange.questions.values import Find, folded
from bodkin.store.tables import SchoolYear, Student, StudentYear

NAMES = ("given_name", "family_name")
FIRST, LAST, KEEP = "first", "last", "keep"


def _folded_name() -> pl.Expr:
    both = pl.concat_str([pl.col(name).fill_null("") for name in NAMES], separator=" ")
    return both.map_elements(folded, return_dtype=pl.String)


def _spoken(given: str | None, family: str | None) -> str:
    return " ".join(part for part in (given, family) if part) or "no name"


def _has_names(rows: pl.DataFrame) -> bool:
    return {"student_id", *NAMES} <= set(rows.columns)


def _named(rows: pl.DataFrame) -> pl.DataFrame:
    """Each id with each name it has in the file: how often and since which line."""
    some = rows.filter(pl.any_horizontal(pl.col(name).is_not_null() for name in NAMES))
    return some.group_by("student_id", *NAMES, maintain_order=True).agg(
        pl.len().alias("n"), pl.col("line").min(), pl.col("line").max().alias("last")
    )


def two_names(_session: Session, rows: pl.DataFrame) -> Question | None:
    """Ids that stand for two names in one file."""
    if not _has_names(rows):
        return None
    named = _named(rows).filter(pl.len().over("student_id") > 1).with_columns(_folded_name().alias("folded"))
    several = named.filter(pl.col("folded").n_unique().over("student_id") > 1).sort("line")
    items = []
    for (student,), group in several.group_by("student_id", maintain_order=True):
        first, last = (_spoken(*group.select(NAMES).row(at)) for at in (0, -1))
        said = f"{student} is {' and '.join(dict.fromkeys(_spoken(*row) for row in group.select(NAMES).rows()))}"
        choices = (
            Choice(LAST, f"one student: {last}"), Choice(FIRST, f"one student: {first}"), Choice(LEAVE, "leave out"),
        )  # fmt: skip
        items.append(Item(str(student), said, lines_of(group), int(group["n"].sum()), choices))
    names = {
        student: (group.select(NAMES).row(0), group.select(NAMES).row(-1))
        for (student,), group in several.group_by("student_id", maintain_order=True)
    }

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        left = [student for student, answer in answers.items() if answer == LEAVE]
        frame = frame.filter(~pl.col("student_id").is_in(left)) if left else frame
        for at, name in enumerate(NAMES):
            meant = {
                student: names[student][answer == LAST][at]
                for student, answer in answers.items()
                if answer in (FIRST, LAST)
            }
            known = pl.col("student_id").replace_strict(meant, default=None, return_dtype=pl.String)
            named = pl.col("student_id").is_in(list(meant))
            frame = (
                frame.with_columns(pl.when(named).then(known).otherwise(pl.col(name)).alias(name)) if meant else frame
            )
        return frame

    return Question("two_names", "ids with two names in this file", items, settle) if items else None


def _known_names(session: Session) -> pl.DataFrame:
    query = select(Student.student_id, Student.given_name, Student.family_name)
    schema = dict.fromkeys(("student_id", "known_given", "known_family"), pl.String)
    return pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")


def renamed_wholly(session: Session, rows: pl.DataFrame) -> Question | None:
    """Known ids of which both names are others: a roster may change one of them, but not make somebody else."""
    return renamed(session, rows, wholly=True)


def renamed(session: Session, rows: pl.DataFrame, *, wholly: bool = False) -> Question | None:
    """Known ids under another name; a name in other capitals, accents or signs is the same one.

    ``wholly``: only where the given and the family name are both another one.
    """
    if not _has_names(rows):
        return None
    last = _named(rows).sort("last").unique("student_id", keep="last", maintain_order=True)
    both = last.join(_known_names(session), on="student_id", maintain_order="left").filter(
        pl.col("known_given").is_not_null() | pl.col("known_family").is_not_null()
    )
    # Most names are just as they are known; only the others need a closer look.
    both = both.filter(
        pl.any_horizontal(
            pl.col(name).is_not_null() & pl.col(name).ne_missing(pl.col(known))
            for name, known in zip(NAMES, ("known_given", "known_family"), strict=True)
        )
    )
    kept = pl.concat_str([pl.col("known_given").fill_null(""), pl.col("known_family").fill_null("")], separator=" ")
    both = both.with_columns(kept.map_elements(folded, return_dtype=pl.String).alias("known_folded"))
    # A file that knows only one of the names is silent about the other.
    said = pl.concat_str(
        [
            pl.coalesce("given_name", "known_given").fill_null(""),
            pl.coalesce("family_name", "known_family").fill_null(""),
        ],
        separator=" ",
    )
    both = both.with_columns(said.map_elements(folded, return_dtype=pl.String).alias("folded"))
    other = both.filter(pl.col("folded") != pl.col("known_folded"))
    if wholly:
        other = other.filter(
            (pl.col("given_name") != pl.col("known_given")) & (pl.col("family_name") != pl.col("known_family"))
        )
    items = []
    for row in other.sort("line").iter_rows(named=True):
        known, mine = _spoken(row["known_given"], row["known_family"]), _spoken(row["given_name"], row["family_name"])
        choices = (
            Choice(SAME, f"the same student, now {mine}"), Choice(KEEP, f"the same student, still {known}"),
            Choice(LEAVE, "somebody else: leave out"),
        )  # fmt: skip
        items.append(
            Item(row["student_id"], f"{row['student_id']} is {known}, here {mine}", (row["line"],), row["n"], choices)
        )

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        left = [student for student, answer in answers.items() if answer == LEAVE]
        keep = [student for student, answer in answers.items() if answer == KEEP]
        frame = frame.filter(~pl.col("student_id").is_in(left)) if left else frame
        as_known = pl.col("student_id").is_in(keep)
        return frame.with_columns(
            pl.when(as_known).then(None).otherwise(pl.col(name)).alias(name) for name in NAMES
        ) if keep else frame  # fmt: skip

    return Question("renamed", "known ids under another name", items, settle) if items else None


def other_ids(session: Session, rows: pl.DataFrame) -> Question | None:
    """New ids that may be known students: of the same name and grade, or but for zeros in front."""
    if "student_id" not in rows.columns:
        return None
    known = _known_names(session)
    fresh = rows.filter(~pl.col("student_id").is_in(known["student_id"].to_list()))
    if fresh.is_empty() or known.is_empty():
        return None
    met = set(rows["student_id"].unique().to_list())
    near: dict[str, str] = {}
    bare = {student.lstrip("0"): student for student in known["student_id"] if student not in met}
    for student in fresh["student_id"].unique(maintain_order=True):
        if student.isdigit() and (other := bare.get(student.lstrip("0"))):
            near[student] = other
    near |= {student: other for student, other in _alike(session, fresh, met) if student not in near}
    lines = fresh.group_by("student_id", maintain_order=True).agg(pl.len().alias("n"), pl.col("line").head(5))
    names = {student: _spoken(given, family) for student, given, family in known.iter_rows()}
    items = []
    for student, n, first in lines.iter_rows():
        if (other := near.get(student)) is None:
            continue
        said = f"{student} is new; {other} is {names[other]}"
        choices = (
            Choice(f"{SAME}:{other}", f"the same as {other}"),
            Choice(NEW, "a new student"),
            Choice(LEAVE, "leave out"),
        )
        items.append(Item(student, said, tuple(first), n, choices, (other,)))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        left = [student for student, answer in answers.items() if answer == LEAVE]
        meant = {student: answer.split(":", 1)[1] for student, answer in answers.items() if ":" in answer}
        frame = frame.filter(~pl.col("student_id").is_in(left)) if left else frame
        return frame.with_columns(pl.col("student_id").replace(meant)) if meant else frame

    return Question("other_id", "new ids of students who may be known", items, settle) if items else None


def _alike(session: Session, fresh: pl.DataFrame, met: set[str]) -> list[tuple[str, str]]:
    """New ids beside a known student of the same name in the same grade, the grade of the latest school year.

    Who stands in the file under the known id too is somebody else of that name.
    """
    if not {*NAMES, "grade"} <= set(fresh.columns):
        return []
    last = select(StudentYear.student_id, func.max(StudentYear.school_year_id).label("year"))
    last_year = last.group_by(StudentYear.student_id).subquery()
    query = (
        select(Student.student_id, Student.given_name, Student.family_name, StudentYear.grade)
        .join(last_year, last_year.c.student_id == Student.id)
        .join(
            StudentYear,
            (StudentYear.student_id == Student.id) & (StudentYear.school_year_id == last_year.c.year),
        )
        .where(Student.given_name.is_not(None), Student.family_name.is_not(None))
    )
    text = dict.fromkeys(("known_id", *NAMES, "grade"), pl.String)
    known = pl.DataFrame([tuple(row) for row in session.execute(query)], schema=text, orient="row")
    known = known.filter(~pl.col("known_id").is_in(list(met)))
    named = fresh.select("student_id", *NAMES, "grade").drop_nulls().unique(maintain_order=True)
    keys = [_folded_name().alias("folded"), pl.col("grade")]
    pairs = named.with_columns(keys).join(
        known.select(*keys, "known_id"), on=["folded", "grade"], maintain_order="left"
    )
    return list(pairs.unique("student_id", keep="first", maintain_order=True).select("student_id", "known_id").rows())


def _grades_known(session: Session) -> pl.DataFrame:
    """The grade of each student in each school year that is known, with the place of the grade."""
    query = (
        select(Student.student_id, SchoolYear.name, StudentYear.grade)
        .join(StudentYear, StudentYear.student_id == Student.id)
        .join(SchoolYear, SchoolYear.id == StudentYear.school_year_id)
        .where(StudentYear.grade.is_not(None))
    )
    schema = dict.fromkeys(("student_id", "known_year", "known_grade"), pl.String)
    known = pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")
    return known.with_columns(_place("known_grade").alias("known_place"), _began("known_year").alias("known_began"))


def _place(column: str) -> pl.Expr:
    places = {grade: at for at, grade in enumerate(GRADES)}
    return pl.col(column).replace_strict(places, default=None, return_dtype=pl.Int64)


def _began(column: str) -> pl.Expr:
    return pl.col(column).str.slice(0, 4).cast(pl.Int64, strict=False)


def other_grades(session: Session, rows: pl.DataFrame) -> Question | None:
    """Students whose grade of a school year is another one than is known, or cannot follow from that of earlier years.

    From one year to the next a student comes to the next grade or stays.
    """
    if not {"student_id", "grade", "window"} <= set(rows.columns):
        return None
    named = rows.with_columns(pl.col("window").str.slice(0, 7).alias("year")).drop_nulls(["grade", "year"])
    named = named.with_columns(_place("grade").alias("place"), _began("year").alias("began")).sort("line")
    known = _grades_known(session).sort("known_began")
    # The grade of the same year, else of the latest one before it.
    met = named.sort("began").join_asof(
        known, left_on="began", right_on="known_began", by="student_id", strategy="backward", check_sortedness=False
    )
    years = pl.col("began") - pl.col("known_began")
    up = pl.col("place") - pl.col("known_place")
    other = met.filter((up < 0) | (up > years)).sort("line")
    groups = other.group_by("known_grade", "known_year", "grade", "year", maintain_order=True).agg(
        pl.col("student_id").n_unique().alias("students"), pl.len().alias("n"), pl.col("line")
    )
    items, lines = [], {}
    for was, then, now, year, students, n, at in groups.iter_rows():
        key = f"{was} {now} {then} {year}"
        lines[key] = at
        who = "1 student" if students == 1 else f"{students} students"
        choices = (
            Choice(NEW, f"grade {now} is right"), Choice(KEEP, f"still grade {was}"), Choice(LEAVE, "leave out"),
        )  # fmt: skip
        items.append(
            Item(key, f"{who} of grade {was} in {then}, here grade {now} in {year}", tuple(at[:5]), n, choices)
        )
    grades = {key: key.split(" ", 1)[0] for key in lines}

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        frame = without_left(frame, answers, lines)
        kept = {at: grades[key] for key, answer in answers.items() if answer == KEEP for at in lines[key]}
        if not kept:
            return frame
        known = pl.col("line").replace_strict(kept, default=None, return_dtype=pl.String)
        return frame.with_columns(grade=pl.coalesce(known, "grade"))

    return Question("other_grade", "students in another grade than is known", items, settle) if items else None


PEOPLE_FINDERS: Sequence[Find] = (other_ids, two_names, renamed, other_grades)
"""What asks about people: first who is meant, then what they are called."""
