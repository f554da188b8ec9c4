"""What the Check step looks at, on frames of a few students: rosters and plans by the day, windows, decisions."""

import unittest
from collections import Counter
from dataclasses import replace
from datetime import date, datetime, timedelta

import numpy as np
import polars as pl

from bodkin.answers.check.doubts import doubts_of
from bodkin.answers.check.sittings import entitled_to, window_sittings
from bodkin.answers.check.step import check_answer, check_line, looked_at
from bodkin.answers.scope.scope import Scope
from bodkin.store.reads.check_data import ROSTER, SITTINGS, CheckData
from bodkin.store.reads.table.score_table import CUTS, GROWTH_NORMS, NORMS, RESULTS, Calendar, ScoreTable, empty

FALL, WINTER, SPRING = "2026-27 fall", "2026-27 winter", "2026-27 spring"
LAST_SPRING = "2025-26 spring"
WINDOWS = {
    LAST_SPRING: (date(2026, 5, 4), date(2026, 5, 22)),
    FALL: (date(2026, 9, 7), date(2026, 10, 2)),
    WINTER: (date(2027, 1, 11), date(2027, 2, 5)),
    SPRING: (date(2027, 4, 19), date(2027, 5, 14)),
}
TODAY = date(2027, 2, 12)
SPAN = {"first_day": pl.Date, "last_day": pl.Date}


def sitting(key, student, window=WINTER, **more):
    row = dict.fromkeys(SITTINGS) | {
        "result_id": key, "student_id": student, "window": window, "tested_on": WINDOWS[window][0], "grade": "4",
        "language": "English", "score": 500.0, "standard_error": 10.0, "minutes": 40.0,
    }  # fmt: skip
    return row | more


def place(student, section="4A", **more):
    return dict.fromkeys(ROSTER) | {"student_id": student, "section": section, "grade": "4"} | more


def data(sittings, roster, *, programs=(), entitled=()):
    text = pl.String
    return CheckData(
        pl.DataFrame(sittings, schema=SITTINGS, orient="row"),
        {"2026-27": pl.DataFrame(roster, schema=ROSTER, orient="row")},
        pl.DataFrame(programs, schema={"student_id": text, "program": text} | SPAN, orient="row"),
        pl.DataFrame(entitled, schema={"student_id": text, "accommodation": text} | SPAN, orient="row"),
        pl.DataFrame(schema={"student_id": text, "window_id": pl.Int64, "reason": text, "window": text}),
        pl.DataFrame(schema={"id": pl.Int64, "student_id": text, "window": text, "why": text, "accommodations": text,
                             "asked_by": text, "asked_at": pl.Datetime, "state": text}),
        pl.DataFrame(schema={"result_id": pl.Int64, "state": text, "state_why": text, "state_by": text}),
    )  # fmt: skip


TABLE = ScoreTable(empty(RESULTS), empty(NORMS), empty(GROWTH_NORMS), empty(CUTS), Calendar({}, WINDOWS))


def scope(**more):
    return Scope(**({"assessment": "T", "subject": "r", "from_window": FALL, "to_window": WINTER} | more))


