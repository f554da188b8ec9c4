"""Did the help work: students of a group beside similar students who were not in it, and beside expected growth."""

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.given import ENOUGH
from bodkin.answers.scope.sentence import caption
from bodkin.answers.words import percent, plural, signed
from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.follow_up.matched_comparison import (
    MatchedComparison,
    matched_comparison,
    standardised_difference,
)
from bodkin.store.reads.table.keys import code_of
from bodkin.store.reads.table.score_table import numbers_of


@dataclass(frozen=True, slots=True)
class Matched:
    """Members and others matched: ``start``, ``gain_z`` and ``member`` in the order of ``rows``."""

    rows: pl.DataFrame
    found: MatchedComparison
    start: FloatArray
    gain_z: FloatArray
    member: FloatArray

    @property
    def counted(self) -> int:
        """Members of whom both the start and the growth are known."""
        return int((~np.isnan(self.gain_z + self.start) & (self.member == 1.0)).sum())


def _strata(rows: pl.DataFrame, strata: str) -> IntArray:
    """A number for the stratum of each student: the grade at the first result, and the programs where asked for."""
    stratum = pl.col("from_grade").cast(pl.String).fill_null("")
    if strata != "grade":
        programs = pl.col("programs").cast(pl.List(pl.String)).list.sort().list.join(";").fill_null("")
        stratum = pl.concat_str(stratum, programs, separator="|")
    return rows.select(stratum=stratum).select(code_of("stratum")).to_series().to_numpy()


def matched_rows(rows: pl.DataFrame, members: Collection[str], strata: str) -> Matched:
    """Members matched with others of their stratum (grade, or grade and programs), in the order of ``rows``."""
    member = rows["student_id"].is_in(list(members)).to_numpy().astype(np.float64)
    gain_z = numbers_of(rows["gain_z"])
    start = numbers_of(rows["from_score"])
    return Matched(rows, matched_comparison(gain_z, start, member, _strata(rows, strata)), start, gain_z, member)


class Balance(BaseModel):
    """How unlike members and others are in one thing, in standard deviations, before and after matching."""

    what: str
    before: float | None
    after: float | None


def balance(made: Matched) -> list[Balance]:
    """Standardised differences, members less others, before and after matching: start score, grades, programs."""
    rows, pairs = made.rows, made.found.pairs
    known = ~np.isnan(made.start + made.gain_z)
    counted = rows.select("from_grade", "programs").filter(pl.Series(known))
    features: dict[str, FloatArray] = {"start": made.start}
    for grade in counted["from_grade"].drop_nulls().unique().sort().to_list():
        features[f"grade {grade}"] = (rows["from_grade"] == grade).fill_null(value=False).to_numpy().astype(np.float64)
    for program in counted["programs"].explode().drop_nulls().unique().sort().to_list():
        has = rows["programs"].list.contains(program).fill_null(value=False)
        features[f"program {program}"] = has.to_numpy().astype(np.float64)
    ours, theirs = known & (made.member == 1.0), known & (made.member == 0.0)
    return [
        Balance(
            what=what, before=standardised_difference(values[ours], values[theirs]),
            after=standardised_difference(values[pairs[:, 0]], values[pairs[:, 1]]),
        )
        for what, values in features.items()
    ]  # fmt: skip


Reading = Literal["worked", "did not work", "did not happen", "cannot tell"]


class HelpedAnswer(BaseModel):
    """Members beside matched students; ``difference`` in spreads of growth with its 95 % interval.

    ``reading``: that it did not work and that it did not happen are two findings: below three quarters of the planned
    minutes nothing is said against the help.
    """

    caption: str
    headline: str
    lead: str
    reading: Reading
    given: float | None = Field(description="minutes received by planned between the windows")
    attended: float | None = Field(description="sessions attended by held, over all members")
    members: int
    matched: int
    unmatched: list[str] = Field(description="members who have nobody like them, or no growth that is known")
    difference: float | None
    low: float | None
    high: float | None
    own_mean: float | None = Field(description="mean distance of the members from expected growth")
    balance: list[Balance]
    few: bool


def _reading(found: MatchedComparison, given: float | None) -> Reading:
    if found.low is not None and found.low > 0 and not found.few:
        return "worked"
    if given is not None and given < ENOUGH:
        return "did not happen"
    if found.difference is None or found.low is None or found.high is None or found.few:
        return "cannot tell"
    return "did not work"


def _headline(found: MatchedComparison, reading: Reading, given: float | None, whom: str) -> str:
    if reading == "worked":
        return f"It worked: {whom} grew more than similar students, beyond chance"
    if reading == "did not happen" and given is not None:
        return f"The help did not happen: {percent(given)} of the planned minutes were given"
    if found.difference is None or found.low is None or found.high is None:
        return "Too few students to compare"
    if found.few:
        return f"Too few to tell: {plural(len(found.pairs), 'pair', 'pairs')}"
    but = f" although {percent(given)} of the planned minutes were given" if given is not None else ""
    if found.high < 0:
        return f"{whom[0].upper()}{whom[1:]} grew less than similar students, beyond chance,{but}".rstrip(",")
    return f"{whom[0].upper()}{whom[1:]} did not grow more than similar students beyond chance{but}"


def _lead(found: MatchedComparison, own: float | None, alike: str, attended: float | None) -> str:
    parts = []
    if attended is not None:
        parts.append(f"Members came to {percent(attended)} of the sessions held.")
    if found.difference is not None:
        interval = "" if found.low is None or found.high is None else f" ({signed(found.low)} to {signed(found.high)})"
        parts.append(f"Difference {signed(found.difference)}{interval} in standard deviations of growth.")
    if own is not None:
        parts.append(f"Against expected growth members stand at {signed(own)} on average.")
    if found.difference is not None:
        parts.append(f"Matched by start score and {alike}.")
    parts.append("Students were not put into groups by chance, so this is a hint and not a proof.")
    return " ".join(parts)


def helped_answer(
    comparison: Comparison, members: Collection[str], names: Names, *, whom: str = "the group",
    given: float | None = None, attended: float | None = None,
) -> HelpedAnswer:  # fmt: skip
    """Members beside similar students among those of a comparison: of the same grade and programs.

    Where that leaves fewer than ten pairs, of the same grade alone, which is said. ``whom``: what the members are
    called; ``given``, ``attended``: shares (0..1) of the planned minutes and of the sessions held.
    """
    rows = comparison.students.sort("student_id")
    made, alike = matched_rows(rows, members, "grade,program"), "grade and programs"
    if made.found.few and len((by_grade := matched_rows(rows, members, "grade")).found.pairs) > len(made.found.pairs):
        made, alike = by_grade, "grade alone, since too few share their programs too"
    found, students = made.found, rows["student_id"].to_list()
    paired = {students[one] for one, _ in found.pairs.tolist()}
    alone = sorted((one for one in members if one not in paired), key=lambda one: (names.get(one, ("", "")), one))
    own = made.gain_z[(made.member == 1.0) & ~np.isnan(made.gain_z)]
    mean = float(own.mean()) if own.size else None
    reading = _reading(found, given)
    return HelpedAnswer(
        caption=caption(comparison.pieces), headline=_headline(found, reading, given, whom),
        lead=_lead(found, mean, alike, attended), reading=reading, given=given, attended=attended,
        members=made.counted, matched=len(found.pairs), unmatched=[display_name(names, one) for one in alone],
        difference=found.difference, low=found.low, high=found.high, own_mean=mean,
        balance=balance(made), few=found.few,
    )  # fmt: skip
