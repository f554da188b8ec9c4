"""The headless run against a slow twin in pandas, and each of its rules by a small hand-made file."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pandas as pd
from statsmodels.stats.contingency_tables import SquareTable
from statsmodels.stats.proportion import proportion_confint

from bodkin.cli import run
from tests.support import files
from tests.support.twin import Twin, difference


class Run(unittest.TestCase):
    """Writes files into a folder of its own and runs the command as a person would."""

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def write(self, **contents):
        for name, content in contents.items():
            data = content if isinstance(content, bytes) else content.encode()
            (self.folder / f"{name}.csv").write_bytes(data)

    def command(self, *more, first=files.FALL, second=files.WINTER, measure=files.MEASURE):
        words = ["compare", "--scores", str(self.folder / "scores.csv")]
        for name in ("norms", "growth_norms", "cuts", "calendar"):
            if (self.folder / f"{name}.csv").exists():
                words += [f"--{name.replace('_', '-')}", str(self.folder / f"{name}.csv")]
        words += ["--assessment", measure[0], "--subject", measure[1], "--from", first, "--to", second]
        words += [*more, "--out", str(self.folder / "out")]
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = run(words)
        return status, err.getvalue()

    def result(self, *more, **windows):
        status, errors = self.command(*more, **windows)
        self.assertEqual((status, errors), (0, ""))
        students = pd.read_csv(self.folder / "out" / "students.csv", dtype=str, keep_default_na=False)
        return students, json.loads((self.folder / "out" / "summary.json").read_text())


class AgainstTheTwin(Run):
    """The twin is written from the rules, in another library, one student after another."""

    def check(self, *more, windows=(files.FALL, files.WINTER), year_end=False, seed=1, **filters):
        self.write(
            scores=files.scores(seed, newline="\r\n", mark="\ufeff"),
            norms=files.norms(),
            growth_norms=files.growth_norms(),
            cuts=files.cuts(),
        )
        students, summary = self.result(*more, first=windows[0], second=windows[1])
        twin = Twin(*(self.folder / f"{name}.csv" for name in ("scores", "norms", "growth_norms", "cuts")))
        told = twin.run(files.MEASURE, *windows, year_end=year_end, **filters).sort_values("student_id")
        students = students.sort_values("student_id")
        self.assertEqual(difference(students, told), [])
        return told, summary

    def test_fall_to_winter(self):
        """Byte-order mark, CRLF, quoted commas, accents, doubles, missing scores, tests outside windows."""
        told, summary = self.check()
        self.assertGreater(len(told), 120)
        both = told[told.left_out == ""]
        self.assertEqual(summary["counts"]["matched"], len(both))
        self.assertEqual(summary["counts"]["from"], told.from_score.notna().sum())

    def test_summary_figures_against_statsmodels(self):
        """Shares with Wilson ends, movement with both tests, growth: from the twin's students."""
        told, summary = self.check(seed=3)
        both = told[told.left_out == ""]
        bands = [row["band"] for row in summary["bands"]]
        self.assertEqual(bands, ["Low", "Mid", "High", "Top"])
        for row in summary["bands"]:
            for side in ("from", "to"):
                n = int((both[f"{side}_band"] == row["band"]).sum())
                self.assertEqual(row[f"{side}_n"], n)
                self.assertAlmostEqual(row[f"{side}_share"], n / len(both), places=12)
                low, high = proportion_confint(n, len(both), method="wilson")
                self.assertAlmostEqual(row[f"{side}_low"], low, places=9)
                self.assertAlmostEqual(row[f"{side}_high"], high, places=9)
                above = both[f"{side}_band"].map(bands.index) >= row["order"] - 1
                self.assertAlmostEqual(row[f"{side}_at_or_above"], above.mean(), places=12)
        table = pd.crosstab(both.from_band, both.to_band).reindex(index=bands, columns=bands, fill_value=0)
        self.assertEqual(summary["movement"]["table"], table.to_numpy().tolist())
        reference = SquareTable(table.to_numpy(), shift_zeros=False).homogeneity()
        self.assertAlmostEqual(summary["movement"]["stuart_maxwell"]["statistic"], reference.statistic, places=6)
        growth = both[both.expected_gain.notna()]
        self.assertEqual(summary["growth"]["n"], len(growth))
        self.assertEqual(summary["growth"]["met_n"], int(growth.met.sum()))
        self.assertAlmostEqual(summary["growth"]["mean_gain"], growth.gain.mean(), places=9)
        self.assertAlmostEqual(summary["growth"]["mean_expected"], growth.expected_gain.mean(), places=9)
        self.assertEqual(summary["growth"]["median_growth_percentile"], growth.growth_percentile.median())

    def test_year_end_cuts_and_filters(self):
        """Year-end cuts; schools with a comma in their name; programs; a language."""
        self.check("--year-end-cuts", year_end=True)
        self.check(
            "--school", "North, Upper", "--grade", "3", "--grade", "5", school=["North, Upper"], grade=["3", "5"]
        )
        self.check("--program", "IEP", program=["IEP"])
        self.check("--language", "Portuguese", language="Portuguese")

    def test_across_the_summer_and_a_season_without_cuts(self):
        """Spring to the next fall uses the next grade's norms; a whole year; too far apart expects nothing."""
        self.check(windows=(files.SPRING, files.NEXT_FALL))
        self.check(windows=(files.FALL, files.NEXT_FALL))
        _, summary = self.check(windows=(files.SPRING, files.NEXT_FALL), seed=4)
        self.assertTrue(any("no spring cuts" in note and "year-end" in note for note in summary["notes"]))

    def test_more_than_a_year_apart_expects_nothing(self):
        """Fall to the winter after the next summer: no expectation, with a note; bands and movement stand."""
        later = files.scores(5).replace(files.NEXT_FALL, "2026-27 winter")
        self.write(scores=later, norms=files.norms(), cuts=files.cuts())
        students, summary = self.result(second="2026-27 winter")
        self.assertEqual(set(students.expected_score), {""})
        self.assertTrue(any("more than one year apart" in note for note in summary["notes"]))
        self.assertGreater(summary["movement"]["up"] + summary["movement"]["same"], 0)


