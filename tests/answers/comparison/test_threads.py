"""Threads of many students at once: those of each alone, each language by itself, percentiles as scipy has them."""

import unittest
from datetime import date

import numpy as np
import polars as pl
from scipy.stats import norm

from bodkin.answers.comparison.norms.expectation import FEWEST_DISTRICT
from bodkin.answers.comparison.norms.threads import kept_points, threads_of_many
from bodkin.answers.scope.scope import Scope
from bodkin.store.reads.table.score_table import CUTS
from tests.support.tables import BASE, FALL, SPRING, WINTER, result, table_of

SCOPE = Scope(**BASE)
DAYS = {FALL: date(2025, 9, 15), WINTER: date(2026, 1, 20), SPRING: date(2026, 5, 4)}
MEASURE = [("Tide", "reading")]


def sat(line, student, window, score, **more):
    return result(line, student, window, score, **{"tested_on": DAYS[window], "standard_error": 8.0, **more})


def drawn(seed, n=45):
    """Students with results in some windows, some of them in two languages, a few without an error or a day."""
    draw = np.random.default_rng(seed)
    rows = []
    for at in range(n):
        for window in (FALL, WINTER, SPRING):
            if draw.random() < 0.3:
                continue
            more = {"standard_error": None} if draw.random() < 0.2 else {}
            rows.append(sat(len(rows), f"s{at}", window, round(float(draw.normal(500, 20))), **more))
            if draw.random() < 0.2:
                score = round(float(draw.normal(510, 20)))
                rows.append(sat(len(rows), f"s{at}", window, score, language="Portuguese"))
    return rows


class ManyAtOnce(unittest.TestCase):
    def test_each_as_alone(self):
        """Ten drawn districts: every point, cut and band of each student is that of a question about the student."""
        for seed in range(10):
            table = table_of(drawn(seed))
            students = table.results["student_id"].unique().to_list()
            whole = threads_of_many(table, students, MEASURE, SCOPE)
            for student in students:
                with self.subTest(seed=seed, student=student):
                    alone = threads_of_many(table, [student], MEASURE, SCOPE)
                    self.assertEqual(whole.get(student), alone.get(student))

    def test_percentiles_are_those_of_the_normal_curve(self):
        """scipy.stats.norm over the season's mean and spread, rounded half up, 1 to 99."""
        table = table_of(drawn(1))
        means = {FALL: 500.0, WINTER: 508.0}
        checked = 0
        for threads in threads_of_many(table, table.results["student_id"].unique().to_list(), MEASURE, SCOPE).values():
            for point in (one for thread in threads for one in thread.points if one.window in means):
                expected = np.floor(100 * norm.cdf((point.score - means[point.window]) / 20.0) + 0.5)
                self.assertEqual(point.percentile, min(99.0, max(1.0, expected)))
                self.assertEqual(point.norm_mean, means[point.window])
                checked += 1
        self.assertGreater(checked, 50)

    def test_every_counted_result_stands_once(self):
        """As many points as there are students with a result in a window and language; the later of two that day."""
        rows = [sat(1, "a", FALL, 480), sat(2, "a", FALL, 490, tested_on=date(2025, 9, 20)), sat(3, "b", WINTER, 505)]
        found = threads_of_many(table_of(rows), ["a", "b", "nobody"], MEASURE, SCOPE)
        self.assertEqual({key: [one.score for one in threads[0].points] for key, threads in found.items()},
                         {"a": [490.0], "b": [505.0]})  # fmt: skip

    def test_several_measures_in_their_order(self):
        """A measure that a student never sat has no thread; the order is the one asked for."""
        rows = [
            sat(1, "a", FALL, 480), sat(2, "a", FALL, 50, assessment="Ebb", subject="mathematics"),
            sat(3, "b", FALL, 60, assessment="Ebb", subject="mathematics"),
        ]  # fmt: skip
        measures = [("Ebb", "mathematics"), ("Tide", "reading"), ("Neap", "reading")]
        found = threads_of_many(table_of(rows), ["a", "b"], measures, SCOPE)
        self.assertEqual([one.title for one in found["a"]], ["Ebb Mathematics", "Tide Reading"])
        self.assertEqual([one.title for one in found["b"]], ["Ebb Mathematics"])


