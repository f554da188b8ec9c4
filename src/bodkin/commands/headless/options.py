"""The headless runs of the later steps as the command line offers them."""

from pathlib import Path
from typing import Annotated

import typer

runs = typer.Typer()
Many = Annotated[list[str] | None, typer.Option()]
Out = Annotated[Path, typer.Option(help="folder for the files")]


def _say(paths: list[Path]) -> None:
    for path in paths:
        print(path)


@runs.command()
def items(
    answers: Annotated[Path, typer.Option(help="answers.csv")],
    items: Annotated[Path, typer.Option(help="items.csv")],
    out: Out,
    test: Annotated[str | None, typer.Option(help="only this test")] = None,
    sections: Annotated[Path | None, typer.Option(help="scores.csv that says where students sit")] = None,
    by: Annotated[str | None, typer.Option(help="section, school or teacher")] = None,
    withhold: Annotated[int | None, typer.Option(min=1, help="withhold counts of fewer students than this")] = None,
) -> None:
    """Work out common tests from plain files: how each item did, and who won what."""
    from bodkin.commands.headless.needs import items_files

    _say(items_files(answers, items, out, test, sections, by, withhold))


@runs.command()
def standards(
    standards: Annotated[Path, typer.Option(help="standards.csv")],
    out: Out,
    prerequisites: Annotated[Path | None, typer.Option(help="prerequisites.csv")] = None,
    mastery: Annotated[Path | None, typer.Option(help="mastery.csv")] = None,
    answers: Annotated[Path | None, typer.Option(help="answers.csv")] = None,
    items: Annotated[Path | None, typer.Option(help="items.csv")] = None,
    first: Annotated[str | None, typer.Option("--from", help="first day of the period")] = None,
    last: Annotated[str | None, typer.Option("--to", help="last day of the period")] = None,
    mastered_from: Annotated[float, typer.Option(help="per cent of points from which a standard is mastered")] = 80,
    nearly_from: Annotated[float, typer.Option(help="per cent of points from which it is nearly mastered")] = 60,
    fewest: Annotated[float, typer.Option(min=0, help="items below which evidence is thin")] = 3,
    grade: Many = None,
    reach: Many = None,
    teaching_calendar: Annotated[Path | None, typer.Option(help="teaching_calendar.csv")] = None,
    on: Annotated[str | None, typer.Option(help="the day for which the calendar is read")] = None,
) -> None:
    """Work out who has mastered what, what to teach first, and the way there."""
    from bodkin.answers.needs.evidence import Limits
    from bodkin.commands.headless.needs import standards_files, standards_run
    from bodkin.exchange.plain.needs_files import StandardsFiles

    limits = Limits(mastered_from, nearly_from, fewest)
    run = standards_run(
        limits, first, last, grade or (), reach or (), on, has_calendar=teaching_calendar is not None
    )  # fmt: skip
    files = StandardsFiles(standards, prerequisites, mastery, answers, items, teaching_calendar)
    _say(standards_files(files, run, out))
