"""What every route works with: settings, store, score table, and answers worked out lately."""

import hashlib
from collections.abc import Callable, Collection, Hashable
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from importlib import import_module
from time import sleep
from typing import TypeVar

import polars as pl
from sqlalchemy.orm import Session

from bodkin.answers.comparison.breakdown import NOBODY
from bodkin.answers.comparison.comparison import Comparison, Members, broken_down, compare
from bodkin.answers.comparison.measures import common_tests
from bodkin.answers.comparison.measures.common_tests import common_test_rows
from bodkin.answers.comparison.measures.strand_measure import carried_cuts, strand_table
from bodkin.answers.comparison.step_answer import Names
from bodkin.answers.comparison.summary import Counted, counted
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.follow_up.practice.seen import PracticeSeen, practice_seen
from bodkin.answers.needs import evidence
from bodkin.answers.needs.evidence import EVIDENCE, Limits, evidence_from_points
from bodkin.answers.needs.standards import Asked, everybodys_evidence
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import Piece
from bodkin.api.etags import code_mark
from bodkin.api.sign_in import PasswordDesk
from bodkin.core.errors import StoreDown
from bodkin.core.needs import mastery
from bodkin.exchange.services.sittings import ClassAtTest
from bodkin.store.database import Store, day_of, of_one_state
from bodkin.store.reads.check_data import PLACES, Beside, CheckData, programs, read_beside, rosters
from bodkin.store.reads.check_tables import CheckTables
from bodkin.store.reads.kept import Kept
from bodkin.store.reads.load_needs import NeedsTables
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.people import names_of
from bodkin.store.reads.practice_data import ENTRIES, load_practice
from bodkin.store.reads.sessions import AttendanceData, load_attendance
from bodkin.store.reads.table import keys
from bodkin.store.reads.table.load import STRAND_SCORES, load_strand_norms, load_strand_scores
from bodkin.store.reads.table.made_rows import MadeRows, kept_rows, made_by
from bodkin.store.reads.table.refresh import ScoreTables
from bodkin.store.reads.table.score_table import Memo, ScoreTable
from bodkin.store.reads.table.start_file import (
    MANY,
    MANY_SCORES,
    POINTS_FILE,
    PRACTICE_FILE,
    ROSTERS_FILE,
    STRANDS_FILE,
    RowsFile,
)
from bodkin.store.settings import Settings
from bodkin.store.writes.groups import GroupRecord, all_groups

T = TypeVar("T")
StrandFrames = tuple[pl.DataFrame, pl.DataFrame]
"""Scores of a strand by the line of their result, and its norms."""

KEPT = 24
"""How many worked-out scopes are kept; a step, its panel and the rail ask for the same one."""
LATER = ("scipy.stats", "scipy.optimize", "bodkin.core.groups.grouping")
"""Modules that no start waits for: each takes half a second to read."""
PATIENCE = 5.0
"""Seconds in which the first questions after a start are answered."""
MOST_STRANDS = 40
"""Of so many strands the scores are kept: 3 MB each with 50,000 students in two windows."""
MOST_READS = 256
"""How many small reads are kept; the rail takes half a dozen for each person, a student's page three."""
KEPT_BYTES = 120 * 2**20
"""How much of them: five of a district of 50,000, and all of its schools."""


class Worked:
    """A scope worked out, and its summary once somebody asks for it: most questions about students need none.

    ``kept``: what a step works out from the comparison alone.
    """

    def __init__(self, comparison: Comparison) -> None:
        self.comparison = comparison
        self.kept = Memo()

    @cached_property
    def counted(self) -> Counted:
        """The comparison counted, over all students and by unit."""
        return counted(self.comparison)

    @cached_property
    def whole(self) -> Summary:
        """The summary over all students, without units."""
        return self.counted.summary(NOBODY)

    @cached_property
    def summary(self) -> Summary:
        """The summary over all students and by unit."""
        return self.counted.summary() if self.comparison.scope.by else self.whole


