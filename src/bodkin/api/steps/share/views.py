"""Each view of a report as a page: the answers of the steps, asked as the screens ask, small groups withheld."""

from collections.abc import Callable

from pydantic import ValidationError

from bodkin.answers.compare.history_grid import column_counts, columns_of
from bodkin.answers.compare.outcome import likely_outcome
from bodkin.answers.compare.step import compare_answer
from bodkin.answers.compare.trend import trend_answer
from bodkin.answers.comparison.pairing import students_today
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.follow_up.practice.many import practice_answer
from bodkin.answers.follow_up.standings import decisions_due
from bodkin.answers.needs.items import analysis_of, items_answer
from bodkin.answers.needs.standards import Asked, standards_answer
from bodkin.answers.needs.strands import strands_answer
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.share.further_pages import (
    HelpedFigures,
    ItemOnPage,
    WindowFigures,
    helped_page,
    history_page,
    items_page,
    outcome_page,
    outlook_page,
    practice_page,
    standards_page,
    trend_page,
    two_page,
)
from bodkin.answers.share.report import (
    ReportPage,
    View,
    compare_page,
    follow_up_page,
    growth_page,
    needs_page,
    nothing_page,
)
from bodkin.api.context import Context
from bodkin.api.following.groups import all_standings
from bodkin.api.following.helped import kind_helped, kinds_of_help
from bodkin.api.following.periods import PeriodAsked, goals_held, looked_at, practice_of
from bodkin.api.following.two import two_taken
from bodkin.core.errors import BadInput, NotFound
from bodkin.core.needs.mastery import STATES
from bodkin.core.suppression import DEFAULT_MINIMUM
from bodkin.core.windows import parse_window
from bodkin.store.database import versions
from bodkin.store.reads.assessments import outcome_tests

YEARS_BACK = 3
"""School years before the scope's that the history goes back."""


def _summary(context: Context, scope: Scope, view: View, by: str | None) -> ReportPage:
    if by is not None:
        try:
            scope = Scope.model_validate({**scope.model_dump(), "by": by})
        except ValidationError:
            raise BadInput(f"view: {by!r} is no breakdown") from None
    worked = context.work_out(scope)
    summary = suppress_small_cells(worked.summary, DEFAULT_MINIMUM, worked.comparison)
    if view == "compare":
        answer = compare_answer(worked.comparison, summary, versions(context.session)[0], DEFAULT_MINIMUM)
        return compare_page(summary, by, answer.headline, answer.lead)
    if worked.summary.outlook is not None:
        known = worked.comparison.students["expected_score"].count()
        return outlook_page(worked.summary.outlook, known)
    return growth_page(summary, by)


def _trend(context: Context, scope: Scope) -> ReportPage:
    found = trend_answer(
        context.put(scope), context.narrowed(scope), context.pieces(scope), [], {}, versions(context.session)[0],
        DEFAULT_MINIMUM,
    )  # fmt: skip
    windows = [
        WindowFigures(
            label, one.n, one.mean, one.low, one.high, one.above_n, one.known_n, one.above_low, one.above_high
        )
        for label, one in zip(found.labels, found.lines[0].points, strict=True)
    ]
    return trend_page(windows, found.quoted, found.headline, found.lead, found.notes)


def _history(context: Context, scope: Scope) -> ReportPage:
    students = context.work_out(scope).comparison.students["student_id"]
    measure = [(scope.assessment, scope.subject)]
    found = column_counts(columns_of(scope, students, measure, context.put, back=YEARS_BACK, strands=None), students)
    named = [
        (parse_window(one.column.window).label + (f", {one.column.language}" if one.column.language else ""), one)
        for one in found
    ]
    bands = max((one.bands for one in found), key=len, default=[])
    lines = [(name, one.counts, one.without) for name, one in named if one.bands == bands]
    page = history_page(lines, bands, measure_title(*measure[0]))
    other = [name for name, one in named if one.bands != bands]
    return page.model_copy(update={"notes": [f"Other bands, not shown: {', '.join(other)}."] if other else []})


def _outcome(context: Context, scope: Scope) -> ReportPage:
    same = outcome_tests(context.session, scope.assessment, scope.subject)
    if not same or scope.strand is not None:
        return nothing_page("Outlook on the outcome test", "There is no outcome test in this subject")
    found = likely_outcome(context.table, context.work_out(scope).comparison, same[0], context.names).whole
    levels = [(one.level, one.likely_n, one.expected_share) for one in found.levels]
    by_band = [(one.band, one.n, one.chance) for one in found.by_band]
    return outcome_page(found.title, found.lead, levels, found.counts_from, by_band, found.notes)