HEADER = "student_id,assessment,subject,window,grade,score,tested_on,standard_error,percentile,programs,school\n"


def line(student, window, score, day="", error="", grade="3", percentile="", programs="", school="North"):
    return f"{student},Tide Test,reading,{window},{grade},{score},{day},{error},{percentile},{programs},{school}\n"


class Rules(Run):
    def test_which_of_several_counts(self):
        """The latest date; an undated one is older than any dated; at a tie the later line."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, "2025-09-20")
            + line("a", files.FALL, 501, "2025-09-10")
            + line("b", files.FALL, 502, "2025-09-10")
            + line("b", files.FALL, 503)
            + line("c", files.FALL, 504, "2025-09-10")
            + line("c", files.FALL, 505, "2025-09-10")
            + line("d", files.FALL, 506)
            + line("d", files.FALL, 507)
            + line("e", files.FALL, "", "2025-09-30")
            + line("e", files.WINTER, 508)
        )
        students, summary = self.result()
        self.assertEqual(students.from_score.tolist(), ["500.0", "502.0", "505.0", "507.0", ""])
        left_out = [{"reason": f"no result in {window}", "n": n} for window, n in ((files.FALL, 1), (files.WINTER, 4))]
        self.assertEqual(summary["counts"], {"from": 4, "to": 1, "matched": 0, "left_out": left_out})

    def test_outside_the_windows(self):
        """Counted as left out; a row only with a result in either window; a matched student is not left out."""
        self.write(
            scores=HEADER
            + line("a", "", 500, "2025-11-01")
            + line("b", files.FALL, 500)
            + line("b", "", 505)
            + line("c", files.FALL, 500)
            + line("c", files.WINTER, 505)
            + line("c", "", 510)
        )
        students, summary = self.result()
        self.assertEqual(
            dict(zip(students.student_id, students.left_out, strict=True)), {"b": "outside the windows", "c": ""}
        )
        self.assertEqual(summary["counts"]["left_out"], [{"reason": "outside the windows", "n": 2}])

    def test_all_leaves_nobody_out_of_the_shares(self):
        """Each window over its own students; movement stays with the matched ones."""
        cut = "assessment,subject,grade,season,band,order,min_score\n"
        cut += "Tide Test,reading,3,,Low,1,\nTide Test,reading,3,,High,2,505\n"
        rows = line("a", files.FALL, 500) + line("b", files.FALL, 505) + line("b", files.WINTER, 504)
        self.write(scores=HEADER + rows, cuts=cut)
        students, summary = self.result("--all")
        self.assertEqual(students.left_out.tolist(), ["", ""])
        self.assertEqual([row["from_n"] for row in summary["bands"]], [1, 1])
        self.assertEqual([row["to_n"] for row in summary["bands"]], [1, 0])
        self.assertEqual((summary["movement"]["up"], summary["movement"]["down"]), (0, 1))
        self.assertEqual(
            summary["movement"]["bowker"], {"statistic": 1.0, "df": 1, "p": summary["movement"]["bowker"]["p"]}
        )

    def test_ties_on_a_cut_and_the_second_window_still_to_come(self):
        """A score on the cut is in the upper band; without any second result the expectation stands."""
        self.write(
            scores=HEADER + line("a", files.FALL, 462, error="5") + line("b", files.FALL, 461.9, error="0.1"),
            norms=files.norms(),
            cuts=files.cuts(),
        )
        students, summary = self.result()
        self.assertEqual(students.from_band.tolist(), ["High", "Mid"])
        self.assertTrue((students.expected_score != "").all())
        for column in ("gain", "gain_z", "growth_percentile", "met", "verdict", "to_score"):
            self.assertEqual(students[column].tolist(), ["", ""], column)
        self.assertEqual(summary["growth"]["n"], 0)

    def test_breakdown_by_program_counts_a_student_in_each(self):
        """Several programs count in each, none under "none"; a unit without matched students has a row."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, programs="ML; IEP")
            + line("a", files.WINTER, 510, programs="ML; IEP")
            + line("b", files.FALL, 500)
            + line("b", files.WINTER, 510)
            + line("c", files.FALL, 500, programs="Advanced")
        )
        _, summary = self.result("--by", "program")
        told = {row["value"]: row["counts"]["matched"] for row in summary["by"]}
        self.assertEqual(told, {"ML": 1, "IEP": 1, "none": 1, "Advanced": 0})

    def test_fields_are_those_of_the_later_result(self):
        """A student who moved counts where the later result was; without one, where the earlier was."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, school="North")
            + line("a", files.WINTER, 510, school="South")
            + line("b", files.FALL, 500, school="North")
        )
        students, _ = self.result("--school", "South")
        self.assertEqual(students.student_id.tolist(), ["a"])
        students, _ = self.result("--school", "North")
        self.assertEqual(students.student_id.tolist(), ["b"])

    def test_with_a_calendar_windows_go_by_date_and_norms_by_week(self):
        """The date decides the window; the norm is interpolated between the weeks of its rows."""
        self.write(
            scores=HEADER
            + line("a", files.WINTER, 500, "2025-09-15")
            + line("a", files.FALL, 510, "2026-01-12")
            + line("b", files.FALL, 505, "2025-11-03"),
            norms="assessment,subject,grade,season,week,mean,sd\n"
            "Tide Test,reading,3,fall,0,480,20\nTide Test,reading,3,winter,20,500,20\n",
            calendar="kind,name,from,to\nschool year,2025-26,2025-09-01,2026-06-30\n"
            "window,2025-26 fall,2025-09-08,2025-10-03\nwindow,2025-26 winter,2026-01-05,2026-02-06\n"
            "closure,autumn,2025-10-20,2025-10-24\n",
        )
        students, summary = self.result()
        self.assertEqual(students.student_id.tolist(), ["a"])
        self.assertEqual((students.from_score[0], students.to_score[0]), ("500.0", "510.0"))
        # Two weeks of school before 15 September; 95 weekdays less one closed week before 12 January.
        mu1, mu2 = 480 + 2.0, 480 + (95 - 5) / 5
        self.assertAlmostEqual(float(students.expected_score[0]), mu2 + 0.85 * (500 - mu1), places=9)
        self.assertEqual(summary["counts"]["left_out"], [{"reason": "outside the windows", "n": 1}])

    def test_a_window_that_the_calendar_does_not_know_stays_as_the_file_says(self):
        """A calendar of this year only does not take last spring's results out of their window."""
        self.write(
            scores=HEADER
            + line("a", "2024-25 spring", 500, "2025-04-28")
            + line("a", files.WINTER, 510, "2025-09-15")
            + line("b", "", 505, "2025-09-16"),
            calendar="kind,name,from,to\nschool year,2025-26,2025-09-01,2026-06-30\n"
            "window,2025-26 fall,2025-09-08,2025-10-03\nwindow,2025-26 winter,2026-01-05,2026-02-06\n",
        )
        students, summary = self.result(first="2024-25 spring", second=files.FALL)
        self.assertEqual(students.left_out.tolist(), ["", "no result in 2024-25 spring"])
        self.assertEqual((summary["counts"]["from"], summary["counts"]["to"]), (1, 2))

    def test_without_norms_the_file_s_own_percentile_stands(self):
        """And nothing is expected, with a note that says so."""
        self.write(scores=HEADER + line("a", files.FALL, 500, percentile="41") + line("a", files.WINTER, 510))
        students, summary = self.result()
        self.assertEqual((students.from_percentile[0], students.to_percentile[0]), ("41.0", ""))
        self.assertTrue(any("no norms" in note for note in summary["notes"]))
        self.assertIsNone(summary["movement"])

    def test_assumed_correlation_is_said(self):
        """Without a growth norm 0.85 stands, with a note."""
        self.write(scores=HEADER + line("a", files.FALL, 500) + line("a", files.WINTER, 510), norms=files.norms())
        _, summary = self.result()
        self.assertTrue(any("0.85" in note for note in summary["notes"]))


