"""The headless runs as the command line offers them."""

from pathlib import Path
from typing import Annotated

import typer

runs = typer.Typer()
Many = Annotated[list[str] | None, typer.Option()]
Out = Annotated[Path, typer.Option(help="folder for the files")]


Scores = Annotated[Path, typer.Option(help="scores.csv")]
Assessment = Annotated[str, typer.Option(help="name of the assessment as in the file")]
Subject = Annotated[str, typer.Option(help="subject as in the file")]
From = Annotated[str, typer.Option("--from", help='earlier window, such as "2025-26 fall"')]
To = Annotated[str, typer.Option("--to", help="later window")]
Norms = Annotated[Path | None, typer.Option(help="norms.csv")]
GrowthNorms = Annotated[Path | None, typer.Option(help="growth_norms.csv")]
Cuts = Annotated[Path | None, typer.Option(help="cuts.csv")]
Calendar = Annotated[Path | None, typer.Option(help="calendar.csv: school years, windows, closures")]
SeasonCuts = Annotated[bool, typer.Option("--season-cuts/--year-end-cuts")]
Matched = Annotated[bool, typer.Option("--matched/--all", help="shares over students with both results")]
Language = Annotated[str | None, typer.Option(help="only results in this language")]


def _say(paths: list[Path]) -> None:
    for path in paths:
        print(path)


@runs.command()
def compare(
    scores: Scores,
    assessment: Assessment,
    subject: Subject,
    from_window: From,
    to_window: To,
    out: Out,
    norms: Norms = None,
    growth_norms: GrowthNorms = None,
    cuts: Cuts = None,
    calendar: Calendar = None,
    season_cuts: SeasonCuts = True,
    matched: Matched = True,
    grade: Many = None,
    school: Many = None,
    section: Many = None,
    teacher: Many = None,
    program: Many = None,
    language: Language = None,
    by: Annotated[str | None, typer.Option(help="school, grade, teacher, section, language or program")] = None,
    withhold: Annotated[int | None, typer.Option(min=1, help="withhold cells of fewer students than this")] = None,
) -> None:
    """Compare two windows from plain files, without a database; writes students.csv and summary.json."""
    from bodkin.commands.headless.compare import Files, compare_files

    asked = {
        "assessment": assessment, "subject": subject, "from_window": from_window, "to_window": to_window,
        "matched": matched, "cuts": "season" if season_cuts else "year-end", "grade": grade or (),
        "school": school or (), "section": section or (), "teacher": teacher or (), "program": program or (),
        "language": language, "by": by,
    }  # fmt: skip
    _say(compare_files(asked, Files(scores, norms, growth_norms, cuts, calendar), out, withhold))


@runs.command()
def helped(
    scores: Scores,
    members: Annotated[Path, typer.Option(help="members.csv: student_id")],
    assessment: Assessment,
    subject: Subject,
    from_window: From,
    to_window: To,
    out: Out,
    strata: Annotated[str, typer.Option(help="grade, or grade,program")] = "grade",
    norms: Norms = None,
    growth_norms: GrowthNorms = None,
    cuts: Cuts = None,
    calendar: Calendar = None,
    season_cuts: SeasonCuts = True,
    matched: Matched = True,
    grade: Many = None,
    school: Many = None,
    section: Many = None,
    teacher: Many = None,
    program: Many = None,
    language: Language = None,
) -> None:
    """Compare the growth of a group with that of similar students; writes pairs.csv and summary.json."""
    from bodkin.commands.headless.compare import Files
    from bodkin.commands.headless.follow_up import helped_files

    asked = {
        "assessment": assessment, "subject": subject, "from_window": from_window, "to_window": to_window,
        "matched": matched, "cuts": "season" if season_cuts else "year-end", "grade": grade or (),
        "school": school or (), "section": section or (), "teacher": teacher or (), "program": program or (),
        "language": language,
    }  # fmt: skip
    _say(helped_files(asked, Files(scores, norms, growth_norms, cuts, calendar), members, strata, out))


@runs.command()
def progress(
    results: Annotated[Path, typer.Option(help="results.csv")],
    out: Out,
    goals: Annotated[Path | None, typer.Option(help="goals.csv")] = None,
    calendar: Calendar = None,
    today: Annotated[str | None, typer.Option(help="leave out results after this day")] = None,
) -> None:
    """Follow results between the windows: trend, aim line, and what the rule says; writes progress.csv."""
    from bodkin.commands.headless.follow_up import progress_files

    _say(progress_files(results, goals, calendar, today, out))


@runs.command()
def groups(
    needs: Annotated[Path, typer.Option(help="needs.csv: student_id and a column a measure")],
    out: Out,
    groups: Annotated[Path | None, typer.Option(help="groups.csv: group, its focus, and own sizes")] = None,
    number: Annotated[int | None, typer.Option(help="how many groups to find foci for")] = None,
    rules: Annotated[Path | None, typer.Option(help="rules.toml")] = None,
) -> None:
    """Place students in groups by their needs; exits with status 1 where the rules clash."""
    from bodkin.commands.headless.groups import groups_files

    paths, placed = groups_files(needs, groups, number, rules, out)
    _say(paths)
    if not placed:
        raise typer.Exit(1)


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
    from bodkin.exchange.plain.headless.needs import StandardsFiles

    limits = Limits(mastered_from, nearly_from, fewest)
    run = standards_run(
        limits, first, last, grade or (), reach or (), on, has_calendar=teaching_calendar is not None
    )  # fmt: skip
    files = StandardsFiles(standards, prerequisites, mastery, answers, items, teaching_calendar)
    _say(standards_files(files, run, out))
