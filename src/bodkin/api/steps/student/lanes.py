"""The lanes of a student's page as far as the reader's role may see them, each from the step it belongs to."""

from dataclasses import replace
from datetime import date, timedelta

import polars as pl

from bodkin.answers.compare.outcome import likely_outcome
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.norms.threads import Place
from bodkin.answers.comparison.pairing import results_of, results_of_students
from bodkin.answers.comparison.step_answer import StudentRow, student_rows
from bodkin.answers.needs.standards import about_standards
from bodkin.answers.needs.strands import strands_answer
from bodkin.answers.needs.students import one_student
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.student.page import AroundStudent, WeeklyLine
from bodkin.answers.student.parts import StandardSeen, standards_by_day
from bodkin.answers.words import percent, plural
from bodkin.api.context import Context, now
from bodkin.api.following.groups import followed
from bodkin.api.following.periods import practice_by_week
from bodkin.api.steps.student.notes import may_read
from bodkin.core.needs.mastery import STATES
from bodkin.core.windows import day_words
from bodkin.policy.rights import Right
from bodkin.policy.roles import reads_internal
from bodkin.store.reads.assessments import all_tests, outcome_tests
from bodkin.store.reads.student.changes import changed_rows
from bodkin.store.reads.student.record import DayRecord, StudentRecord
from bodkin.store.writes.follow_up.team import decisions_on
from bodkin.store.writes.logs import looked_before
from bodkin.store.writes.student.documents import documents_on
from bodkin.store.writes.student.notes import notes_on

WEEKLY = "probe"
Measure = tuple[str, str]
SAME_LOOK = timedelta(minutes=30)
"""Looks so near one another are one look."""


def measures_of(context: Context, student: str, scope: Scope) -> tuple[list[Measure], list[Measure]]:
    """Tests with results of the student that the reader may see: over windows, the sentence's first, and weekly."""
    rows = results_of_students(context.table, [student])
    found = list(dict.fromkeys(rows.sort("line").select("assessment", "subject").iter_rows()))
    kinds = {measure: test.kind for measure, test in all_tests(context.session).items()}
    own = (scope.assessment, scope.subject)
    ordered = sorted(found, key=lambda one: (one != own, one[0] != scope.assessment))
    # Common tests of a class have views of their own.
    over = [one for one in ordered if kinds.get(one, "common") not in (WEEKLY, "common")]
    return over, [one for one in ordered if kinds.get(one) == WEEKLY]


def rounds_of(context: Context, student: str, scope: Scope, measures: list[Measure]) -> dict[str, StudentRow]:
    """The student over the sentence's windows in every subject of its test."""
    found = {}
    for assessment, subject in measures:
        if assessment != scope.assessment:
            continue
        asked = scope.over(frozenset({student})).model_copy(update={"subject": subject, "matched": False})
        comparison, _ = context.of_students(asked)
        for row in student_rows(comparison.students, context.names, scope.against):
            if row["student_id"] == student:
                found[measure_title(assessment, subject)] = row
    return found


def _standards(
    context: Context, student: str, scope: Scope
) -> tuple[tuple[str, str] | None, list[StandardSeen]]:  # fmt: skip
    """Where most is to be gained, else what to build next; and every standard with evidence, as Needs has them."""
    if not context.may(Right.TEAM):
        return None, []
    comparison, _ = context.of_students(scope.over(frozenset({student})).model_copy(update={"matched": False}))
    seen = context.standards_seen(comparison)
    if list(seen.mastery.students) != [student]:
        return None, []
    texts = {standard: row["text"] for standard, row in about_standards(seen.data).items()}
    counting = seen.mastery.counting.select("standard", "on", "code").iter_rows()
    days = standards_by_day([(one, on, STATES[code]) for one, on, code in counting], texts)
    needs = one_student(seen, context.names)
    for one in needs.gains[:1]:
        rest = f", {plural(one.later, 'later skill rests', 'later skills rest')} on it" if one.later else ""
        said = f"Most to be gained: {one.text} ({one.standard})"
        return (said, f"{one.missed:g} points missed{rest}"), days
    for step in needs.next[:1]:
        said = f"Build next: {step.text} ({step.standard})"
        return (said, f"{step.state}, the first step from the ground up"), days
    return _lowest_strand(context, comparison), days


def _lowest_strand(context: Context, comparison: Comparison) -> tuple[str, str] | None:
    """The strand furthest below the line of Needs, for who has no evidence on standards; nothing where none is."""
    own = context.strands_of_few(comparison.scope)
    found = strands_answer(
        comparison, own.names, context.table, own.table, context.names, {"notes": []}, of_points=own.of_points
    )  # fmt: skip
    away = [(one.distance[0], one) for one in found.strands if one.distance and one.distance[0] is not None]
    if not away:
        return None
    distance, strand = min(away, key=lambda one: one[0])
    if distance >= 0:
        return None
    line = next(one.words for one in found.lines if one.key == found.line)
    beyond = "beyond error" if strand.verdict[0] == -1 else "within error"
    why = f"{-distance:.1f} of the strand's standard errors below the {line}, {beyond}; no evidence on standards yet"
    return f"Most to be gained: {strand.strand} ({strand.score[0]:.0f})", why


