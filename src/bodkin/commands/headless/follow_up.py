"""The headless runs of the Follow-up step: ``progress`` and ``helped``."""

from collections.abc import Mapping
from pathlib import Path

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.headless.helped import helped_texts
from bodkin.answers.headless.progress import progress_texts
from bodkin.commands.headless.compare import Files, scope_of
from bodkin.commands.headless.needs import day_of, written
from bodkin.core.errors import BadInput
from bodkin.exchange.plain.headless.progress import read_members, read_progress_run
from bodkin.exchange.plain.headless.scores import check_measure, score_table

STRATA = {"grade": "grade", "grade,program": "grade,program", "program,grade": "grade,program"}


def progress_files(
    results: Path, goals: Path | None, calendar: Path | None, today: str | None, out: Path
) -> list[Path]:
    """Follow every student and measure and write the run's file; returns its path.

    Raises BadInput or BadFile, with nothing written.
    """
    day = day_of("--today", today)
    seen, aims, dates = read_progress_run(results, goals, calendar)
    return written(out, progress_texts(seen, aims, dates, day))


def helped_files(asked: Mapping[str, object], files: Files, members: Path, strata: str, out: Path) -> list[Path]:
    """Compare a group with similar students and write the run's files; returns their paths.

    Raises BadInput or BadFile, with nothing written.
    """
    if strata not in STRATA:
        raise BadInput(f'--strata: "{strata}" is neither grade nor grade,program')
    scope = scope_of(asked)
    table = score_table(files.scores, files.norms, files.growth_norms, files.cuts, files.calendar)
    check_measure(table, files.scores, scope.assessment, scope.subject)
    order: dict[str, int] = {}
    for student in table.results.sort("line")["student_id"]:
        order.setdefault(student, len(order))
    mine = read_members(members, order.keys())
    return written(out, helped_texts(compare(table, scope), mine, STRATA[strata], order))
