"""Who is asking, for what, and whom they may know of: every route goes through here."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Annotated, Any

from fastapi import Depends, Query, Request
from fastapi.responses import Response
from itsdangerous import BadSignature, URLSafeTimedSerializer
from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy.orm import Session

from bodkin.answers.behind import Pick
from bodkin.answers.exports import Table, table_text, workbook
from bodkin.answers.scope import Against, By, CutChoice, Follow, Roster, Scope
from bodkin.answers.sentence import Piece, sentence, target_words
from bodkin.answers.steps import Names
from bodkin.api.desk import Desk, Worked
from bodkin.api.rights import Right, require
from bodkin.core.errors import BadInput, BodkinError, NotFound
from bodkin.store.checking import CheckData
from bodkin.store.groups import KeptGroup, all_groups
from bodkin.store.people import Someone, by_key, students_in_reach
from bodkin.store.score_table import ScoreTable, only_measures, without_programs

COOKIE = "bodkin"
SESSION_SECONDS = 12 * 3600


class NotSignedIn(BodkinError):
    """Nobody is signed in, or the session has ended."""


def get_desk(request: Request) -> Desk:
    """The desk of the running application."""
    desk: Desk = request.app.state.desk
    return desk


def signer(desk: Desk) -> URLSafeTimedSerializer:
    """What signs and reads session cookies."""
    return URLSafeTimedSerializer(desk.settings.secret, salt="session")


@dataclass(slots=True)
class Asking:
    """A signed-in person's request: one session of the database, one state of the data."""

    desk: Desk
    session: Session
    person: Someone
    _reach: frozenset[str] | None = field(default=None, repr=False)
    _known: bool = False

    @property
    def reach(self) -> frozenset[str] | None:
        """Students the person may know of; None for the whole district."""
        if not self._known:
            self._reach = students_in_reach(self.session, self.person, self.desk.settings.today)
            self._known = True
        return self._reach

    @property
    def table(self) -> ScoreTable:
        """The score table of this state of the data, as far as the person may see it.

        An aide sees the measures of the own groups, and nobody's programs.
        """
        whole = self.desk.table(self.session)
        if self.person.role != "aide":
            return whole
        own = {(group.assessment or "", group.subject or "") for group in self.groups()}
        return without_programs(only_measures(whole, own))

    @property
    def export_reach(self) -> frozenset[str] | None:
        """Students whose names the person may take out: an interventionist only the own groups'."""
        if self.person.role != "interventionist":
            return self.reach
        return self.own_members

    @property
    def own_members(self) -> frozenset[str]:
        """Students of the groups that the person leads."""
        own = (group.members for group in self.groups() if group.adult_id == self.person.id)
        return frozenset(student for members in own for student in members)

    def check_student(self, student: str) -> None:
        """Raise NotFound unless the student exists and is in reach."""
        if (self.reach is not None and student not in self.reach) or student not in self.desk.names(self.session):
            raise NotFound("There is no such student.")

    def groups(self) -> list[KeptGroup]:
        """Groups the person may know of, each with the members in reach only."""
        found: list[KeptGroup] = []
        for group in all_groups(self.session, self.desk.settings.today):
            members = group.members if self.reach is None else group.members & self.reach
            if self._knows(group, members):
                found.append(replace(group, members=members, whole=len(members) == len(group.members)))
        return found

    def _knows(self, group: KeptGroup, members: frozenset[str]) -> bool:
        if self.person.role == "coach":
            return True
        if self.person.id in (group.adult_id, group.made_by_id) and self.person.role != "aide":
            return True
        return group.adult_id == self.person.id if self.person.role == "aide" else bool(members)

    def group(self, key: int) -> KeptGroup:
        """A group the person may know of. Raises NotFound for any other, there or not."""
        for group in self.groups():
            if group.id == key:
                return group
        raise NotFound("There is no such group.")

    def students_for(self, assessment: str, subject: str) -> frozenset[str] | None:
        """Students whose scores on a measure the person may see; None for the whole district."""
        if self.person.role != "aide":
            return self.reach
        own = [group for group in self.groups() if (group.assessment, group.subject) == (assessment, subject)]
        return frozenset(student for group in own for student in group.members)

    @property
    def everyone(self) -> str:
        """What nobody left out is called for this person."""
        if self.person.role == "coach":
            return "all students"
        return f"all students at {self.person.school}" if self.person.role == "school_lead" else "my students"

    def pieces(self, scope: Scope) -> list[Piece]:
        """The scope's sentence, with groups by name."""
        names = {group.id: group.name for group in self.groups()} if scope.group else {}
        told = tuple(names[key] for key in scope.group if key in names)
        return sentence(scope, norms=bool(self.table.norms.height), groups=told, everyone=self.everyone)

    def target_who(self, scope: Scope) -> str | None:
        """Whose growth target a scope asks about, in words; None for a choice that has none.

        A class is the same for everybody; grades and schools are those of the students in reach.
        """
        words = target_words(scope)
        if words is None or self.person.role == "coach" or scope.section:
            return words
        return f"{words}, students of {self.person.name}"

    @property
    def names(self) -> Names:
        """Names of all students."""
        return self.desk.names(self.session)

    def narrowed(self, scope: Scope, *, export: bool = False) -> Scope:
        """The scope with its students: members of its groups, and only those the person may see or take out."""
        within = scope.students
        if scope.group:
            members = frozenset(student for key in scope.group for student in self.group(key).members)
            within = members if within is None else members & within
        reach = self.export_reach if export else self.students_for(scope.assessment, scope.subject)
        return scope.model_copy(update={"students": within, "reach": reach})

    def check_data(self, scope: Scope) -> CheckData:
        """What the Check step looks at for the scope's measure, as far as the person may see it."""
        data = self.desk.check_data(self.session, scope.assessment, scope.subject)
        if self.person.role != "aide":
            return data
        return replace(data, programs=data.programs.clear(), entitled=data.entitled)

    def put(self, scope: Scope) -> ScoreTable:
        """The table that the scope's questions are put to."""
        return self.desk.of_measure(self.session, self.table, scope)

    def work_out(self, scope: Scope, *, export: bool = False) -> Worked:
        """A scope worked out over the students the person may see, or may take out."""
        pieces = self.pieces(scope)
        members: dict[str, frozenset[str]] = {}
        if "group" in (scope.by, scope.by2):
            members = {group.name: group.members for group in self.groups()}
        return self.desk.work_out(self.put(scope), self.narrowed(scope, export=export), pieces, members)


