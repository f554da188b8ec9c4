"""Small hand-made files with everything that goes wrong in real ones."""

import csv
import io
import random

MEASURE = ("Tide Test", "reading")
FALL, WINTER, SPRING, NEXT_FALL = "2025-26 fall", "2025-26 winter", "2025-26 spring", "2026-27 fall"

SCORE_COLUMNS = (
    *("student_id", "assessment", "subject", "window", "grade", "score", "school", "section", "teacher"),
    *("given_name", "family_name", "tested_on", "language", "standard_error", "percentile", "programs"),
)


def text(header, rows, *, newline="\n", mark=""):
    out = io.StringIO()
    writer = csv.DictWriter(out, header, lineterminator=newline, restval="")
    writer.writeheader()
    writer.writerows(rows)
    return mark + out.getvalue()


def scores(seed=1, n=160, **layout):
    """A file of scores: ties on a cut, doubles in a window, missing scores, tests outside windows."""
    rng = random.Random(seed)
    rows = []
    for at in range(n):
        grade = rng.choice("3456")
        ability = rng.gauss(0, 1)
        base = {
            "student_id": f"st-{at:04}" if at % 9 else f"Ünal, {at}",
            "assessment": MEASURE[0],
            "subject": MEASURE[1],
            "given_name": rng.choice(["José", "Zoë", "Ana"]),
            "family_name": rng.choice(["D'Ávila", 'de "Sá"', "Lee, Jr."]),
        }
        school = rng.choice(["North, Upper", "South"])
        programs = rng.choice(["", "ML", "ML; IEP", "IEP"])
        for step, (window, day) in enumerate(
            ((FALL, "2025-09-1"), (WINTER, "2026-01-1"), (SPRING, "2026-04-2"), (NEXT_FALL, "2026-09-1"))
        ):
            if rng.random() < 0.12:
                continue
            grade_now = grade if window != NEXT_FALL else str(int(grade) + 1)
            sittings = 2 if rng.random() < 0.12 else 1
            for _ in range(sittings):
                score = round(400 + 20 * int(grade) + 6 * step + 18 * ability + rng.gauss(0, 8))
                row = {
                    **base,
                    "window": window if rng.random() > 0.04 else "",
                    "grade": grade_now,
                    "score": "" if rng.random() < 0.04 else str(score),
                    "school": school,
                    "section": f"{grade_now}{'AB'[at % 2]}",
                    "teacher": f"Teacher {grade_now}{at % 2}",
                    "tested_on": "" if rng.random() < 0.15 else f"{day}{rng.randint(0, 9)}",
                    "language": rng.choice(["English", "English", "Portuguese"]),
                    "standard_error": "" if rng.random() < 0.1 else str(round(rng.uniform(6, 12), 1)),
                    "percentile": str(rng.randint(1, 99)),
                    "programs": programs,
                }
                rows.append(row)
    rng.shuffle(rows)
    return text(SCORE_COLUMNS, rows, **layout)


def norms(grades="34567"):
    rows = []
    for grade in grades:
        for season, weeks, more in (("fall", (3, 5), 0), ("winter", (17, 19, 21), 7), ("spring", (32,), 12)):
            for week in weeks:
                mean = 400 + 20 * int(grade) + more + 0.3 * (week - weeks[0])
                rows.append([*MEASURE, grade, season, week, mean, 19 + int(grade) / 2])
    return text(
        ["assessment", "subject", "grade", "season", "week", "mean", "sd"],
        [
            dict(zip(["assessment", "subject", "grade", "season", "week", "mean", "sd"], row, strict=True))
            for row in rows
        ],
    )


def growth_norms():
    header = ["assessment", "subject", "grade", "from_season", "to_season", "correlation"]
    pairs = (("fall", "winter", 0.86), ("winter", "spring", 0.88), ("spring", "fall", 0.8), ("fall", "fall", 0.78))
    rows = [[*MEASURE, grade, first, second, rho] for grade in "345" for first, second, rho in pairs]
    return text(header, [dict(zip(header, row, strict=True)) for row in rows])


def cuts(percentiles_for="6"):
    """Season cuts but none for spring; grade 6 by percentile; year-end cuts for all."""
    header = ["assessment", "subject", "grade", "season", "band", "order", "min_score", "min_percentile"]
    rows = []
    for grade in "34567":
        for season, more in (("fall", 0), ("winter", 7), ("", 12)):
            for order, (band, away) in enumerate((("Low", None), ("Mid", -12), ("High", 2), ("Top", 15)), 1):
                low = "" if away is None else 400 + 20 * int(grade) + more + away
                percent = ""
                if grade in percentiles_for and away is not None:
                    low, percent = "", {2: 25, 3: 50, 4: 75.5}[order]
                rows.append([*MEASURE, grade, season, band, order, low, percent])
    return text(header, [dict(zip(header, row, strict=True)) for row in rows])