@dataclass(frozen=True, slots=True)
class LongWork:
    """How far a person's long work is; ``all`` is 0 where that cannot be told."""

    what: str
    done: int
    all: int


class Runtime:
    """The shared parts of the running application."""

    def __init__(self, settings: Settings, store: Store) -> None:
        self.settings = settings
        self.store = store
        self._needs = NeedsTables(settings.held)
        self._tables = ScoreTables(self._common_tests, settings.held, MANY, made_by(common_tests, keys))
        points = RowsFile(settings.held, POINTS_FILE, EVIDENCE)
        code = made_by(evidence, common_tests, keys, mastery)
        # Looked at within, so that what is kept of them is known to rest on answers.
        self._points = kept_rows(
            lambda session: evidence_from_points(self._needs.tests(session), Limits()), points, MANY_SCORES, code
        )
        places = MadeRows(RowsFile(settings.held, ROSTERS_FILE, PLACES), MANY_SCORES)
        self._rosters, self._programs = Kept(lambda session: rosters(session, places)), Kept(programs)
        self._comparisons = Memo(KEPT, KEPT_BYTES)
        self._worked = Memo(KEPT, KEPT_BYTES)
        self._names: Kept[Names] = Kept(names_of)
        self._groups = Kept(lambda session: all_groups(session, day_of(session)))
        self._practice_log = MadeRows(RowsFile(settings.held, PRACTICE_FILE, ENTRIES), MANY)
        self._practice = Kept(self._practice_seen)
        self._attendance = Kept(load_attendance)
        self._reads = Memo(MOST_READS)
        self.passwords = PasswordDesk()
        self._strands = Memo(MOST_STRANDS)
        self._check = CheckTables(
            self._tables.naming, self._tables.touched, held=settings.held, beside=Kept(self._beside)
        )
        self.progress: dict[int, LongWork] = {}
        self.sittings: dict[tuple[int, int], ClassAtTest] = {}

    def check_data(self, session: Session, assessment: str, subject: str) -> CheckData:
        """What the Check step looks at for a measure, kept until it changes."""
        mark = self.table(session).mark_of(assessment, subject)
        key = (self._check, assessment, subject)
        return of_one_state(session, key, lambda: self._check.current(session, assessment, subject, mark))

    def _beside(self, session: Session) -> Beside:
        return read_beside(session, self._rosters.current(session), self._programs.current(session))

    def _practice_seen(self, session: Session) -> PracticeSeen:
        found = practice_seen(self._practice_log.current(session, lambda: load_practice(session)))
        # The log as the core takes it is kept, which holds all of it.
        self._practice_log.let_go()
        return found

    def _common_tests(self, session: Session, table: ScoreTable) -> pl.DataFrame:
        """The rows of the common tests."""
        places = self._rosters.current(session), self._programs.current(session)
        return common_test_rows(table, self._needs.tests(session), *places)

    def needs(self, session: Session) -> NeedsData:
        """What the Needs step looks at, at the versions the session sees."""
        return self._needs.current(session)

    def standards(self, session: Session) -> NeedsData:
        """The same, with the evidence from points of all time, which a start finds in a file."""
        data = self.needs(session)
        evidence_from_points(data, Limits(), find=lambda: self._points.current(session))
        return data

    def table(self, session: Session) -> ScoreTable:
        """The score table of the version the session sees."""
        return self._tables.current(session)

    def warm(self) -> None:
        """Read what first questions need before somebody waits for it, and the rest some seconds later."""
        code_mark()
        # A database that is away is told of by the first question, in words.
        with suppress(StoreDown), self.store.reading() as session:
            self.table(session)
            self.names(session)
            # A start may find the table without them.
            everybodys_evidence(self.standards(session), Asked())
            self._rosters.current(session)
        # No first screen needs practice, which would take its time from who asks for one now.
        sleep(PATIENCE)
        with suppress(StoreDown), self.store.reading() as session:
            self.practice(session)
        for name in LATER:
            import_module(name)

    def forget(self) -> None:
        """Forget what was worked out for questions, so that each is worked out anew; data stay. For benchmarks."""
        self._check.forget()
        self.let_go()

    def let_go(self) -> None:
        """Let go of the scopes that were worked out, which take most of what can be had again at once."""
        for kept in (self._comparisons, self._worked):
            kept.clear()

    def names(self, session: Session) -> Names:
        """Names of all students, kept until one changes."""
        return self._names.current(session)

    def groups(self, session: Session) -> list[GroupRecord]:
        """Every group with its members of today, kept until one of them changes."""
        return self._groups.current(session)

    def attendance(self, session: Session) -> AttendanceData:
        """Sessions and who came, of all groups, kept until somebody enters or imports one."""
        return self._attendance.current(session)

    def read(self, session: Session, key: Hashable, load: Callable[[Session], T]) -> T:
        """What a function reads, kept until one of the tables it looks at changes; ``key`` says what it is."""
        kept: Kept[T] = self._reads.once(key, lambda: Kept(load))
        return kept.current(session)

    def practice(self, session: Session) -> PracticeSeen:
        """Everybody's practice, kept until an entry comes in or goes."""
        return self._practice.current(session)

    def of_measure(self, session: Session, table: ScoreTable, scope: Scope) -> ScoreTable:
        """The table that a scope's questions are put to: the whole one, or that of its strand."""
        if scope.strand is None:
            return table
        key = scope.assessment, scope.subject, scope.strand

        def kept() -> Kept[StrandFrames]:
            file = RowsFile.of(self.settings.held, STRANDS_FILE, key, STRAND_SCORES)
            scores = MadeRows(file, MANY_SCORES)
            # A result that changes leaves the scores of its strands as they are.
            return Kept(
                lambda one: (
                    scores.current(one, lambda: load_strand_scores(one, *key)), load_strand_norms(one, *key)
                )
            )  # fmt: skip

        frames = self._strands.once(key, kept)

        def made() -> ScoreTable:
            # Those of the whole table, however few results this one has.
            cuts = carried_cuts(self.table(session), scope.assessment, scope.subject)
            return strand_table(table, scope.assessment, scope.subject, *frames.current(session), cuts)

        return table.worked.once(("strand", *key), made)

    def knows_strands(self, table: ScoreTable, scope: Scope, strands: Collection[str]) -> bool:
        """Whether the tables of some strands of a scope's test are there already."""
        return all(table.worked.known(("strand", scope.assessment, scope.subject, one)) is not None for one in strands)

    def work_out(self, table: ScoreTable, scope: Scope, pieces: list[Piece], members: Members) -> Worked:
        """A scope worked out over the students in its reach, from memory where it was just asked.

        ``table`` is the score table as the person may see it; one that holds less than the whole
        is a table of its own in memory, and so is what was worked out from it. Scopes that differ
        in the breakdown alone, such as those of the rail and of Compare, share one comparison.
        """
        plain = scope.model_copy(update={"by": None, "by2": None})
        key = _digest(table, plain, pieces)
        comparison = self._comparisons.once(key, lambda: compare(table, plain, pieces))

        inside: list[str] = []
        if "group" in (scope.by, scope.by2):
            inside = [f"{name}: {sorted(students)}" for name, students in sorted(members.items())]
        return self._worked.once(
            (key, scope.by, scope.by2, *inside), lambda: Worked(broken_down(comparison, table, scope, members))
        )


def _digest(table: ScoreTable, scope: Scope, pieces: list[Piece]) -> str:
    """What a comparison was worked out from, in a few letters: thousands of students need no long key."""
    parts = [scope.model_dump_json(exclude={"students", "reach"}), "".join(piece.text for piece in pieces)]
    parts += [str(table.mark_of(scope.assessment, scope.subject)), str(table.day), table.view]
    parts += sorted(scope.students) if scope.students is not None else ["everyone"]
    parts += ["reach", *(sorted(scope.reach) if scope.reach is not None else ["everyone"])]
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()