def signed_in(request: Request, desk: Desk, session: Session) -> Someone:
    """The person of the session cookie. Raises NotSignedIn."""
    try:
        key = signer(desk).loads(request.cookies.get(COOKIE, ""), max_age=SESSION_SECONDS)
    except BadSignature:
        raise NotSignedIn("Please sign in.") from None
    person = by_key(session, int(key))
    if person is None:
        raise NotSignedIn("Please sign in.")
    return person


def need(right: Right) -> Callable[..., Iterator[Asking]]:
    """A dependency that lets a person through who has a right; the right stands on it for tests."""

    def asking(request: Request, desk: Annotated[Desk, Depends(get_desk)]) -> Iterator[Asking]:
        with desk.store.reading() as session:
            person = signed_in(request, desk, session)
            require(person, right)
            yield Asking(desk, session, person)

    asking.right = right  # type: ignore[attr-defined]
    return asking


class ScopeQuery(BaseModel):
    """The scope as the address holds it."""

    model_config = ConfigDict(extra="ignore")

    assessment: str
    subject: str
    strand: str | None = None
    from_window: str
    to_window: str
    between: list[str] = []
    follow: Follow = "students"
    matched: bool = True
    cuts: CutChoice = "season"
    against: Against = "norms"
    roster: Roster = "then"
    all_but: bool = False
    grade: list[str] = []
    school: list[str] = []
    section: list[str] = []
    teacher: list[str] = []
    program: list[str] = []
    field: list[str] = []
    language: str | None = None
    group: list[int] = []
    student: list[str] = []
    by: By | None = None
    by2: By | None = None


def _faults_named(error: ValidationError) -> BadInput:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    return BadInput(f"{place + ': ' if place else ''}{first['msg'].removeprefix('Value error, ')}")


def scope_of(query: Annotated[ScopeQuery, Query()]) -> Scope:
    """The scope of an address. Raises BadInput that names the field."""
    told: dict[str, Any] = query.model_dump()
    students = told.pop("student")
    try:
        return Scope.model_validate({**told, "students": frozenset(students) if students else None})
    except ValidationError as error:
        raise _faults_named(error) from None


def pick_of(
    side: str | None = None,
    band: int | None = None,
    at_or_above: int | None = None,
    from_band: int | None = None,
    to_band: int | None = None,
    moved: str | None = None,
    met: bool | None = None,
    verdict: str | None = None,
    near_cut: bool | None = None,
    just_below: bool | None = None,
    lowest_fifth: bool | None = None,
    percentile_from: float | None = None,
    percentile_to: float | None = None,
    distance_from: float | None = None,
    distance_to: float | None = None,
    kept_pace_low: bool | None = None,
    left_out: bool | None = None,
    reason: str | None = None,
    unit: str | None = None,
    value: str | None = None,
    unit2: str | None = None,
    value2: str | None = None,
) -> Pick:
    """The students an address asks for. Raises BadInput that names the field."""
    told = dict(locals())
    try:
        return Pick.model_validate(told)
    except ValidationError as error:
        raise _faults_named(error) from None


AskedScope = Annotated[Scope, Depends(scope_of)]
AskedPick = Annotated[Pick, Depends(pick_of)]


def answered(model: BaseModel) -> Response:
    """A model as JSON, written once: it was made from checked parts and is not checked again."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")


class Form(StrEnum):
    """Forms a table leaves in."""

    CSV = "csv"
    XLSX = "xlsx"


def table_file(table: Table, name: str, form: Form) -> Response:
    """A table as a download; in CSV the byte-order mark lets spreadsheets read accents right."""
    safe = "".join(letter if letter.isascii() and (letter.isalnum() or letter in "-_.") else "-" for letter in name)
    headers = {"Content-Disposition": f'attachment; filename="{safe}.{form.value}"'}
    if form is Form.CSV:
        return Response("\ufeff" + table_text(table), media_type="text/csv; charset=utf-8", headers=headers)
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(workbook(table), media_type=kind, headers=headers)