class Withheld(Run):
    def test_small_cells_and_a_second_one(self):
        """No count below ten stands, n and shares are null, and a second band goes with a single small one."""
        self.write(scores=files.scores(7, 240), norms=files.norms(), cuts=files.cuts())
        _, summary = self.result("--by", "section", "--withhold", "10")
        for part in (summary, *summary["by"]):
            hidden = [row for row in part["bands"] if row.get("withheld")]
            self.assertNotEqual(len(hidden), 1)
            for row in part["bands"]:
                for side in ("from", "to"):
                    if row.get("withheld"):
                        self.assertIsNone(row[f"{side}_n"])
                        self.assertIsNone(row[f"{side}_share"])
                    else:
                        self.assertGreaterEqual(row[f"{side}_n"], 10)

    def test_a_small_unit_goes_whole_and_takes_another_with_it(self):
        """Nine at one school, forty at another: both go, or the nine could be worked out."""
        rows = "".join(
            line(f"s{at}", window, 500 + at, school="Tiny" if at < 9 else "Large")
            for at in range(49)
            for window in (files.FALL, files.WINTER)
        )
        self.write(scores=HEADER + rows, cuts=files.cuts())
        _, summary = self.result("--by", "school", "--withhold", "10")
        self.assertTrue(all(row["withheld"] and row["counts"]["matched"] is None for row in summary["by"]))


