"""Two sittings side by side: several in one window, and in two languages."""

from collections import Counter

import numpy as np
import polars as pl

from bodkin.answers.check.rows import OneSitting, SeveralSittings, TwoLanguages
from bodkin.answers.check.sittings import WindowSittings, counting, decided_words, known_number, measured, numbers
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.words import plural
from bodkin.core.check.credibility import language_or_skill, two_sittings


def several_sittings(seen: WindowSittings, names: Names) -> list[SeveralSittings]:
    """Students with several results in the window in one language: each sitting, and which one counts."""
    # Most students have one: only the others are looked at one by one.
    several = seen.sittings.filter(pl.len().over("student_id", "language") > 1)
    inside = several.sort(["tested_on", "result_id"], nulls_last=False)
    found = []
    for (student, language), rows in inside.group_by("student_id", "language", maintain_order=True):
        believed = counting(rows)
        counts = believed["result_id"].to_list()[-1] if believed.height else None
        first, last = rows.row(0, named=True), rows.row(rows.height - 1, named=True)
        errors = [measured(rows, "standard_error")[at] for at in (-1, 0)]
        gap = two_sittings([last["score"]], [errors[0]], [first["score"]], [errors[1]])
        found.append(
            SeveralSittings(
                student_id=str(student), name=display_name(names, str(student)), section=last["section"],
                language=language if isinstance(language, str) else None, difference=float(gap.difference[0]),
                error=known_number(gap.error[0]), beyond=bool(abs(np.nan_to_num(gap.errors[0])) > 1.96),
                sittings=[
                    OneSitting(
                        result_id=row["result_id"], tested_on=row["tested_on"], score=row["score"],
                        standard_error=row["standard_error"], minutes=row["minutes"], used=row["accommodations"],
                        counts=row["result_id"] == counts, state=row["state"], decided=decided_words(row),
                    )
                    for row in rows.iter_rows(named=True)
                ],
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: (-abs(one.difference), one.name))


def two_languages(
    seen: WindowSittings, names: Names, target: dict[str, float], spread: dict[str, float]
) -> list[TwoLanguages]:
    """Students with a result in another language beside the English one, the largest difference first.

    ``target``: lowest score of the upper half of the bands, by grade; ``spread``: standard deviation of the
    norm, by grade.
    """
    inside = seen.counting.unique(["student_id", "language"], keep="last", maintain_order=True)
    english = inside.filter(pl.col("language") == "English")
    home = inside.filter(pl.col("language").is_not_null() & (pl.col("language") != "English"))
    both = home.join(english, on="student_id", suffix="_english", maintain_order="left")
    if not both.height:
        return []
    gap = two_sittings(
        numbers(both, "score"), measured(both, "standard_error"), numbers(both, "score_english"),
        measured(both, "standard_error_english"),
    )  # fmt: skip
    low, sd = (
        np.array([known.get(grade, np.nan) for grade in both["grade"].fill_null("")]) for known in (target, spread)
    )
    home_short, english_short = (
        (low - numbers(both, f"score{side}")) / measured(both, f"standard_error{side}") for side in ("", "_english")
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
