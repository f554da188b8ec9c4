"""A student's page from small tables: threads with their ranges and cuts, the table, what is due, what little says."""

import unittest
from datetime import date

from bodkin.answers.comparison.norms.threads import Place, kept_points
from bodkin.answers.scope.scope import Scope
from bodkin.answers.student.page import AroundStudent, WeeklyLine, due_words, student_page
from bodkin.answers.student.parts import standards_by_day
from bodkin.answers.student.threads import threads_of
from bodkin.store.reads.student.record import DayRecord, PlaceRecord, SpanRecord, StudentRecord
from bodkin.store.reads.student.sittings import PartRecord, ScaleRecord, SittingRecord
from tests.support.tables import BASE, FALL, SPRING, WINTER, result, table_of

SCOPE = Scope(**BASE)
TODAY = date(2026, 6, 1)
DAYS = {FALL: date(2025, 9, 15), WINTER: date(2026, 1, 20), SPRING: date(2026, 5, 4)}
NOTHING = AroundStudent()


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
        "retests",
        "sittings",
        "places",
    )
    return StudentRecord(**{**{name: [] for name in lists}, **more})


def sitting(key, window, score, **more):
    plain = {"grade": "4", "language": "English", "error": 8.0, "basis": "Shore norms", "minutes": 30.0,
             "accommodations": None, "state": None,
             "state_why": None, "state_by": None}  # fmt: skip
    return SittingRecord(key, "Tide", "reading", window, DAYS[window], score=score, **{**plain, **more})


def page_of(rows, own=None, around=NOTHING, last=TODAY, as_of=None, scope=SCOPE):
    table = table_of(rows or [result(1, "b", FALL, 500)])
    own = own or record()
    threads = kept_points(
        threads_of(table, "a", [("Tide", "reading")], scope, own.sittings), lambda one: one.on <= last
    )
    return student_page("a", table, own, threads, around, {"a": ("Ray", "Ann")}, last, as_of)


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
        around = AroundStudent(
            next_skill=("Build next: halves (M2)", "not yet"), practice={date(2026, 5, 25): 40.0},
            decisions=[DayRecord(TODAY, "more time", "change")], due=["meets the exit rule of Reeds"],
        )  # fmt: skip
        found = page_of([], own, around)
        self.assertEqual({one.lane for one in (*found.spans, *found.marks)}, {"group", "session", "note", "decision"})
        self.assertEqual(found.due, ["review goal in Tide, reading, Jun 14, 2026", "meets the exit rule of Reeds"])
        self.assertEqual(len(due_words(own, date(2026, 6, 20))), 2)
        said = {one.what: one for one in found.said}
        self.assertEqual(said["session"].sentence, "Last session May 28, 2026, Reeds, 30 minutes")
        self.assertEqual(said["session"].explained, "1 of 2 sessions")
        self.assertEqual(said["next"].explained, "not yet")
        self.assertEqual([point.score for point in found.practice], [40.0])

    def test_a_student_with_nothing(self):
        """A year of axis, nothing said, nothing due."""
        found = page_of([])
        self.assertEqual((found.first, found.last), (date(2025, 6, 1), TODAY))
        self.assertEqual((found.said, found.due, found.threads, found.results), ([], [], [], []))

    def test_weekly_results_stand_beside_the_threads(self):
        """Results without a window are points of their own test and of no thread; they stretch the axis."""
        line = WeeklyLine(
            title="Minute", points=[Place(on=date(2025, 2, 3), score=61.0)], said="Reeds: Stay with the help"
        )
        found = page_of([], around=AroundStudent(weekly=[line]))
        self.assertEqual((found.weekly, found.threads, found.first), ([line], [], date(2025, 2, 3)))


class Inside(unittest.TestCase):
    """Strands, other scales, means beside the score, standards by day."""

    ROWS = (sat(1, FALL, 500, standard_error=8.0), sat(3, WINTER, 512, standard_error=8.0))

    def test_strands_as_scores_or_percent_of_points(self):
        """A strand with a score is a line of scores, one with points a line of per cents; set aside is nowhere."""
        scored, counted = PartRecord("Story", 490.0, 12.0, None, None), PartRecord("Fact", None, None, 3.0, 4.0)
        own = record(
            sittings=[
                sitting(3, WINTER, 512.0, parts=(scored, PartRecord("Fact", None, None, None, 4.0))),
                sitting(2, WINTER, 400.0, state="set aside", parts=(PartRecord("Story", 1.0, None, None, None),)),
                sitting(1, FALL, 500.0, state="kept", parts=(PartRecord("Story", 480.0, None, None, None), counted)),
            ]
        )
        found = page_of(self.ROWS, own)
        self.assertEqual(
            [(line.strand, line.of_points, [point.score for point in line.points]) for line in found.strands],
            [("Story", False, [480.0, 490.0]), ("Fact", True, [75.0])],
        )
        self.assertEqual([row.parts for row in found.results], ["Story 490", "Story 1", "Story 480; Fact 3 of 4"])
        # A result that somebody looked at and kept counts like any other.
        self.assertEqual(found.results[2].percentile, 50.0)

    def test_other_scales(self):
        """A range stands at its middle, a number at itself, words at no height; only of counted results."""
        own = record(
            sittings=[
                sitting(3, WINTER, 512.0, scales=(ScaleRecord("Reading range", "510 to 610", 510.0, 610.0),
                                                  ScaleRecord("Level", "M", None, None))),
                sitting(1, FALL, 500.0, scales=(ScaleRecord("Reading range", "480", None, None),)),
            ]
        )  # fmt: skip
        found = page_of(self.ROWS, own)
        lines = {line.scale: [(one.words, one.value) for one in line.points] for line in found.threads[0].scales}
        self.assertEqual(lines, {"Reading range": [("480", 480.0), ("510 to 610", 560.0)], "Level": [("M", None)]})
        self.assertEqual(found.results[0].scales, "Reading range 510 to 610; Level M")

    def test_means_beside_the_score(self):
        """The norm's mean by grade and season; the district's from 30 students of the grade; whose norms."""
        own = record(sittings=[sitting(1, FALL, 500.0)])
        few = page_of([self.ROWS[0]], own).results[0]
        self.assertEqual((few.norm_mean, few.district_mean, few.basis), (500.0, None, "Shore norms"))
        others = [result(10 + at, f"s{at}", FALL, 480.25, tested_on=DAYS[FALL]) for at in range(39)]
        many = page_of([self.ROWS[0], *others], own).results[0]
        self.assertAlmostEqual(many.district_mean, (500 + 39 * 480.25) / 40)
        # To a reader of some students only in whole points.
        near = page_of([self.ROWS[0], *others], own, scope=SCOPE.model_copy(update={"reach": frozenset({"a"})}))
        self.assertEqual(near.results[0].district_mean, 481.0)

    def test_standards_by_day(self):
        """Every standard with evidence and a day, the earliest first; no evidence is none."""
        found = standards_by_day(
            [("M2", TODAY, "not yet"), ("M1", date(2026, 1, 5), "mastered"), ("M3", None, "no evidence")], {"M1": "Add"}
        )
        self.assertEqual([(one.standard, one.text, one.state) for one in found],
                         [("M1", "Add", "mastered"), ("M2", "M2", "not yet")])  # fmt: skip


