"""Files of other systems: what is proposed, what is asked, what is remembered, and what is never guessed."""

import unittest
from datetime import datetime
from itertools import permutations, product

from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from bodkin.core.errors import BadInput, Conflict
from bodkin.core.windows import parse_window
from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.kinds import KNOWN
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.plain.plain_files import SCORES
from bodkin.exchange.tables_in import mapping
from bodkin.exchange.tables_in.dates import ways_that_fit
from bodkin.exchange.tables_in.mapping import Mapped
from bodkin.exchange.tables_in.sheets import open_sheet
from bodkin.store.tables import ImportMapping, Result, Student
from tests.support import stage

NOW = datetime(2026, 9, 1)
HEAD = "Student Number,Last Name,First Name,Test,Subject,Term,Grade Level,Scale Score,SEM,Test Date\n"
ROWS = (
    "S1,Reed,Ana,Tide Test,reading,Fall 2026-2027,Grade 3,500,10,9/14/2026\n"
    "S2,Cole,Bo,Tide Test,reading,Fall 2026-2027,04,510,11,9/21/2026\n"
)


def sheet(text):
    return open_sheet("f.csv", text.encode(), KNOWN)


SEASONS = ("Fall", "winter", "SPRING", "autumn", "BOY", "July")
YEARS = ("2026", "2026-27", "2026/2027", "2029-2030", "2026-28", "1999", "26-27")
GRADES = (("", "grade ", "gr.", "form "), ("K", "pk", "0", "07", "4", "12", "13", "4/5"), ("", "th", " grade"))


class Words(unittest.TestCase):
    def test_grades(self):
        """Ways to write a grade, and what is no single grade."""
        for text, grade in {
            "Grade 3": "3", "gr. 4": "4", "5th": "5", "1st Grade": "1", "07": "7", "K": "K", "KG": "K",
            "Kindergarten": "K", "Pre-K": "PK", "12": "12", "4/5": None, "": None, "Grade": None, "99": None,
        }.items():  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(mapping.read_grade(text), grade)

    def test_windows(self):
        """A season with a school year or a year; the winter of 2027 is that of 2026-27."""
        for text, window in {
            "Fall 2026-2027": "2026-27 fall", "2026-27 Winter": "2026-27 winter", "Spring 2027": "2026-27 spring",
            "FALL 2026": "2026-27 fall", "2026/2027 autumn": "2026-27 fall", "BOY 2026-27": "2026-27 fall",
            "Fall": None, "2026-27": None, "Fall 2026-2028": None, "Fall to Winter 2026": None,
            "Winter 2099-2100": "2099-00 winter", "Fall 2026-7": None, "Fall 2026-2128": None, "Winter 2027-01": None,
        }.items():  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(mapping.read_window(text), window)

    def ours(self, text):
        """What a text is read as, which Bodkin must know."""
        window, grade = mapping.read_window(text), mapping.read_grade(text)
        if window is not None:
            self.assertEqual(str(parse_window(window)), window)
        if grade is not None:
            self.assertIn(grade, mapping.GRADES)
        return window, grade

    def test_whatever_looks_like_ours_is_ours_or_nothing(self):
        """Seasons with years in any order, right and wrong ones, and grades with what stands around them."""
        written = [" ".join(two) for pair in product(SEASONS, YEARS) for two in permutations(pair)]
        windows = {self.ours(text)[0] for text in written}
        self.assertEqual(windows - {None}, {
            *(f"2026-27 {season}" for season in ("fall", "winter", "spring")), "2025-26 winter", "2025-26 spring",
            *(f"2029-30 {season}" for season in ("fall", "winter", "spring")),
        })  # fmt: skip
        grades = {self.ours("".join(parts))[1] for parts in product(*GRADES)}
        self.assertLessEqual({None, "K", "PK", "4", "7", "12"}, grades)

    @given(st.text(max_size=20))
    def test_no_text_is_read_as_what_is_not_ours(self, text):
        """Whatever it is."""
        self.ours(text)


def fitting(table):
    return ways_that_fit(mapping.days_written(table, SCORES), 2028)