class Looked(unittest.TestCase):
    def check(self, answer, today=TODAY, **more):
        return check_answer(TABLE, scope(**more), answer, {}, today)

    def expected(self, answer, today=TODAY, **more):
        return sorted(window_sittings(TABLE, scope(**more), answer, today).roster["student_id"])

    def test_the_line_of_the_rail_says_what_the_step_says(self):
        """Tested, missing for a reason and missing: the same numbers and sentences, told without the classes."""
        rows = [place("a"), place("b"), place("c"), place("late", since=date(2027, 1, 18))]
        for sat in ([], ["a"], ["a", "b", "c"], ["a", "b", "c", "late"]):
            answer = data([sitting(at, student) for at, student in enumerate(sat, 1)], rows)
            line, step = check_line(TABLE, scope(), answer, {}, TODAY), self.check(answer)
            waiting = f"{step.waiting} not tested" if step.waiting else "all accounted for"
            self.assertEqual((line.line, line.finding), (waiting, f"{step.headline}. {step.lead}"), sat)
        nobody = check_line(TABLE, scope(), data([], []), {}, TODAY)
        self.assertEqual(nobody.line, "nobody expected")

    def test_what_home_needs_is_a_part_of_every_doubtful_result(self):
        """Too fast and far below, in the order of the step; of thousands only those are put into words."""
        rows, sittings = [], []
        for at in range(12):
            student = f"s{at:02}"
            rows.append(place(student))
            # Two windows before tell what is fast for the student.
            sittings.append(sitting(3 * at, student, LAST_SPRING))
            sittings.append(sitting(3 * at + 1, student, FALL, score=520.0 + at))
            # Every third is fast, every second falls: a sixth does both.
            more = {"minutes": 2.0 if at % 3 == 0 else 40.0, "score": 400.0 - at if at % 2 == 0 else 521.0 + at}
            sittings.append(sitting(3 * at + 2, student, WINTER, **more))
        answer = data(sittings, rows)
        looked, step = looked_at(TABLE, scope(), answer, {}, TODAY), self.check(answer)
        self.assertEqual(looked.doubts, step.doubts)
        self.assertEqual([one.student_id for one in looked.both], ["s06", "s00"])
        self.assertEqual(looked.both, [one for one in step.doubts if one.both])
        self.assertEqual({one.student_id for one in step.doubts if not one.both},
                         {"s02", "s03", "s04", "s08", "s09", "s10"})  # fmt: skip
        self.assertEqual(looked.pending, looked.both)

    def test_who_left_or_came_later_is_not_expected(self):
        """A student who left before the window's last day, or came after it, is not missing."""
        rows = [place("a"), place("left", until=date(2027, 1, 20)), place("later", since=date(2027, 2, 8)),
                place("came", since=date(2027, 1, 18))]  # fmt: skip
        answer = self.check(data([sitting(1, "a")], rows))
        self.assertEqual((answer.expected, answer.tested, answer.excused, answer.waiting), (2, 1, 1, 0))
        self.assertEqual([one.reason for one in answer.classes[0].missing], ["newly arrived"])

    def test_one_student_of_two_classes_is_expected_once_in_the_home_class(self):
        """A second class of a subject does not count the student twice."""
        rows = [place("a", "Maths 1", kind="subject"), place("a", "4A", kind="home")]
        self.assertEqual([one.section for one in self.check(data([], rows)).classes], ["4A"])

    def test_grades_that_do_not_sit_the_test_are_not_expected(self):
        """Nobody is missing in a grade in which nobody has a result."""
        rows = [place("a"), place("b", grade="9")]
        self.assertEqual(self.expected(data([sitting(1, "a")], rows)), ["a"])

    def test_a_window_to_come_leaves_the_earlier_one_to_be_checked(self):
        """Before the later window opens, the step checks the earlier one."""
        answer = data([sitting(1, "a")], [place("a")])
        later = {"from_window": WINTER, "to_window": SPRING}
        self.assertEqual(self.check(answer, **later).window, WINTER)
        self.assertEqual(self.check(answer, date(2027, 4, 20), **later).window, SPRING)
        self.assertTrue(self.check(answer, date(2027, 4, 20), **later).open)

    def test_programs_and_plans_hold_between_their_days(self):
        """A plan that has ended, or has not begun, entitles to nothing."""
        spans = [("a", date(2026, 8, 1), date(2027, 6, 30)), ("b", None, date(2026, 12, 31)), ("c", None, None),
                 ("d", date(2027, 3, 1), None)]  # fmt: skip
        answer = data([], [place(who) for who, *_ in spans], programs=[(w, "P", f, t) for w, f, t in spans],
                    entitled=[(w, "Time", f, t) for w, f, t in spans])  # fmt: skip
        self.assertEqual(self.expected(answer, program=("P",)), ["a", "c"])
        self.assertEqual(self.expected(answer, program=("none",)), ["b", "d"])
        self.assertEqual(sorted(entitled_to(answer, TODAY)), ["a", "c"])

    def test_who_sat_without_what_the_plan_promises(self):
        """Only accommodations that the plan names and the test lacked are listed."""
        answer = data([sitting(1, "a", accommodations="Room"), sitting(2, "b", accommodations="Room;Time")],
                    [place("a"), place("b")],
                    entitled=[(who, name, None, None) for who in "ab" for name in ("Room", "Time")])  # fmt: skip
        self.assertEqual([(one.student_id, one.used) for one in self.check(answer).without], [("a", "Room")])

    def test_a_result_set_aside_leaves_its_student_to_chase(self):
        """A student whose only result is set aside counts as not tested."""
        answer = data([sitting(1, "a")], [place("a")])
        self.assertEqual(self.check(answer).waiting, 0)
        row = {"result_id": 1, "state": "set aside", "state_why": "x", "state_by": "M"}
        aside = replace(answer, states=pl.DataFrame([row], schema=answer.states.schema))
        self.assertEqual(self.check(aside).waiting, 1)

    def test_both_too_fast_and_far_below_stands_before_one_of_the_two(self):
        """Twenty alike, one fast and far below, one only far below: 500 to 450 is 3.5 errors of the difference."""
        before = [sitting(at, f"s{at}", FALL) for at in range(22)]
        before += [sitting(200 + at, f"s{at}", LAST_SPRING) for at in range(22)]
        now = [sitting(100 + at, f"s{at}") for at in range(20)]
        now += [sitting(120, "s20", score=450.0, minutes=5.0), sitting(121, "s21", score=450.0)]
        answer = self.check(data(before + now, [place(f"s{at}") for at in range(22)]))
        self.assertEqual([(one.student_id, one.both) for one in answer.doubts], [("s20", True), ("s21", False)])
        self.assertAlmostEqual(answer.doubts[0].change, -50 / (10**2 + 10**2) ** 0.5)
        self.assertEqual((answer.doubts[0].own_median, answer.rushed), (40.0, []))

    def test_a_class_of_which_a_third_was_too_fast_is_named(self):
        """From a third of the tests on, the class is named and not only its students."""
        before = [sitting(at, f"s{at}", FALL) for at in range(18)]
        before += [sitting(200 + at, f"s{at}", LAST_SPRING) for at in range(18)]
        now = [sitting(100 + at, f"s{at}", section="4A", minutes=5.0 if at < 6 else 40.0) for at in range(18)]
        answer = self.check(data(before + now, [place(f"s{at}") for at in range(18)]))
        self.assertEqual([(one.section, one.fast, one.tested) for one in answer.rushed], [("4A", 6, 18)])

    def test_classes_agree_with_a_walk_from_student_to_student(self):
        """Every class of a random district counted one student at a time: expected, tested, excused, grade, names."""
        rng = np.random.default_rng(12)
        first = WINDOWS[WINTER][0]
        rows, sat, said = [], [], []
        for at in range(240):
            school, section = rng.choice(["North", "South"]), rng.choice(["1", "2", "3", None])
            since = [None, first - timedelta(days=9), first + timedelta(days=3)][rng.integers(3)]
            grade = rng.choice(["4", "4", "5", None])
            rows.append(
                place(f"s{at:03}", section, school=str(school), grade=grade, since=since, teacher=f"T{section}")
            )
            if rng.random() < 0.7:
                sat.append(sitting(at, f"s{at:03}", grade=grade))
            if rng.random() < 0.3:
                said.append((f"s{at:03}", None, str(rng.choice(["absent", ""])), WINTER))
        found = replace(data(sat, rows), reasons=pl.DataFrame(said, schema=data([], []).reasons.schema, orient="row"))
        reasons, tested = {one[0]: one[2] for one in said}, {one["student_id"] for one in sat}
        classes = {}
        for row in rows:
            classes.setdefault((row["school"], row["section"]), []).append(row)
        answer = self.check(found)
        self.assertEqual(len(answer.classes), len(classes))
        for line in answer.classes:
            mine = classes[line.school, None if line.section == "without a class" else line.section]
            self.assertEqual((line.expected, line.teacher), (len(mine), mine[0]["teacher"]))
            self.assertEqual(line.tested, sum(row["student_id"] in tested for row in mine))
            away = {}
            for row in mine:
                who = row["student_id"]
                if who not in tested:
                    late = row["since"] is not None and row["since"] > first
                    away[who] = (reasons.get(who) or ("newly arrived" if late else None), who in reasons)
            self.assertEqual({one.student_id: (one.reason, one.recorded) for one in line.missing}, away)
            self.assertEqual(line.excused, sum(reason is not None for reason, _ in away.values()))
            # Those to follow up come before those with a reason, each by name.
            order = [(one.reason is not None, one.name) for one in line.missing]
            self.assertEqual(order, sorted(order))
            grades = Counter(row["grade"] for row in mine if row["grade"] is not None)
            self.assertEqual(grades[line.grade], max(grades.values()))
        chase = [line.expected - line.tested - line.excused for line in answer.classes]
        self.assertEqual(chase, sorted(chase, reverse=True))
        self.assertEqual(answer.waiting, sum(chase))

    def test_a_retest_says_whether_its_student_sat_since(self):
        """In any window, and in the language looked at."""
        asked = [
            (1, who, WINTER, "fast", None, "M", datetime(2027, 1, 20), "open") for who in ("again", "not", "spanish")
        ]
        later = date(2027, 1, 25)
        sat = [sitting(at, who) for at, who in enumerate(("again", "not", "spanish", "other"))]
        sat += [sitting(10, "again", tested_on=later), sitting(11, "spanish", tested_on=later, language="Spanish")]
        answer = data(sat, [place(who) for who in ("again", "not", "spanish", "other")])
        answer = replace(answer, retests=pl.DataFrame(asked, schema=answer.retests.schema, orient="row"))
        since = {one.student_id: one.sat_since for one in self.check(answer).retests}
        self.assertEqual(since, {"again": True, "not": False, "spanish": True})
        since = {one.student_id: one.sat_since for one in self.check(answer, language="English").retests}
        self.assertEqual(since, {"again": True, "not": False, "spanish": False})

    def test_the_last_result_before_is_the_latest_by_day(self):
        """Of several in one window, in whatever order they came; each language has its own, what is set aside none."""
        late, later = (WINDOWS[FALL][0] + timedelta(days=at) for at in (3, 9))
        before = [
            sitting(9, "a", LAST_SPRING, score=470.0), sitting(5, "a", FALL, score=480.0, tested_on=later),
            sitting(6, "a", FALL, score=410.0, tested_on=late), sitting(7, "a", FALL, score=420.0, tested_on=None),
            sitting(8, "b", FALL, score=450.0, language="Spanish"), sitting(4, "b", LAST_SPRING, score=455.0),
            sitting(3, "c", FALL, score=460.0, state="set aside"),
        ]  # fmt: skip
        found = doubts_of(data([*before, *(sitting(at, who) for at, who in enumerate("abc", 20))], []), WINTER)
        last = dict(zip(found["student_id"], found.select("last_score", "last_window").rows(), strict=True))
        self.assertEqual(last, {"a": (480.0, FALL), "b": (455.0, LAST_SPRING), "c": (None, None)})

    def test_only_those_with_several_sittings_stand_side_by_side(self):
        """Two in one language are several, one in each of two is not; the last counts unless it is set aside."""
        later = date(2027, 1, 25)
        sat = [sitting(1, "twice"), sitting(2, "twice", score=530.0, tested_on=later), sitting(3, "once"),
               sitting(4, "both"), sitting(5, "both", language="Portuguese")]  # fmt: skip
        found = data(sat, [place(who) for who in ("twice", "once", "both")])
        answer = self.check(found)
        self.assertEqual([(one.student_id, one.difference) for one in answer.several], [("twice", 30.0)])
        # 30 points of an error of sqrt(10^2 + 10^2) = 14.1 each: 2.12 errors, beyond 1.96.
        self.assertTrue(answer.several[0].beyond)
        self.assertEqual([one.counts for one in answer.several[0].sittings], [False, True])
        row = {"result_id": 2, "state": "set aside", "state_why": "x", "state_by": "M"}
        aside = self.check(replace(found, states=pl.DataFrame([row], schema=found.states.schema)))
        self.assertEqual([one.counts for one in aside.several[0].sittings], [True, False])
        self.assertEqual([one.student_id for one in answer.languages], ["both"])
