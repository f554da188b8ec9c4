"""Help given, two measures, phases of help, and the team's list."""

import unittest
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
import pandas as pd
import polars as pl

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.follow_up.given import (
    HelpGroup,
    Met,
    Received,
    Stay,
    given_answer,
    made_up,
    shares_of_groups,
)
from bodkin.answers.follow_up.meeting import Review, suggested
from bodkin.answers.follow_up.progress import days_by_seven, school_days
from bodkin.answers.follow_up.standings import GroupStanding
from bodkin.answers.follow_up.two_measures import two_measures
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import sentence
from bodkin.store.reads.table.score_table import CUTS, Calendar
from tests.answers.follow_up.test_group import FIRST, followed
from tests.support.tables import result, table_of

LAST = FIRST + timedelta(days=27)
TO_COME = school_days(Calendar(), LAST + timedelta(days=1), LAST + timedelta(days=200))


def group(
    key=1, *, planned=90.0, required=None, sessions=(), stays=("a", "b"), adults=("Ada",), minutes=30.0, last=None,
    until=date(2026, 6, 1),
):  # fmt: skip
    own = []
    for one in stays:
        stay = one if isinstance(one, Stay) else Stay(one, FIRST, last or LAST, "Osier")
        here = [met.there[stay.student] for met in sessions if met.minutes and stay.first <= met.day <= stay.last]
        own.append(replace(stay, received=Received(sum(here), sum(spent > 0 for spent in here), len(here))))
    held = sum(met.minutes != 0 for met in sessions)
    return HelpGroup(
        key, f"Group {key}", own, adults, until, minutes, planned, required, held, len(sessions) - held
    )  # fmt: skip


def met(day, *there, minutes=30.0):
    return Met(FIRST + timedelta(days=day), minutes, None, dict(there))


def given_by(groups, by):
    return given_answer(groups, by, (FIRST, LAST), days_by_seven, TO_COME, {})


class Given(unittest.TestCase):
    def test_totals_agree_with_pandas(self):
        """Reference: pandas groupby over drawn sessions of three groups, by student, group, adult and school."""
        draw = np.random.default_rng(1)
        groups, rows = [], []
        for key in (1, 2, 3):
            members = [f"s{key}{at}" for at in range(5)] + ["both"]
            sessions = []
            for day in range(0, 28, 3):
                there = {one: 30.0 * bool(draw.random() < 0.8) for one in members}
                sessions.append(met(day, *there.items()))
                about = {"group": str(key), "adult": f"A{key % 2}"}
                rows += [{"student": one, "minutes": own, "came": own > 0} | about for one, own in there.items()]
            groups.append(group(key, sessions=sessions, stays=members, adults=(f"A{key % 2}",)))
        table = pd.DataFrame(rows)
        for by in ("student", "group", "adult"):
            found = {one.key: one for one in given_by(groups, by).rows}
            for key, own in table.groupby(by):
                self.assertAlmostEqual(found[key].minutes, own.minutes.sum())
                self.assertEqual((found[key].attended, found[key].held), (own.came.sum(), len(own)))
        self.assertEqual([one.value for one in given_by(groups, "school").rows], ["Osier"])
        self.assertEqual(next(one for one in given_by(groups, "student").rows if one.key == "both").planned, 3 * 90 * 4)

    def test_required_once_however_many_groups(self):
        """Two groups of a tier that requires 90 a week: 90 a week are required, and what both gave counts."""
        two = [
            group(key, required=90.0, sessions=[met(0, ("a", 200.0), minutes=200.0)], stays=("a",)) for key in (1, 2)
        ]
        row = given_by(two, "student").rows[0]
        self.assertEqual((row.required, row.short, row.minutes), (360.0, 0.0, 400.0))

    def test_only_while_a_student_is_in_it(self):
        """Half of the four weeks: half of the plan, and sessions of the other half do not count."""
        stay = Stay("a", FIRST + timedelta(days=14), LAST, None)
        row = given_by([group(sessions=[met(1, ("a", 0.0)), met(20, ("a", 30.0))], stays=(stay,))], "student").rows[0]
        self.assertEqual((row.planned, row.minutes, row.held), (180.0, 30.0, 1))

    def test_when_it_could_be_made_up(self):
        """One more session a week, two where one is not enough, not at all; from a plan above what is required."""
        said = made_up(
            [60.0, 60.0, 900.0, 60.0, 0.0, 60.0],
            [group(), group(until=date(2026, 2, 9)), group(until=date(2026, 3, 1)), group(planned=150.0, required=90.0),
             group(), group(minutes=None)], TO_COME,
        )  # fmt: skip
        self.assertEqual(said[0], "by Feb 13, 2026, with one more session a week")
        self.assertRegex(said[1], "with 2 more sessions a week$")
        self.assertRegex(said[2], "^not before the group ends on Mar 1, 2026, even with 3 more sessions")
        self.assertRegex(said[3], "with the minutes that are planned$")
        self.assertEqual(said[4:], [None, None])

    def test_a_group_that_never_met(self):
        """Nothing of the plan was given; a group without plan or rule is not judged; no group says so."""
        never = given_by([group()], "group")
        self.assertEqual((never.rows[0].share, never.rows[0].sessions), (0.0, 0))
        self.assertIn("Below three quarters of the plan: Group 1", never.lead)
        free = given_by([group(planned=None)], "student").rows[0]
        self.assertEqual((free.planned, free.share, free.short, free.made_up), (None, None, None, None))
        self.assertEqual(given_by([], "student").headline, "No group ran in this period")
        self.assertEqual(shares_of_groups([], days_by_seven), {"given": None, "attended": None})


