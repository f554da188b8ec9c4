"""A group followed: the figures of the headless run, who comes first, the help received, and what is true of little."""

import io
import unittest
from datetime import date, timedelta

import numpy as np
import polars as pl

from bodkin.answers.follow_up.benchmark import benchmarks
from bodkin.answers.follow_up.given import ENOUGH, Followed, Met, Received
from bodkin.answers.follow_up.group import AroundGroup, follow_up_answer
from bodkin.answers.follow_up.progress import days_by_seven
from bodkin.answers.follow_up.standings import GroupAsked, group_standings
from bodkin.answers.follow_up.weekly import is_wild, usual_of, wild_results
from bodkin.answers.headless.progress import progress_texts
from bodkin.store.reads.table.score_table import CUTS, Calendar
from tests.support.tables import result, table_of

FIRST = date(2026, 1, 5)
PERIOD = FIRST, date(2026, 4, 10)


def weekly(scores, start=FIRST):
    """Results a week apart; None for a week without one."""
    return [
        result(100 * at + week, student, None, score, tested_on=start + timedelta(weeks=week))
        for at, (student, own) in enumerate(scores.items()) for week, score in enumerate(own)
        if score is not None
    ]  # fmt: skip


def followed(
    scores, goals, *, sessions=(), planned=None, required=None, period=PERIOD, adaptive=False, table=None, joined=None,
    decided=None, practice=None,
):  # fmt: skip
    group = Followed(1, "Reeds", "Words", sorted(scores), sessions, planned, required, joined or {})
    around = AroundGroup(goals, decided or {}, practice or {})
    rows = weekly({one: own for one, own in scores.items() if own})
    table = table or table_of(rows or [result(1, "nobody", None, 1, tested_on=FIRST)])
    return follow_up_answer(
        group, table, ("Tide", "reading"), [("Tide", "reading")], period, around, {}, adaptive=adaptive
    )


class EqualsTheHeadlessRun(unittest.TestCase):
    def test_thirty_drawn_groups_and_periods(self):
        """Every figure of every student is that of ./bodkin progress over the results of the period."""
        for seed in range(30):
            draw = np.random.default_rng(seed)
            scores = {
                f"s{at}": [None if draw.random() < 0.15 else float(round(40 + slope * week + draw.normal(0, 5)))
                           for week in range(int(draw.integers(1, 15)))]
                for at, slope in enumerate(draw.normal(1, 1.2, 6))
            }  # fmt: skip
            first = FIRST + timedelta(days=int(draw.integers(0, 20)))
            last = first + timedelta(days=int(draw.integers(20, 100)))
            goals = {
                one: (float(draw.integers(50, 80)), FIRST + timedelta(days=int(draw.integers(-20, 150))))
                for one in scores if draw.random() < 0.8
            }  # fmt: skip
            found = {one.student_id: one for one in followed(scores, goals, period=(first, last)).students}
            rows = [row for row in weekly(scores) if first <= row["tested_on"] <= last]
            results = pl.DataFrame(
                [[row["student_id"], "m", row["tested_on"], row["score"], row["line"]] for row in rows],
                schema=["student_id", "measure", "on", "score", "line"], orient="row",
            )  # fmt: skip
            aims = pl.DataFrame(
                [[one, "m", goal, by, None, None, ""] for one, (goal, by) in goals.items()],
                schema={"student_id": pl.String, "measure": pl.String, "goal": pl.Float64, "by": pl.Date,
                        "start": pl.Float64, "start_on": pl.Date, "direction": pl.String}, orient="row",
            )  # fmt: skip
            if not rows:
                continue
            text = progress_texts(results, aims, None, None)["progress.csv"]
            for row in pl.read_csv(io.StringIO(text), infer_schema_length=None).iter_rows(named=True):
                one = found[row["student_id"]]
                with self.subTest(seed=seed, student=one.student_id):
                    self.assertEqual((one.n, one.few, one.act), (row["n"], row["few"], row["act"]))
                    self.assertEqual(one.confirmed, row["confirmed"])
                    for ours, theirs in (
                        (one.last_score, row["last_score"]), (one.slope, row["slope"]), (one.aim_now, row["aim_now"]),
                        (one.slope_error, row["slope_error"]), (one.projected, row["projected"]),
                    ):  # fmt: skip
                        self.assertEqual(ours is None, theirs is None)
                        if ours is not None:
                            self.assertAlmostEqual(ours, theirs, places=6)


