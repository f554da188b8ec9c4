"""Two sittings side by side: several in one window, and in two languages."""

from collections import Counter

import numpy as np
import polars as pl

from bodkin.answers.check.rows import OneSitting, SeveralSittings, TwoLanguages
from bodkin.answers.check.sittings import WindowSittings, counting, decided_words, known_number, measured
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.words import plural
from bodkin.core.check.credibility import language_or_skill, two_sittings
from bodkin.store.reads.table.score_table import numbers_of

_TEST = ["student_id", "language"]
"""Sittings of one student in one language are the same test taken again."""


def several_sittings(seen: WindowSittings, names: Names) -> list[SeveralSittings]:
    """Students with several results in the window in one language: each sitting, and which one counts."""
    # Most students have one: only the others are looked at.
    several = seen.sittings.filter(pl.len().over(_TEST) > 1)
    inside = several.sort(["tested_on", "result_id"], nulls_last=False)
    counts = set(_last(counting(inside))["result_id"])
    sittings: dict[tuple[str, str | None], list[OneSitting]] = {}
    for row in inside.iter_rows(named=True):
        sittings.setdefault((row["student_id"], row["language"]), []).append(
            OneSitting(
                result_id=row["result_id"], tested_on=row["tested_on"], score=row["score"],
                standard_error=row["standard_error"], minutes=row["minutes"], used=row["accommodations"],
                counts=row["result_id"] in counts, state=row["state"], decided=decided_words(row),
            )
        )  # fmt: skip
    # The first beside the last of each student, in the order of the first.
    ends = inside.group_by(_TEST, maintain_order=True).agg(
        pl.col("section").last(), pl.col("score", "standard_error").first().name.prefix("first_"),
        pl.col("score", "standard_error").last().name.prefix("last_"),
    )  # fmt: skip
    gap = two_sittings(
        numbers_of(ends["last_score"]), measured(ends, "last_standard_error"), numbers_of(ends["first_score"]),
        measured(ends, "first_standard_error"),
    )  # fmt: skip
    beyond = np.abs(np.nan_to_num(gap.errors)) > 1.96
    found = [
        SeveralSittings(
            student_id=student, name=display_name(names, student), section=section, language=language,
            difference=float(gap.difference[at]), error=known_number(gap.error[at]), beyond=bool(beyond[at]),
            sittings=sittings[student, language],
        )
        for at, (student, language, section) in enumerate(ends.select(*_TEST, "section").iter_rows())
    ]  # fmt: skip
    return sorted(found, key=lambda one: (-abs(one.difference), one.name))


def _last(sittings: pl.DataFrame) -> pl.DataFrame:
    """The last of the sittings of each test."""
    return sittings.unique(_TEST, keep="last", maintain_order=True)


def two_languages(
    seen: WindowSittings, names: Names, target: dict[str, float], spread: dict[str, float]
) -> list[TwoLanguages]:
    """Students with a result in another language beside the English one, the largest difference first.

    ``target``: lowest score of the upper half of the bands, by grade; ``spread``: standard deviation of the
    norm, by grade.
    """
    home = _last(seen.counting.filter(pl.col("language").is_not_null() & (pl.col("language") != "English")))
    mine = pl.col("student_id").is_in(home["student_id"].implode())
    english = _last(seen.counting.filter(pl.col("language") == "English", mine))
    both = home.join(english, on="student_id", suffix="_english", maintain_order="left")
    if not both.height:
        return []
    gap = two_sittings(
        numbers_of(both["score"]), measured(both, "standard_error"), numbers_of(both["score_english"]),
        measured(both, "standard_error_english"),
    )  # fmt: skip
    low, sd = (
        np.array([known.get(grade, np.nan) for grade in both["grade"].fill_null("")]) for known in (target, spread)
    )
    home_short, english_short = (
        (low - numbers_of(both[f"score{side}"])) / measured(both, f"standard_error{side}") for side in ("", "_english")
    )
    needs = language_or_skill(gap, home_short, english_short, sd)
    rows = [
        TwoLanguages(
            student_id=row["student_id"], name=display_name(names, row["student_id"]), section=row["section_english"],
            home=row["language"], home_score=row["score"], home_error=row["standard_error"],
            english_score=row["score_english"], english_error=row["standard_error_english"],
            difference=float(gap.difference[at]), errors=known_number(gap.errors[at]), need=needs[at],
        )
        for at, row in enumerate(both.iter_rows(named=True))
    ]  # fmt: skip
    return sorted(rows, key=lambda one: (-one.difference, one.name))


def language_words(rows: list[TwoLanguages]) -> str:
    """How many took it in two languages, and what the need is; nothing where nobody did."""
    if not rows:
        return ""
    needs = Counter(row.need for row in rows)
    home = Counter(row.home for row in rows).most_common(1)[0][0]
    words = f"{plural(len(rows), 'student')} took it in {home} and in English"
    if needs["language"]:
        words += f"; {needs['language']:,} did better in {home} by more than test error: their need is language"
    if needs["skill"]:
        words += f"; for {needs['skill']:,} both results are below the target: their need is skill"
    return words + "."
