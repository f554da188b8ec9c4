"""Plausible exports with one thing wrong each: refused with the place, or asked about; none ends wrong in silence."""

import csv
import io
import random
import unittest
from datetime import date, datetime, timedelta

from sqlalchemy import text

from bodkin.core.errors import BodkinError, Conflict
from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.plain.import_calendar import read_calendar_rows
from bodkin.store.tables import Base
from tests.support import stage
from tests.support.answers import AS_IT_IS

HEAD = (
    "student_id", "assessment", "subject", "window", "grade", "score", "school", "section", "teacher", "given_name",
    "family_name", "tested_on", "language", "standard_error",
)  # fmt: skip
TODAY = date(2026, 11, 20)
CALENDAR = (
    "kind,name,from,to\nschool year,2025-26,2025-08-25,2026-06-12\nschool year,2026-27,2026-08-24,2027-06-11\n"
    "window,2025-26 spring,2026-04-20,2026-05-15\nwindow,2026-27 fall,2026-09-08,2026-10-02\n"
    "window,2026-27 winter,2027-01-11,2027-02-05\n"
)
GIVEN = ("Ana", "Bo", "Cy", "Dee", "Eli", "Fay", "Gus", "Hal", "Ivy", "Jo")
FAMILY = ("Abel", "Birch", "Cole", "Dunn", "Eddy", "Frost", "Gale", "Hart", "Innes", "Jules")


