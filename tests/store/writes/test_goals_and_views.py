"""Goals and kept views as the store keeps them: replaced, taken back, never another person's."""

import unittest
from datetime import date, datetime, timedelta

from sqlalchemy import func, select

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.database import versions
from bodkin.store.reads.people import by_key
from bodkin.store.tables import Goal, Person, SavedScope, Student, ViewLog
from bodkin.store.writes.goals import NewGoal, goals_of, kept_goals, set_goals
from bodkin.store.writes.logs import note_view, opened_lately
from bodkin.store.writes.undo import undo as undo_act
from bodkin.store.writes.views import (
    change_scope,
    forget_scope,
    keep_scope,
    saved_scope,
    saved_scopes,
    share_scope,
)
from tests.support import stage
from tests.support.trying import Trying

AT = datetime(2027, 2, 12, 10, 0)
MEASURE = ("Saltgauge", "reading")
SPRING = date(2027, 5, 20)


class Goals(Trying):
    def set(self, targets, *, kind="catch up", by_day=SPRING, measure=MEASURE, **more):
        answer = {
            "plan": None,
            "agreed_with": None,
            "review_on": None,
            "by_id": self.people[0],
            "at": AT,
            "said": "set",
        }
        goals = [NewGoal(student, target) for student, target in targets.items()]
        return set_goals(self.session, measure, goals, kind=kind, by_day=by_day, **(answer | more))

    def seen(self, student):
        return [(goal.kind, goal.target) for goal in kept_goals(self.session, *MEASURE, [student])]

    def test_set_for_many_and_taken_back_in_one(self):
        """Three students, one act; undone, there is none."""
        before = self.session.scalar(select(func.count()).select_from(Goal))
        act = self.set({student: 500.0 + at for at, student in enumerate(self.students)}, plan="Read every evening")
        for at, student in enumerate(self.students):
            self.assertEqual(self.seen(student), [("catch up", 500.0 + at)])
        self.assertEqual(kept_goals(self.session, *MEASURE, self.students[:1])[0].plan, "Read every evening")
        undo_act(self.session, act, self.people[0], anybody_s=False)
        self.assertEqual(self.session.scalar(select(func.count()).select_from(Goal)), before)

    def test_one_of_a_kind_and_day_is_replaced_others_stand_beside(self):
        """The same kind and day: one goal, the newer; another kind or day: two."""
        student = self.students[0]
        first = self.set({student: 500.0}, plan="first", review_on=date(2027, 3, 1))
        second = self.set({student: 510.0}, plan="second")
        self.assertEqual(self.seen(student), [("catch up", 510.0)])
        self.set({student: 505.0}, kind="keep pace")
        self.set({student: 530.0}, by_day=date(2028, 5, 20))
        self.assertEqual(len(self.seen(student)), 3)
        with self.assertRaises(Conflict):
            undo_act(self.session, first, self.people[0], anybody_s=False)
        undo_act(self.session, second, self.people[0], anybody_s=False)
        self.session.expire_all()
        kept = next(goal for goal in kept_goals(self.session, *MEASURE, [student]) if goal.by_day == SPRING
                    and goal.kind == "catch up")  # fmt: skip
        self.assertEqual((kept.target, kept.plan, kept.review_on), (500.0, "first", date(2027, 3, 1)))

    def test_a_lane_shows_the_goal_set_last_that_is_not_past(self):
        """An old goal is a goal of then."""
        student = self.students[0]
        self.set({student: 480.0}, by_day=date(2026, 11, 1))
        self.assertNotIn(student, goals_of(self.session, *MEASURE, date(2027, 2, 12)))
        self.set({student: 500.0})
        self.set({student: 505.0}, kind="keep pace")
        self.assertEqual(goals_of(self.session, *MEASURE, date(2027, 2, 12))[student], (505.0, "keep pace"))
        self.assertNotIn(student, goals_of(self.session, "Saltgauge", "mathematics", date(2027, 2, 12)))

    def test_unknown_tests_and_students_are_refused_whole(self):
        """Nothing is set for the others either."""
        before = self.session.scalar(select(func.count()).select_from(Goal))
        with self.assertRaises(BadInput):
            self.set({self.students[0]: 500.0, "nobody": 500.0})
        with self.assertRaises(BadInput):
            self.set({self.students[0]: 500.0}, measure=("Nothing", "reading"))
        self.assertEqual(self.session.scalar(select(func.count()).select_from(Goal)), before)

    def test_another_persons_goals_are_taken_back_only_by_who_may(self):
        """A coach may, a teacher may not."""
        act = self.set({self.students[0]: 500.0})
        with self.assertRaises(NotFound):
            undo_act(self.session, act, self.people[1], anybody_s=False)
        undo_act(self.session, act, self.people[1], anybody_s=True)


