"""Everything kept about one student, read in one go: rows put in by hand come back in their lanes; many at once."""

from datetime import date, datetime, timedelta

from sqlalchemy import select

from bodkin.store.reads.student.changes import changed_rows
from bodkin.store.reads.student.many import load_many
from bodkin.store.reads.student.record import load_student
from bodkin.store.tables import (
    Absence,
    Act,
    Assessment,
    CourseGrade,
    Entitlement,
    Goal,
    Group,
    GroupMember,
    MarkingPeriod,
    Person,
    Program,
    Result,
    ResultScale,
    RetestRequest,
    School,
    SchoolYear,
    Strand,
    StrandResult,
    Student,
    StudentProgram,
    StudentYear,
    Window,
)
from bodkin.store.writes.follow_up.weekly import keep_session
from bodkin.store.writes.student.notes import withdraw_note, write_note
from tests.support.trying import AT, Trying

DAY = date(2027, 2, 9)


class Whole(Trying):
    """A student of our own, of whom nothing is known but what a test puts in."""

    def setUp(self):
        super().setUp()
        self.key = self.put(Student(student_id="OWN1", family_name="Reed", given_name="Ana"))
        self.reading = self.session.scalars(
            select(Assessment).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
        ).one()

    def put(self, row):
        self.session.add(row)
        self.session.flush()
        return row.id

    def record(self):
        return load_student(self.session, "OWN1")

    def sitting(self, on=DAY, score=500.0, **more):
        plain = {"student_id": self.key, "assessment_id": self.reading.id, "tested_on": on, "score": score,
                 "grade": "4", "language": "English"}  # fmt: skip
        return self.put(Result(**{**plain, **more}))

    def test_a_student_of_whom_nothing_is_known(self):
        """Every list is empty."""
        found = self.record()
        for name in found.__slots__:
            self.assertEqual(getattr(found, name), [], name)

    def test_sittings_with_strands_and_scales(self):
        """The latest first, whether it counts or not, with who decided; parts and scales of their own sitting."""
        strands = self.session.scalars(select(Strand).where(Strand.assessment_id == self.reading.id).limit(2)).all()
        first = self.sitting(DAY - timedelta(days=100), 480.0)
        later = self.sitting(state="set aside", state_why="fire alarm", state_by_id=self.people[0])
        self.put(StrandResult(result_id=first, strand_id=strands[1].id, score=470.0, standard_error=12.0))
        self.put(StrandResult(result_id=first, strand_id=strands[0].id, points=3.0, points_possible=4.0))
        self.put(ResultScale(result_id=later, scale="Reading range", value="510 to 610", low=510.0, high=610.0))
        one, two = self.record().sittings
        self.assertEqual((one.id, one.state, one.state_why), (later, "set aside", "fire alarm"))
        self.assertEqual(one.state_by, self.session.get(Person, self.people[0]).name)
        self.assertEqual([(part.scale, part.low, part.high) for part in one.scales], [("Reading range", 510.0, 610.0)])
        self.assertEqual([(part.strand, part.score, part.points, part.possible) for part in two.parts],
                         [(strands[0].name, None, 3.0, 4.0), (strands[1].name, 470.0, None, None)])  # fmt: skip
        self.assertEqual((one.parts, two.scales), ((), ()))

    def test_whose_norms_a_percentile_has(self):
        """The result's own basis, else the norm group of the test."""
        self.sitting(percentile=40.0, percentile_basis="State norms")
        self.sitting(DAY - timedelta(days=9))
        self.assertEqual([one.basis for one in self.record().sittings], ["State norms", self.reading.norm_group])

    def test_school_years_with_school_grade_and_home_class(self):
        """In their order, with the first and last day of the year; a year without a school is there too."""
        years = self.session.scalars(select(SchoolYear).order_by(SchoolYear.name)).all()
        school = self.session.scalars(select(School)).first()
        self.put(StudentYear(student_id=self.key, school_year_id=years[1].id, school_id=school.id, grade="4"))
        self.put(StudentYear(student_id=self.key, school_year_id=years[0].id, school_id=None, grade="3"))
        first, second = self.record().places
        self.assertEqual((first.year, first.school, first.grade, first.section), (years[0].name, None, "3", None))
        self.assertEqual((second.school, second.first, second.last), (school.name, years[1].first_day,
                                                                     years[1].last_day))  # fmt: skip

    def test_spans_and_days(self):
        """Groups, programs, accommodations, days away, grades at their period's end, goals with reviews, retests."""
        group = self.session.scalars(select(Group)).first()
        program = self.session.scalars(select(Program)).first()
        period = self.session.scalars(select(MarkingPeriod).where(MarkingPeriod.last_day.is_not(None))).first()
        window = self.session.scalars(select(Window)).first()
        self.put(GroupMember(group_id=group.id, student_id=self.key, first_day=DAY))
        self.put(StudentProgram(student_id=self.key, program_id=program.id, first_day=DAY, last_day=None))
        self.put(Entitlement(student_id=self.key, accommodation="Extra time", first_day=None, last_day=DAY))
        self.put(Absence(student_id=self.key, day=DAY, reason=None, minutes=None))
        self.put(CourseGrade(student_id=self.key, subject="reading", marking_period_id=period.id, symbol="B"))
        self.put(Goal(student_id=self.key, assessment_id=self.reading.id, kind="own", target=530.0, by_day=DAY,
                      review_on=DAY))  # fmt: skip
        self.put(RetestRequest(student_id=self.key, assessment_id=self.reading.id, window_id=window.id, why="rushed",
                               asked_at=AT, state="open"))  # fmt: skip
        self.put(RetestRequest(student_id=self.key, assessment_id=self.reading.id, window_id=window.id, why="done",
                               asked_at=AT, state="done"))  # fmt: skip
        keep_session(self.session, group.id, date(2027, 2, 13), 30.0, None, {"OWN1": 25.0})
        keep_session(self.session, group.id, date(2027, 2, 14), 30.0, None, {"OWN1": 0.0})
        found = self.record()
        # A stay without an end lasts as long as the group.
        self.assertEqual([(key, one.first, one.last) for key, one in found.groups], [(group.id, DAY, group.last_day)])
        self.assertEqual([(one.words, one.last) for one in found.programs], [(program.name, None)])
        self.assertEqual(
            [(one.words, one.first, one.last) for one in found.accommodations], [("Extra time", None, DAY)]
        )
        self.assertEqual([(one.on, one.words) for one in found.absences], [(DAY, "")])
        self.assertEqual([one.on for one in found.grades], [period.last_day])
        self.assertIn("reading B", found.grades[0].words)
        self.assertEqual([(one.on, one.size) for one in found.goals], [(DAY, 530.0)])
        self.assertEqual([one.on for one in found.reviews], [DAY])
        self.assertEqual([one.on for one in found.retests], [AT.date()])
        self.assertEqual([(one.kind, one.size) for _, one in found.sessions], [("came", 25.0), ("away", 0.0)])

    def test_notes_that_stand(self):
        """Those of every audience; one that was withdrawn is not read."""
        for text in ("stands", "withdrawn"):
            key, _ = write_note(self.session, "OWN1", "internal", text, DAY, self.people[0], shared=False)
        withdraw_note(self.session, key, DAY)
        write_note(self.session, "OWN1", "family", "for home", DAY, self.people[0], shared=False)
        self.assertEqual([(one.words, one.kind) for one in self.record().notes],
                         [("stands", "internal"), ("for home", "family")])  # fmt: skip


