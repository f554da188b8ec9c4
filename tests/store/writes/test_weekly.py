"""Sessions, weekly results and practice goals typed in: kept anew where they are there, and taken back to the row."""

from datetime import date

from sqlalchemy import select

from bodkin.core.errors import BadInput
from bodkin.store.reads.practice_data import marking_periods, practice_goals
from bodkin.store.reads.sessions import sessions_of
from bodkin.store.tables import Assessment, Group, GroupMember, Result, Student
from bodkin.store.writes.follow_up.practice_goals import set_practice_goals
from bodkin.store.writes.follow_up.weekly import keep_results, keep_session
from tests.support.trying import Trying

DAY = date(2027, 2, 13)
"""A Saturday: no group met."""


class Sessions(Trying):
    def setUp(self):
        super().setUp()
        self.group = self.session.scalar(select(Group.id).order_by(Group.id).limit(1))
        self.members = list(
            self.session.scalars(
                select(Student.student_id)
                .join(GroupMember, GroupMember.student_id == Student.id)
                .where(GroupMember.group_id == self.group)
                .order_by(Student.student_id)
            )
        )

    def there(self):
        return [(one.minutes, one.note, one.there) for one in sessions_of(self.session, [self.group], DAY, DAY)]

    def test_kept_and_taken_back(self):
        """Minutes of each who came, 0 of who did not; a stranger has no row; undone nothing is left."""
        before = self.rows("session", "attendance")
        one, two, *_ = self.members
        changes = keep_session(self.session, self.group, DAY, 30.0, "read aloud", {one: 30.0, two: 0.0, "nobody": 9.0})
        self.assertEqual(self.there(), [(30.0, "read aloud", {one: 30.0, two: 0.0})])
        self.undone(self.kept(changes, "session"))
        self.assertEqual(self.rows("session", "attendance"), before)

    def test_entered_anew(self):
        """The same day again changes the session and who is named; the others stay; undo brings the first back."""
        one, two, three, *_ = self.members
        keep_session(self.session, self.group, DAY, 30.0, None, {one: 30.0, two: 30.0})
        before = self.rows("session", "attendance")
        changes = keep_session(self.session, self.group, DAY, 20.0, "short", {two: 0.0, three: 20.0})
        self.assertEqual(self.there(), [(20.0, "short", {one: 30.0, two: 0.0, three: 20.0})])
        self.undone(self.kept(changes, "session"))
        self.assertEqual(self.rows("session", "attendance"), before)

    def test_not_held_with_its_reason(self):
        """No minutes, the reason, nobody there."""
        keep_session(self.session, self.group, DAY, 0.0, "snow", {})
        self.assertEqual(self.there(), [(0.0, "snow", {})])

    def test_of_several_groups_in_a_period(self):
        """By day, both ends included; other groups and days are not there."""
        other = self.session.scalar(select(Group.id).where(Group.id != self.group).limit(1))
        keep_session(self.session, self.group, DAY, 30.0, None, {})
        keep_session(self.session, other, date(2027, 2, 14), 15.0, None, {})
        both = sessions_of(self.session, [self.group, other], DAY, date(2027, 2, 14))
        self.assertEqual([(one.group_id, one.day) for one in both],
                         [(self.group, DAY), (other, date(2027, 2, 14))])  # fmt: skip
        self.assertEqual(sessions_of(self.session, [other], DAY, DAY), [])


