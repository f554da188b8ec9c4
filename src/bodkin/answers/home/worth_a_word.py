"""Who of one's own students has earned a word and who needs one: the rounds that stand out, in words to begin with."""

from collections.abc import Collection
from typing import Literal

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import signed

OWN = 150
"""With more students than this nobody has a word with each: so many one adult teaches a subject (common practice)."""
MOST = 5
"""Most students of each kind that are named."""

Kind = Literal["earned", "needs"]


class Word(BaseModel):
    """A student worth a word, and what it is about. ``distance`` in spreads of growth, where one is expected."""

    student_id: str
    name: str
    kind: Kind
    said: str
    distance: float | None
    measure: str


class Words(BaseModel):
    """Who has earned a word, the furthest above expected first, and who needs one, the furthest below first."""

    earned: list[Word]
    needs: list[Word]


def _said(row: dict[str, float | str | None]) -> str:
    words = f"{row['from_score']:.0f} to {row['to_score']:.0f}"
    gain, expected = row["gain"], row["expected_gain"]
    if isinstance(gain, float) and isinstance(expected, float):
        words += f": {signed(gain, 0)} where {signed(expected, 0)} was expected"
    before, after = row["from_order"], row["to_order"]
    if isinstance(before, float) and isinstance(after, float) and before != after:
        words += f"; {'up' if after > before else 'down'} to {row['to_band']}"
    return f"{words}."


def worth_a_word(comparison: Comparison, names: Names, doubted: Collection[str] = ()) -> Words:
    """One's own students whose round stands out, at most five of each kind; nobody where there are more than 150.

    A word is earned by growth beyond what was expected by more than test error, or by a higher band
    and no less growth than expected; it is needed the other way round. Without an expectation the
    bands alone tell. ``doubted``: students whose result has to be believed first; they need no word.
    """
    both = comparison.students.filter("matched")
    if not 0 < both.height <= OWN:
        return Words(earned=[], needs=[])
    moved = (pl.col("to_order") - pl.col("from_order")).sign()
    grown = pl.when(pl.col("met").is_null()).then(0).when("met").then(1).otherwise(-1)
    clear = pl.col("verdict").replace_strict(
        {"clearly_above": 1, "clearly_below": -1}, default=0, return_dtype=pl.Int64
    )
    way = pl.when(clear != 0).then(clear).when((moved != 0) & (grown * moved >= 0)).then(moved).otherwise(0)
    rows = both.with_columns(way=way.fill_null(0))
    order = ["gain_z", "gain", "student_id"]
    earned = rows.filter(pl.col("way") > 0).sort(order, descending=[True, True, False], nulls_last=True)
    needs = rows.filter(pl.col("way") < 0, ~pl.col("student_id").is_in(list(doubted))).sort(order, nulls_last=True)
    measure = measure_title(comparison.scope.assessment, comparison.scope.subject)

    def words_for(kind: Kind, those: pl.DataFrame) -> list[Word]:
        return [
            Word(
                student_id=row["student_id"], name=display_name(names, row["student_id"]), kind=kind, said=_said(row),
                distance=row["gain_z"], measure=measure,
            )
            for row in those.head(MOST).iter_rows(named=True)
        ]  # fmt: skip

    return Words(earned=words_for("earned", earned), needs=words_for("needs", needs))


def together(found: Collection[Words]) -> Words:
    """The words of several measures as one, the largest distances first, at most five of each kind."""

    def most(kind: Kind) -> list[Word]:
        every = [word for one in found for word in (one.earned if kind == "earned" else one.needs)]
        sign = 1 if kind == "earned" else -1
        return sorted(every, key=lambda word: (word.distance is None, -sign * (word.distance or 0.0)))[:MOST]

    return Words(earned=most("earned"), needs=most("needs"))
