"""Reading plain files: what is understood, what is refused, and where."""

import unittest
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports.understanding import recognise
from bodkin.exchange.plain.plain_files import (
    cuts_frame,
    norms_frame,
    read_calendar,
    read_cuts,
    read_growth_norms,
    read_norms,
    read_scores,
    results_frame,
)
from bodkin.exchange.tables_in.sheets import open_sheet
from bodkin.store.reads.table.score_table import RESULTS

HEAD = "student_id,assessment,subject,window,grade,score"


class Understood(unittest.TestCase):
    def read(self, *lines, head=HEAD):
        return read_scores("f.csv", ("\n".join([head, *lines]) + "\n").encode())

    def test_headers_by_any_case_spaces_and_order(self):
        """Column order is free; unknown columns are kept out and named."""
        reading = self.read("500,a,T,r,,3,x", head="Score,Student ID,Assessment,SUBJECT, window ,Grade,Shoe size")
        self.assertEqual(reading.frame["score"].to_list(), [500.0])
        self.assertEqual((reading.unknown, reading.faults), (["shoe_size"], []))

    def test_values_are_trimmed_typed_and_empty_ones_missing(self):
        """Spaces, dates, numbers; an empty value is not a zero."""
        reading = self.read(" a , T,r, 2026-27 fall ,K, 512.5 ,2026-09-14,", head=HEAD + ",tested_on,standard_error")
        row = reading.checked().row(0, named=True)
        self.assertEqual(
            (row["student_id"], row["window"], row["grade"], row["score"]), ("a", "2026-27 fall", "K", 512.5)
        )
        self.assertEqual((row["tested_on"], row["standard_error"], row["school"]), (date(2026, 9, 14), None, None))

    def test_blank_lines_do_not_count_as_rows_but_count_as_lines(self):
        """The fault in the fifth line of the file is told as line 5."""
        reading = self.read("", "a,T,r,,3,500", "", "b,T,r,,3,x")
        self.assertEqual(reading.frame.height, 2)
        self.assertEqual([fault.line for fault in reading.faults], [5])
        self.assertEqual(reading.good()["student_id"].to_list(), ["a"])

    def test_programs_are_split_sorted_and_never_doubled(self):
        """Semicolons, spaces, nothing."""
        reading = self.read('a,T,r,,3,500,"b; a;;b "', "b,T,r,,3,500,", head=HEAD + ",programs")
        frame = results_frame(reading.frame, None)
        self.assertEqual(frame["programs"].to_list(), [["a", "b"], []])
        self.assertEqual(frame.schema, RESULTS)

    def test_right_to_left_names_and_emoji_stay_as_they_are(self):
        """Text is text."""
        reading = self.read("نور 🌊,T,r,,3,500")
        self.assertEqual(reading.checked()["student_id"].to_list(), ["نور 🌊"])

    def test_a_fault_says_file_line_column_value_and_what_to_do(self):
        """And a long value is shortened."""
        with self.assertRaises(BadFile) as caught:
            self.read("a,T,r,,3," + "9x" * 60).checked()
        answer = str(caught.exception)
        self.assertTrue(answer.startswith('f.csv, line 2, column score: "9x'))
        self.assertIn("write a number", answer)
        self.assertLess(len(answer), 160)
        self.assertEqual(str(Fault("f.csv", 0, "", "gone")), "f.csv: gone")

    @given(st.binary(max_size=300))
    def test_any_bytes_end_in_a_reading_or_a_clear_refusal(self, content):
        """Nothing else ever comes out: no stack trace of another kind."""
        for data in (content, (HEAD + "\n").encode() + content):
            try:
                read_scores("f.csv", data)
            except BadFile as error:
                self.assertTrue(str(error).startswith("f.csv"))


class OtherFiles(unittest.TestCase):
    def test_kinds_are_recognised_by_their_header(self):
        """Whatever the order of columns, with quotes and a byte-order mark."""
        for head, kind in (
            (HEAD, "scores"),
            ('"sd","mean",week,season,grade,subject,assessment', "norms"),
            ("assessment,subject,grade,from_season,to_season,correlation", "growth_norms"),
            ("\ufeffassessment,subject,grade,season,band,order,min_score", "cuts"),
        ):
            with self.subTest(kind=kind):
                self.assertEqual(recognise(open_sheet("f.csv", f"{head}\n".encode())), kind)

    def test_norms_of_strands_stand_apart(self):
        """A strand's norm is read, but is no norm of the whole test."""
        head = "assessment,subject,grade,season,week,mean,sd,strand\n"
        reading = read_norms("n.csv", (head + "T,r,3,fall,4,500,20,\nT,r,3,fall,4,490,22,Words\n").encode())
        self.assertEqual(reading.faults, [])
        self.assertEqual(norms_frame(reading.frame)["mean"].to_list(), [500.0])

    def test_seasons_and_doubled_rows(self):
        """A season that is none; the same growth norm twice, naming the first line."""
        head = "assessment,subject,grade,from_season,to_season,correlation\n"
        reading = read_growth_norms("g.csv", (head + "T,r,3,fall,summer,0.8\n").encode())
        self.assertEqual([(f.line, f.column) for f in reading.faults], [(2, "to_season")])
        row = "T,r,3,fall,winter,0.8\n"
        reading = read_growth_norms("g.csv", (head + row + row).encode())
        self.assertIn("the first is in line 2", reading.faults[0].message)

    def test_cuts_by_purpose(self):
        """The ladder of help is read beside the performance bands and is no band."""
        head = "assessment,subject,grade,season,band,order,min_score,min_percentile,purpose\n"
        rows = "T,r,3,,Low,1,,,\nT,r,3,,High,2,500,,performance\nT,r,3,,much,1,,,Help\nT,r,3,,none,2,,40,help\n"
        reading = read_cuts("c.csv", (head + rows).encode())
        self.assertEqual(reading.faults, [])
        self.assertEqual(cuts_frame(reading.frame)["band"].to_list(), ["Low", "High"])
        reading = read_cuts("c.csv", (head + "T,r,3,,Low,1,,,joy\n").encode())
        self.assertEqual([(f.line, f.column) for f in reading.faults], [(2, "purpose")])
        with self.assertRaisesRegex(BadFile, "min_score or min_percentile"):
            read_cuts("c.csv", b"assessment,subject,grade,season,band,order\n")

    def test_calendar(self):
        """Years, windows and closures; an end before its start and a kind that is none are faults."""
        head = "kind,name,from,to\n"
        rows = "School year,2025-26,2025-09-01,2026-06-30\nwindow,2025-26 fall,2025-09-08,2025-10-03\n"
        reading, calendar = read_calendar("k.csv", (head + rows).encode())
        self.assertEqual(reading.faults, [])
        self.assertEqual(calendar.windows["2025-26 fall"], (date(2025, 9, 8), date(2025, 10, 3)))
        bad = "closure,x,2025-10-02,2025-10-01\nholiday,y,2025-10-01,2025-10-02\n"
        reading, _ = read_calendar("k.csv", (head + bad).encode())
        self.assertEqual([(f.line, f.column) for f in reading.faults], [(2, "to"), (3, "kind")])
