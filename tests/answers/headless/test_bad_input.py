"""Bad input names file, row and column, and nothing is written."""

from tests.support import files
from tests.support.headless import HEADER, Run, line


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
        self.refused("column score: this column appears twice")

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
