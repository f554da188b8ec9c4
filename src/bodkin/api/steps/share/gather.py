"""Facts about many students for their pages, each from the step it belongs to, each read once."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import polars as pl

from bodkin.answers.check.step import check_seen
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.norms.norms_and_cuts import Notes
from bodkin.answers.comparison.norms.threads import ThreadPoint, kept_points, threads_of_many
from bodkin.answers.comparison.step_answer import StudentRow, student_rows
from bodkin.answers.follow_up.practice.seen import weekly_minutes
from bodkin.answers.needs.strands import verdicts_of, worked_strands
from bodkin.answers.needs.students import Ways, held_and_next
from bodkin.answers.scope.scope import Scope
from bodkin.answers.share.facts import (
    PRACTICE_WEEKS,
    DecisionFact,
    Facts,
    HelpFact,
    ItemFact,
    ItemsFact,
    Measure,
    SkillsFact,
    StrandFact,
    StrandsFact,
)
from bodkin.answers.share.sections import PageSection
from bodkin.api.context import Context
from bodkin.api.following.groups import attendance_sums
from bodkin.api.following.periods import practice_of
from bodkin.core.windows import parse_window
from bodkin.policy.rights import Right
from bodkin.policy.roles import reads_internal
from bodkin.store.reads.student.many import load_many
from bodkin.store.writes.follow_up.team import decisions_on

MOST_YEARS = 6


@dataclass(frozen=True, slots=True)
class FactsWanted:
    """What facts are wanted: subjects of the sentence's test, years back (1: this one), a common test, sections."""

    subjects: Sequence[str]
    years: int
    test: str | None
    sections: Sequence[PageSection]


@dataclass(frozen=True, slots=True)
class Gathered:
    """Facts by student in the order of names; ``windows``: those of the years shown in which anybody has a result."""

    facts: list[Facts]
    windows: list[str]
    comparison: Comparison


def _windows(context: Context, scope: Scope, years: int) -> list[str]:
    """Windows of the years shown up to the sentence's later one."""
    last = scope.second
    rows = context.table.results.filter(pl.col("assessment") == scope.assessment)
    there = {parse_window(name) for name in rows["window"].drop_nulls().unique()}
    return [str(one) for one in sorted(there) if last.year - years < one.year and one <= last]


def _strands(context: Context, comparison: Comparison) -> dict[str, StrandsFact]:
    """The strands of a measure at its latest window with any, as Needs has them."""
    own = context.strands_of_few(comparison.scope)
    worked = worked_strands(
        comparison, own.names, context.table, own.table, None, Notes(), of_points=own.of_points
    )  # fmt: skip
    if worked.now is None:
        return {}
    score, verdicts = worked.now.score, verdicts_of(worked.now, worked.line)
    found = {}
    for at, student in enumerate(worked.students["student_id"].to_list()):
        parts = [
            StrandFact(name, float(score[at, place]),
                       None if np.isnan(verdicts[at, place]) else int(verdicts[at, place]))
            for place, name in enumerate(own.names)
            if not np.isnan(score[at, place])
        ]  # fmt: skip
        if parts:
            found[student] = StrandsFact(str(worked.now.window), worked.line, own.of_points, parts)
    return found


def _skills(context: Context, comparison: Comparison) -> dict[str, SkillsFact]:
    """What each student with any evidence holds and what to build next, as Needs has it."""
    seen = context.standards_seen(comparison)
    known, ways, found = set(seen.mastery.counting["student_id"].to_list()), Ways(seen), {}
    for at, student in enumerate(seen.mastery.students):
        if student in known:
            held, to_come = held_and_next(seen, at, ways)
            found[student] = SkillsFact([one.text for one in held], [one.text for one in to_come])
    return found