class Proposed(unittest.TestCase):
    def test_columns_by_other_words_and_near_misses(self):
        """Each column once, its own name before all; what is far from everything is kept out."""
        answer = mapping.propose_columns(sheet("Student Number,Asessment,subject,Subject Area,Shoe size,id\n"), SCORES)
        self.assertEqual(answer, {"student_number": "student_id", "asessment": "assessment"})

    def test_ways_to_read_dates(self):
        """All that fit every date; one day above 12 decides."""
        named = mapping.mapped(sheet(HEAD + ROWS), SCORES, Mapped({"test_date": "tested_on"}), 2028)
        self.assertEqual(fitting(named), (["%m/%d/%Y"], []))
        text = "student_id,tested_on\na,1/2/2027\nb,3/4/2027\n"
        self.assertEqual(fitting(sheet(text)), (["%m/%d/%Y", "%d/%m/%Y"], []))
        self.assertEqual(fitting(sheet("student_id,tested_on\na,\n")), ([], []))

    def test_a_date_that_fits_no_way_stays_to_be_refused(self):
        """The others are read."""
        text = "student_id,tested_on\na,1/20/2027\nb,soon\n"
        made = mapping.mapped(sheet(text), SCORES, Mapped(day_format="%m/%d/%Y"), 2028)
        self.assertEqual(made.columns[1].to_list(), ["2027-01-20", "soon"])

    def test_columns_and_cells_that_are_not_there(self):
        """Refused by name."""
        with self.assertRaisesRegex(BadInput, "no column shoe"):
            mapping.mapped(sheet(HEAD), SCORES, Mapped({"sem": "shoe"}), 2028)
        with self.assertRaisesRegex(BadInput, "no column nose in line 2"):
            mapping.mended(sheet(HEAD + ROWS), {(2, "nose"): "1"})
        with self.assertRaisesRegex(BadInput, 'dates cannot be read as "%s"'):
            mapping.mapped(sheet(HEAD), SCORES, Mapped(day_format="%s"), 2028)


