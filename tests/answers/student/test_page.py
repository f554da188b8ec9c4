"""A student's page from small tables: threads with their ranges and cuts, the table, what is due, what little says."""

import unittest
from datetime import date

import polars as pl

from bodkin.answers.scope.scope import Scope
from bodkin.answers.student.page import Around, due_words, student_page, threads_of
from bodkin.store.reads.student_data import DayRecord, SittingRecord, SpanRecord, StudentRecord
from tests.support.tables import BASE, FALL, SPRING, WINTER, result, table_of

SCOPE = Scope(**BASE)
TODAY = date(2026, 6, 1)
DAYS = {FALL: date(2025, 9, 15), WINTER: date(2026, 1, 20), SPRING: date(2026, 5, 4)}
NOTHING = Around({}, None, {}, [], [])


def sat(line, window, score, **more):
    return result(line, "a", window, score, tested_on=DAYS[window], **more)


def record(**more):
    lists = (
        "groups",
        "programs",
        "accommodations",
        "sessions",
        "absences",
        "grades",
        "goals",
        "reviews",
        "notes",
        "sittings",
    )
    return StudentRecord(places=[], **{**{name: [] for name in lists}, **more})


def sitting(key, window, score, **more):
    plain = {"grade": "4", "language": "English", "error": 8.0, "minutes": 30.0, "accommodations": None, "state": None,
             "state_why": None, "state_by": None}  # fmt: skip
    return SittingRecord(key, "Tide", "reading", window, DAYS[window], score=score, **{**plain, **more})


def page_of(rows, own=None, around=NOTHING, weekly=()):
    table = table_of(rows or [result(1, "b", FALL, 500)])
    threads = threads_of(table, "a", [("Tide", "reading")], SCOPE)
    return student_page("a", table, own or record(), threads, weekly, around, {"a": ("Ray", "Ann")}, TODAY)


class Threads(unittest.TestCase):
    def test_a_point_has_its_range_percentile_and_band(self):
        """One standard error either way; the norm of the season; the cuts of the grade as lines."""
        found = page_of([sat(1, FALL, 500, standard_error=8.0), sat(2, WINTER, 512, standard_error=None)])
        (thread,) = found.threads
        fall, winter = thread.points
        self.assertEqual((fall.low, fall.high, fall.band, fall.order), (492.0, 508.0, "Mid", 2))
        # The norm's mean is the 50th percentile; a fifth of a standard deviation above it is the 58th (normal table).
        self.assertEqual((fall.percentile, winter.percentile), (50.0, 58.0))
        self.assertEqual((winter.low, winter.high, winter.band), (None, None, "High"))
        self.assertEqual([(line.band, {point.score for point in line.points}) for line in thread.cuts],
                         [("Mid", {490.0}), ("High", {510.0})])  # fmt: skip

    def test_of_several_results_in_a_window_the_latest_stands(self):
        """And every language has a thread of its own."""
        rows = [
            sat(1, FALL, 480), result(2, "a", FALL, 501, tested_on=date(2025, 9, 20)),
            sat(3, FALL, 530, language="Portuguese"), sat(4, WINTER, 505),
        ]  # fmt: skip
        found = page_of(rows)
        by_title = {one.title: [point.score for point in one.points] for one in found.threads}
        self.assertEqual(by_title, {"Tide Reading in English": [501.0, 505.0], "Tide Reading in Portuguese": [530.0]})

    def test_a_window_without_a_result_is_a_gap(self):
        """Fall and spring are there, winter is not."""
        found = page_of([sat(1, FALL, 480), sat(2, SPRING, 505)])
        self.assertEqual([point.window for point in found.threads[0].points], [FALL, SPRING])


class Table(unittest.TestCase):
    def test_what_counts_and_what_does_not(self):
        """Points since the counted result before; a result set aside is there without percentile, with who and why."""
        own = record(
            sittings=[
                sitting(3, WINTER, 512.0),
                sitting(2, WINTER, 400.0, state="set aside", state_why="rushed", state_by="Bo"),
                sitting(1, FALL, 500.0),
            ]
        )  # fmt: skip
        found = page_of([sat(1, FALL, 500, standard_error=8.0), sat(3, WINTER, 512, standard_error=8.0)], own)
        self.assertEqual([row.since_before for row in found.results], [12.0, None, None])
        self.assertEqual([row.band for row in found.results], ["High", None, "Mid"])
        aside = found.results[1]
        self.assertEqual((aside.state, aside.why, aside.percentile), ("set aside", "rushed, Bo", None))

    def test_lanes_and_what_is_due(self):
        """Every mark and span stands in its lane; reviews up to two weeks ahead are due, later ones are not."""
        own = record(
            groups=[(1, SpanRecord(date(2026, 1, 5), None, "Reeds"))],
            sessions=[
                (1, DayRecord(date(2026, 5, 28), "Reeds", "came", 30.0)),
                (1, DayRecord(TODAY, "Reeds", "away", 0.0)),
            ],
            notes=[DayRecord(date(2026, 2, 1), "Likes rivers", "family")],
            reviews=[
                DayRecord(date(2026, 6, 14), "goal in Tide, reading"),
                DayRecord(date(2026, 7, 1), "goal in Ebb, reading"),
            ],
        )
        around = Around({}, ("Build next: halves (M2)", "not yet"), {date(2026, 5, 25): 40.0},
                        [DayRecord(TODAY, "more time", "change")], ["meets the exit rule of Reeds"])  # fmt: skip
        found = page_of([], own, around)
        self.assertEqual({one.lane for one in (*found.spans, *found.marks)}, {"group", "session", "note", "decision"})
        self.assertEqual(found.due, ["review goal in Tide, reading, 14 Jun 2026", "meets the exit rule of Reeds"])
        self.assertEqual(len(due_words(own, date(2026, 6, 20))), 2)
        said = {one.what: one for one in found.said}
        self.assertEqual(said["session"].sentence, "Last session 28 May 2026, Reeds, 30 minutes")
        self.assertEqual(said["session"].explained, "1 of 2 sessions")
        self.assertEqual(said["next"].explained, "not yet")
        self.assertEqual([point.score for point in found.practice], [40.0])

    def test_a_student_with_nothing(self):
        """A year of axis, nothing said, nothing due."""
        found = page_of([])
        self.assertEqual((found.first, found.last), (date(2025, 6, 1), TODAY))
        self.assertEqual((found.said, found.due, found.threads, found.results), ([], [], [], []))

    def test_weekly_results_stand_beside_the_threads(self):
        """Results without a window are points of their own test and of no thread."""
        weekly = pl.DataFrame({"tested_on": [date(2026, 5, 8), None], "score": [61.0, 99.0]})
        found = page_of([], weekly=[("Minute", weekly)])
        self.assertEqual(
            [(one.title, [point.score for point in one.points]) for one in found.weekly], [("Minute", [61.0])]
        )