def _help(context: Context, students: frozenset[str]) -> dict[str, list[HelpFact]]:
    """The running groups of each student with the sessions since the group began, as Follow-up counts them."""
    today, found = context.today, dict[str, list[HelpFact]]()
    groups = [one for one in context.running_groups if one.members & students]
    if not groups:
        return found
    spans = pl.DataFrame(
        [(one.id, one.first_day, min(today, one.last_day)) for one in groups],
        schema={"group": pl.Int64, "first": pl.Date, "last": pl.Date}, orient="row",
    )  # fmt: skip
    mine = (
        context.runtime.attendance(context.session)
        .attended.filter(pl.col("student_id").is_in(list(students)))
        .join(spans, on="group")
    )
    sums = attendance_sums(
        mine.filter(pl.col("day").is_between(pl.col("first"), pl.col("last"))), ["group", "student_id"]
    )
    counts = {(group, student): (came, held) for group, student, _minutes, came, held in sums.iter_rows()}
    for one in groups:
        for student in one.members & students:
            came, held = counts.get((one.id, student), (0, 0))
            found.setdefault(student, []).append(
                HelpFact(one.name, one.focus, one.adult, one.times_a_week, one.minutes, came, held)
            )
    return found


def _items(context: Context, test: str, students: frozenset[str]) -> dict[str, ItemsFact]:
    """The answers of each student at the latest sitting of a common test."""
    data = context.runtime.needs(context.session)
    mine = data.answers.filter(pl.col("test") == test, pl.col("student_id").is_in(list(students)))
    # An undated sitting is older than any dated one.
    ordered = mine.sort("tested_on", "line", nulls_last=False)
    latest = ordered.group_by("student_id").agg(pl.col("tested_on").last().alias("last"))
    ordered = ordered.join(latest, on="student_id").filter(
        pl.col("tested_on").eq_missing(pl.col("last")),
    )
    given: dict[str, dict[str, tuple[str | None, float | None]]] = {}
    for student, item, option, points in ordered.select("student_id", "item", "option", "points").iter_rows():
        given.setdefault(student, {})[item] = (option or None, points)
    found = {}
    rows = data.items.filter(pl.col("test") == test, ~pl.col("dropped")).iter_rows(named=True)
    items = list(rows)
    for student, answers in given.items():
        facts = []
        for row in items:
            option, points = answers.get(row["item"], (None, None))
            right = points == row["points"] if points is not None else option in row["keys"]
            facts.append(ItemFact(row["item"], option, row["keys"], right, row["standards"]))
        found[student] = ItemsFact(test, facts)
    return found


def _decisions(context: Context, students: Sequence[str]) -> dict[str, list[DecisionFact]]:
    if not context.may(Right.TEAM):
        return {}
    found: dict[str, list[DecisionFact]] = {}
    for one in decisions_on(context.session, students):
        fact = DecisionFact(one.day, one.text or one.kind, one.who, one.review_on)
        found.setdefault(one.student_id, []).append(fact)
    return found


def _doubtful(context: Context, scope: Scope) -> dict[str, list[str]]:
    """Results that are hard to believe and that nobody has decided about, as Check says them."""
    seen = check_seen(
        context.table, context.narrowed(scope), context.check_data(scope), context.names,
        context.today,
    )  # fmt: skip
    found: dict[str, list[str]] = {}
    for one in seen.looked.doubts:
        if one.state is None:
            found.setdefault(one.student_id, []).append(f"{seen.window}: {one.why}")
    return found


def _compared(context: Context, scope: Scope, subject: str) -> Comparison:
    """The sentence in a subject: everybody with a result in one of its windows, as far as the person may export."""
    asked = scope.model_copy(update={"subject": subject, "matched": False, "strand": None, "by": None, "by2": None})
    return context.work_out(asked, export=True).comparison


def _by_name(family: str, given: str, student: str) -> tuple[str, str, str]:
    return family.casefold(), given.casefold(), student


