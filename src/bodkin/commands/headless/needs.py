"""The headless runs of the Needs step: ``items`` and ``standards``."""

from collections.abc import Collection, Mapping
from datetime import date
from pathlib import Path

from bodkin.answers.headless.items import items_texts
from bodkin.answers.headless.standards import StandardsRun, standards_texts
from bodkin.answers.headless.writing import write_files
from bodkin.answers.needs.evidence import Limits
from bodkin.core.errors import BadInput
from bodkin.core.needs.mastery import mastery_from_points
from bodkin.core.windows import GRADES
from bodkin.exchange.plain.headless.needs import StandardsFiles, read_items_run, read_standards_run

BY = ("section", "school", "teacher")


def written(out: Path, texts: Mapping[str, str]) -> list[Path]:
    """Write a run's files. Raises BadInput where the folder cannot be written."""
    try:
        return write_files(out, texts)
    except OSError as error:
        raise BadInput(f"{error.filename or out}: cannot be written ({error.strerror})") from None


def items_files(
    answers: Path, items: Path, out: Path, test: str | None, sections: Path | None, by: str | None,
    withhold: int | None,
) -> list[Path]:  # fmt: skip
    """Work out common tests and write the run's files; returns their paths.

    Raises BadInput or BadFile, with nothing written.
    """
    if by is not None and by not in BY:
        raise BadInput(f'--by: "{by}" is none of {", ".join(BY)}')
    data, tests, units = read_items_run(answers, items, test, sections, by)
    return written(out, items_texts(data, tests, units, withhold))


def day_of(option: str, text: str | None) -> date | None:
    """The day that an option names. Raises BadInput that names the option."""
    if text is None:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise BadInput(f'{option}: "{text}" is not a date; write it like 2026-09-14') from None


def _grades(option: str, values: Collection[str]) -> tuple[str, ...]:
    wrong = [value for value in values if value not in GRADES]
    if wrong:
        raise BadInput(f'{option}: "{wrong[0]}" is not a grade; write K or 1 to 12')
    return tuple(values)


def standards_run(
    limits: Limits, first: str | None, last: str | None, grades: Collection[str], reach: Collection[str],
    today: str | None, *, has_calendar: bool,
) -> StandardsRun:  # fmt: skip
    """The options of the run. Raises BadInput that names the option."""
    begin, end = day_of("--from", first), day_of("--to", last)
    if begin is not None and end is not None and end < begin:
        raise BadInput(f"--to: {end} is before {begin}")
    try:
        mastery_from_points([], [], limits.mastered_from, limits.nearly_from, limits.fewest)
    except BadInput as error:
        raise BadInput(f"--nearly-from: {error}") from None
    on = day_of("--on", today)
    if has_calendar != (on is not None):
        raise BadInput("--on: --teaching-calendar and --on go together: what is taught is told for a day")
    return StandardsRun(begin, end, limits, _grades("--grade", grades), _grades("--reach", reach), on)


def standards_files(files: StandardsFiles, run: StandardsRun, out: Path) -> list[Path]:
    """Work out who has mastered what and write the run's files; returns their paths.

    Raises BadInput or BadFile, with nothing written.
    """
    return written(out, standards_texts(read_standards_run(files), run))