class Phases(unittest.TestCase):
    def setUp(self):
        self.scores = {"a": [40, 44, 39, 43, 41, 42, 55, 58, 61, 65, 68, 71]}

    def test_the_trend_begins_anew(self):
        """Flat before the change and rising after it: the trend is that of the new phase, the old one stands beside."""
        change = FIRST + timedelta(days=5 * 7)
        goal = {"a": (90.0, date(2026, 6, 1))}
        whole = followed(self.scores, goal).students[0]
        found = followed(self.scores, goal, decided={"a": [(change, "change", "New word work")]}).students[0]
        self.assertEqual((found.n, found.since), (6, change))
        self.assertGreater(found.slope, whole.slope)
        self.assertEqual(len(found.before), 1)
        self.assertAlmostEqual(found.before[0][0].score, np.polyval(np.polyfit(range(6), self.scores["a"][:6], 1), 0))
        self.assertEqual([(one.kind, one.words) for one in found.marks], [("change", "New word work")])
        self.assertEqual(len(found.points), 12)

    def test_what_does_not_change_the_help(self):
        """Stay leaves every figure as it is; a change with no result since says since when it counts."""
        goal = {"a": (90.0, date(2026, 6, 1))}
        plain = followed(self.scores, goal).students[0]
        stay = followed(self.scores, goal, decided={"a": [(FIRST + timedelta(days=40), "stay", "")]}).students[0]
        self.assertEqual((stay.slope, stay.act, stay.since), (plain.slope, plain.act, None))
        new = followed(self.scores, goal, decided={"a": [(FIRST + timedelta(days=80), "pause", "")]}).students[0]
        self.assertRegex(new.said, "^No rule yet: there is no result, counted since the change on Mar 26, 2026")

    def test_joined_later_and_practice(self):
        """The start of the help is marked, minutes are planned from then on; practice stands by week."""
        joined = FIRST + timedelta(days=14)
        practice = {"a": {FIRST: 20.0, date(2025, 1, 6): 9.0}}
        found = followed({"a": [40]}, {}, planned=90.0, period=(FIRST, LAST), joined={"a": joined}, practice=practice)
        one = found.students[0]
        self.assertEqual([(mark.on, mark.kind) for mark in one.marks], [(joined, "start")])
        self.assertEqual(one.given.planned, 180.0)
        self.assertEqual([(week.monday, week.minutes) for week in one.practice], [(FIRST, 20.0)])