class Runtime(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()

    def preview(self, text, changes=Changes()):  # noqa: B008 (frozen)
        with self.store.reading() as session:
            return imports.preview(session, "f.csv", text.encode(), changes)

    @staticmethod
    def asked(seen):
        return {question.kind: [(item.key, item.known) for item in question.items] for question in seen.questions}

    def bring(self, text, changes=Changes()):  # noqa: B008 (frozen)
        with self.store.writing(scores=True) as session:
            return imports.bring_in(session, "f.csv", text.encode(), None, NOW, changes)

    def test_proposed_then_confirmed_then_remembered(self):
        """Nothing comes in by a guess; the next file of the shape, in another order, needs no asking."""
        seen = self.preview(HEAD + ROWS)
        understood = seen.understood
        self.assertEqual((understood.source, understood.to_confirm, understood.missing), ("proposed", True, []))
        self.assertEqual((seen.plan.counts["new"], seen.reading.faults), (2, []))
        with self.assertRaisesRegex(Conflict, "are guesses"):
            self.bring(HEAD + ROWS)
        self.bring(HEAD + ROWS, Changes(confirmed=True))
        with self.store.reading() as session:
            rows = session.execute(select(Result.grade, Result.score, Result.tested_on).order_by(Result.id)).all()
        answer = [(grade, score, str(day)) for grade, score, day in rows]
        self.assertEqual(answer, [("3", 500, "2026-09-14"), ("4", 510, "2026-09-21")])
        first = ROWS.splitlines()[0].replace("500", "505")
        turned = "".join(",".join(reversed(line.split(","))) + "\n" for line in (HEAD.strip(), first))
        again = self.preview(turned)
        self.assertEqual((again.understood.source, again.understood.to_confirm), ("remembered", False))
        self.assertEqual(again.plan.counts["changed"], 1)
        self.assertIn("you confirmed for an earlier file", again.reading.notices[-1])

    def test_a_person_s_word_replaces_the_guess(self):
        """A column told, a value told; what was told is remembered, once a shape."""
        text = HEAD.replace("Grade Level", "Floor") + ROWS.replace("Grade 3", "third")
        seen = self.preview(text)
        self.assertEqual(seen.understood.missing, ["grade"])
        with self.assertRaisesRegex(BadFile, "column grade: a scores file needs this column"):
            self.bring(text, Changes(confirmed=True))
        how = Mapped(
            {**seen.understood.how.columns, "floor": "grade"},
            {"grade": {"third": "3", "04": "4"}, "window": {"Fall 2026-2027": "2026-27 fall"}},
            "%m/%d/%Y",
        )
        for _ in range(2):
            self.bring(text.replace("500", "501"), Changes("scores", how))
            self.bring(text, Changes("scores", how))
        with self.store.reading() as session:
            kept = session.scalars(select(ImportMapping.mapping)).all()
        self.assertEqual([one["columns"]["floor"] for one in kept], ["grade"])
        with self.assertRaisesRegex(BadInput, 'no kind of file "songs"'):
            self.preview(text, Changes("songs", how))

    def test_cells_mended_in_place(self):
        """The mended row comes in; the others stay as they are."""
        text = HEAD + ROWS.replace("510", "510 pts")
        self.assertEqual([fault.line for fault in self.preview(text).reading.faults], [3])
        seen = self.preview(text, Changes(edits={(3, "scale_score"): "510"}))
        self.assertEqual((seen.reading.faults, seen.plan.counts["new"]), ([], 2))
        ragged = HEAD + ROWS.splitlines()[0] + "\nS3,short\n"
        self.assertEqual({fault.line for fault in self.preview(ragged).reading.faults}, {3})

    def test_refused_rows_go_out_with_their_reasons_and_come_in_mended(self):
        """The file's own headers and values; mended, it is read by what was confirmed for the whole."""
        text = HEAD + ROWS.replace("510", "510 pts")
        self.bring(text, Changes(confirmed=True))
        with self.store.reading() as session:
            header, rows = imports.refused_rows(session, "f.csv", text.encode(), Changes())
        self.assertEqual(header, [*HEAD.strip().split(","), "reason"])
        self.assertEqual((len(rows), rows[0][:2]), (1, ["S2", "Cole"]))
        self.assertIn('score: "510 pts" cannot be used', rows[0][-1])
        mended = ",".join(header) + "\n" + ",".join(value or "" for value in rows[0][:-1]).replace(" pts", "") + ",ok\n"
        seen = self.preview(mended)
        self.assertEqual((seen.understood.source, seen.plan.counts["new"]), ("remembered", 1))

    def test_likely_students_are_shown_and_never_merged(self):
        """Same name and grade under another id: new unless somebody says otherwise; never one of the same file."""
        self.bring(HEAD + ROWS, Changes(confirmed=True))
        other = HEAD + ROWS.splitlines()[0].replace("S1", "9001").replace("Ana", " ANA ").replace("500", "520") + "\n"
        seen = self.preview(other)
        self.assertEqual(self.asked(seen), {"other_id": [("9001", ("S1",))]})
        self.assertEqual(seen.plan.adds["students"], 1)
        answer = self.preview(other, Changes(answers={"other_id/9001": "same:S1"}))
        self.assertEqual((answer.plan.adds["students"], answer.plan.counts["changed"], answer.open), (0, 1, 0))
        with self.assertRaisesRegex(Conflict, "1 question is open"):
            self.bring(other)
        self.bring(other, Changes(answers={"other_id": "new"}))
        with self.store.reading() as session:
            self.assertEqual(len(session.scalars(select(Student)).all()), 3)
        both = other + ROWS.splitlines()[0] + "\n"
        # S1 stands in the file as well, so 9002 is not S1; 9001 came in above.
        asked = self.asked(self.preview(both.replace("9001", "9002")))
        self.assertEqual(asked["other_id"], [("9002", ("9001",))])

    def test_a_file_as_it_is_needs_no_word(self):
        """Bodkin's own headers and values: nothing to confirm, nothing remembered."""
        plain = "student_id,assessment,subject,window,grade,score\nS1,Tide Test,reading,2026-27 fall,3,500\n"
        seen = self.preview(plain)
        self.assertEqual((seen.understood.source, seen.understood.how.changes_nothing), ("as it is", True))
        self.bring(plain)
        with self.store.reading() as session:
            self.assertEqual(session.scalars(select(ImportMapping)).all(), [])

    def test_files_of_nothing_bodkin_knows(self):
        """Fewer than two of any kind's columns: no kind is made up."""
        for text in ("a,b,c\n1,2,3\n", "score\n5\n", "hello\n"):
            with self.assertRaisesRegex(BadFile, "cannot tell what kind of file"):
                self.preview(text)