def _strands(context: Context, scope: Scope) -> ReportPage:
    comparison, parts = context.of_students(scope)
    own = context.strands(scope)
    found = strands_answer(
        comparison, own.names, context.table, own.table, context.names, parts, of_points=own.of_points
    )
    line = next((one.words for one in found.lines if one.key == found.line), "")
    rows = [(one.strand, one.n, one.below, one.below_beyond, one.median) for one in found.strands]
    return needs_page(rows, line, found.headline if comparison.students.height >= DEFAULT_MINIMUM else "Withheld")


def _standards(context: Context, scope: Scope) -> ReportPage:
    comparison, parts = context.of_students(scope)
    asked, today = Asked(), context.today
    found = standards_answer(
        context.standards_seen(comparison, asked), scope.subject, asked, context.names, parts, today
    )
    skills = [
        (one.standard, one.text, (one.mastered, one.nearly, one.not_yet, one.thin, one.none), one.later)
        for one in found.skills
        if one.lacking
    ]
    return standards_page(skills, found.covered, STATES)


def _items(context: Context, scope: Scope) -> ReportPage:
    comparison, parts = context.of_students(scope)
    data = context.runtime.needs(context.session)
    try:
        test = analysis_of(comparison, data)
    except NotFound as error:
        return nothing_page("Items", f"{error} Choose a common test in the sentence.")
    found = items_answer(test, data, parts, None, own=False)
    items = [
        ItemOnPage(
            one.item, ", ".join(standard.standard for standard in one.standards), one.right_n, one.difficulty,
            one.discrimination, "" if found.options_withheld else ", ".join(flag.words for flag in one.flags),
        )
        for one in found.items
    ]  # fmt: skip
    return items_page(found.test, found.n, items, found.headline)


def _groups(context: Context, _: Scope) -> ReportPage:
    # How many of a group need a decision is a small number itself: that some do is said.
    groups = [
        (one.name, len(one.students), "due" if any(decisions_due(one.students)) else "none due", one.lead)
        for one in all_standings(context)
    ]
    return follow_up_page(groups)


def _practice(context: Context, scope: Scope) -> ReportPage:
    looked = looked_at(context, PeriodAsked(None, None, None))
    rows = students_today(context.table, context.narrowed(scope))
    found = practice_answer(rows, practice_of(context), goals_held(context, looked), looked, context.names)
    practiced = sum(one.entries > 0 for one in found.students)
    return practice_page(found.covered, practiced, {one.reason: one.n for one in found.reasons}, found.period)


def _two(context: Context, scope: Scope) -> ReportPage:
    try:
        found = two_taken(context, scope, None, None).found.whole
    except BadInput:
        return nothing_page("Two measures", "There is no second measure beside this one")
    standings = [(one.words, one.n) for one in found.standings]
    moves = {
        "Gained a benchmark": found.gained, "Lost one": found.lost, "One for the other": found.crossed,
        "The same as before": found.same,
    }  # fmt: skip
    return two_page((found.first_measure, found.second_measure), standings, moves, found.caption)


def _helped(context: Context, scope: Scope) -> ReportPage:
    figures = []
    for one in kinds_of_help(context):
        # A page for the leadership does not set adults beside one another.
        if one.kind == "adult":
            continue
        found = kind_helped(context, scope, one.kind, one.value)
        name = f"Tier {one.value}" if one.kind == "tier" else one.value
        figures.append(
            HelpedFigures(name, found.members, found.matched, found.difference, found.low, found.high, found.given,
                          found.reading)
        )  # fmt: skip
    return helped_page(figures)


_PLAIN: dict[View, Callable[[Context, Scope], ReportPage]] = {
    "trend": _trend, "history": _history, "outcome": _outcome, "needs": _strands, "standards": _standards,
    "items": _items, "follow-up": _groups, "practice": _practice, "two-measures": _two, "helped": _helped,
}  # fmt: skip


def report_page(context: Context, scope: Scope, view: View, by: str | None) -> ReportPage:
    """One view as a page. Raises BadInput for a breakdown that there is none of."""
    plain = scope.model_copy(update={"by": None, "by2": None})
    if view in _PLAIN:
        return _PLAIN[view](context, plain)
    return _summary(context, plain, view, by)
