"""The score table that follows writes equals the one that is read whole, and so does what was worked out from it."""

import random
import unittest
from unittest import mock

import polars as pl
from sqlalchemy import delete, select, update

from bodkin.answers.check.doubts import doubts_of
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.norms.expectation import window_means
from bodkin.answers.comparison.pairing import of_window, pair, windows_of
from bodkin.answers.groups import membership as membership_module
from bodkin.answers.groups.membership import RuledGroup, membership
from bodkin.answers.scope.choices import measures
from bodkin.answers.scope.scope import Scope
from bodkin.core.groups.membership_rules import parse_rule
from bodkin.core.windows import parse_window
from bodkin.store.bulk import read_rows
from bodkin.store.database import versions
from bodkin.store.reads import check_data, kept
from bodkin.store.reads.check_data import load_check
from bodkin.store.reads.check_tables import CheckTables
from bodkin.store.reads.kept import Kept
from bodkin.store.reads.table import touched
from bodkin.store.reads.table.load import load_naming, load_score_table
from bodkin.store.reads.table.merged import FEW, MOST_PIECES, merged_rows, of_keys
from bodkin.store.reads.table.refresh import ScoreTables
from bodkin.store.reads.table.score_table import shaped
from bodkin.store.tables import (
    Assessment,
    Correction,
    Enrolment,
    Norm,
    Person,
    Result,
    ResultScale,
    RetestRequest,
    SchoolYear,
    Section,
    StrandResult,
    Student,
    StudentProgram,
    Window,
)
from tests.support import stage
from tests.support.extent import extent

STEPS = extent(16, 200)
READING = {"assessment": "Saltgauge", "subject": "reading"}
MATHEMATICS = {"assessment": "Saltgauge", "subject": "mathematics"}
WINDOWS = {"from_window": "2026-27 fall", "to_window": "2026-27 winter"}
FRAMES = ("results", "norms", "growth_norms", "cuts", "roster", "fields")