class TwoMeasures(unittest.TestCase):
    def compared(self, subject, scores):
        rows = [
            result(10 * at + side, student, f"2025-26 {season}", own[side], subject=subject)
            for at, (student, own) in enumerate(scores.items()) for side, season in enumerate(("fall", "winter"))
            if own[side] is not None
        ]  # fmt: skip
        low = {"assessment": "Tide", "subject": subject, "grade": "4", "season": None, "min_percentile": None}
        bands = [
            low | {"order": 1, "band": "Low", "min_score": None},
            low | {"order": 2, "band": "High", "min_score": 50.0},
        ]
        cuts = pl.DataFrame(bands, schema=CUTS)
        scope = Scope(assessment="Tide", subject=subject, from_window="2025-26 fall", to_window="2025-26 winter",
                      matched=False)  # fmt: skip
        return compare(table_of(rows, cuts=cuts), scope, sentence(scope, norms=False))

    def test_standings_and_moves(self):
        """Counted by hand: who reached what, before and now; a student without one of the two is left out."""
        rate = {"a": (60, 60), "b": (40, 60), "c": (60, 40), "d": (40, 60), "e": (40, 40), "f": (60, 60), "g": (1, 1)}
        sense = {"a": (60, 60), "b": (40, 40), "c": (60, 60), "d": (60, 40), "e": (40, 40), "f": (None, 60)}
        rows = two_measures(self.compared("rate", rate), self.compared("sense", sense), ("Rate", "Sense"), {})
        found = rows.whole
        standing = {one.standing: {student.student_id: student for student in rows.named(one.standing)}
                    for one in found.standings}  # fmt: skip
        self.assertEqual({name: sorted(own) for name, own in standing.items()}, {
            "both": ["a", "f"], "first only": ["b", "d"], "second only": ["c"], "neither": ["e"],
        })  # fmt: skip
        self.assertEqual((found.gained, found.lost, found.crossed, found.same), (1, 1, 1, 2))
        self.assertEqual((found.covered, found.left_out), (6, 1))
        self.assertEqual(standing["first only"]["d"].moved, "crossed")
        self.assertEqual(standing["both"]["f"].before, None)
        self.assertEqual(found.headline, "2 students have reached Rate and not Sense")
        came = {one.standing: one.came for one in found.standings}
        self.assertEqual(came["first only"], {"neither": 1, "second only": 1})
        self.assertEqual([one.student_id for one in rows.named("first only", "neither")], ["b"])

    def test_nobody(self):
        """No student in common: said, nothing is counted."""
        found = two_measures(
            self.compared("rate", {"a": (1, 1)}), self.compared("sense", {"b": (1, 1)}), ("Rate", "Sense"), {}
        ).whole
        self.assertEqual((found.covered, found.headline), (0, "Nobody has results in both measures"))


class TheList(unittest.TestCase):
    def test_every_reason_stands_once_with_the_student(self):
        """The rule's word, too little help, an exit rule met, a review that is due; the most reasons first."""
        falling = {"a": [60 - at for at in range(12)], "b": [40] * 3, "c": [40]}
        answer = followed(falling, {"a": (90.0, date(2026, 6, 1))}, planned=90.0, sessions=[met(0, ("a", 30.0))])
        standing = GroupStanding(1, "Reeds", answer.students, 1)
        reviews = [Review("b", "pause", LAST), Review("c", "stay", LAST + timedelta(days=90))]
        found = suggested([standing], {"b": "Reeds"}, reviews, LAST, {})
        reasons = {one.student_id: one.reasons for one in found}
        self.assertIn("the rule says change the help", reasons["a"])
        self.assertEqual(reasons["b"][0], "review due Feb 1, 2026: pause the help")
        self.assertEqual(reasons["b"][-1], "meets the exit rule of Reeds")
        self.assertEqual(reasons["c"], ["received 0\xa0% of the planned minutes"])
        self.assertEqual(found[0].student_id, "b")