class AllAtOnce(unittest.TestCase):
    def test_standings_equal_each_group_s_own_pictures(self):
        """Thirty drawn groups with goals, decisions and sessions: headline, lead, and every student's word and help."""
        asked, rows, answers = [], [], {}
        for seed in range(30):
            draw = np.random.default_rng(100 + seed)
            scores = {
                f"s{seed}-{at}": [None if draw.random() < 0.15 else float(round(40 + slope * week + draw.normal(0, 5)))
                                  for week in range(int(draw.integers(0, 15)))]
                for at, slope in enumerate(draw.normal(1, 1.2, 6))
            }  # fmt: skip
            goals = {one: (float(draw.integers(50, 80)), FIRST + timedelta(days=int(draw.integers(0, 150))))
                     for one in scores if draw.random() < 0.8}  # fmt: skip
            kinds = ["change", "stay"]
            decided = {one: [(FIRST + timedelta(days=int(draw.integers(7, 60))), str(draw.choice(kinds)), "")]
                       for one in scores if draw.random() < 0.3}  # fmt: skip
            joined = {one: FIRST + timedelta(days=int(draw.integers(0, 30))) for one in scores if draw.random() < 0.3}
            sessions = [
                Met(FIRST + timedelta(days=3 * at), 30.0 * bool(draw.random() < 0.9), None,
                    {one: 30.0 * bool(draw.random() < 0.8) for one in scores})
                for at in range(int(draw.integers(0, 12)))
            ]  # fmt: skip
            held = [one for one in sessions if one.minutes]
            asked.append(
                GroupAsked(
                    seed, f"G{seed}", sorted(scores), PERIOD, bool(seed % 7 == 6), 90.0, 60.0 if seed % 2 else None,
                    len(held) if sessions else None, joined, goals, decided,
                    {one: Received(sum(met.there[one] for met in held), sum(met.there[one] > 0 for met in held),
                                   len(held)) for one in scores},
                )
            )  # fmt: skip
            rows += [{"group": seed, **{name: row[name] for name in ("student_id", "tested_on", "score", "line")}}
                     for row in weekly(scores)]  # fmt: skip
            answers[seed] = followed(scores, goals, decided=decided, joined=joined, sessions=sessions, planned=90.0,
                                     required=60.0 if seed % 2 else None, adaptive=bool(seed % 7 == 6))  # fmt: skip
        schema = {
            "group": pl.Int64,
            "student_id": pl.String,
            "tested_on": pl.Date,
            "score": pl.Float64,
            "line": pl.Int64,
        }
        for standing in group_standings(asked, pl.DataFrame(rows, schema=schema), days_by_seven):
            answer = answers[standing.id]
            self.assertEqual((standing.headline, standing.lead), (answer.headline, answer.lead))
            own = {one.student_id: one for one in answer.students}
            for one in standing.students:
                series = own[one.student_id]
                with self.subTest(group=standing.id, student=one.student_id):
                    self.assertEqual((one.n, one.act, one.confirmed), (series.n, series.act, series.confirmed))
                    self.assertEqual(one.given, series.given)
                    self.assertAlmostEqual(one.slope or 0, series.slope or 0)
        self.assertEqual(group_standings([], pl.DataFrame(schema=schema), days_by_seven), [])


GOALS = dict.fromkeys(("flat", "fast", "level", "one", "none"), (70.0, date(2026, 6, 1)))
SCORES = {
    "flat": [40, 41, 40, 41, 40, 41, 40, 41, 40, 41], "fast": [40, 41, 42, 50, 55, 60, 66, 72, 78, 84],
    "level": [40, 42, 41, 44, 45, 47, 47, 50, 51, 53], "one": [44], "none": [],
}  # fmt: skip


class Order(unittest.TestCase):
    def test_who_needs_a_decision_comes_first(self):
        """Other help, then a higher goal, then those without a rule, then those who stay; said in the headline."""
        found = followed(SCORES, GOALS)
        self.assertEqual([one.student_id for one in found.students][:2], ["flat", "fast"])
        self.assertEqual(found.students[-1].student_id, "level")
        self.assertEqual(found.headline, "1 student needs other help, 1 could have a higher goal")
        said = {one.student_id: one.said for one in found.students}
        self.assertEqual(
            (said["flat"], said["fast"], said["level"]), ("Change the help", "Raise the goal", "Stay with the help")
        )

    def test_little_says_something_true(self):
        """One result, none, no goal, a goal in the past: a reason instead of a rule."""
        said = {one.student_id: one.said for one in followed(SCORES, GOALS).students}
        self.assertRegex(said["one"], "^No rule yet: the aim line needs 3 results")
        self.assertEqual(said["none"], "No rule yet: there is no result")
        without = followed({"flat": SCORES["flat"]}, {})
        self.assertEqual(without.students[0].said, "No rule yet: there is no goal")
        past = followed({"flat": SCORES["flat"]}, {"flat": (70.0, date(2025, 12, 1))})
        self.assertRegex(past.students[0].said, "does not come after the first results")
        self.assertEqual(followed({"none": []}, {}).headline, "No results in this period")

    def test_between_windows_a_trend_and_no_rule(self):
        """Results of an adaptive test: few points, marked, and no word of the rule."""
        found = followed({"a": [40, 50, 60, 70]}, {"a": (90.0, date(2026, 6, 1))}, adaptive=True).students[0]
        self.assertEqual((found.few, found.act), (True, "none"))
        self.assertIsNotNone(found.slope)


