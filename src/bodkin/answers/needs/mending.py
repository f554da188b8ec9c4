"""Mending an item of a common test: whose score would change by how much, and what follows for standards."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.measures.common_tests import latest_sittings
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.needs.evidence import Limits, pieces_of_evidence, what_counts
from bodkin.answers.needs.item_analysis import analyse
from bodkin.core.errors import BadInput, NotFound
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.score_table import Memo


class ScoreChange(BaseModel):
    """A student whose points on a test change."""

    student_id: str
    name: str
    before: float
    after: float


class MendPreview(BaseModel):
    """What a mended item would change: points of students, and states of standards that follow."""

    test: str
    item: str
    n: int
    changed: int
    mean_before: float | None
    mean_after: float | None
    possible_before: float
    possible_after: float
    states_changed: int
    students: list[ScoreChange]


def mended(data: NeedsData, test: str, item: str, keys: Sequence[str], *, dropped: bool) -> NeedsData:
    """The data with an item's keys, and whether it counts, as they would be.

    Raises NotFound for an unknown item and BadInput without a key or with one that is no option.
    """
    rows = data.items.filter((pl.col("test") == test) & (pl.col("item") == item))
    if not rows.height:
        raise NotFound("There is no such item.")
    if not keys:
        raise BadInput("keys: an item needs a right answer; drop it where it has none")
    options = rows["options"][0].to_list()
    wrong = [key for key in keys if options and key not in options]
    if wrong:
        raise BadInput(f'keys: "{wrong[0]}" is not among the options {", ".join(options)}')
    here = (pl.col("test") == test) & (pl.col("item") == item)
    return replace(
        data,
        items=data.items.with_columns(
            keys=pl.when(here).then(pl.lit(pl.Series([list(keys)]))).otherwise("keys"),
            dropped=pl.when(here).then(pl.lit(dropped)).otherwise("dropped"),
        ),
        worked=Memo(), said=Memo(),
    )  # fmt: skip


def mend_preview(before: NeedsData, after: NeedsData, test: str, item: str, names: Names) -> MendPreview:
    """Whose points change and by how much, over everybody who sat the test; the largest change first."""
    counted = latest_sittings(before.answers.filter(pl.col("test") == test))
    old, new = (analyse(data, test, among=counted) for data in (before, after))
    changes = [
        ScoreChange(student_id=student, name=display_name(names, student), before=float(one), after=float(other))
        for student, one, other in zip(old.students, old.total, new.total, strict=True)
        if abs(one - other) > 1e-9
    ]
    states = []
    for data in (before, after):
        mine = data.answers.filter(pl.col("test") == test)["student_id"].unique()
        own = replace(
            data, answers=data.answers.filter(pl.col("student_id").is_in(mine.implode())),
            entries=data.entries.filter(pl.col("student_id").is_in(mine.implode())),
            worked=Memo(), said=Memo(),
        )  # fmt: skip
        states.append(what_counts(pieces_of_evidence(own, Limits())).select("student_id", "standard", "code"))
    both = states[0].join(states[1], on=["student_id", "standard"], how="full", suffix="_after")
    differing = both.filter(pl.col("code").ne_missing(pl.col("code_after"))).height
    return MendPreview(
        test=test, item=item, n=old.n, changed=len(changes), mean_before=float(old.total.mean()) if old.n else None,
        mean_after=float(new.total.mean()) if new.n else None, possible_before=old.possible,
        possible_after=new.possible, states_changed=differing,
        students=sorted(changes, key=lambda one: (-abs(one.after - one.before), one.name)),
    )  # fmt: skip


class Mend(BaseModel):
    """A change of an item that somebody made; ``state`` is done or undone."""

    id: int
    said: str
    by: str | None
    on: date
    state: str
