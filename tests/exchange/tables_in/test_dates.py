"""Dates as other systems write them: read by one way that fits every row, or asked about; never turned round."""

import unittest
from datetime import date, datetime

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from bodkin.core.errors import Conflict
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.tables_in.dates import DAY_FORMATS, read_days, samples, ways_that_fit
from bodkin.store.tables import Result, SchoolYear
from tests.support import stage
from tests.support.answers import AS_IT_IS

HEAD = "student_id,assessment,subject,window,grade,score,tested_on\n"
NOW = datetime(2026, 10, 1)


def rows(*days):
    return "".join(f"S{at},Tide,reading,2026-27 fall,3,500,{day}\n" for at, day in enumerate(days))


def read(text, way, latest=2028):
    return read_days(pl.Series([text], dtype=pl.String), way, latest)[0]


class Ways(unittest.TestCase):
    def test_two_digits_are_a_year_at_hand(self):
        """The last year up to the year to come that ends in them; the year 26 is nobody's."""
        self.assertEqual(read("9/14/26", "%m/%d/%y"), date(2026, 9, 14))
        self.assertEqual(read("9/14/28", "%m/%d/%y"), date(2028, 9, 14))
        self.assertEqual(read("9/14/29", "%m/%d/%y"), date(1929, 9, 14))
        self.assertIsNone(read("9/14/26", "%m/%d/%Y"))

    def test_a_time_of_day_is_no_part_of_a_date(self):
        """As stamps of databases and of people write it."""
        for text in ("2026-09-14 08:30", "2026-09-14T08:30:00Z", "2026-09-14 08:30:15.250+02:00"):
            self.assertEqual(read(text, "%Y-%m-%d"), date(2026, 9, 14), text)
        for text in ("9/14/2026 8:30 AM", "9/14/2026 20:30", "09/14/2026 8:30:01 p.m."):
            self.assertEqual(read(text, "%m/%d/%Y"), date(2026, 9, 14), text)

    def test_months_in_words(self):
        """Short, long and with a point."""
        for text in ("Sep 14, 2026", "September 14, 2026", "Sep. 14, 2026"):
            self.assertEqual(read(text, "%b %d, %Y"), date(2026, 9, 14), text)

    @given(st.dates(date(2000, 1, 1), date(2028, 12, 31)), st.sampled_from(list(DAY_FORMATS)))
    def test_what_is_written_one_way_is_read_back(self, day, way):
        """Every way reads what Python's own strftime writes in it."""
        self.assertEqual(read(day.strftime(way), way), day)

    def test_a_way_must_fit_every_date_else_the_nearest_ones_are_named(self):
        """One day above 12 decides; a slip of the pen leaves the way that fits the rest."""
        fits = ways_that_fit(pl.Series(["9/10/2026", "9/11/2026"]), 2028)
        self.assertEqual(fits, (["%m/%d/%Y", "%d/%m/%Y"], []))
        self.assertEqual(ways_that_fit(pl.Series(["9/10/2026", "9/14/2026"]), 2028), (["%m/%d/%Y"], []))
        self.assertEqual(ways_that_fit(pl.Series(["9/14/2026", "9/15/2026", "13/45/2026"]), 2028), ([], ["%m/%d/%Y"]))
        self.assertEqual(ways_that_fit(pl.Series(["soon", "later"]), 2028), ([], []))

    def test_samples_show_where_the_ways_differ(self):
        """Three dates, those first that are two days in two ways."""
        found = samples(pl.Series(["5/5/2026", "9/10/2026"]), ["%m/%d/%Y", "%d/%m/%Y"], 2028)
        self.assertEqual(
            [one.read for one in found["%m/%d/%Y"]], ["Thursday, September 10, 2026", "Tuesday, May 5, 2026"]
        )
        self.assertEqual(found["%d/%m/%Y"][0].read, "Friday, October 9, 2026")


class OfFiles(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh(NOW.date())
        with self.store.writing(scores=False) as session:
            session.add(SchoolYear(name="2026-27"))

    def seen(self, text, **changes):
        with self.store.reading() as session:
            return imports.preview(session, "f.csv", (HEAD + text).encode(), Changes(**changes))

    def bring(self, text, **changes):
        with self.store.writing(scores=True) as session:
            said = Changes(**{"answers": AS_IT_IS, **changes})
            return imports.bring_in(session, "f.csv", (HEAD + text).encode(), None, NOW, said)

    def test_a_remembered_order_that_does_not_fit_is_asked_again(self):
        """Month first was confirmed once; a file with the day first is not read by it, not even in part."""
        self.bring(rows("9/14/2026", "9/15/2026"), confirmed=True)
        other = rows("9/10/2026", "14/9/2026", "15/9/2026")
        seen = self.seen(other)
        self.assertEqual((seen.understood.source, seen.understood.how.day_format), ("proposed", "%d/%m/%Y"))
        self.assertEqual(len(seen.understood.day_samples["%d/%m/%Y"]), 3)
        with self.assertRaisesRegex(Conflict, "are guesses"):
            self.bring(other)

    def test_a_date_that_fits_no_way_is_refused_and_the_way_asked_again(self):
        """The others are read by the way that fits most; how many do not fit is said."""
        self.bring(rows("9/14/2026", "9/15/2026"), confirmed=True)
        seen = self.seen(rows("9/16/2026", "9/17/2026", "13/45/2026"))
        self.assertEqual((seen.understood.source, seen.understood.days_unread), ("proposed", 1))
        self.assertEqual([(fault.line, fault.column) for fault in seen.reading.faults], [(4, "tested_on")])

    def test_years_that_no_result_is_of(self):
        """Year 1 and 9999 are refused; the year after the year to come, and one long gone, need a word."""
        faults = self.seen(rows("0001-09-14", "9999-09-14")).reading.faults
        self.assertEqual([(fault.line, fault.column) for fault in faults], [(2, "tested_on"), (3, "tested_on")])
        for day in ("2031-09-14", "2098-09-14", "2019-09-14"):
            seen = self.seen(rows(day))
            asked = {question.kind for question in seen.questions}
            self.assertIn("day_outside", asked, day)
            with self.assertRaisesRegex(Conflict, "open"):
                self.bring(rows(day), answers={})
        self.assertEqual([q.kind for q in self.seen(rows("2027-09-14")).questions if q.kind == "day_outside"], [])

    def test_a_date_of_another_school_year_than_its_window(self):
        """Without a calendar too; leaving it out leaves it out."""
        text = rows("2026-09-14", "2025-09-14")
        with self.store.writing(scores=False) as session:
            session.add(SchoolYear(name="2025-26"))
        asked = {question.kind: question for question in self.seen(text).questions}
        self.assertEqual([item.lines for item in asked["window_and_date"].items], [(3,)])
        _, seen = self.bring(text, answers={"window_and_date": "leave"})
        self.assertEqual(seen.plan.counts["new"], 1)
        with self.store.reading() as session:
            self.assertEqual(session.query(Result).count(), 1)