class Help(unittest.TestCase):
    def test_minutes_and_sessions_told_a_second_time(self):
        """Received against planned over the weeks of the period; a session not held counts for nobody."""
        sessions = [
            Met(FIRST, 30, None, {"a": 30.0, "b": 0.0}),
            Met(FIRST + timedelta(2), 0, "fire drill", {"a": 0.0, "b": 0.0}),
            Met(FIRST + timedelta(7), 30, None, {"a": 20.0, "b": 30.0}),
            Met(FIRST + timedelta(9), 30, None, {"b": 30.0}),
        ]  # fmt: skip
        period = FIRST, FIRST + timedelta(days=13)
        found = followed({"a": [1], "b": [1]}, {}, sessions=sessions, planned=60.0, required=45.0, period=period)
        given = {one.student_id: one.given for one in found.students}
        self.assertEqual(found.weeks, 2.0)
        self.assertEqual([(given[one].minutes, given[one].attended, given[one].held) for one in "ab"],
                         [(50.0, 2, 2), (60.0, 2, 3)])  # fmt: skip
        self.assertEqual([(given[one].planned, given[one].required, given[one].short) for one in "ab"],
                         [(120.0, 90.0, 40.0), (120.0, 90.0, 30.0)])  # fmt: skip
        self.assertAlmostEqual(given["a"].share, 50 / 120)
        seen = [(one.held, one.came, one.away) for one in found.sessions]
        self.assertEqual(seen, [(True, 1, 1), (False, 0, 2), (True, 2, 0), (True, 1, 0)])

    def test_help_that_did_not_happen_is_not_help_that_does_not_work(self):
        """The same flat line: with the minutes given nothing is added; with half of them the lead says so."""
        scores, goals = {"a": SCORES["flat"]}, {"a": (70.0, date(2026, 6, 1))}
        period = FIRST, FIRST + timedelta(days=69)
        for share, told in ((1.0, False), (ENOUGH - 0.2, True)):
            sessions = [Met(FIRST + timedelta(weeks=week), 60, None, {"a": 60.0 * share}) for week in range(10)]
            found = followed(scores, goals, sessions=sessions, planned=60.0, period=period)
            self.assertEqual(found.headline, "1 student needs other help")
            self.assertEqual("cannot be said whether the help works" in found.lead, told)

    def test_nothing_planned_is_not_zero(self):
        """Without a plan or a requirement there is no share and nothing is short."""
        given = followed({"a": [1]}, {}).students[0].given
        self.assertEqual((given.planned, given.share, given.required, given.short), (None, None, None, None))


class Weekly(unittest.TestCase):
    def test_what_is_far_from_usual(self):
        """Twice or half the median of the last three, and ten points at least; with fewer before nothing is said."""
        self.assertIsNone(usual_of([40, 41]))
        self.assertEqual(usual_of([5, 40, 44, 42]), 42)
        for score, usual, wild in (
            (85, 42, True),
            (84, 42, False),
            (20, 42, True),
            (22, 42, False),
            (9, 4, False),
            (999, None, False),
        ):
            self.assertEqual(is_wild(score, usual), wild, (score, usual))
        table = table_of(weekly({"a": [40, 44, 42], "b": [40, 44]}))
        found = wild_results(table, ("Tide", "reading"), date(2026, 3, 1), {"a": 420.0, "b": 420.0}, {})
        self.assertEqual([(one.student_id, one.usual) for one in found], [("a", 42)])


class Benchmark(unittest.TestCase):
    def test_it_rises_through_the_year(self):
        """The season's cut at the middle of each window near the period; without cuts the norm's mean."""
        calendar = Calendar(windows={
            "2025-26 fall": (date(2025, 9, 1), date(2025, 9, 21)),
            "2025-26 winter": (date(2026, 1, 12), date(2026, 1, 30)),
            "2024-25 fall": (date(2024, 9, 1), date(2024, 9, 21)),
        })  # fmt: skip
        rows = weekly({"a": [1, 2]})
        marks = benchmarks(table_of(rows, calendar=calendar), "Tide", "reading", *PERIOD)
        self.assertEqual(
            [(one.on, one.score) for one in marks["4"]], [(date(2025, 9, 11), 500), (date(2026, 1, 21), 508)]
        )
        cuts = [
            {"assessment": "Tide", "subject": "reading", "grade": "4", "season": season, "order": order, "band": band,
             "min_score": low, "min_percentile": None}
            for season, mark in (("fall", 480.0), ("winter", 495.0))
            for order, (band, low) in enumerate((("Below", None), ("At", mark)), 1)
        ]  # fmt: skip
        table = table_of(rows, calendar=calendar, cuts=pl.DataFrame(cuts, schema=CUTS))
        self.assertEqual([one.score for one in benchmarks(table, "Tide", "reading", *PERIOD)["4"]], [480, 495])
