"""Sessions, stays, practice and marking periods read whole: the same as row by row, in their order."""

from datetime import date, timedelta

import polars as pl
from sqlalchemy import select, text

from bodkin.store.reads.kept import Kept
from bodkin.store.reads.practice_data import ENTRIES, GOALS, load_practice, marking_periods, practice_goals
from bodkin.store.reads.sessions import load_attendance, sessions_of, stays_in
from bodkin.store.tables import Group, GroupMember, PracticeEntry, Student
from bodkin.store.writes.follow_up.weekly import keep_session
from tests.support import stage
from tests.support.trying import Trying


class Attendance(Trying):
    def test_the_frames_are_the_rows(self):
        """Every group of the demo: minutes by student, and how many sessions were held, as read one by one."""
        data = load_attendance(self.session)
        groups = list(self.session.scalars(select(Group.id)))
        one_by_one = sessions_of(self.session, groups, date(2020, 1, 1), date(2030, 1, 1))
        self.assertGreater(len(one_by_one), 50)
        for group in groups:
            mine = [one for one in one_by_one if one.group_id == group]
            framed = data.sessions.filter(pl.col("group") == group)
            self.assertEqual(framed["day"].to_list(), [one.day for one in mine])
            self.assertEqual(framed["held"].to_list(), [one.minutes is None or one.minutes > 0 for one in mine])
            came = {}
            for one in mine:
                if one.minutes is None or one.minutes > 0:
                    for student, minutes in one.there.items():
                        came[student] = came.get(student, 0.0) + minutes
            sums = data.attended.filter(pl.col("group") == group).group_by("student_id").agg(pl.col("minutes").sum())
            self.assertEqual(dict(sums.iter_rows()), came)

    def test_a_session_that_was_not_held_gives_nobody_minutes(self):
        """Zero minutes: it is there with its reason, and nobody attended it; unknown minutes count as held."""
        group = self.session.scalars(select(Group.id)).first()
        student = self.students[0]
        before = load_attendance(self.session)
        keep_session(self.session, group, date(2027, 2, 13), 0.0, "snow", {student: 0.0})
        after = load_attendance(self.session)
        self.assertEqual(after.sessions.height, before.sessions.height + 1)
        self.assertTrue(after.attended.equals(before.attended))
        self.session.execute(text("UPDATE session SET minutes = NULL WHERE day = '2027-02-13'"))
        self.assertEqual(load_attendance(self.session).attended.height, before.attended.height + 1)

    def test_it_is_read_again_only_once_a_session_changes(self):
        """A score leaves what is kept; a session entered does not."""
        store = stage.small_copy()
        kept = Kept(load_attendance)

        def now():
            with store.reading() as session:
                return kept.current(session)

        before = now()
        with store.writing(scores=True) as session:
            session.execute(text("UPDATE result SET score = score + 1 LIMIT 1"))
        self.assertIs(now(), before)
        with store.writing(scores=False) as session:
            group = session.scalars(select(Group.id)).first()
            keep_session(session, group, date(2027, 2, 13), 9.0, None, {})
        self.assertEqual(now().sessions.height, before.sessions.height + 1)


class Stays(Trying):
    def setUp(self):
        super().setUp()
        self.group = self.session.scalars(select(Group.id)).first()
        self.session.execute(text(f"DELETE FROM group_member WHERE group_id = {self.group}"))

    def stay(self, student, first, last):
        key = self.session.scalar(select(Student.id).where(Student.student_id == student))
        self.session.add(GroupMember(group_id=self.group, student_id=key, first_day=first, last_day=last))
        self.session.flush()

    def test_what_touches_the_period(self):
        """Both ends included; an open end lasts; what ended before or begins after is not there."""
        one, two, three = self.students
        first, last = date(2027, 1, 11), date(2027, 1, 22)
        self.stay(one, date(2026, 10, 1), first)
        self.stay(two, last, None)
        self.stay(three, date(2026, 10, 1), first - timedelta(days=1))
        self.stay(three, last + timedelta(days=1), None)
        found = {(one.student_id, one.first, one.last) for one in stays_in(self.session, [self.group], first, last)}
        self.assertEqual(found, {(one, date(2026, 10, 1), first), (two, last, None)})
        self.assertEqual(stays_in(self.session, [], first, last), [])


class Practice(Trying):
    def test_every_entry_comes_back(self):
        """As many as there are, of the right columns, each as it was put in; unknown stays unknown."""
        entries = load_practice(self.session)
        self.assertEqual(entries.schema, ENTRIES)
        count = self.session.scalar(text("SELECT COUNT(*) FROM practice_entry"))
        self.assertEqual(entries.height, count)
        key = self.session.scalar(select(Student.id).where(Student.student_id == self.students[0]))
        own = {"day": date(2027, 2, 9), "minutes": None, "text": "The ferry", "kind": None, "items": 9.0, "right": 7.0}
        self.session.add(PracticeEntry(student_id=key, **own))
        self.session.flush()
        row = load_practice(self.session).row(-1, named=True)
        self.assertEqual({name: row[name] for name in own}, own)
        self.assertEqual(row["student_id"], self.students[0])

    def test_the_entries_of_one_student(self):
        """Those that stand among everybody's, in the same order; of somebody unknown none."""
        entries = load_practice(self.session)
        for student in entries["student_id"].unique(maintain_order=True).head(5):
            own = entries.filter(entries["student_id"] == student)
            self.assertTrue(load_practice(self.session, student).equals(own), student)
        self.assertEqual(load_practice(self.session, "nobody").height, 0)

    def test_marking_periods_in_their_order(self):
        """By their first day, each with its year; those without days are left out."""
        periods = marking_periods(self.session)
        self.assertEqual([one.first for one in periods], sorted(one.first for one in periods))
        self.assertTrue(all(one.first <= one.last for one in periods))
        self.assertTrue(all(one.name.startswith("20") for one in periods))
        self.session.execute(text(f"UPDATE marking_period SET last_day = NULL WHERE id = {periods[0].id}"))
        self.assertEqual([one.id for one in marking_periods(self.session)], [one.id for one in periods[1:]])

    def test_goals_of_a_period_only(self):
        """One row a student; a period without goals has an empty frame of the right columns."""
        running = max(marking_periods(self.session), key=lambda one: practice_goals(self.session, one.id).height)
        found = practice_goals(self.session, running.id)
        self.assertGreater(found.height, 100)
        self.assertEqual(found["student_id"].n_unique(), found.height)
        self.assertEqual(practice_goals(self.session, 10**6).schema, GOALS)
        self.assertEqual(practice_goals(self.session, 10**6).height, 0)