class Views(Trying):
    def somebody(self, at):
        return by_key(self.session, self.people[at])

    def keep(self, person=0, name="Winter", **more):
        answer = {"line": None, "step": "compare", "query": "grade=4", "at": AT}
        return keep_scope(self.session, self.people[person], name=name, **(answer | more))

    def test_favourites_first_then_by_name(self):
        """Each person's own only."""
        keys = {name: self.keep(name=name) for name in ("Reading", "Classes", "Winter")}
        self.keep(person=1, name="Another's")
        change_scope(self.session, keys["Winter"], self.people[0], {"favourite": True})
        answer = [view.name for view in saved_scopes(self.session, self.somebody(0))]
        self.assertEqual(answer, ["Winter", "Classes", "Reading"])

    def test_a_name_is_taken_once_a_person(self):
        """Not across people; not by renaming either."""
        self.keep(person=1)
        self.keep()
        with self.assertRaises(Conflict), self.session.begin_nested():
            self.keep()
        other = self.keep(name="Spring")
        with self.assertRaises(Conflict), self.session.begin_nested():
            change_scope(self.session, other, self.people[0], {"name": "Winter"})

    def test_shared_is_seen_and_never_changed(self):
        """Others open what is shared, and nothing else."""
        key = self.keep(line="A line")
        with self.assertRaises(NotFound):
            saved_scope(self.session, key, self.somebody(1))
        share_scope(self.session, key, self.people[0], [self.people[1]], [])
        seen = saved_scope(self.session, key, self.somebody(1))
        self.assertEqual((seen.name, seen.line, seen.query), ("Winter", "A line", "grade=4"))
        self.assertEqual((seen.people, seen.roles), ((self.people[1],), ()))
        with self.assertRaises(NotFound):
            saved_scope(self.session, key, self.somebody(2))
        for act in (
            lambda: change_scope(self.session, key, self.people[1], {"name": "Mine"}),
            lambda: forget_scope(self.session, key, self.people[1]),
            lambda: share_scope(self.session, key, self.people[1], [], ["aide"]),
            lambda: saved_scope(self.session, "1", self.somebody(0)),
        ):
            with self.assertRaises(NotFound):
                act()
        forget_scope(self.session, key, self.people[0])
        self.assertEqual(self.session.scalar(select(func.count()).select_from(SavedScope)), 0)

    def test_lately_is_the_latest_first_each_once(self):
        """As many as asked for; one's own views only."""
        for at, student in enumerate([*self.students, self.students[0]]):
            note_view(self.session, self.people[0], student, AT + timedelta(minutes=at))
        note_view(self.session, self.people[1], self.students[1], AT)
        self.assertEqual(opened_lately(self.session, self.people[0])[:3],
                         [self.students[0], self.students[2], self.students[1]])  # fmt: skip
        self.assertEqual(len(opened_lately(self.session, self.people[0], limit=2)), 2)
        self.assertGreaterEqual(self.session.scalar(select(func.count()).select_from(ViewLog)), 5)


class Noting(unittest.TestCase):
    def test_noting_raises_no_version(self):
        """What somebody looked at changes no figure."""
        store, _ = stage.fresh()
        with store.writing(scores=True) as session:
            session.add(Person(name="Dana", role="coach", login="dana"))
            session.add(Student(student_id="s1"))
        with store.reading() as session:
            before = versions(session)
        with store.noting() as session:
            note_view(session, 1, "s1", AT)
        with store.reading() as session:
            self.assertEqual(versions(session), before)
            self.assertEqual(opened_lately(session, 1), ["s1"])
