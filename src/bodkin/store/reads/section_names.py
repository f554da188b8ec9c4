"""Names of classes: a class is known by its school and name, so two of one name at two schools are told apart."""

from collections.abc import Collection

import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.store.tables import School, SchoolYear, Section


def shared_names(places: pl.DataFrame) -> frozenset[str]:
    """Names that classes of two schools or more have; ``places`` has columns ``school`` and ``section``."""
    known = places.select("school", "section").drop_nulls().unique()
    counted = known.group_by("section").len().filter(pl.col("len") > 1)
    return frozenset(counted["section"].to_list())


def shared_names_kept(session: Session) -> frozenset[str]:
    """The same of all classes in the database, of every school year."""
    names = select(Section.name).group_by(Section.name).having(func.count(Section.school_id.distinct()) > 1)
    return frozenset(session.scalars(names))


def section_keys(session: Session, wanted: Collection[str], schools: Collection[str], year: str) -> list[int] | None:
    """The keys of a school year's classes, each asked for by its name or with its school; None where one is not there.

    ``schools``: only classes of these, where any are given.
    """
    rows = session.execute(
        select(Section.id, Section.name, School.name)
        .outerjoin(School, School.id == Section.school_id)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .where(SchoolYear.name == year)
    ).all()
    found: set[int] = set()
    for one in wanted:
        mine = [key for key, name, school in rows if one in (name, f"{school}: {name}")
                and (not schools or school in schools)]  # fmt: skip
        if not mine:
            return None
        found.update(mine)
    return sorted(found)


def with_schools(frame: pl.DataFrame, shared: Collection[str]) -> pl.DataFrame:
    """A frame with ``school`` and ``section`` whose shared class names carry their school: ``North: 4A``."""
    if not shared or not frame.height:
        return frame
    known = pl.col("section").is_in(list(shared)) & pl.col("school").is_not_null()
    full = pl.concat_str("school", pl.lit(": "), "section").cast(frame.schema["section"])
    return frame.with_columns(section=pl.when(known).then(full).otherwise("section"))


def is_section(wanted: Collection[str]) -> pl.Expr:
    """Whether a row's class is one of some, each given as its name (which two schools may share) or with its school."""
    values = list(wanted)
    prefix = pl.concat_str(pl.col("school").fill_null(""), pl.lit(": "))
    alone = pl.col("section").cast(pl.String).str.strip_prefix(prefix)
    full = pl.concat_str("school", pl.lit(": "), alone)
    return (alone.is_in(values) | full.is_in(values).fill_null(value=False)).fill_null(value=False)