class WeeklyResults(Trying):
    def setUp(self):
        super().setUp()
        probe = self.session.execute(
            select(Assessment.id, Assessment.name, Assessment.subject).where(Assessment.kind == "probe")
        ).first()
        self.key, self.measure = probe.id, (probe.name, probe.subject)

    def scores(self, day=DAY):
        rows = self.session.execute(
            select(Student.student_id, Result.score, Result.grade)
            .join(Student, Student.id == Result.student_id)
            .where(Result.assessment_id == self.key, Result.tested_on == day)
        )
        return {student: (score, grade) for student, score, grade in rows}

    def test_kept_with_where_the_student_sits(self):
        """The grade of the year's latest result, so that norms and benchmarks know it; undone nothing is left."""
        grades = dict(
            self.session.execute(
                select(Student.student_id, Result.grade)
                .join(Result, Result.student_id == Student.id)
                .where(Result.tested_on >= date(2026, 8, 1), Result.grade.is_not(None))
                .order_by(Result.tested_on)
            ).all()
        )
        one, two = sorted(grades)[:2]
        act = self.kept(keep_results(self.session, self.measure, DAY, {one: 61.0, two: 70.0}), "session")
        self.assertEqual(self.scores(), {one: (61.0, grades[one]), two: (70.0, grades[two])})
        self.undone(act)
        self.assertEqual(self.scores(), {})

    def test_a_day_s_result_takes_the_new_score(self):
        """One row a day; undo brings the score before back."""
        one = self.students[0]
        keep_results(self.session, self.measure, DAY, {one: 61.0})
        act = self.kept(keep_results(self.session, self.measure, DAY, {one: 16.0}), "session")
        self.assertEqual([score for score, _ in self.scores().values()], [16.0])
        self.undone(act)
        self.assertEqual([score for score, _ in self.scores().values()], [61.0])

    def test_probes_only(self):
        """Another kind of test, or none at all, is refused and nothing kept."""
        for measure in (("Saltgauge", "reading"), ("No such test", "reading")):
            with self.assertRaisesRegex(BadInput, "^assessment: "):
                keep_results(self.session, measure, DAY, {self.students[0]: 1.0})
        self.assertEqual(self.scores(), {})

    def test_a_day_outside_every_school_year(self):
        """Kept without a grade: nobody says where the student was."""
        keep_results(self.session, self.measure, date(2031, 3, 3), {self.students[0]: 50.0})
        self.assertEqual(self.scores(date(2031, 3, 3)), {self.students[0]: (50.0, None)})


class PracticeGoals(Trying):
    def setUp(self):
        super().setUp()
        # A period of its own: the demo has goals for the running one.
        self.period = marking_periods(self.session)[0].id

    def goals(self):
        rows = practice_goals(self.session, self.period).iter_rows(named=True)
        return {row["student_id"]: row for row in rows if row["student_id"] in self.students}

    def test_parts_that_are_not_named_stay(self):
        """Set whole, then one part; a part set to nothing is nothing."""
        one, two, _ = self.students
        set_practice_goals(self.session, self.period, {one: {"accuracy": 80.0, "minutes": 200.0}, two: {}})
        set_practice_goals(self.session, self.period, {one: {"minutes": 240.0, "hardest": 5.0}})
        found = self.goals()[one]
        self.assertEqual([found[name] for name in ("accuracy", "minutes", "easiest", "hardest")],
                         [80.0, 240.0, None, 5.0])  # fmt: skip
        set_practice_goals(self.session, self.period, {one: {"accuracy": None}})
        self.assertIsNone(self.goals()[one]["accuracy"])

    def test_taken_back_part_by_part(self):
        """Those who had a goal have it again, those who had none have none."""
        one, two, three = self.students
        set_practice_goals(self.session, self.period, {one: {"accuracy": 80.0}})
        before = self.rows("practice_goal")
        changes = set_practice_goals(self.session, self.period, {who: {"accuracy": 90.0} for who in (one, two, three)})
        self.assertEqual({row["accuracy"] for row in self.goals().values()}, {90.0})
        self.undone(self.kept(changes, "practice goal"))
        self.assertEqual(self.rows("practice_goal"), before)

    def test_whole_or_not_at_all(self):
        """An unknown period or one unknown student: nobody's goal is set."""
        before = self.rows("practice_goal")
        with self.assertRaisesRegex(BadInput, "marking period"):
            set_practice_goals(self.session, 10**6, {self.students[0]: {"minutes": 1.0}})
        with self.assertRaisesRegex(BadInput, "student"):
            set_practice_goals(self.session, self.period, {self.students[0]: {"minutes": 1.0}, "nobody": {}})
        self.assertEqual(self.rows("practice_goal"), before)
