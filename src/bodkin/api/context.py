"""Who is asking, for what, and whom they may know of: every route goes through here."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Annotated, Any, NamedTuple

from fastapi import Depends, Request, Response
from sqlalchemy.orm import Session

from bodkin.answers.check.sittings import of_common_test
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.pairing import only_students, students_of_classes
from bodkin.answers.comparison.step_answer import Names, common_parts
from bodkin.answers.comparison.summary import counts_of
from bodkin.answers.groups.membership import Membership, RuledGroup, membership
from bodkin.answers.needs.standards import Asked, StandardsSeen, seen
from bodkin.answers.needs.strands import students_of
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import Piece, sentence, target_words
from bodkin.api.etags import PRIVATE, etag, is_among
from bodkin.api.runtime import Runtime, Worked
from bodkin.api.sign_in import COOKIE, token_of
from bodkin.core.errors import BodkinError, NotFound
from bodkin.policy.reach import students_in_reach
from bodkin.policy.rights import Right
from bodkin.policy.roles import Role, require, role_of
from bodkin.store.database import day_of, versions
from bodkin.store.reach_by import ReachBy
from bodkin.store.reads.check_data import CheckData
from bodkin.store.reads.people import Someone
from bodkin.store.reads.section_names import section_keys
from bodkin.store.reads.table.load import strand_names, strands_of_points
from bodkin.store.reads.table.score_table import ScoreTable, only_measures, without_programs
from bodkin.store.writes.goals import kept_goals
from bodkin.store.writes.groups import CASELOAD_DAYS, GroupRecord, all_groups, own_members
from bodkin.store.writes.sign_in import NOTED_EVERY, OpenSession, note_use, session_of
from bodkin.store.writes.undo import PastAct, students_of_acts


class TargetUnit(NamedTuple):
    """Whose growth target: the key it is kept under, and the same in words."""

    key: str
    words: str


@dataclass(frozen=True, slots=True)
class Strands:
    """The strands of a test: their names, whether they have points alone, and the table of each."""

    names: list[str]
    of_points: bool
    table: Callable[[str], ScoreTable]


class NotSignedIn(BodkinError):
    """Nobody is signed in, or the session has ended."""


def get_runtime(request: Request) -> Runtime:
    """The runtime of the running application."""
    runtime: Runtime = request.app.state.runtime
    return runtime


@dataclass(slots=True)
class Context:
    """A signed-in person's request: one session of the database, one state of the data.

    ``question``: the address asked for, with all that was asked in it. ``known``: tags of answers to it that the
    person's browser has.
    """

    runtime: Runtime
    session: Session
    person: Someone
    session_id: int = 0
    question: str = ""
    known: str = ""
    _reach: frozenset[str] | None = field(default=None, repr=False)
    _known: bool = False
    _groups: list[GroupRecord] | None = field(default=None, repr=False)

    @property
    def role(self) -> Role:
        """What the person's role is; the policy says the rest."""
        return role_of(self.person.role)

    def may(self, right: Right) -> bool:
        """Whether the person has a right."""
        return right in self.role.rights

    @property
    def today(self) -> date:
        """The day of the question, the same from its first look to its last."""
        return day_of(self.session)

    @property
    def reach(self) -> frozenset[str] | None:
        """Students the person may know of; None for the whole district."""
        if not self._known:
            self._reach = students_in_reach(self.session, self.person, self.today)
            self._known = True
        return self._reach

    @property
    def table(self) -> ScoreTable:
        """The score table of this state of the data, as far as the person may see it.

        Some see the measures of the own groups alone, and nobody's programs.
        """
        whole = self.runtime.table(self.session)
        if self.may(Right.EVERY_MEASURE):
            return whole
        own: dict[tuple[str, str], set[str]] = {}
        for group in self.groups():
            if group.active:
                own.setdefault((group.assessment or "", group.subject or ""), set()).update(group.active)
        seen = {measure: frozenset(students) for measure, students in own.items()}
        # Kept with the whole table, so that what is worked out from it serves the next question too.
        own_programs = self.may(Right.PROGRAMS)
        key = ("own groups'", own_programs, *sorted((*measure, *sorted(who)) for measure, who in seen.items()))

        def narrowed() -> ScoreTable:
            few = only_measures(whole, seen)
            return few if own_programs else without_programs(few)

        return whole.worked.once(key, narrowed)

    @property
    def export_reach(self) -> frozenset[str] | None:
        """Students whose names the person may take out: for some roles only the own groups'."""
        if not self.role.names_of_own_groups:
            return self.reach
        return self.own_members

    @property
    def own_members(self) -> frozenset[str]:
        """Students of the groups that the person leads, as far as a caseload."""
        since = now() - timedelta(days=CASELOAD_DAYS)
        return own_members(self.session, self.person.id, self.today, since)

    def unless_known(self, make: Callable[[], Response]) -> Response:
        """The answer to the question; nothing is calculated where the person's browser has it already (304).

        For questions whose answer rests on nothing but the data, the day, the person and the address.
        """
        person = self.person
        who = (person.id, person.role, tuple(sorted(self.role.rights)), person.school_id)
        tag = etag(self.question, who, versions(self.session)[0], self.today)
        known = is_among(tag, self.known)
        response = Response(status_code=304) if known else make()
        response.headers.update({"ETag": tag, "Cache-Control": PRIVATE, "Vary": "Cookie"})
        return response

    def name_of(self, student: str) -> str:
        """A student's name as people say it; the id where there is none."""
        family, given = self.names.get(student, ("", ""))
        return f"{given} {family}".strip() or student

    def check_student(self, student: str) -> None:
        """Raise NotFound unless the student exists and is in reach."""
        if (self.reach is not None and student not in self.reach) or student not in self.runtime.names(self.session):
            raise NotFound("There is no such student.")

    def groups(self, on: date | None = None) -> list[GroupRecord]:
        """Groups the person may know of, each with the members in reach only; ``on``: as they were on that day."""
        if on is not None:
            return self._groups_on(on)
        # One question asks for them several times.
        if self._groups is None:
            self._groups = self._groups_on(None)
        return list(self._groups)

    def _groups_on(self, on: date | None) -> list[GroupRecord]:
        found: list[GroupRecord] = []
        every = self.runtime.groups(self.session) if on is None else all_groups(self.session, on, as_it_was=True)
        for group in every:
            members = group.members if self.reach is None else group.members & self.reach
            if self._knows(group, members):
                whole = len(members) == len(group.members)
                found.append(replace(group, members=members, active=group.active & members, whole=whole))
        return found

    @property
    def running_groups(self) -> list[GroupRecord]:
        """Groups of today that the person may know of."""
        today = self.today
        return [group for group in self.groups() if group.first_day <= today <= group.last_day]

    def membership(self) -> Membership:
        """What the rules of running groups say of the students in the person's reach, to who makes groups."""
        today = self.today

        def goals(assessment: str, subject: str) -> dict[str, tuple[float, date]]:
            # The latest day comes first: of several goals the one that is due next stands.
            found = kept_goals(self.session, assessment, subject, None)
            return {goal.student_id: (goal.target, goal.by_day) for goal in found if goal.by_day >= today}

        def made() -> Membership:
            groups = [
                RuledGroup(group.id, group.name, (group.assessment, group.subject), group.members, group.entry_rule,
                           group.exit_rule)
                for group in (self.running_groups if self.may(Right.GROUPS_MAKE) else [])
            ]  # fmt: skip
            return membership(groups, self.table, today, goals, self.reach)

        # The rail asks at every change of the sentence; kept for each person until anything changes.
        key = ("membership", versions(self.session)[0], self.person.id, self.person.role, self.person.school, today)
        return self.table.worked.once(key, made)

    def _knows(self, group: GroupRecord, members: frozenset[str]) -> bool:
        if self.reach is None:
            return True
        if not self.may(Right.GROUPS_OF_STUDENTS):
            return group.led_by(self.person.id)
        return group.led_by(self.person.id) or group.made_by_id == self.person.id or bool(members)

    def group(self, key: int) -> GroupRecord:
        """A group the person may know of. Raises NotFound for any other, there or not."""
        for group in self.groups():
            if group.id == key:
                return group
        raise NotFound("There is no such group.")

    def students_for(self, assessment: str, subject: str) -> frozenset[str] | None:
        """Students whose scores on a measure the person may see; None for the whole district."""
        if self.may(Right.EVERY_MEASURE):
            return self.reach
        own = [group for group in self.groups() if (group.assessment, group.subject) == (assessment, subject)]
        return frozenset(student for group in own for student in group.active)

    @property
    def everyone(self) -> str:
        """What nobody left out is called for this person."""
        if self.reach is None:
            return "all students"
        return f"all students at {self.person.school}" if ReachBy.SCHOOL in self.role.reach else "my students"

    def pieces(self, scope: Scope) -> list[Piece]:
        """The scope's sentence, with groups by name."""
        names = {group.id: group.name for group in self.groups()} if scope.group else {}
        group_names = tuple(names[key] for key in scope.group if key in names)
        return sentence(scope, norms=bool(self.table.norms.height), groups=group_names, everyone=self.everyone)

    def target_unit(self, scope: Scope) -> TargetUnit | None:
        """Whose growth target a scope asks about; None for a choice that has none.

        A class is the same for everybody who may see all of it, and has none for anybody else; grades and schools
        are those of the students in reach.
        """
        words = target_words(scope)
        if words is None:
            return None
        if not scope.section:
            own = words if self.reach is None else f"{words}, students of {self.person.name}"
            return TargetUnit(own, own)
        if self.reach is not None:
            reach = self.students_for(scope.assessment, scope.subject)
            whole = students_of_classes(self.table, scope)
            if not whole or (reach is not None and not whole <= reach):
                return None
        keys = section_keys(self.session, scope.section, scope.school, scope.second.school_year)
        if keys is None:
            return TargetUnit(words, words)
        # By the classes themselves: their names may change, or another school may have one of the same name.
        named = scope.model_copy(update={"section": tuple(f"#{key}" for key in keys), "school": ()})
        return TargetUnit(target_words(named) or words, words)

    def known_acts(self, acts: Sequence[PastAct]) -> list[PastAct]:
        """Acts that are about nobody outside reach: what somebody did once may name a child who has left it."""
        if self.reach is None:
            return list(acts)
        about = students_of_acts(self.session, [act.id for act in acts])
        return [act for act in acts if about[act.id] <= self.reach]

    @property
    def names(self) -> Names:
        """Names of all students."""
        return self.runtime.names(self.session)

    def members_of(self, scope: Scope) -> frozenset[str]:
        """Members of the scope's groups, today's or those of its day. Raises NotFound for a group nobody knows of."""
        there = [self.group(key) for key in scope.group]
        if scope.group_on is not None:
            then = {group.id: group for group in self.groups(scope.group_on)}
            there = [then[group.id] for group in there if group.id in then]
        return frozenset(student for group in there for student in group.members)

    def narrowed(self, scope: Scope, *, export: bool = False) -> Scope:
        """The scope with its students: members of its groups, and only those the person may see or take out."""
        within = scope.students
        if scope.group:
            members = self.members_of(scope)
            within = members if within is None else members & within
        reach = self.export_reach if export else self.students_for(scope.assessment, scope.subject)
        return scope.model_copy(update={"students": within, "reach": reach})

    def check_data(self, scope: Scope) -> CheckData:
        """What the Check step looks at for the scope's measure, as far as the person may see it."""
        data = self.runtime.check_data(self.session, scope.assessment, scope.subject)
        data = of_common_test(self.table, scope, data)
        if self.may(Right.PROGRAMS):
            return data
        return replace(data, programs=data.programs.clear())

    def strands(self, scope: Scope) -> Strands:
        """The strands of the scope's test."""
        return self._strands_in(self.table, scope)

    def strands_of_few(self, scope: Scope) -> Strands:
        """The same for few students and the line that the sentence names: without everybody's where that can be."""
        whole, few = self.strands(scope), scope.few
        # A norm and a student's own whole rest on nobody else; the district's mean does.
        if few is None or scope.against == "district" or self.runtime.knows_strands(self.table, scope, whole.names):
            return whole
        return self._strands_in(only_students(self.table, few), scope)

    def _strands_in(self, table: ScoreTable, scope: Scope) -> Strands:
        worked, measure = self.table.worked, (scope.assessment, scope.subject)
        every = worked.once("strand names", lambda: strand_names(self.session))
        names = every.get(measure, [])
        of_points = bool(names) and worked.once(
            ("strands of points", *measure), lambda: strands_of_points(self.session, *measure)
        )

        def table_of(strand: str) -> ScoreTable:
            return self.runtime.of_measure(self.session, table, scope.model_copy(update={"strand": strand}))

        return Strands(names, of_points, table_of)

    def standards_seen(self, comparison: Comparison, asked: Asked | None = None) -> StandardsSeen:
        """Who of a comparison's students has mastered what."""
        scope = comparison.scope
        data = self.runtime.standards(self.session)
        students = students_of(comparison, "student_id", "school", "section", "grade")
        return seen(data, students, scope.subject, asked or Asked(), scope.assessment)

    def put(self, scope: Scope) -> ScoreTable:
        """The table that the scope's questions are put to."""
        return self.runtime.of_measure(self.session, self.table, scope)

    def work_out(self, scope: Scope, *, export: bool = False) -> Worked:
        """A scope worked out over the students the person may see, or may take out."""
        pieces = self.pieces(scope)
        members: dict[str, frozenset[str]] = {}
        if "group" in (scope.by, scope.by2):
            for group in self.groups():
                # Two people may each have a group of one name: as one unit it holds both.
                members[group.name] = members.get(group.name, frozenset()) | group.members
        return self.runtime.work_out(self.put(scope), self.narrowed(scope, export=export), pieces, members)

    def of_students(self, scope: Scope, *, export: bool = False) -> tuple[Comparison, dict[str, Any]]:
        """A scope's students, whatever strand or breakdown it names, and the parts that every answer has."""
        plain = scope.model_copy(update={"strand": None, "by": None, "by2": None})
        found = self.work_out(plain, export=export).comparison
        return found, common_parts(found, counts_of(found), list(found.notes), versions(self.session)[0])