class Many(Trying):
    def test_of_many_as_of_each(self):
        """Forty students at once: each one's lists are those of a question about that student alone."""
        students = list(self.session.scalars(select(Student.student_id).order_by(Student.id).limit(40)))
        held = list(
            self.session.scalars(
                select(Student.student_id).join(Goal, Goal.student_id == Student.id).distinct().limit(10)
            )
        )
        asked = sorted({*students, *held})
        whole = load_many(self.session, asked, DAY)
        self.assertTrue(whole.goals)
        for student in asked:
            alone = load_many(self.session, [student], DAY)
            for name in ("goals", "accommodations", "notes", "teachers"):
                self.assertEqual(getattr(whole, name).get(student), getattr(alone, name).get(student), (student, name))

    def test_goals_and_accommodations_of_the_day(self):
        """A goal is there up to its day; an accommodation between its days, open ends included."""
        student = self.students[0]
        key = self.session.scalar(select(Student.id).where(Student.student_id == student))
        test = self.session.scalars(select(Assessment.id)).first()
        for by, kind in ((DAY, "own"), (DAY - timedelta(days=1), "keep pace")):
            self.session.add(Goal(student_id=key, assessment_id=test, kind=kind, target=1.0, by_day=by))
        for name, first, last in (("always", None, None), ("over", None, DAY - timedelta(days=1)), ("today", DAY, DAY),
                                  ("to come", DAY + timedelta(days=1), None)):  # fmt: skip
            self.session.add(Entitlement(student_id=key, accommodation=name, first_day=first, last_day=last))
        self.session.flush()
        found = load_many(self.session, [student], DAY)
        self.assertEqual({one.by for one in found.goals[student]}, {DAY})
        self.assertEqual({"always", "today"} & set(found.accommodations[student]), {"always", "today"})
        self.assertFalse({"over", "to come"} & set(found.accommodations[student]))
        self.assertEqual(load_many(self.session, [], DAY).goals, {})


class Changed(Trying):
    """What somebody made or changed about a student since a time."""

    def act(self, before, at=AT, state="done"):
        self.session.add(Act(kind="note", by_id=self.people[0], at=at, said="x", before=before, scores=False,
                             import_id=None, state=state))  # fmt: skip
        self.session.flush()

    def test_rows_of_the_student_since_the_time(self):
        """Not another student's, not what came before, not what was taken back."""
        one, two, _ = self.students
        (mine, changes), (_, theirs) = (
            write_note(self.session, who, "internal", "x", DAY, self.people[0], shared=False) for who in (one, two)
        )
        _, undone = write_note(self.session, one, "internal", "y", DAY, self.people[0], shared=False)
        self.act([*changes, *theirs])
        self.act(undone, state="undone")
        since = AT - timedelta(hours=1)
        self.assertEqual(changed_rows(self.session, one, since).get("note"), {mine})
        self.assertNotIn("note", changed_rows(self.session, one, AT))
        self.assertNotIn("note", changed_rows(self.session, "nobody", since))

    def test_results_of_an_import(self):
        """Those that an import brought, by the day of the import and not of the test."""
        student = self.session.scalars(
            select(Student.student_id).join(Result, Result.student_id == Student.id).where(
                Result.import_id.is_not(None))
        ).first()  # fmt: skip
        early = changed_rows(self.session, student, datetime(2000, 1, 1)).get("result", frozenset())
        key = select(Student.id).where(Student.student_id == student).scalar_subquery()
        brought = set(
            self.session.scalars(select(Result.id).where(Result.student_id == key, Result.import_id.is_not(None)))
        )
        self.assertTrue(brought)
        self.assertLessEqual(early, brought)
        self.assertEqual(changed_rows(self.session, student, datetime(2100, 1, 1)), {})
