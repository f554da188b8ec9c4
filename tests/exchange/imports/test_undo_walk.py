"""A random walk: imports, decisions and corrections in any order, undone in any order, with a model beside it."""

import random
import unittest
from datetime import date, datetime, timedelta

from sqlalchemy import select

from bodkin.core.errors import Conflict
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.reads.table.load import load_score_table, window_names
from bodkin.store.reads.table.refresh import ScoreTables
from bodkin.store.tables import Act, Correction, Import, ImportMapping, Person, Result, RetestRequest, Student
from bodkin.store.writes import corrections, decisions
from bodkin.store.writes.undo import act_of_import, along, undo
from bodkin.store.writes.undo_imports import restore
from tests.support import stage
from tests.support.answers import AS_IT_IS
from tests.support.extent import extent

HEAD = "student_id,assessment,subject,window,grade,score\n"
WINDOWS = ("2025-26 fall", "2025-26 winter")
STUDENTS = [f"S{at}" for at in range(9)]
TODAY = date(2026, 2, 12)
STEPS = extent(50, 200)
"""Steps of the walk; 300 by hand."""


class Model:
    """What the tables must hold: every act that is done, played again from the start in its order."""

    def __init__(self):
        self.done = {}

    def tables(self):
        scores, states, cells, retests = {}, {}, [], []
        for _, (kind, what) in sorted(self.done.items()):
            if kind == "import":
                scores |= what
            elif kind == "judge":
                states[what[0]] = what[1]
            elif kind == "correct":
                place, value = what
                cells.append((place, scores[place], value))
                scores[place] = value
            else:
                retests.append(what)
        return scores, {place: state for place, state in states.items() if state}, sorted(cells), sorted(retests)