def session_of_request(request: Request, runtime: Runtime, session: Session) -> OpenSession | None:
    """The session of the request's cookie, while it goes on."""
    token = token_of(runtime.settings, request.cookies.get(COOKIE, ""))
    return session_of(session, token, now()) if token else None


def signed_in(request: Request, runtime: Runtime, session: Session) -> OpenSession:
    """The session of the cookie, noted as in use. Raises NotSignedIn."""
    # The guard looks first, so that no body is read for nobody; what it found stands with the request.
    found = getattr(request.state, "session", None) or session_of_request(request, runtime, session)
    if found is None:
        raise NotSignedIn("Please sign in.")
    if now() - found.used_at > NOTED_EVERY:
        with runtime.store.noting() as noting:
            note_use(noting, found.id, now())
    return found


def need(*rights: Right) -> Callable[..., Iterator[Context]]:
    """A dependency that lets a person through who has all of some rights; they stand on it for tests."""

    def context(request: Request, runtime: Annotated[Runtime, Depends(get_runtime)]) -> Iterator[Context]:
        with runtime.store.reading() as session:
            mine = signed_in(request, runtime, session)
            for right in rights:
                require(mine.person, right)
            # The answer says of which day it is, so that a page left open over night asks anew.
            request.state.day = day_of(session)
            question = f"{request.method} {request.url.path}?{request.url.query}"
            yield Context(runtime, session, mine.person, mine.id, question, request.headers.get("if-none-match", ""))

    context.rights = rights  # type: ignore[attr-defined]
    return context


def now() -> datetime:
    """Now, as the tables keep it: UTC without zone."""
    return datetime.now(UTC).replace(tzinfo=None)