def students_of(context: Context, scope: Scope, subjects: Sequence[str]) -> list[str]:
    """The students whom ``gather`` has facts about, in the same order."""
    found = {student for one in subjects for student in _compared(context, scope, one).students["student_id"].to_list()}
    return sorted(found, key=lambda one: _by_name(*context.names.get(one, ("", "")), one))


def _rounds(
    context: Context, scope: Scope, wanted: FactsWanted
) -> tuple[dict[str, dict[Measure, StudentRow]], dict[Measure, Comparison]]:
    """The sentence's windows in each subject, for everybody with a result there."""
    rounds: dict[str, dict[Measure, StudentRow]] = {}
    comparisons: dict[Measure, Comparison] = {}
    for subject in wanted.subjects:
        comparisons[scope.assessment, subject] = comparison = _compared(context, scope, subject)
        for row in student_rows(comparison.students, context.names, scope.against):
            rounds.setdefault(row["student_id"], {})[scope.assessment, subject] = row
    return rounds, comparisons


def _minutes(context: Context, students: Sequence[str], today: date) -> Mapping[str, float]:
    """Minutes of practice over the last weeks, of students for whom practice is kept at all."""
    seen = practice_of(context)
    known = weekly_minutes(seen, students, date.min, date.max)
    since = today - timedelta(days=7 * PRACTICE_WEEKS - 1)
    lately = weekly_minutes(seen, students, since, today)
    return {student: sum(lately.get(student, {}).values()) for student in known}


def gather(context: Context, scope: Scope, wanted: FactsWanted) -> Gathered:
    """Facts about every student of a scope with a result in its windows, as far as the person may take them out."""
    today, table = context.today, context.table
    rounds, comparisons = _rounds(context, scope, wanted)
    students = list(rounds)
    everyone, sections = frozenset(students), set(wanted.sections)
    measures = [(scope.assessment, subject) for subject in wanted.subjects]
    windows = _windows(context, scope, wanted.years)

    def shown(point: ThreadPoint) -> bool:
        return point.window in windows

    threads = threads_of_many(table, students, measures, context.narrowed(scope, export=True))
    kept = load_many(context.session, students, today)
    strands = {one: _strands(context, own) for one, own in comparisons.items()} if "strands" in sections else {}
    skills = {one[1]: _skills(context, own) for one, own in comparisons.items()} if "skills" in sections else {}
    help_ = _help(context, everyone) if "help" in sections else {}
    minutes = _minutes(context, students, today) if "practice" in sections else {}
    items = _items(context, wanted.test, everyone) if wanted.test and "items" in sections else {}
    decisions = _decisions(context, students) if "decisions" in sections else {}
    doubtful = _doubtful(context, scope) if "doubtful" in sections else {}
    span = table.calendar.windows.get(scope.to_window)
    to_come = span is not None and span[1] >= today
    facts = []
    for student in students:
        family, given = context.names.get(student, ("", ""))
        # The first subject of the page says where the student is.
        row = next(iter(rounds[student].values()))
        notes = kept.notes.get(student, [])
        facts.append(
            Facts(
                student, given, family, row["grade"], row["school"], row["section"], scope.from_window,
                scope.to_window, to_come, rounds[student],
                kept_points(threads.get(student, []), shown),
                {one: own[student] for one, own in strands.items() if student in own},
                {subject: own[student] for subject, own in skills.items() if student in own},
                [one for one in kept.goals.get(student, []) if one.subject in wanted.subjects],
                help_.get(student, []), minutes.get(student), items.get(student),
                kept.accommodations.get(student, []),
                [(one.on, one.words) for one in notes if one.kind == "family"],
                [
                    (one.on, one.words) for one in notes
                    if one.kind == "internal"
                    and reads_internal(context.person, shared=one.shared, by_id=one.by_id)
                ],
                doubtful.get(student, []), decisions.get(student, []), kept.teachers.get(student, []),
            )
        )  # fmt: skip
    facts.sort(key=lambda one: _by_name(one.family, one.given, one.student_id))
    return Gathered(facts, windows, comparisons[measures[0]])
