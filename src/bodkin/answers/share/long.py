"""Results one figure a line, ready to pivot in a spreadsheet."""

from collections.abc import Sequence

from bodkin.answers.comparison.exports import Table
from bodkin.answers.share.facts import Facts

HEADER = [
    "student_id", "name", "school", "grade", "class", "test", "subject", "language", "window", "tested_on", "figure",
    "value",
]  # fmt: skip


def long_table(facts: Sequence[Facts], caption: str) -> Table:
    """Each counted result as lines: score, percentile, place of the band, and each strand of the latest window."""
    rows: list[list[object]] = []
    for one in facts:
        who = [one.student_id, one.name, one.school, one.grade, one.section]
        for thread in one.threads:
            for point in thread.points:
                where = [thread.assessment, thread.subject, thread.language, point.window, point.on]
                figures = {"score": point.score, "percentile": point.percentile, "band": point.order}
                rows += [[*who, *where, figure, value] for figure, value in figures.items() if value is not None]
        for (assessment, subject), own in one.strands.items():
            where = [assessment, subject, None, own.window, None]
            rows += [[*who, *where, f"strand: {part.strand}", part.score] for part in own.strands]
    return Table(HEADER, rows, caption)
