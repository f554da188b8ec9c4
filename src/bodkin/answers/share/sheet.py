"""The pages of one student, written: sections in their order, in the language and voice of who reads them."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from bodkin.answers.share import results
from bodkin.answers.share.blocks import Block, Grid, Items, PageSheet, SheetSection, Text
from bodkin.answers.share.facts import PRACTICE_WEEKS, Facts
from bodkin.answers.share.language import Language, language_of
from bodkin.answers.share.sections import Audience, PageSection, checked_sections

SCREENS = "en"
"""The language of the screens, and so of the sentence."""
MOST_SKILLS = 6
"""Skills of a subject that a page names, held and to come."""


@dataclass(frozen=True, slots=True)
class Pages:
    """What pages are asked for: ``sections`` in their order (none: the first set), the windows of the years shown."""

    audience: Audience
    language: str
    sections: Sequence[str]
    windows: Sequence[str]
    caption: str
    today: date


def _caption(facts: Facts, pages: Pages, say: Language) -> str:
    """The sentence; in a language that the screens do not speak the tests and windows of it."""
    if say.code == SCREENS or not facts.rounds:
        return pages.caption
    tests = say.listed([results.test_name(say, one) for one in facts.rounds])
    ends = {"from": say.window(facts.from_window), "to": say.window(facts.to_window)}
    return say.word("page", "caption", tests=tests, **ends)


def _name(facts: Facts) -> str:
    return facts.given or facts.name


def _skills(facts: Facts, say: Language) -> list[Block]:
    found: list[Block] = []
    for subject, own in facts.skills.items():
        if not own.held and not own.next:
            continue
        found.append(Text(text=say.subject(subject).capitalize()))
        for key, texts in (("held", own.held), ("next", own.next)):
            if texts:
                found += [Text(text=say.say(key, name=_name(facts))), Items(items=list(texts[:MOST_SKILLS]))]
    return found or [Text(text=say.say("no_skills"))]


def _goals(facts: Facts, say: Language) -> list[Block]:
    found: list[Block] = []
    for one in facts.goals:
        words = [say.say("goal", subject=say.subject(one.subject), target=say.number(one.target), day=say.day(one.by))]
        if one.plan:
            words.append(say.say("plan", name=_name(facts), plan=one.plan.rstrip(".") + "."))
        if one.agreed_with:
            words.append(say.say("agreed", who=one.agreed_with))
        if one.review_on is not None:
            words.append(say.say("review", day=say.day(one.review_on)))
        found.append(Text(text=" ".join(words)))
    return found


def _help(facts: Facts, say: Language) -> list[Block]:
    found: list[Block] = []
    for one in facts.help:
        words = [say.say("group", name=_name(facts), group=one.group, focus=one.focus)]
        if one.times_a_week is not None and one.minutes is not None:
            words.append(say.say("times", times=one.times_a_week, minutes=say.number(one.minutes)))
        if one.adult:
            words.append(say.say("adult", adult=one.adult))
        if one.held:
            words.append(say.say("came", name=_name(facts), came=one.came, held=one.held))
        found.append(Text(text=" ".join(words)))
    return found


def _practice(facts: Facts, say: Language) -> list[Block]:
    if facts.practice is None:
        return []
    if not facts.practice:
        return [Text(text=say.say("not_practiced", weeks=PRACTICE_WEEKS))]
    minutes = say.number(facts.practice)
    return [Text(text=say.say("practiced", name=_name(facts), minutes=minutes, weeks=PRACTICE_WEEKS))]


def _home(facts: Facts, say: Language) -> list[Block]:
    tips = []
    for _, subject in facts.rounds:
        if f"home_{subject}" in say.words["family"]:
            tips += [say.say(f"home_{subject}"), say.say(f"home_{subject}_2", name=_name(facts))]
    return [Items(items=[*dict.fromkeys(tips), say.say("home")])]


def _contact(facts: Facts, say: Language) -> list[Block]:
    if not facts.contacts:
        return [Text(text=say.say("contact_school"))]
    return [Text(text=say.say("contact", who=say.listed(facts.contacts)))]


def _dated(notes: Sequence[tuple[date, str]], say: Language) -> list[Block]:
    return [Items(items=[f"{say.day(day)}: {text}" for day, text in notes])] if notes else []


def _decisions(facts: Facts, say: Language) -> list[Block]:
    if not facts.decisions:
        return []
    table = say.words["table"]
    rows = [
        [say.day(one.day), one.words, one.who or "–", say.day(one.review_on) if one.review_on else "–"]
        for one in facts.decisions
    ]
    return [Grid(header=[table[name] for name in ("day", "decision", "who", "again")], rows=rows)]


def _listed(texts: Sequence[str]) -> list[Block]:
    return [Items(items=list(texts))] if texts else []


def _writers(pages: Pages) -> Mapping[PageSection, Callable[[Facts, Language], list[Block]]]:
    return {
        "growth": results.growth, "standing": results.standing,
        "thread": lambda facts, say: results.path(facts, say, pages.windows), "strands": results.strands,
        "skills": _skills, "goals": _goals, "help": _help, "practice": _practice, "items": results.items,
        "accommodations": lambda facts, _: _listed(facts.accommodations),
        "notes": lambda facts, say: _dated(facts.notes, say), "home": _home, "contact": _contact,
        "figures": results.figures, "doubtful": lambda facts, _: _listed(facts.doubtful), "decisions": _decisions,
        "internal": lambda facts, say: _dated(facts.internal, say),
    }  # fmt: skip


def sheet_of(facts: Facts, pages: Pages) -> PageSheet:
    """One student's pages; sections without anything to say are left out.

    Raises BadInput for a language or section there is none of, or a section that the audience may not have.
    """
    say = language_of(pages.language, "student" if pages.audience == "student" else "family")
    writers, written = _writers(pages), []
    for key in checked_sections(pages.audience, pages.sections):
        blocks = writers[key](facts, say)
        if blocks:
            test = facts.items.test if facts.items is not None else ""
            heading = say.heading(key, name=_name(facts), test=test)
            written.append(SheetSection(key=key, heading=heading, blocks=blocks))
    grade = say.word("page", "grade", grade=facts.grade) if facts.grade else None
    return PageSheet(
        student_id=facts.student_id, sort=(facts.family.casefold(), facts.given.casefold(), facts.student_id),
        language=say.code, title=facts.name,
        subtitle=" · ".join(part for part in (grade, facts.section, facts.school) if part),
        caption=_caption(facts, pages, say),
        confidential=say.word("page", "confidential"), made=say.word("page", "made", day=say.day(pages.today)),
        day=(pages.today.year, pages.today.month, pages.today.day), page_of=str(say.words["page"]["page"]),
        sections=written,
    )  # fmt: skip