class Languages(unittest.TestCase):
    def test_one_language_is_not_named_two_are(self):
        """By the student's own results: another's second language names nothing."""
        rows = [
            sat(1, "a", FALL, 480), sat(2, "a", FALL, 530, language="Portuguese"), sat(3, "b", FALL, 490),
            sat(4, "c", FALL, 500, language="Portuguese"),
        ]  # fmt: skip
        found = threads_of_many(table_of(rows), ["a", "b", "c"], MEASURE, SCOPE)
        named = {key: [(one.language, one.points[0].score) for one in threads] for key, threads in found.items()}
        self.assertEqual(named, {"a": [("English", 480.0), ("Portuguese", 530.0)], "b": [(None, 490.0)],
                                 "c": [(None, 500.0)]})  # fmt: skip


class Bands(unittest.TestCase):
    def test_cuts_rise_with_the_season(self):
        """The season's cuts on its day, in the order of the bands; a score at a cut belongs to the upper band."""
        cuts = [
            {"assessment": "Tide", "subject": "reading", "grade": "4", "season": season, "order": order, "band": band,
             "min_score": low, "min_percentile": None}
            for season, lift in (("fall", 0.0), ("winter", 10.0))
            for order, (band, low) in enumerate((("Low", None), ("Mid", 480.0 + lift), ("High", 520.0 + lift)), 1)
        ]  # fmt: skip
        table = table_of([sat(1, "a", FALL, 480), sat(2, "a", WINTER, 489)], cuts=pl.DataFrame(cuts, schema=CUTS))
        (thread,) = threads_of_many(table, ["a"], MEASURE, SCOPE)["a"]
        self.assertEqual([(one.band, one.order) for one in thread.points], [("Mid", 2), ("Low", 1)])
        self.assertEqual([(line.band, [point.score for point in line.points]) for line in thread.cuts],
                         [("Mid", [480.0, 490.0]), ("High", [520.0, 530.0])])  # fmt: skip
        self.assertEqual(thread.bands, ["Low", "Mid", "High"])

    def test_without_cuts_norms_and_errors(self):
        """The score alone: nothing is made up."""
        table = table_of([sat(1, "a", FALL, 480, standard_error=None, grade=None)])
        (thread,) = threads_of_many(table, ["a"], MEASURE, SCOPE)["a"]
        point = thread.points[0]
        self.assertEqual([point.low, point.high, point.percentile, point.band, point.order, point.norm_mean,
                          point.district_mean], [None] * 7)  # fmt: skip
        self.assertEqual((thread.cuts, thread.bands), ([], []))


class DistrictMeans(unittest.TestCase):
    def rows(self, n):
        return [sat(at, f"s{at}", FALL, 470 + at) for at in range(n)]

    def test_from_thirty_students_of_the_grade(self):
        """numpy's mean of them all; of one fewer nothing is told."""
        for n, told in ((FEWEST_DISTRICT, True), (FEWEST_DISTRICT - 1, False)):
            found = threads_of_many(table_of(self.rows(n)), ["s0"], MEASURE, SCOPE)["s0"][0].points[0].district_mean
            self.assertEqual(found, float(np.mean(470 + np.arange(n))) if told else None)

    def test_to_a_reader_of_some_in_whole_points(self):
        """Also in one language of two: the mean is that of the whole test, as beside the rows of Growth."""
        rows = [*self.rows(40), sat(99, "s0", FALL, 600, language="Portuguese", tested_on=date(2025, 9, 16))]
        near = SCOPE.model_copy(update={"reach": frozenset({"s0"})})
        threads = threads_of_many(table_of(rows), ["s0"], MEASURE, near)["s0"]
        # The later sitting of the first student counts for the whole.
        expected = round(float(np.mean([600, *(470 + np.arange(1, 40))])))
        self.assertEqual({point.district_mean for thread in threads for point in thread.points}, {float(expected)})


class Kept(unittest.TestCase):
    def test_points_with_their_cuts(self):
        """What is kept keeps its cuts; a thread without a point left is gone; the threads given stay as they were."""
        table = table_of([sat(1, "a", FALL, 480), sat(2, "a", WINTER, 500)])
        threads = threads_of_many(table, ["a"], MEASURE, SCOPE)["a"]
        (kept,) = kept_points(threads, lambda one: one.window == WINTER)
        self.assertEqual([one.score for one in kept.points], [500.0])
        self.assertTrue(all([point.on for point in line.points] == [DAYS[WINTER]] for line in kept.cuts))
        self.assertEqual(kept_points(threads, lambda _: False), [])
        self.assertEqual(kept_points(threads, lambda _: True), threads)
        self.assertEqual(len(threads[0].points), 2)