def people():
    """A hundred students of two schools; ids of five digits with a zero in front."""
    rng = random.Random(4)
    return [
        {
            "student_id": f"0{1000 + at}", "grade": "34"[at % 2], "school": ("North Shore", "South Shore")[at // 50],
            "section": f"{'34'[at % 2]} {('Reef', 'Dune')[at // 50]}", "teacher": f"Teacher {at // 50}{at % 2}",
            "given_name": GIVEN[at % 10], "family_name": FAMILY[at // 10], "language": "English",
            "score": round(rng.gauss(500, 20)), "standard_error": 9.5,
        }
        for at in range(100)
    ]  # fmt: skip


def export(window, first, seed):
    """A window's results as a system exports them."""
    rng = random.Random(seed)
    return [
        {**one, "assessment": "Tide Gauge", "subject": "reading", "window": window, "score": one["score"] + seed,
         "tested_on": (first + timedelta(days=rng.randrange(18))).isoformat()}
        for one in people()
    ]  # fmt: skip


def written(rows, head=HEAD, separator=","):
    out = io.StringIO()
    writer = csv.DictWriter(out, head, delimiter=separator, restval="", extrasaction="ignore")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue().encode()


FALL = export("2026-27 fall", date(2026, 9, 8), 3)


def each(change, some=range(100)):
    """The export with some of its rows changed."""
    rows = [dict(row) for row in FALL]
    for at in some:
        change(rows[at])
    return rows


def set_(**values):
    return lambda row: row.update(values)


def swapped(one, other):
    def change(row):
        row[one], row[other] = row[other], row[one]

    return change


def us(row, order="{1:d}/{2:d}/{0:d}"):
    day = date.fromisoformat(row["tested_on"])
    row["tested_on"] = order.format(day.year, day.month, day.day)


def cases():
    """Each plausible fault with what must come of it: kinds of questions, columns refused, or a mapping to confirm."""
    few, one = (3, 40, 77), (12,)
    made = []

    def add(name, rows, **outcome):
        made.append((name, written(rows), outcome))

    # Names and ids.
    for at in (5, 60):
        add(
            f"another name for a known id {at}",
            each(set_(given_name="Zed", family_name="Quill"), (at,)),
            asked="renamed",
        )
    add("given and family names changed round", each(swapped("given_name", "family_name")), asked="renamed")
    add("a family name shifted by one row", [
        {**row, "family_name": FALL[(at + 1) % 100]["family_name"], "given_name": FALL[(at + 1) % 100]["given_name"]}
        for at, row in enumerate(FALL)
    ], asked="renamed")  # fmt: skip
    add("ids without their zero", each(lambda row: row.update(student_id=row["student_id"][1:])), asked="other_id")
    add(
        "one id without its zero", each(lambda row: row.update(student_id=row["student_id"][1:]), one), asked="other_id"
    )
    add("a new id for a known student", each(set_(student_id="99001"), one), asked="other_id")
    add("ids as a spreadsheet cuts them", each(set_(student_id="1.23457E+11"), few), refused="student_id")
    add("an id that is empty", each(set_(student_id=""), few), refused="student_id")
    add("two names for one id", [*FALL, {**FALL[7], "given_name": "Otto", "family_name": "Rye", "language": "Welsh"}],
        asked="two_names")  # fmt: skip
    # Tests, subjects, languages, schools, classes.
    for column, values, kind in (
        ("assessment", ("TideGauge", "Tide gauge", "Tide Guage", "Harbor Test", "TIDE GAUGE"), "new_test"),
        ("subject", ("Reading", "READING", "maths", "science"), "new_subject"),
        ("language", ("EN", "english", "Englsh", "Portuguese"), "new_language"),
        ("school", ("NORTH SHORE", "North  Shore", "Northshore", "North Shore School", "West Shore"), "new_school"),
        ("section", ("3 reef", "3Reef", "3 Reff", "5 Kelp"), "new_class"),
    ):
        for value in values:
            some = few if column != "section" else (2,)
            add(f"{column} {value}", each(set_(**{column: value}), some), asked=kind)
    add("a known subject the test is not known in", each(set_(subject="mathematics"), few), asked="new_measure")
    add("school and class columns changed round", each(swapped("school", "section")), asked="new_school")
    add("teacher in capitals", each(lambda row: row.update(teacher=row["teacher"].upper()), few), asked="new_teacher")
    # Grades and windows.
    add("everybody a grade up", each(lambda row: row.update(grade=str(int(row["grade"]) + 1))), asked="other_grade")
    add("one in another grade", each(set_(grade="5"), one), asked="other_grade")
    add("a grade that is none", each(set_(grade="3/4"), few), refused="grade")
    add("last year's window", each(set_(window="2025-26 spring")), asked="window_and_date")
    add("the coming window", each(set_(window="2026-27 winter"), few), asked="window_and_date")
    add("a window in other words", each(set_(window="Fall 2026-2027")), confirm=True)
    add("a window that is none", each(set_(window="Q1"), few), refused="window")
    # Dates.
    add("dates of the year before", each(lambda row: row.update(tested_on=row["tested_on"].replace("2026", "2025"))),
        asked="window_and_date")  # fmt: skip
    for year in ("2016", "2062"):
        add(f"dates of {year}", each(lambda row, year=year: row.update(tested_on=year + row["tested_on"][4:]), few),
            asked="day_outside")  # fmt: skip
    add("a year of three digits", each(lambda row: row.update(tested_on="0206-09-14"), few), refused="tested_on")
    add("the day that is not there", each(set_(tested_on="2026-09-31"), few), refused="tested_on")
    add("dates as month/day/year", each(us), confirm=True)
    add("dates as day/month/year", each(lambda row: us(row, "{2:d}/{1:d}/{0:d}")), confirm=True)
    add("dates with years of two digits", each(lambda row: us(row, "{1}/{2}/26")), confirm=True)
    add("dates far outside the windows", each(set_(tested_on="2026-11-15"), few), asked="window_and_date")
    # Scores.
    add("percentiles in place of scores", each(set_(score="45")), asked="beyond_range")
    add("score and error changed round", each(swapped("score", "standard_error")), asked="beyond_range")
    add("a digit too many", each(lambda row: row.update(score=row["score"] * 10), one), asked="beyond_range")
    add("a score of 0", each(set_(score="0"), few), asked="beyond_range")
    for bad in ("5OO", "500 pts", "n/a", "#N/A", "#VALUE!", "1,500", "NaN", "1e400"):
        add(f"a score of {bad}", each(set_(score=bad), few), refused="score")
    add("an error below 0", each(set_(standard_error="-3"), few), refused="standard_error")
    # Lines.
    add("a doubled line", [*FALL, FALL[8]], asked="repeated")
    add("the file twice over", [*FALL, *FALL], asked="repeated")
    add("two scores of one day", [*FALL, {**FALL[8], "score": 433}], asked="repeated")
    add("dates a day later than known", [
        {**row, "tested_on": (date.fromisoformat(row["tested_on"]) + timedelta(days=1)).isoformat()}
        for row in export("2025-26 spring", date(2026, 4, 20), 0)
    ], asked="redated")  # fmt: skip
    add("known results without their date", [
        {**row, "tested_on": ""} for row in export("2025-26 spring", date(2026, 4, 20), 0)
    ], asked="redated")  # fmt: skip
    # The file itself.
    lines = written(FALL).decode().splitlines()
    for name, content in (
        ("a value too many in a line", [*lines[:5], lines[5] + ",x", *lines[6:]]),
        ("a value too few in a line", [*lines[:5], lines[5].rsplit(",", 1)[0], *lines[6:]]),
        ("cut off in the middle of a line", [*lines[:50], lines[50][:20]]),
    ):
        made.append((name, "\r\n".join(content).encode(), {"refused": ""}))
    made.append(("an open quote", "\n".join([*lines[:5], '"' + lines[5], *lines[6:]]).encode(), {"unread": True}))
    made.append(("not UTF-8", "\n".join(lines).replace("Ana", "Anä").encode("latin-1"), {"unread": True}))
    made.append(("no header", "\n".join(lines[1:]).encode(), {"unread": True}))
    made.append(("a header word twice", "\n".join([lines[0].replace("grade", "score"), *lines[1:]]).encode(),
                 {"missing": "grade"}))  # fmt: skip
    renamed = {"student_id": "Student Number", "score": "Scale Score", "tested_on": "Test Date", "section": "Class"}
    other = [{renamed.get(name, name): value for name, value in row.items()} for row in FALL]
    made.append(("other headers", written(other, [renamed.get(name, name) for name in HEAD]), {"confirm": True}))
    for column in ("window", "grade", "score", "assessment"):
        rest = [name for name in HEAD if name != column]
        made.append((f"without the column {column}", written(FALL, rest), {"missing": column}))
    return made


class Plausible(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh(TODAY)
        for name, content in (
            ("calendar.csv", CALENDAR.encode()),
            ("spring.csv", written(export("2025-26 spring", date(2026, 4, 20), 0))),
        ):
            cls.bring(name, content, AS_IT_IS)
        other = [{**row, "assessment": "Hill Gauge", "subject": "mathematics"} for row in FALL[:1]]
        cls.bring("hill.csv", written(other), AS_IT_IS)
        # The classes of this year are known from a roster.
        cls.bring("first.csv", written(FALL[:10]), AS_IT_IS)

    @classmethod
    def bring(cls, name, content, answers):
        with cls.store.writing(scores=True) as session:
            return imports.bring_in(session, name, content, None, datetime(2026, 11, 20), Changes(answers=answers))

    def state(self):
        with self.store.reading() as session:
            return {
                table.name: session.scalar(text(f"SELECT COUNT(*) FROM `{table.name}`"))
                for table in Base.metadata.sorted_tables
            }

    def test_the_export_as_it_is_needs_nobody(self):
        """So that what is asked below is asked because of what is wrong."""
        with self.store.trying() as session:
            seen = imports.preview(session, "f.csv", written(FALL), Changes())
        self.assertEqual((seen.open, seen.reading.faults, seen.understood.to_confirm), (0, [], False))
        self.assertEqual(seen.plan.counts["new"], 90)

    def test_each_fault_is_refused_or_asked_about(self):
        """Over seventy of them; nothing is written, and each message names its place."""
        before = self.state()
        every = cases()
        self.assertGreaterEqual(len(every), 70)
        for name, content, outcome in every:
            with self.subTest(name):
                self.judged(content, outcome)
        self.assertEqual(self.state(), before)

    def judged(self, content, outcome):
        if "unread" in outcome:
            with self.assertRaises(BadFile) as caught, self.store.reading() as session:
                imports.preview(session, "f.csv", content, Changes())
            self.assertTrue(all(fault.line for fault in caught.exception.faults))
            return
        with self.store.reading() as session:
            seen = imports.preview(session, "f.csv", content, Changes())
        if "asked" in outcome:
            kinds = {question.kind: question for question in seen.questions}
            self.assertIn(outcome["asked"], kinds)
            self.assertTrue(all(item.lines and item.choices for item in kinds[outcome["asked"]].items))
        if "refused" in outcome:
            self.assertIn(outcome["refused"], {fault.column for fault in seen.reading.faults})
            self.assertTrue(all(fault.line > 1 for fault in seen.reading.faults))
        if "confirm" in outcome:
            self.assertTrue(seen.understood.to_confirm)
        if "missing" in outcome:
            self.assertIn(outcome["missing"], seen.understood.missing)
        self.assertTrue(seen.open or seen.understood.to_confirm or seen.understood.missing or seen.reading.faults)

    def test_nothing_of_it_comes_in_without_a_word(self):
        """Of every tenth of them: refused with a conflict or a fault, by the same rule as the preview."""
        for name, content, outcome in cases()[::10]:
            if "refused" not in outcome:
                with self.subTest(name), self.assertRaises((Conflict, BadFile)):
                    self.bring("f.csv", content, {})

    def test_the_calendar_reads_as_the_tests_take_it(self):
        """Without a fault, so that windows go by their days."""
        self.assertEqual(read_calendar_rows("c.csv", CALENDAR.encode()).faults, [])


class Answered(unittest.TestCase):
    """What an answer does, kind by kind."""

    def setUp(self):
        self.store, _ = stage.fresh(TODAY)
        self.bring(written(export("2025-26 spring", date(2026, 4, 20), 0)), AS_IT_IS)
        self.bring(written(FALL[:10]), AS_IT_IS)

    def bring(self, content, answers):
        with self.store.writing(scores=True) as session:
            changes = Changes(answers=answers)
            return imports.bring_in(session, "f.csv", content, None, datetime(2026, 11, 20), changes)[1]

    def ask(self, query):
        with self.store.reading() as session:
            return [tuple(row) for row in session.execute(text(query))]

    def name(self, student):
        return self.ask(f"SELECT given_name, family_name FROM student WHERE student_id = '{student}'")

    def test_a_known_id_under_another_name(self):
        """The same, renamed; the same under the known name; or left out with all its rows."""
        rows = each(set_(given_name="Zed", family_name="Quill"), (12,))
        who = FALL[12]["student_id"]
        before = self.name(who)
        self.assertEqual(self.bring(written(rows), {"renamed": "leave"}).plan.counts["new"], 89)
        self.assertEqual(self.name(who), before)
        self.assertEqual(self.bring(written(rows[12:13]), {"renamed": "keep"}).plan.counts["new"], 1)
        self.assertEqual(self.name(who), before)
        rows[12]["score"] += 1
        self.bring(written(rows[12:13]), {f"renamed/{who}": "same"})
        self.assertEqual(self.name(who), [("Zed", "Quill")])

    def test_another_spelling_of_a_test_is_remembered(self):
        """Said once to be the known one, the next file of the shape needs no asking; a new one is new."""
        rows = each(set_(assessment="TideGauge"))
        self.bring(written(rows), {"new_test": "same:Tide Gauge"})
        self.assertEqual(self.ask("SELECT name FROM assessment"), [("Tide Gauge",)])
        later = [{**row, "score": row["score"] + 1} for row in rows[:3]]
        with self.store.reading() as session:
            seen = imports.preview(session, "f.csv", written(later), Changes())
        self.assertEqual((seen.open, seen.plan.counts["changed"], seen.understood.source), (0, 3, "remembered"))
        self.bring(written(each(set_(assessment="Harbor Test"))[:4]), {"new_test/Harbor Test": "new"})
        self.assertEqual(len(self.ask("SELECT name FROM assessment")), 2)

    def test_one_of_several_can_be_answered_otherwise(self):
        """An answer to one holds over the answer to all."""
        rows = each(set_(school="Northshore"), (11, 13))
        rows[15]["school"] = "Westshore"
        self.bring(written(rows), {"new_school": "new", "new_school/Northshore": "same:North Shore"})
        self.assertEqual(sorted(name for (name,) in self.ask("SELECT name FROM school")),
                         ["North Shore", "South Shore", "Westshore"])  # fmt: skip

    def test_each_is_the_same_as_its_nearest(self):
        """One word for all of a kind; what has no near one stays open."""
        rows = each(lambda row: row.update(school=row["school"].upper()))
        self.bring(written(rows), {"new_school": "nearest"})
        self.assertEqual(len(self.ask("SELECT name FROM school")), 2)
        rows[20]["school"] = "Elsewhere"
        with self.assertRaisesRegex(Conflict, "1 question is open"):
            self.bring(written(rows), {"new_school": "nearest"})

    def test_lines_that_stand_twice(self):
        """Counted once, or both where they are two sittings; the same file again asks nothing."""
        doubled = written([*FALL[:20], FALL[19]])
        self.assertEqual(self.bring(doubled, {"repeated": "once"}).plan.counts["new"], 10)
        other = written([*FALL[:20], {**FALL[19], "score": 433}])
        self.assertEqual(self.bring(other, {"repeated": "both"}).plan.counts["new"], 1)
        with self.store.reading() as session:
            seen = imports.preview(session, "f.csv", other, Changes())
        self.assertEqual((seen.open, seen.plan.empty), (0, True))

    def test_a_result_known_under_another_date(self):
        """The date is taken, a second sitting is one, or the row stays out; undo brings the old date back."""
        row = {**FALL[0], "tested_on": "2026-09-30"}
        query = f"SELECT tested_on FROM result WHERE score = {row['score']} ORDER BY id"
        before = self.ask(query)
        self.assertEqual(self.bring(written([row]), {"redated": "leave"}).plan.empty, True)
        self.assertEqual(self.bring(written([row]), {"redated": "date"}).plan.counts["changed"], 1)
        self.assertIn((date(2026, 9, 30),), self.ask(query))
        self.assertEqual(len(self.ask(query)), len(before))
        row["tested_on"] = "2026-10-01"
        self.assertEqual(self.bring(written([row]), {"redated": "second"}).plan.counts["new"], 1)

    def test_ids_without_their_zero_go_to_the_known_students(self):
        """Nobody is added."""
        rows = each(lambda row: row.update(student_id=row["student_id"][1:]))
        with self.store.reading() as session:
            seen = imports.preview(session, "f.csv", written(rows), Changes())
        asked = next(question for question in seen.questions if question.kind == "other_id")
        answers = {f"other_id/{item.key}": item.choices[0].answer for item in asked.items}
        self.assertEqual(self.bring(written(rows), answers).plan.adds["students"], 0)
        self.assertEqual(self.ask("SELECT COUNT(*) FROM student"), [(100,)])

    def test_an_answer_that_fits_no_question_counts_for_nothing(self):
        """A word that is no choice, or the same as a name nobody knows."""
        rows = written(each(set_(assessment="TideGauge"), (12,)))
        for answers in ({"new_test": "perhaps"}, {"new_test": "same:Unknown"}, {"renamed": "same"}):
            with self.assertRaisesRegex(BodkinError, "1 question is open"):
                self.bring(rows, answers)