class AsOf(unittest.TestCase):
    """The page as at the end of a school year that is over."""

    def test_nothing_of_later_is_told(self):
        """Results, marks, practice and spans up to the day; school, grade, class and programs of that year."""
        end = date(2026, 1, 31)
        own = record(
            places=[
                PlaceRecord("2024-25", date(2024, 8, 20), date(2025, 6, 10), "Dune", "3", "3 Heron"),
                PlaceRecord("2025-26", date(2025, 8, 20), end, "Reed", "4", "4 Rail"),
                PlaceRecord("2026-27", date(2026, 8, 20), date(2027, 6, 10), "Reed", "5", None),
            ],
            programs=[
                SpanRecord(date(2025, 9, 1), None, "Plan"), SpanRecord(date(2026, 3, 1), None, "Later"),
                SpanRecord(date(2024, 9, 1), date(2025, 5, 1), "Before"),
            ],
            sessions=[(1, DayRecord(date(2026, 3, 1), "Reeds", "came", 30.0))],
            reviews=[DayRecord(end, "goal in Tide, reading")],
            sittings=[sitting(9, SPRING, 520.0), sitting(3, WINTER, 512.0), sitting(1, FALL, 500.0)],
        )  # fmt: skip
        rows = [*Inside.ROWS, sat(9, SPRING, 520)]
        practice = {date(2026, 1, 5): 20.0, date(2026, 2, 2): 30.0}
        found = page_of(rows, own, AroundStudent(practice=practice), last=end, as_of="2025-26")
        self.assertEqual((found.grade, found.school, found.section, found.programs), ("4", "Reed", "4 Rail", ["Plan"]))
        self.assertEqual([point.window for point in found.threads[0].points], [FALL, WINTER])
        self.assertEqual([row.window for row in found.results], [WINTER, FALL])
        self.assertEqual([one.score for one in found.practice], [20.0])
        self.assertEqual((found.due, found.marks, found.last), ([], [], end))
        schools = [one.words for one in found.spans if one.lane == "school"]
        self.assertEqual(schools, ["grade 3, Dune", "grade 4, Reed"])
        now = page_of(rows, own)
        self.assertEqual(now.rosters, ["2024-25", "2025-26", "2026-27"])
        self.assertEqual(len(now.results), 3)

    def test_retests_are_due(self):
        """A retest that was asked for and not done, with its day."""
        own = record(retests=[DayRecord(date(2026, 5, 20), "Tide, reading", "retest")])
        self.assertEqual(page_of([], own).due, ["retest in Tide, reading, asked for on May 20, 2026"])


class ManyYears(unittest.TestCase):
    def test_five_years_two_schools_and_a_long_name(self):
        """Every fall in its order, the axis from the first to today, each school in its years, the whole name."""
        years = range(2021, 2026)
        rows = [
            result(at, "a", f"{year}-{(year + 1) % 100:02} fall", 440 + 15 * at, tested_on=date(year, 9, 15))
            for at, year in enumerate(years, start=1)
        ]
        own = record(
            places=[
                PlaceRecord(f"{year}-{(year + 1) % 100:02}", date(year, 8, 20), date(year + 1, 6, 10),
                            "Dune" if year < 2024 else "Reed", str(year - 2021), None)
                for year in years
            ]
        )  # fmt: skip
        table, names = table_of(rows), {"a": ("Montgomery-Featherstonehaugh " * 3, "Maximiliana Bartholomea")}
        threads = threads_of(table, "a", [("Tide", "reading")], SCOPE, [])
        found = student_page("a", table, own, threads, NOTHING, names, TODAY)
        self.assertEqual([point.on.year for point in found.threads[0].points], list(years))
        self.assertEqual((found.first, found.last), (date(2021, 9, 15), TODAY))
        schools = [(one.first.year, one.words) for one in found.spans if one.lane == "school"]
        self.assertEqual(schools[2:4], [(2023, "grade 2, Dune"), (2024, "grade 3, Reed")])
        self.assertTrue(found.name.startswith("Maximiliana Bartholomea Montgomery"))