def _likely(context: Context, student: str, scope: Scope) -> tuple[str, str] | None:
    """What the latest result says about the outcome test in spring; nothing once that has been sat."""
    same = outcome_tests(context.session, scope.assessment, scope.subject)
    if not same or scope.strand is not None:
        return None
    asked = scope.over(frozenset({student})).model_copy(update={"matched": False, "by": None, "by2": None})
    found = likely_outcome(context.table, context.work_out(asked).comparison, same[0], context.names).page()
    sat = results_of(context.table, *same[0], pl.col("window") == found.window, of=[student])
    for row in found.rows:
        if row.student_id == student and not sat.height and found.counts_from:
            words = f"{found.title} in spring: most likely {row.likely} ({percent(row.chance)})"
            why = f"{percent(row.on_track)} for {found.counts_from} or above, if this year goes as"
            return words, f"{why} {' and '.join(found.years)} did"
    return None


def seen_record(context: Context, record: StudentRecord) -> StudentRecord:
    """The record with the lanes that the reader's role may see."""
    known = {group.id for group in context.groups()}
    notes = [
        one for one in record.notes
        if one.kind == "family" or reads_internal(context.person, shared=one.shared, by_id=one.by_id)
    ]  # fmt: skip
    found = replace(
        record, notes=notes, groups=[pair for pair in record.groups if pair[0] in known],
        sessions=[pair for pair in record.sessions if pair[0] in known],
    )  # fmt: skip
    if context.may(Right.HISTORY):
        return found
    mine = set(context.table.results.select("assessment", "subject").unique().iter_rows())
    return replace(
        found, places=[], programs=[], absences=[], grades=[], goals=[], reviews=[], notes=[], retests=[],
        sittings=[one for one in record.sittings if (one.assessment, one.subject) in mine],
    )  # fmt: skip


def _due(context: Context, student: str) -> list[str]:
    """Reviews of decisions and exit rules that are met."""
    today = context.today
    found = []
    if context.may(Right.TEAM):
        latest = next(iter(decisions_on(context.session, [student])), None)
        if latest is not None and latest.review_on is not None and latest.review_on <= today:
            found.append(f"review of the decision of {day_words(latest.day)}")
    met = [group.name for group in context.membership().groups if student in group.leaves]
    return [*found, *(f"meets the exit rule of {name}" for name in met)]


def _decisions(context: Context, student: str) -> list[DayRecord]:
    if not context.may(Right.TEAM):
        return []
    return [DayRecord(one.day, one.text or "", one.kind) for one in decisions_on(context.session, [student])]


def weekly_of(context: Context, student: str, measures: list[Measure], last: date) -> list[WeeklyLine]:
    """Weekly results up to a day, with aim line, trend and the rule's word of the student's running groups."""
    lines = {}
    for group in context.groups() if last >= context.today else ():
        if student in group.members:
            found = followed(context, replace(group, members=frozenset({student})))
            lines[found.assessment, found.subject] = (found.name, found.students[0])
    weekly = []
    for measure in measures:
        own = results_of(context.table, *measure, of=[student]).sort("tested_on")
        rows = own.select("tested_on", "score").drop_nulls().iter_rows()
        points = [Place(on=on, score=score) for on, score in rows if on <= last]
        if not points:
            continue
        line = WeeklyLine(title=measure_title(*measure), points=points)
        if measure in lines:
            name, series = lines[measure]
            line.aim = [Place(on=one.on, score=one.score) for one in series.aim]
            line.trend = [Place(on=one.on, score=one.score) for one in series.trend]
            line.said = f"{name}: {series.said}"
        weekly.append(line)
    return weekly


_CHANGED = {
    "result": ("result came in or was changed", "results came in or were changed"),
    "attendance": ("session was entered", "sessions were entered"),
    "note": ("note", "notes"), "document": ("document", "documents"), "decision": ("decision", "decisions"),
    "goal": ("goal was set or changed", "goals were set or changed"),
    "group_member": ("group was joined or left", "groups were joined or left"),
    "mastery_entry": ("entry of what is mastered", "entries of what is mastered"),
}  # fmt: skip
"""What can have changed, as it is said of one and of more."""
_OF_EVERYBODY = {"result", "attendance", "group_member"}


def _changed(context: Context, student: str, record: StudentRecord) -> tuple[date | None, list[str]]:
    """When the reader last looked, and what changed since, as far as the reader may know of it."""
    since = looked_before(context.session, context.person.id, student, now() - SAME_LOOK)
    if since is None:
        return None, []
    rows = dict(changed_rows(context.session, student, since))
    readable = {
        "note": {one.id for one in notes_on(context.session, student) if may_read(context, one)},
        "document": {
            one.id for one in documents_on(context.session, student, context.today)
            if reads_internal(context.person, shared=one.shared, by_id=one.by_id)
        },
        "result": {one.id for one in record.sittings},
    }  # fmt: skip
    said = []
    for name, (one, more) in _CHANGED.items():
        keys = rows.get(name, frozenset())
        keys = keys & readable[name] if name in readable else keys
        if keys and (context.may(Right.HISTORY) or name in _OF_EVERYBODY):
            said.append(plural(len(keys), one, more))
    return since.date(), said


def around_of(
    context: Context, student: str, scope: Scope, record: StudentRecord, measures: tuple[list[Measure], list[Measure]],
    last: date,
) -> AroundStudent:  # fmt: skip
    """What the steps say of a student up to a day: today, or the end of a school year that is over."""
    over, weekly = measures
    practice = practice_by_week(context, student)
    next_skill, standards = _standards(context, student, scope)
    lines = weekly_of(context, student, weekly, last)
    rounds = rounds_of(context, student, scope, over)
    if last < context.today:
        return AroundStudent(rounds, None, None, practice, _decisions(context, student), (), lines, standards)
    looked, changed = _changed(context, student, record)
    return AroundStudent(
        rounds, next_skill, _likely(context, student, scope), practice, _decisions(context, student),
        _due(context, student), lines, standards, looked, changed,
    )  # fmt: skip