class Walk(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()
        self.kept = ScoreTables(), ScoreTables()
        self.model, self.rng, self.at = Model(), random.Random(20260915), datetime(2026, 2, 1)
        with self.store.writing(scores=False) as session:
            session.add(Person(name="C", role="coach"))
            session.flush()
            self.coach = session.scalar(select(Person.id))

    def tables(self):
        """The same of the real tables."""
        with self.store.reading() as session:
            names = window_names(session)
            rows = session.execute(select(Result, Student.student_id).join(Student, Student.id == Result.student_id))
            place, scores, states = {}, {}, {}
            for result, student in rows:
                place[result.id] = (student, names[result.window_id])
                scores[place[result.id]] = result.score
                if result.state:
                    states[place[result.id]] = result.state
            cells = [(place[c.result_id], float(c.before), float(c.after)) for c in session.scalars(select(Correction))]
            asked = select(RetestRequest, Student.student_id).join(Student, Student.id == RetestRequest.student_id)
            retests = [(student, names[one.window_id]) for one, student in session.execute(asked)]
        return scores, states, sorted(cells), sorted(retests)

    def last(self, session):
        return session.scalar(select(Act.id).order_by(Act.id.desc()).limit(1))

    def result(self, session, place):
        keys = {name: key for key, name in window_names(session).items()}
        query = select(Result.id).join(Student, Student.id == Result.student_id)
        return session.scalar(query.where(Student.student_id == place[0], Result.window_id == keys[place[1]]))

    def bring(self):
        """A file about a few students, some of them there already with another score."""
        some = self.rng.sample(STUDENTS, self.rng.randint(1, 4))
        rows = {(who, self.rng.choice(WINDOWS)): float(self.rng.randint(400, 600)) for who in some}
        text = HEAD + "".join(f"{who},Tide,reading,{window},3,{score:g}\n" for (who, window), score in rows.items())
        with self.store.writing(scores=True) as session:
            changes = Changes(answers=AS_IT_IS)
            key, _ = imports.bring_in(session, "f.csv", text.encode(), self.coach, self.at, changes)
            if key is not None:
                # A score that somebody has corrected was kept, on a word.
                kept = {place for place, *_ in self.model.tables()[2]}
                rows = {place: score for place, score in rows.items() if place not in kept}
                self.model.done[act_of_import(session, key)] = ("import", rows)

    def act(self):
        """A decision, a correction or a retest about a result that is there."""
        scores = self.tables()[0]
        if not scores:
            return
        place = self.rng.choice(sorted(scores))
        kind = self.rng.choice(("judge", "correct", "retest"))
        with self.store.writing(scores=False) as session:
            if kind == "judge":
                state = self.rng.choice((decisions.ASIDE, decisions.KEPT, None))
                key = self.result(session, place)
                act = decisions.judge(session, key, state, "why", self.coach, self.at, f"judge {place}")
                self.model.done[act] = (kind, (place, state))
            elif kind == "correct":
                value = float(self.rng.randint(601, 700))
                if scores[place] == value:
                    return
                key = self.result(session, place)
                act = corrections.correct(
                    session, key, "score", str(value), "typed wrong", self.coach, self.at, f"correct {place}"
                )
                self.model.done[act] = (kind, (place, value))
            else:
                try:
                    act = decisions.ask_retest(
                        session, place[0], ("Tide", "reading"), place[1], "ill", None, self.coach, self.at, "retest"
                    )
                except Conflict:
                    return
                self.model.done[act] = (kind, place)

    def take_back(self):
        """Any act, an import with what was named; refused, it changes nothing."""
        if not self.model.done:
            return
        act = self.rng.choice(sorted(self.model.done))
        with self.store.reading() as session:
            found = along(session, act)
        named = [one.id for one in found.acts]
        agreed = named if self.rng.random() < 0.6 else named[:-1]
        try:
            with self.store.writing(scores=False) as session:
                undo(session, act, None, anybody_s=True, together=agreed)
        except Conflict as error:
            self.assertTrue(found.refused or len(agreed) < len(named), str(error))
            return
        self.assertEqual(agreed, named)
        for one in (act, *named):
            del self.model.done[one]

    def same_in_memory(self, step):
        """Tables that follow the writes, of a process that looks at each and of one that looks now and then."""
        with self.store.reading() as session:
            whole = load_score_table(session, TODAY)
            for kept in self.kept[: 1 + (step % 6 == 5)]:
                table = kept.current(session)
                self.assertTrue(table.results.equals(whole.results), f"after step {step}")
                self.assertEqual(table.version, whole.version)

    def test_the_tables_are_those_of_the_model_after_every_step(self):
        """What is undone is what was named, and nothing else; what is kept in memory follows."""
        for step in range(STEPS):
            self.at += timedelta(minutes=1)
            self.rng.choice((self.bring, self.act, self.act, self.take_back))()
            self.assertEqual(self.tables(), self.model.tables(), f"after step {step}")
            self.same_in_memory(step)
            with self.store.reading() as session:
                done = set(session.scalars(select(Act.id).where(Act.state == "done")))
            self.assertEqual(done, set(self.model.done), f"after step {step}")
        kinds = [kind for kind, _ in self.model.done.values()]
        self.assertGreater(len(kinds), STEPS / 10)


class Forgotten(unittest.TestCase):
    def test_an_import_undone_forgets_what_it_taught(self):
        """How files of a shape are read is that of the newest import that still stands."""
        store, _ = stage.fresh()
        text = "Student Number,Test,Subject,Term,Grade Level,Scale Score,Test Date\nS1,Tide,reading,Fall 2026,3,{},{}\n"

        def bring(score, day):
            with store.writing(scores=True) as session:
                content = text.format(score, day).encode()
                changes = Changes(confirmed=True, answers=AS_IT_IS)
                key, _ = imports.bring_in(session, "f.csv", content, None, datetime(2026, 9, 1), changes)
                return act_of_import(session, key)

        def source():
            with store.reading() as session:
                seen = imports.preview(session, "f.csv", text.format(500, "9/20/2026").encode())
                return seen.understood.source, session.scalars(select(ImportMapping.mapping)).all()

        first = bring(500, "9/20/2026")
        self.assertEqual(source()[0], "remembered")
        second = bring(510, "20.9.2026")
        self.assertEqual([one["day_format"] for one in source()[1]], ["%m/%d/%Y", "%d.%m.%Y"])
        with store.writing(scores=False) as session:
            undo(session, second, None, anybody_s=True)
        self.assertEqual(source()[0], "remembered")
        with store.writing(scores=False) as session:
            undo(session, first, None, anybody_s=True)
        self.assertEqual(source(), ("proposed", []))


class Decided(unittest.TestCase):
    def test_a_correcting_import_is_not_undone_under_a_decision(self):
        """Import A, correction B, a result of B set aside: B undone names the decision, and takes it along."""
        store, _ = stage.fresh()
        keys = []
        for score in (500, 510):
            with store.writing(scores=True) as session:
                content = (HEAD + f"S1,Tide,reading,{WINDOWS[0]},3,{score}\n").encode()
                keys.append(imports.bring_in(session, f"{score}.csv", content, None, datetime(2026, 9, 1))[0])
        with store.writing(scores=False) as session:
            session.add(Person(name="C", role="coach"))
            session.flush()
            coach = session.scalar(select(Person.id))
            result = session.scalar(select(Result.id))
            aside = decisions.judge(session, result, "set aside", "left", coach, datetime(2026, 9, 2), "S1: set aside")
        with store.reading() as session:
            act = act_of_import(session, keys[1])
            self.assertEqual([one.said for one in along(session, act).acts], ["S1: set aside"])
        with self.assertRaisesRegex(Conflict, "S1: set aside"), store.writing(scores=False) as session:
            undo(session, act, None, anybody_s=True)
        with store.writing(scores=False) as session:
            undo(session, act, None, anybody_s=True, together=[aside])
        with store.reading() as session:
            self.assertEqual(session.execute(select(Result.score, Result.state)).one(), (500, None))
            states = dict(session.execute(select(Act.id, Act.state)).all())
        self.assertEqual((states[act], states[aside]), ("undone", "undone"))


class ChangedTwice(unittest.TestCase):
    def test_a_row_that_an_import_changed_twice_is_as_it_was_first(self):
        """Whatever columns each change was of, and whatever else changed in between."""
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            session.add_all(Student(student_id=one, given_name="G", family_name="F") for one in ("x", "y"))
            session.flush()
            x, y = session.scalars(select(Student.id).order_by(Student.student_id))
            row = Import(file="f", sha256="", kind="k", counts={}, at=datetime(2026, 9, 1), state="done")
            session.add(row)
            session.flush()
            ledger = Ledger(session, row.id)
            ledger.change(Student, [{"id": x, "given_name": "A", "family_name": "B"}])
            ledger.change(Student, [{"id": x, "given_name": "C"}])
            ledger.change(Student, [{"id": y, "given_name": "A", "family_name": "B"}])
            restore(session, row.id)
        with store.reading() as session:
            names = session.execute(select(Student.given_name, Student.family_name)).all()
        self.assertEqual([tuple(one) for one in names], [("G", "F"), ("G", "F")])
