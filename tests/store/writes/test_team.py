"""Team meetings, decisions and words as the store keeps them, and each taken back to the row."""

from datetime import date, timedelta

from sqlalchemy import select

from bodkin.core.errors import BadInput, NotFound
from bodkin.store.tables import Group
from bodkin.store.writes.follow_up.team import (
    add_meeting,
    decide,
    decisions_on,
    list_students,
    mark_done,
    meetings,
    say_word,
    unlist_student,
    words_said,
)
from tests.support.trying import Trying

DAY = date(2027, 2, 9)
TABLES = ("team_meeting", "meeting_student", "decision", "word_said")


class Meetings(Trying):
    def meeting(self, students, day=DAY):
        return add_meeting(self.session, day, "Grade 4", "Maren, Caio", students, self.people[0])

    def listed(self, key):
        return next(dict(one.students) for one in meetings(self.session) if one.id == key)

    def test_the_list_keeps_its_order_and_its_reasons(self):
        """Who is put on later comes after; who is there already stays with the first reason; a stranger is left out."""
        one, two, three = self.students
        key, _ = self.meeting({two: "asked for", one: "review due"})
        list_students(self.session, key, {one: "another reason", three: "x" * 400, "nobody": "y"})
        listed = self.listed(key)
        self.assertEqual(list(listed), [two, one, three])
        self.assertEqual(listed[one], "review due")
        self.assertEqual(len(listed[three]), 255)

    def test_the_latest_meeting_comes_first(self):
        """By day, of one day the one made later."""
        keys = [self.meeting({}, day)[0] for day in (DAY, DAY + timedelta(days=7), DAY)]
        there = [one.id for one in meetings(self.session) if one.id in keys]
        self.assertEqual(there, [keys[1], keys[2], keys[0]])

    def test_taken_off_the_list_and_back(self):
        """The row comes back in its place; who is not on the list cannot be taken off."""
        one, two, three = self.students
        key, _ = self.meeting({one: "a", two: "b", three: "c"})
        before = self.rows(*TABLES)
        act = self.kept(unlist_student(self.session, key, two), "team")
        self.assertEqual(list(self.listed(key)), [one, three])
        with self.assertRaises(NotFound):
            unlist_student(self.session, key, two)
        self.undone(act)
        self.assertEqual(list(self.listed(key)), [one, two, three])
        self.assertEqual(self.rows(*TABLES), before)

    def test_a_meeting_undone_is_gone_with_its_list(self):
        """Every row of it."""
        before = self.rows(*TABLES)
        _, changes = self.meeting(dict.fromkeys(self.students, "why"))
        self.undone(self.kept(changes, "team"))
        self.assertEqual(self.rows(*TABLES), before)


class Decisions(Trying):
    def values(self, **more):
        plain = {"day": DAY, "kind": "change", "text": "more time", "who": "Caio", "review_on": DAY, "group_id": None,
                 "meeting_id": None, "done": None, "evidence": {"on": "2027-02-09"},
                 "made_by_id": self.people[0]}  # fmt: skip
        return {**plain, **more}

    def test_one_meeting_decides_once_about_a_student(self):
        """A second decision there replaces the first, and undo brings the first back; without a meeting both stand."""
        student = self.students[0]
        meeting, _ = add_meeting(self.session, DAY, "Team", None, {student: "x"}, self.people[0])
        first, _ = decide(self.session, student, self.values(meeting_id=meeting))
        before = self.rows(*TABLES)
        _, changes = decide(self.session, student, self.values(meeting_id=meeting, kind="stay"))
        self.assertEqual([one.kind for one in decisions_on(self.session, [student])], ["stay"])
        self.undone(self.kept(changes, "team"))
        self.assertEqual([(one.id, one.kind) for one in decisions_on(self.session, [student])], [(first, "change")])
        self.assertEqual(self.rows(*TABLES), before)
        decide(self.session, student, self.values(kind="raise"))
        self.assertEqual({one.kind for one in decisions_on(self.session, [student])}, {"raise", "change"})

    def test_the_latest_first_and_of_whom_one_asks(self):
        """By day; of some students, of one group, of all."""
        one, two, _ = self.students
        group = self.session.scalar(select(Group.id).limit(1))
        everybody = len(decisions_on(self.session))
        decide(self.session, one, self.values(day=DAY))
        decide(self.session, one, self.values(day=DAY + timedelta(days=1), kind="end", group_id=group))
        decide(self.session, two, self.values())
        self.assertEqual([row.kind for row in decisions_on(self.session, [one])], ["end", "change"])
        self.assertEqual({row.student_id for row in decisions_on(self.session, [one, two])}, {one, two})
        self.assertIn((one, "end"), {(row.student_id, row.kind) for row in decisions_on(self.session, None, group)})
        self.assertNotIn(two, {row.student_id for row in decisions_on(self.session, None, group)})
        self.assertEqual(len(decisions_on(self.session)), everybody + 3)
        self.assertEqual(decisions_on(self.session, []), [])

    def test_done_not_done_and_nobody_knows(self):
        """Each is kept as it is said; undo goes one back."""
        key, _ = decide(self.session, self.students[0], self.values())
        said = []
        for done in (True, False, None):
            act = self.kept(mark_done(self.session, key, done=done), "team")
            said.append(decisions_on(self.session, [self.students[0]])[0].done)
        self.assertEqual(said, [True, False, None])
        self.undone(act)
        self.assertEqual([one.done for one in decisions_on(self.session, [self.students[0]])], [False])

    def test_the_evidence_is_kept_as_it_was(self):
        """Whatever shape it has, letter by letter."""
        evidence = {"on": "2027-02-09", "groups": [{"points": [1.5, None], "name": "Zoë"}], "deep": {"a": {"b": []}}}
        decide(self.session, self.students[0], self.values(evidence=evidence))
        self.session.expire_all()
        self.assertEqual(decisions_on(self.session, [self.students[0]])[0].evidence, evidence)

    def test_a_stranger(self):
        """Nothing is decided about nobody."""
        with self.assertRaises(BadInput):
            decide(self.session, "nobody", self.values())


class WordsSaid(Trying):
    def test_a_word_is_said_once(self):
        """By what it is about; a second time keeps nothing; asked since a day, undone it is not said."""
        student = self.students[0]
        before = self.rows(*TABLES)
        act = self.kept(say_word(self.session, student, "practice", DAY, self.people[0]), "word")
        self.assertEqual(say_word(self.session, student, "practice", DAY, self.people[1]), [])
        self.assertNotEqual(say_word(self.session, student, "weekly", DAY, self.people[0]), [])
        said = words_said(self.session, [student], DAY)
        self.assertEqual(said, {(student, "practice"): DAY, (student, "weekly"): DAY})
        self.assertEqual(words_said(self.session, [student], DAY + timedelta(days=1)), {})
        self.assertEqual(words_said(self.session, [self.students[1]], DAY), {})
        self.undone(act)
        self.assertEqual(words_said(self.session, [student], DAY), {(student, "weekly"): DAY})
        self.assertNotEqual(self.rows(*TABLES), before)
        with self.assertRaises(BadInput):
            say_word(self.session, "nobody", "practice", DAY, self.people[0])
