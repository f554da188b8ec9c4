"""Decisions about results: what each writes, what its undoing brings back, and what is refused."""

import unittest
from datetime import datetime

from sqlalchemy import select

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.exchange.imports import imports
from bodkin.store.reads.table.load import load_score_table
from bodkin.store.tables import Base, NotTested, Person, Result, RetestRequest
from bodkin.store.writes import decisions, undo
from tests.support import stage

NOW = datetime(2027, 2, 12, 9, 0)
WINDOW, MEASURE = "2026-27 winter", ("Pond", "reading")
SCORES = """student_id,assessment,subject,window,tested_on,grade,score,language
a,Pond,reading,2026-27 winter,2027-01-12,4,500,English
a,Pond,reading,2026-27 winter,2027-01-14,4,520,English
a,Pond,reading,2026-27 winter,2027-01-13,4,560,Portuguese
b,Pond,reading,2026-27 winter,2027-01-12,4,480,English
"""


class Acts(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()
        with self.store.writing(scores=True) as session:
            people = [Person(name=name, role=role) for name, role in (("Coach", "coach"), ("Teacher", "teacher"))]
            session.add_all(people)
            session.flush()
            self.coach, self.teacher = (person.id for person in people)
            imports.bring_in(session, "scores.csv", SCORES.encode(), None, NOW)
            self.results = list(session.scalars(select(Result.id).order_by(Result.id)))
        self.before = self.everything()

    def everything(self):
        """All tables but the list of decisions and the versions."""
        with self.store.reading() as session:
            return {
                table.name: sorted(map(str, session.execute(select(table)).all()))
                for table in Base.metadata.sorted_tables
                if table.name not in ("act", "district")
            }

    def scores(self):
        with self.store.reading() as session:
            return sorted(load_score_table(session).results["score"])

    def does(self, act, *arguments):
        with self.store.writing(scores=True) as session:
            return act(session, *arguments, self.coach, NOW, "said")

    def undo(self, key, who=None, *, anybody_s=False):
        with self.store.writing(scores=True) as session:
            return undo.undo(session, key, who or self.coach, anybody_s=anybody_s)

    def test_set_aside_leaves_the_score_table_and_comes_back(self):
        """The score is gone from the table and back after undo."""
        key = self.does(decisions.judge, self.results[3], decisions.ASIDE, "left")
        self.assertEqual(self.scores(), [500, 520, 560])
        self.assertEqual(self.undo(key), "said")
        self.assertEqual((self.scores(), self.everything()), ([480, 500, 520, 560], self.before))

    def test_kept_still_counts(self):
        """A result that is kept changes no score."""
        key = self.does(decisions.judge, self.results[3], decisions.KEPT, "")
        self.assertEqual(self.scores(), [480, 500, 520, 560])
        again = self.does(decisions.judge, self.results[3], decisions.COUNTED, "")
        self.undo(again)
        self.undo(key)
        self.assertEqual(self.everything(), self.before)

    def test_one_of_several_counts_within_its_language(self):
        """The other sitting stands beside it; the one in another language is another matter."""
        key = self.does(decisions.choose, self.results[0], "quiet room")
        self.assertEqual(self.scores(), [480, 500, 560])
        with self.store.reading() as session:
            states = list(session.scalars(select(Result.state).order_by(Result.id)))
        self.assertEqual(states, ["kept", "beside", None, None])
        self.undo(key)
        self.assertEqual(self.everything(), self.before)
        for alone in self.results[2:]:
            with self.assertRaises(Conflict):
                self.does(decisions.choose, alone, "")

    def test_retests_are_asked_done_and_undone(self):
        """One open request a student and window; each state goes back."""
        key = self.does(decisions.ask_retest, "b", MEASURE, WINDOW, "too fast", "Extra time")
        with self.assertRaises(Conflict):
            self.does(decisions.ask_retest, "b", MEASURE, WINDOW, "again", None)
        with self.store.reading() as session:
            request = session.scalars(select(RetestRequest.id)).one()
            self.assertEqual(decisions.retest_student(session, request), "b")
        done = self.does(decisions.change_retest, request, "done")
        with self.assertRaises(Conflict):
            self.does(decisions.change_retest, request, "withdrawn")
        # Asking is older than doing: it cannot be undone first.
        with self.assertRaises(Conflict):
            self.undo(key)
        self.undo(done)
        self.undo(key)
        self.assertEqual(self.everything(), self.before)

    def test_reasons_are_given_changed_and_taken_back(self):
        """A reason, another one, and none again."""
        first = self.does(decisions.give_reason, "b", WINDOW, "absent")
        second = self.does(decisions.give_reason, "b", WINDOW, "excused")
        third = self.does(decisions.give_reason, "b", WINDOW, "")
        with self.store.reading() as session:
            self.assertEqual(list(session.scalars(select(NotTested.reason))), [])
        self.undo(third)
        with self.store.reading() as session:
            self.assertEqual(list(session.scalars(select(NotTested.reason))), ["excused"])
        self.undo(second)
        with self.store.reading() as session:
            self.assertEqual(list(session.scalars(select(NotTested.reason))), ["absent"])
        self.undo(first)
        self.assertEqual(self.everything(), self.before)

    def test_what_is_not_there_is_told(self):
        """Unknown results, students, tests and windows are refused, and nothing is written."""
        with self.store.reading() as session:
            for call in (lambda: decisions.student_of(session, 0), lambda: decisions.retest_student(session, 0)):
                with self.assertRaises(NotFound):
                    call()
        for act, arguments in (
            (decisions.ask_retest, ("nobody", MEASURE, WINDOW, "x", None)),
            (decisions.ask_retest, ("a", ("Lake", "reading"), WINDOW, "x", None)),
            (decisions.ask_retest, ("a", MEASURE, "2030-31 fall", "x", None)),
            (decisions.give_reason, ("nobody", WINDOW, "absent")),
            (decisions.give_reason, ("a", WINDOW, "")),
        ):
            with self.subTest(arguments), self.assertRaises(BadInput):
                self.does(act, *arguments)
        self.assertEqual(self.everything(), self.before)

    def test_another_s_decision_is_undone_only_by_who_may(self):
        """Not found for others; a coach may."""
        key = self.does(decisions.judge, self.results[0], decisions.KEPT, "")
        with self.assertRaises(NotFound):
            self.undo(key, self.teacher)
        self.undo(key, self.teacher, anybody_s=True)
        with self.assertRaises(Conflict):
            self.undo(key)
        with self.assertRaises(NotFound):
            self.undo(0)
        with self.store.reading() as session:
            self.assertEqual([one.state for one in undo.past_acts(session, None)], ["undone"])
            self.assertEqual(undo.past_acts(session, self.teacher), [])