class Walk(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        cls.draw = random.Random(7)
        cls.tables = [ScoreTables(), ScoreTables()]

    def some(self, session, n, **measure):
        """Results of a measure, drawn."""
        tests = select(Assessment.id).where(*(getattr(Assessment, k.replace("assessment", "name")) == v
                                              for k, v in measure.items()))  # fmt: skip
        keys = list(session.scalars(select(Result.id).where(Result.assessment_id.in_(tests))))
        return self.draw.sample(keys, n)

    def rescored(self, session, **measure):
        keys = self.some(session, self.draw.randint(1, 30), **(measure or self.draw.choice((READING, MATHEMATICS))))
        session.execute(update(Result).where(Result.id.in_(keys)).values(score=Result.score + 3))

    def set_aside(self, session):
        state = self.draw.choice(("set aside", "beside", None))
        keys = self.some(session, 4, **self.draw.choice((READING, MATHEMATICS)))
        session.execute(update(Result).where(Result.id.in_(keys)).values(state=state))

    def removed(self, session):
        keys = self.some(session, 5, **READING)
        for table in (StrandResult, ResultScale, Correction):
            session.execute(delete(table).where(table.result_id.in_(keys)))
        session.execute(delete(Result).where(Result.id.in_(keys)))

    def added(self, session):
        one = session.get(Result, self.some(session, 1, **MATHEMATICS)[0])
        window = session.scalars(select(Window.id).order_by(Window.id.desc()).limit(1)).one()
        session.add(Result(student_id=one.student_id, assessment_id=one.assessment_id, window_id=window, score=1.0,
                           grade=one.grade, school_id=one.school_id))  # fmt: skip

    def moved(self, session):
        """A result gets another test: it leaves one measure and comes to another."""
        key = self.some(session, 1, **READING)[0]
        other = session.scalar(select(Assessment.id).where(Assessment.name == "Saltgauge",
                                                           Assessment.subject == "mathematics"))  # fmt: skip
        session.execute(update(Result).where(Result.id == key).values(assessment_id=other))

    def put_outside(self, session):
        """A result loses its window."""
        key = self.some(session, 1, **READING)[0]
        session.execute(update(Result).where(Result.id == key).values(window_id=None))

    def renamed(self, session):
        table, column = self.draw.choice(((Person, "name"), (Section, "name"), (Student, "student_id")))
        keys = list(session.scalars(select(table.id)))
        key = self.draw.choice(keys)
        session.execute(update(table).where(table.id == key).values({column: f"other {key}"}))

    def other_norm(self, session):
        session.execute(update(Norm).where(Norm.grade == "4").values(mean=Norm.mean + 1))

    def other_place(self, session):
        for table in (Enrolment, StudentProgram):
            keys = self.draw.sample(list(session.scalars(select(table.id))), 3)
            session.execute(delete(table).where(table.id.in_(keys)))

    def new_student(self, session):
        session.add(Student(student_id=f"new {self.draw.random()}", family_name="New", given_name="One"))

    def check(self, table, whole, what):
        for name in FRAMES:
            self.assertTrue(getattr(table, name).equals(getattr(whole, name)), f"{name} after {what}")
        self.assertEqual((table.version, table.calendar.windows), (whole.version, whole.calendar.windows))
        for measure in (READING, MATHEMATICS):
            scope = Scope(**measure, **WINDOWS)
            mine, theirs = (compare(one, scope) for one in (table, whole))
            self.assertTrue(mine.students.equals(theirs.students), f"students of {measure} after {what}")
            mine, theirs = (pair(one, scope).outside for one in (table, whole))
            self.assertTrue(mine.equals(theirs), f"outside {measure} after {what}")
        scope = Scope(**self.draw.choice((READING, MATHEMATICS)), **WINDOWS)
        mine, theirs = (self.kept_longer(one, scope) for one in (table, whole))
        self.assertEqual(mine, theirs, f"{scope.subject} after {what}")
        window = parse_window(self.draw.choice(mine[-1]))
        mine, theirs = (of_window(one, scope, window) for one in (table, whole))
        self.assertTrue(mine.equals(theirs), f"{window} of {scope.subject} after {what}")

    def kept_longer(self, table, scope):
        """What goes on with the windows or the measure that it rests on, as plain values."""
        rule = f"{scope.assessment}, {scope.subject}: percentile below 35 in the latest window"
        groups = [RuledGroup(1, "A", (scope.assessment, scope.subject), frozenset(), rule, None)]
        waits = membership(groups, table, stage.TODAY, lambda *_: {}, None).groups[0].waits
        chosen = [one.model_dump() for one in measures(table, None)]
        return (
            window_means(table, scope),
            sorted(waits),
            chosen,
            sorted(windows_of(table, scope.assessment, scope.subject)),
        )

    def test_after_every_step_all_is_as_read_whole(self):
        """Changes of every kind in any order, looked at by one process always and by another now and then."""
        kinds = (self.rescored, self.set_aside, self.removed, self.added, self.moved, self.put_outside,
                 self.renamed, self.other_norm, self.other_place, self.new_student)  # fmt: skip
        order = [*kinds, *self.draw.choices(kinds, weights=(6, 4, 2, 2, 2, 2, 1, 1, 1, 1), k=STEPS - len(kinds))]
        for step, kind in enumerate(order):
            with self.store.writing(scores=True) as session:
                kind(session)
            with self.store.reading() as session:
                whole = load_score_table(session, stage.TODAY)
                for tables in self.tables[: 1 + (step % 5 == 4)]:
                    self.check(tables.current(session), whole, f"step {step}, {kind.__name__}")


class Merged(unittest.TestCase):
    def test_rows_put_in_stand_where_sorting_would_put_them(self):
        """Drawn lines, few and many, before, between and behind the others; pieces are laid out in one again."""
        draw = random.Random(3)
        sizes = ((0, 0, 5), (1, 0, 1), (30, 0, 0), (30, 1, 1), (30, 30, 30), (30, 0, 30), (2_000, 100, 200),
                 (2_000, 300, 0), (2_000, FEW, 1), (2_000, 0, FEW + 1),
                 (6_000, 1_500, 200))  # fmt: skip
        for n, away, few in sizes:
            lines = draw.sample(range(10 * (n + few) + 1), n + few)
            rows, new = (pl.DataFrame({"line": sorted(part), "x": [f"{one}" for one in sorted(part)]},
                                      schema={"line": pl.Int64, "x": pl.String})
                         for part in (lines[:n], lines[n:]))  # fmt: skip
            gone = pl.Series("line", draw.sample(lines[:n], away), dtype=pl.Int64)
            # Some of those that go come again as another row, some lines were never there.
            again = gone[::3]
            new = pl.concat([new, pl.DataFrame({"line": again, "x": ["again"] * again.len()},
                                               schema=new.schema)])  # fmt: skip
            gone = pl.concat([gone, pl.Series("line", [-5, 10**9], dtype=pl.Int64)])
            merged = merged_rows(rows, gone, new, "line")
            stay = rows.filter(~pl.col("line").is_in(gone.implode()))
            self.assertTrue(merged.equals(pl.concat([stay, new]).sort("line")), (n, away, few))
            self.assertLessEqual(merged.n_chunks(), MOST_PIECES)
            self.assertTrue(merged_rows(rows, gone.clear(), new.clear(), "line").equals(rows))
            self.assertTrue(merged_rows(rows.clear(), gone, new, "line").equals(new.sort("line")))
            found = of_keys(rows, gone, "line")
            self.assertTrue(found.sort("line").equals(rows.filter(pl.col("line").is_in(gone.implode()))))


class Stays(unittest.TestCase):
    """What rests on nothing that was written is the very same afterwards."""

    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        cls.tables = ScoreTables()

    def now(self):
        with self.store.reading() as session:
            return self.tables.current(session)

    def test_only_what_rests_on_the_change_is_worked_out_again(self):
        """A score in reading: mathematics stays as it is, marks say which changed; a norm: all is new."""
        table = self.now()
        kept = [windows_of(table, *one.values()) for one in (READING, MATHEMATICS)]
        walk = Walk()
        walk.draw = random.Random(2)
        with self.store.writing(scores=True) as session:
            walk.rescored(session, **READING)
        after = self.now()
        found = [windows_of(after, *one.values()) for one in (READING, MATHEMATICS)]
        self.assertIsNot(found[0], kept[0])
        self.assertIs(found[1], kept[1])
        self.assertGreater(after.mark_of(*READING.values()), table.mark_of(*READING.values()))
        self.assertEqual(after.mark_of(*MATHEMATICS.values()), table.mark_of(*MATHEMATICS.values()))
        with self.store.writing(scores=True) as session:
            walk.other_norm(session)
        other = self.now()
        self.assertIsNot(windows_of(other, *MATHEMATICS.values()), kept[1])
        self.assertGreater(other.mark_of(*MATHEMATICS.values()), after.mark_of(*MATHEMATICS.values()))

    def test_a_window_that_nothing_was_written_to_stays(self):
        """A score of fall: winter as it counted, its means and the rule's look at it are the same objects."""
        tables, scope = ScoreTables(), Scope(**READING, **WINDOWS)
        with self.store.reading() as session:
            table = tables.current(session)
        rule = parse_rule("Saltgauge, reading: score at least 1 in the latest window")

        def looked(one):
            means = [one.worked.once(("window mean", *READING.values(), None, window), dict)
                     for window in (scope.first, scope.second)]  # fmt: skip
            return [of_window(one, scope, scope.first), of_window(one, scope, scope.second), *means,
                    membership_module._of_window(one, rule).students]  # fmt: skip

        window_means(table, scope)
        before = looked(table)
        with self.store.writing(scores=True) as session:
            window = session.scalars(select(Window.id).join(SchoolYear, SchoolYear.id == Window.school_year_id).where(
                SchoolYear.name == "2026-27", Window.season == "fall")).one()  # fmt: skip
            tests = select(Assessment.id).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
            mine = (Result.window_id == window) & Result.assessment_id.in_(tests)
            session.execute(update(Result).where(mine).values(score=Result.score + 1))
        with self.store.reading() as session:
            after = tables.current(session)
        window_means(after, scope)
        same = [one is other for one, other in zip(before, looked(after), strict=True)]
        self.assertEqual(same, [False, True, False, True, True])

    def test_pairs_stay_where_neither_window_changed(self):
        """Nor a result in no window: one of last spring, one of winter, one that is put outside the windows."""
        scope = Scope(**READING, **WINDOWS)
        key = ("pairs", *READING.values(), None, *scope.windows)
        mine = select(Result.id).join(Assessment).join(Window, Window.id == Result.window_id).join(SchoolYear).where(
            Assessment.name == "Saltgauge", Assessment.subject == "reading").limit(1)  # fmt: skip
        for year, season, change, stays in (
            ("2025-26", "spring", {"score": 1.0}, True), ("2026-27", "winter", {"score": 1.0}, False),
            ("2025-26", "spring", {"window_id": None}, False), ("2025-26", "winter", {"score": 1.0}, True),
        ):  # fmt: skip
            with self.subTest(year=year, season=season, change=change):
                pair(self.now(), scope)
                before = self.now().worked.once(key, lambda: None)
                with self.store.writing(scores=True) as session:
                    where = mine.where(SchoolYear.name == year, Window.season == season)
                    result = session.scalars(where).one()
                    session.execute(update(Result).where(Result.id == result).values(change))
                after = self.now()
                pair(after, scope)
                self.assertEqual(after.worked.once(key, lambda: None) is before, stays)

    def test_what_does_not_count_is_a_change_too(self):
        """Check looks at results that were set aside: one of them corrected is a change of its measure, of no other."""
        walk = Walk()
        walk.draw = random.Random(4)
        with self.store.reading() as session:
            some = walk.some(session, 3, **MATHEMATICS)
        mine = update(Result).where(Result.id.in_(some))
        with self.store.writing(scores=True) as session:
            session.execute(mine.values(state="set aside"))
        table = self.now()
        with self.store.writing(scores=True) as session:
            session.execute(mine.values(minutes=77.0))
        after = self.now()
        self.assertTrue(after.results.equals(table.results))
        self.assertGreater(after.mark_of(*MATHEMATICS.values()), table.mark_of(*MATHEMATICS.values()))
        self.assertEqual(after.mark_of(*READING.values()), table.mark_of(*READING.values()))

    def test_part_scores_alone_are_a_change(self):
        """No result tells of its strands: where they change, nothing that was worked out stays."""
        table = self.now()
        windows_of(table, *READING.values())
        with self.store.writing(scores=True) as session:
            key = session.scalars(select(StrandResult.id).limit(1)).one()
            session.execute(update(StrandResult).where(StrandResult.id == key).values(score=1.0))
        after = self.now()
        self.assertGreater(after.mark_of(*READING.values()), table.mark_of(*READING.values()))
        self.assertIsNot(windows_of(after, *READING.values()), windows_of(table, *READING.values()))

    def test_an_earlier_session_sees_the_earlier_state(self):
        """A question that began before a write is answered as things were, and what is kept stays the newest."""
        with self.store.reading() as early:
            versions(early)
            before = self.tables.current(early)
            with self.store.writing(scores=True) as session:
                session.execute(update(Result).values(score=Result.score + 1))
            after = self.now()
            then = self.tables.current(early)
        self.assertTrue(then.results.equals(before.results))
        self.assertEqual(then.version, before.version)
        self.assertIs(self.now(), after)
        self.assertAlmostEqual(after.results["score"].sum() - before.results["score"].sum(),
                               before.results["score"].count())  # fmt: skip

    def test_questions_that_began_before_a_write_read_nothing_anew(self):
        """Many at once while somebody writes: each keeps its table, and one that asks late finds it still there."""
        with self.store.reading() as first, self.store.reading() as late:
            versions(late)
            before = self.tables.current(first)
            with self.store.writing(scores=True) as session:
                key = session.scalars(select(Result.id).limit(1)).one()
                session.execute(update(Result).where(Result.id == key).values(score=Result.score + 1))
            after = self.now()
            with mock.patch.object(self.tables, "_whole", side_effect=AssertionError("read whole")):
                self.assertIs(self.tables.current(first), before)
                self.assertTrue(self.tables.current(late).results.equals(before.results))
                self.assertIs(self.now(), after)
        self.assertFalse(after.results.equals(before.results))
        # Nothing of it stays for long.
        with mock.patch.object(kept, "EARLIER_SECONDS", -1.0):
            self.now()
            with self.store.reading() as session:
                self.assertIsNone(self.tables._lately.at(versions(session)[1] - 1, stage.TODAY))

    def test_a_change_of_the_people_alone_raises_no_score(self):
        """A write that the score table has no part in leaves the very table."""
        table = self.now()
        with self.store.writing(scores=False) as session:
            session.add(Person(name="Somebody", role="aide"))
        self.assertIs(self.now(), table)


class OfCheck(unittest.TestCase):
    """The sittings of the Check step follow writes too; see the walk above for the changes."""

    def check(self, held, tables, session, what):
        for measure in (READING, MATHEMATICS):
            mark = tables.current(session).mark_of(*measure.values())
            found, whole = held.current(session, *measure.values(), mark), load_check(session, *measure.values())
            window = "2026-27 winter"
            self.assertTrue(doubts_of(found, window).equals(doubts_of(whole, window)), f"doubts, {what}")
            for name in ("sittings", "reasons", "retests", "states", "entitled", "programs"):
                self.assertTrue(getattr(found, name).equals(getattr(whole, name)), f"{name} of {measure}, {what}")
            self.assertEqual(set(found.rosters), set(whole.rosters))
            for year, roster in whole.rosters.items():
                self.assertTrue(found.rosters[year].equals(roster), f"{year}, {what}")

    def test_after_every_change_all_is_as_read_whole(self):
        """Changes of every kind, each looked at by a session of now and by one that began before it."""
        walk = Walk()
        walk.setUpClass()
        walk.draw = random.Random(11)
        held, tables = CheckTables(Kept(load_naming)), ScoreTables()
        kinds = (walk.rescored, walk.set_aside, walk.removed, walk.added, walk.moved, walk.renamed, walk.other_place,
                 walk.new_student)  # fmt: skip
        for step, kind in enumerate((*kinds, *walk.draw.choices(kinds, k=extent(2, 40)))):
            with walk.store.reading() as early:
                self.check(held, tables, early, f"before step {step}")
                with walk.store.writing(scores=True) as session:
                    kind(session)
                with walk.store.reading() as session:
                    self.check(held, tables, session, f"step {step}, {kind.__name__}")
                self.check(held, tables, early, f"still before step {step}")

    def test_what_was_decided_is_seen_though_no_score_changed(self):
        """A reason given beside a result, twice, and a retest between: each is there at once."""
        walk = Walk()
        walk.setUpClass()
        held = CheckTables(Kept(load_naming))
        with walk.store.reading() as session:
            some = walk.some(session, 3, **READING)
            person = session.scalars(select(Person.id).limit(1)).one()
        changes = (
            update(Result).where(Result.id == some[0]).values(state="counts", state_why="one", state_by_id=person),
            update(RetestRequest).values(why="another reason"),
            update(Result).where(Result.id == some[1]).values(state="counts", state_why="two", state_by_id=person),
            update(Person).where(Person.id == person).values(name="Somebody Else"),
        )
        for change in changes:
            with walk.store.writing(scores=False) as session:
                session.execute(change)
            with walk.store.reading() as session:
                found, whole = held.current(session, *READING.values(), 1), load_check(session, *READING.values())
                for name in ("states", "retests"):
                    self.assertTrue(getattr(found, name).equals(getattr(whole, name)), name)
        self.assertEqual(found.states.filter(pl.col("result_id") == some[1])["state_by"].to_list(), ["Somebody Else"])

    def test_few_touched_results_are_read_and_no_others(self):
        """Three rows of a measure, where all of it was read before."""
        walk = Walk()
        walk.setUpClass()
        held = CheckTables(Kept(load_naming))
        with walk.store.reading() as session:
            held.current(session, *READING.values(), 1)
            some = walk.some(session, 3, **READING)
        with walk.store.writing(scores=True) as session:
            session.execute(update(Result).where(Result.id.in_(some)).values(score=Result.score + 1))
        read = []
        with mock.patch.object(check_data, "shaped", side_effect=lambda rows, schema: read.append(rows.height) or
                               shaped(rows, schema)), walk.store.reading() as session:  # fmt: skip
            held.current(session, *READING.values(), 2)
        self.assertEqual(read[0], 3)

    def test_what_was_written_is_read_once_for_the_table_and_for_check(self):
        """The two follow the same write: the rows are asked of the database once; a later one is a new question."""
        walk = Walk()
        walk.setUpClass()
        tables = ScoreTables()
        held = CheckTables(tables.naming, tables.touched)

        def asked():
            with walk.store.reading() as session:
                mark = tables.current(session).mark_of(*READING.values())
                return held.current(session, *READING.values(), mark)

        asked()
        for step in range(2):
            with walk.store.writing(scores=True) as session:
                walk.rescored(session, **READING)
            with mock.patch.object(touched, "read_rows", side_effect=read_rows) as read:
                found = asked()
            self.assertEqual(read.call_count, 1, step)
        with walk.store.reading() as session:
            self.assertTrue(found.sittings.equals(load_check(session, *READING.values()).sittings))

    def test_only_the_measures_looked_at_lately_are_held(self):
        """With room for one, the other is let go and read anew."""
        walk = Walk()
        walk.setUpClass()
        held = CheckTables(Kept(load_naming), most=1)
        for measure in (READING, MATHEMATICS, READING):
            with walk.store.reading() as session:
                found = held.current(session, *measure.values(), 1)
                self.assertTrue(found.sittings.equals(load_check(session, *measure.values()).sittings))
            self.assertEqual(list(held._held), [tuple(measure.values())])
