"""What pages an address asks for, and the sheets that come of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Query

from bodkin.answers.check.step import check_answer
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption
from bodkin.answers.share.blocks import PageSheet
from bodkin.answers.share.language import language_of
from bodkin.answers.share.sections import Audience, PageSection, checked_sections
from bodkin.answers.share.sheet import Pages, sheet_of
from bodkin.api.context import Context
from bodkin.api.steps.share.gather import MOST_YEARS, FactsWanted, Gathered, gather, students_of
from bodkin.core.errors import BadInput
from bodkin.store.reads.assessments import all_tests


@dataclass(frozen=True, slots=True)
class PagesAsked:
    """Pages as an address names them; no sections: the first set of the audience."""

    audience: Audience
    language: str
    sections: tuple[PageSection, ...]
    subjects: tuple[str, ...]
    years: int
    test: str | None


def asked_of(
    audience: Audience = "family", page_language: Annotated[str, Query(max_length=8)] = "en",
    page_section: Annotated[tuple[str, ...], Query()] = (), page_subject: Annotated[tuple[str, ...], Query()] = (),
    page_years: Annotated[int, Query(ge=1, le=MOST_YEARS)] = 1,
    page_test: Annotated[str | None, Query(max_length=160)] = None,
) -> PagesAsked:  # fmt: skip
    """The pages of an address, beside its sentence. Raises BadInput for a language or section there is none of."""
    language_of(page_language)
    sections, subjects = checked_sections(audience, page_section), tuple(dict.fromkeys(page_subject))
    return PagesAsked(audience, page_language, sections, subjects, page_years, page_test)


AskedPages = Annotated[PagesAsked, Depends(asked_of)]


def subjects_of(context: Context, scope: Scope) -> list[str]:
    """Subjects of the sentence's test, the sentence's own first."""
    found = [subject for assessment, subject in all_tests(context.session) if assessment == scope.assessment]
    return sorted(found, key=lambda one: (one != scope.subject, one))


def _subjects(context: Context, scope: Scope, asked: PagesAsked) -> Sequence[str]:
    known = subjects_of(context, scope)
    for one in asked.subjects:
        if one not in known:
            raise BadInput(f"page_subject: {scope.assessment} has no {one!r}; choose of {', '.join(known)}")
    return asked.subjects or (scope.subject,)


def gathered(context: Context, scope: Scope, asked: PagesAsked) -> Gathered:
    """Facts about the students of a scope. Raises BadInput for a subject that the test does not have."""
    subjects = _subjects(context, scope, asked)
    return gather(context, scope, FactsWanted(subjects, asked.years, asked.test, asked.sections))


def printed_students(context: Context, scope: Scope, asked: PagesAsked) -> list[str]:
    """Students of the sentence who have pages: those with a result in any subject asked for, in the order of names.

    Raises BadInput for a subject that the test does not have.
    """
    return students_of(context, scope, _subjects(context, scope, asked))


def sheets_of(context: Context, scope: Scope, found: Gathered, asked: PagesAsked) -> list[PageSheet]:
    """The pages of everybody gathered who has anything to print; the sentence is their caption."""
    pages = Pages(
        asked.audience, asked.language, asked.sections, found.windows, caption(context.pieces(scope)),
        context.today,
    )  # fmt: skip
    return [sheet_of(one, pages) for one in found.facts if one.anything]


def without_pages(
    context: Context, scope: Scope, asked: PagesAsked, printed: Sequence[str]
) -> list[tuple[str, str]]:  # fmt: skip
    """Students of the sentence who have nothing to print in any subject asked for, each with the reason."""
    known, found = set(printed), dict[str, str]()
    for subject in _subjects(context, scope, asked):
        of = scope.model_copy(update={"subject": subject, "by": None, "by2": None, "strand": None})
        answer = check_answer(
            context.table, context.narrowed(of, export=True), context.check_data(of), context.names,
            context.today,
        )  # fmt: skip
        for line in answer.classes:
            for one in line.missing:
                why = f"no result in {answer.window}" + (f": {one.reason}" if one.reason else "")
                if one.student_id not in known:
                    found.setdefault(one.student_id, why)
    return list(found.items())