class BadInput(Run):
    """Status 2, one line a fault with file, line and column, and nothing written."""

    def refused(self, *words, more=()):
        status, errors = self.command(*more)
        self.assertEqual(status, 2, errors)
        for word in words:
            self.assertIn(word, errors)
        self.assertFalse((self.folder / "out").exists())
        return errors

    def test_a_bad_score_names_its_place(self):
        """Two faults, two lines."""
        self.write(scores=HEADER + line("a", files.FALL, "51O") + line("b", "2025-27 fall", 500))
        errors = self.refused("scores.csv, line 2, column score", '"51O"', "line 3, column window")
        self.assertEqual(len(errors.splitlines()), 2)

    def test_a_breakdown_that_files_have_not(self):
        """Groups and fields of the roster are in no file of scores; nonsense is no breakdown."""
        self.write(scores=HEADER + line("a", files.FALL, 500) + line("a", files.WINTER, 505))
        for by in ("group", "field:sex", "shoe"):
            with self.subTest(by=by):
                self.refused("--by", by.split(":")[0], more=("--by", by))

    def test_lines_are_counted_through_quoted_line_breaks(self):
        """A value over two lines does not shift the count."""
        self.write(scores="student_id,assessment,subject,window,grade,score,school\n"
                   '"a","Tide Test",reading,,3,500,"North\nUpper"\nb,Tide Test,reading,,3,x,South\n')  # fmt: skip
        self.refused("line 4, column score")

    def test_headers(self):
        """A missing column, a column twice, semicolons."""
        self.write(scores="student_id,assessment,subject,window,grade\na,b,c,,3\n")
        self.refused("line 1, column score: this column is missing")
        self.write(scores="student_id;assessment;subject;window;grade;score\n")
        self.refused("separated by commas")
        self.write(scores=HEADER.replace("percentile,", "score,"))
        self.refused("column score: this column stands twice")

    def test_bytes_that_are_no_text(self):
        """Not UTF-8, UTF-16, a spreadsheet, a NUL, nothing at all."""
        good = (HEADER + line("a", files.FALL, 500)).encode()
        for content, words in (
            (good + b"b\xff\n", "line 3: this line is not UTF-8"),
            (good.decode().encode("utf-16"), "UTF-16"),
            (b"PK\x03\x04rest", "spreadsheet"),
            (good + b"\0", "NUL"),
            (b"", "empty"),
            (good + b'c,"open', "line 3"),
            (good + b"c,d\n", "line 3: has 2 values"),
        ):
            with self.subTest(words=words):
                self.write(scores=content)
                self.refused(words)

    def test_values_out_of_range(self):
        """An error of zero, a percentile of 120, a grade that is none, a date that is none."""
        for row, words in (
            (line("a", files.FALL, 500, error="0"), "column standard_error"),
            (line("a", files.FALL, 500, percentile="120"), "column percentile"),
            (line("a", files.FALL, 500, grade="Grade 4"), "column grade"),
            (line("a", files.FALL, 500, "14.09.2025"), "column tested_on"),
            (line("a", files.FALL, 500, "2025-02-30"), "column tested_on"),
            (line("a", files.FALL, "nan"), "column score"),
            (line("", files.FALL, 500), "column student_id"),
            (line("x" * 65, files.FALL, 500), "column student_id"),
            (line("a", files.FALL, 500, programs="long " * 60), "column programs"),
        ):
            with self.subTest(words=words):
                self.write(scores=HEADER + row)
                self.refused("line 2", words)

    def test_norms_and_cuts(self):
        """No spread, a row twice, an impossible correlation, a gap, unordered cuts: with their lines."""
        good = HEADER + line("a", files.FALL, 500)
        norm = "assessment,subject,grade,season,week,mean,sd\nT,r,3,fall,4,500,20\n"
        cut = "assessment,subject,grade,season,band,order,min_score\nT,r,3,,Low,1,\n"
        for name, content, words in (
            ("norms", norm + "T,r,3,winter,19,510,0\n", "norms.csv, line 3, column sd"),
            ("norms", norm + "T,r,3,fall,4,500,20\n", "norms.csv, line 3, column week: a second row"),
            ("growth_norms", "assessment,subject,grade,from_season,to_season,correlation\nT,r,3,fall,winter,1.2\n",
             "growth_norms.csv, line 2, column correlation"),
            ("cuts", cut + "T,r,3,,High,3,510\n", "cuts.csv, line 3, column order: a gap"),
            ("cuts", cut + "T,r,3,,Mid,2,510\nT,r,3,,High,3,505\n", "cuts.csv, line 4, column min_score: unordered"),
        ):  # fmt: skip
            with self.subTest(words=words):
                for old in self.folder.glob("*.csv"):
                    old.unlink()
                self.write(scores=good, **{name: content})
                self.refused(words)

    def test_a_measure_or_window_that_is_not_there(self):
        """The message lists what the file has; windows must come in order."""
        self.write(scores=HEADER + line("a", files.FALL, 500))
        status, errors = self.command(measure=("Other", "reading"))
        self.assertEqual(status, 2)
        self.assertIn('"Tide Test" in "reading"', errors)
        status, errors = self.command(first=files.WINTER, second=files.FALL)
        self.assertEqual(status, 2)
        self.assertIn("must come after", errors)

    def test_options_that_are_none(self):
        """One line for a wrong option or value, too."""
        self.write(scores=HEADER + line("a", files.FALL, 500))
        for more, word in (
            (("--by", "shoe"), "--by"),
            (("--withhold", "0"), "--withhold"),
            (("--colour",), "--colour"),
        ):
            with self.subTest(word=word):
                self.assertEqual(len(self.refused(word, more=more).splitlines()), 1)

    def test_a_file_that_is_not_there(self):
        """Its name, and that it cannot be read."""
        self.refused("scores.csv", "cannot be read")
