"""Practice of many, one student's log, and the words of a day: what is counted, said, and left out."""

import unittest
from datetime import date, timedelta

import numpy as np
import pandas as pd
import polars as pl

from bodkin.answers.follow_up.daily import daily_answer
from bodkin.answers.follow_up.practice.log import practice_log_answer
from bodkin.answers.follow_up.practice.many import practice_answer, practice_found
from bodkin.answers.follow_up.practice.seen import PeriodSeen, levels_of, practice_seen, weekly_minutes
from bodkin.answers.follow_up.progress import school_days
from bodkin.core.errors import NotFound
from bodkin.store.reads.practice_data import ENTRIES, GOALS
from bodkin.store.reads.table.score_table import Calendar

FIRST, LAST, TODAY = date(2027, 1, 11), date(2027, 2, 19), date(2027, 2, 5)
SCHOOL = school_days(Calendar(), date(2026, 8, 1), LAST)
LOOKED = PeriodSeen(FIRST, LAST, TODAY, SCHOOL, "quarter 3", "quarter 3")


def entry(student, on, **values):
    plain = {"text": "A text", "minutes": 10.0, "kind": "story", "length": 500.0, "level": 3.0, "help": "by self",
             "items": 5.0, "right": 4.0, "passed": 1.0}  # fmt: skip
    return {"student_id": student, "day": on, **plain, **values}


def seen(*entries):
    return practice_seen(pl.DataFrame(list(entries), schema=ENTRIES))


def students(*ids, grade="4"):
    return pl.DataFrame(
        [{"student_id": one, "school": "Osier", "grade": grade, "section": "4 Teal"} for one in ids],
        schema=dict.fromkeys(("student_id", "school", "grade", "section"), pl.String),
    )


def goals(*rows):
    return pl.DataFrame(list(rows), schema=GOALS, orient="row")


def drawn(seed=5, n=400):
    draw = np.random.default_rng(seed)
    return [
        entry(f"s{draw.integers(0, 20)}", FIRST + timedelta(days=int(draw.integers(-30, 45))),
              minutes=float(draw.integers(3, 30)) if draw.random() < 0.9 else None,
              kind=str(draw.choice(["story", "fact"])), items=8.0, right=float(draw.integers(2, 9)))
        for _ in range(n)
    ]  # fmt: skip


class Many(unittest.TestCase):
    def test_without_a_value_last_either_way(self):
        """Who read without a question has no accuracy: last when the best come first, and last when the worst do."""
        rows = [entry("none", TODAY, items=None, right=None), entry("low", TODAY, right=1.0),
                entry("high", TODAY, right=5.0), entry("middle", TODAY, right=3.0)]  # fmt: skip
        names = {one: (one, "A") for one in ("none", "low", "high", "middle")}
        found = practice_found(students("none", "low", "high", "middle"), seen(*rows), goals(), LOOKED, names)
        for down, wanted in ((True, ["high", "middle", "low", "none"]), (False, ["low", "middle", "high", "none"])):
            page = found.page("accuracy", down)
            self.assertEqual([one.student_id for one in page.students], wanted)
            self.assertIsNone(page.students[-1].accuracy)

    def test_figures_agree_with_pandas(self):
        """Reference: pandas over the entries of the period up to today, by student and by kind."""
        rows = drawn()
        found = practice_answer(students(*(f"s{at}" for at in range(20))), seen(*rows), goals(), LOOKED, {})
        table = pd.DataFrame(rows)
        now = table[(table.day >= FIRST) & (table.day <= TODAY)]
        for one in found.students:
            mine = now[now.student_id == one.student_id]
            self.assertEqual(one.entries, len(mine))
            self.assertAlmostEqual(one.minutes or 0, mine.minutes.sum())
            if len(mine):
                self.assertAlmostEqual(one.accuracy, mine.right.sum() / mine["items"].sum())
        share = now.groupby("kind").minutes.sum() / now.minutes.sum()
        for part in found.by_kind:
            own = now[now.kind == part.label]
            self.assertAlmostEqual(part.share, share[part.label])
            self.assertAlmostEqual(part.accuracy, own.right.sum() / own["items"].sum())
        shared = {one.reason: one.n for one in found.reasons}
        for reason, n in shared.items():
            self.assertEqual(n, sum(reason in one.reasons for one in found.students))

    def test_who_never_practiced_is_counted_and_not_judged(self):
        """Nobody without entry or goal stands in the list; with a goal and no entry one is too little."""
        found = practice_answer(
            students("a", "b", "c"), seen(entry("a", TODAY)), goals(("b", 0.8, 100.0, None, None)), LOOKED, {}
        )
        self.assertEqual((found.covered, found.never), (2, 1))
        b = next(one for one in found.students if one.student_id == "b")
        self.assertEqual(b.reasons, ["not seen", "amount low"])
        nothing = practice_answer(students("c"), seen(entry("a", TODAY)), goals(), LOOKED, {})
        self.assertEqual((nothing.headline, nothing.students), ("No practice in this period", []))
        nobody = practice_answer(students(), seen(), goals(), LOOKED, {})
        self.assertEqual(nobody.headline, "No practice in this period")

    def test_days_of_one_s_own_take_their_part_of_the_goals(self):
        """Half of the marking period: half of its minutes, which is said."""
        half = PeriodSeen(FIRST, LAST, TODAY, SCHOOL, "own days", "quarter 3", 0.5)
        found = practice_answer(students("a"), seen(entry("a", TODAY)), goals(("a", None, 100.0, None, None)), half, {})
        self.assertEqual(found.students[0].minutes_goal, 50.0)
        self.assertIn("this part of the goals of quarter 3", found.lead)

    def test_strong_readers_could_try_something_else(self):
        """Sure of the accuracy goal, the minutes due there, nothing off; one kind only is no bar."""
        rows = [entry("a", FIRST + timedelta(days=7 * at), minutes=40.0, items=20.0, right=20.0) for at in range(4)]
        rows += [entry("b", TODAY, minutes=5.0, items=20.0, right=20.0)]
        found = practice_found(
            students("a", "b"), seen(*rows), goals(*((one, 0.8, 100.0, 2.0, 4.0) for one in "ab")), LOOKED, {}
        )
        self.assertEqual(found.whole.strong, 1)
        self.assertEqual([one.student_id for one in found.named(strong=True)], ["a"])

    def test_a_kind_that_goes_worse_at_a_grade_is_said(self):
        """Fourteen students do worse on one kind; where nothing is planted nothing is said."""

        def rows(drop):
            draw = np.random.default_rng(2)
            return [
                entry(f"s{one}", FIRST + timedelta(days=at), kind=kind, items=10.0,
                      right=float(draw.binomial(10, 0.85 - drop * (kind == "fact"))))
                for one in range(14) for at, kind in enumerate(["fact", "story"] * 5)
            ]  # fmt: skip

        who = students(*(f"s{one}" for one in range(14)))
        found = practice_found(pl.concat([who, students("t", grade="5")]), seen(*rows(0.3), entry("t", TODAY)), goals(),
                               LOOKED, {})  # fmt: skip
        planted = found.whole.patterns
        self.assertEqual([(one.kind, one.n, one.students) for one in planted], [("fact", 14, 14)])
        self.assertEqual({one.student_id for one in found.named(pattern=0)}, set(who["student_id"]))
        with self.assertRaises(NotFound):
            found.named(pattern=1)
        self.assertRegex(planted[0].sentence, r"^Grade 4 at Osier: texts of the kind fact go worse, \d+")
        self.assertLess(planted[0].high, 0)
        self.assertEqual(practice_answer(who, seen(*rows(0.0)), goals(), LOOKED, {}).patterns, [])

    def test_rows_in_any_order_and_as_many_as_asked_for(self):
        """As people sort: numbers by size, accents and capitals aside, what is missing last either way."""
        places = {"a": ("10 Avocet", "Émile", 9.0), "b": ("4 Curlew", "emma", None), "c": (None, "Ebba", 2.0),
                  "d": ("4 Avocet", "Zoe", 5.0)}  # fmt: skip
        who = students(*places).with_columns(section=pl.Series([one[0] for one in places.values()]))
        names = {one: ("", name) for one, (_, name, _) in places.items()}
        rows = [entry(one, TODAY, level=level) for one, (*_, level) in places.items()]
        found = practice_found(who, seen(*rows, entry("b", TODAY)), goals(), LOOKED, names)
        for by, down, wanted in (
            ("name", False, "cabd"), ("name", True, "dbac"), ("level", False, "cbda"), ("level", True, "adbc"),
            ("section", False, "dbac"), ("entries", True, "bcda"), ("reasons", True, "cdba"),
        ):  # fmt: skip
            with self.subTest(by=by, down=down):
                self.assertEqual("".join(one.student_id for one in found.page(by, down).students), wanted)
                self.assertEqual("".join(one.student_id for one in found.page(by, down, 2).students), wanted[:2])
        self.assertEqual((found.page(n=0).covered, found.page(n=0).students), (4, []))

    def test_the_students_behind_a_count(self):
        """As many as the answer says for each reason, and all of them where nothing is asked."""
        who = students(*(f"s{at}" for at in range(20)))
        every = goals(*((f"s{at}", 0.9, 200.0, 2.0, 2.5) for at in range(20)))
        found = practice_found(who, seen(*drawn()), every, LOOKED, {})
        self.assertGreater(len(found.whole.reasons), 2)
        for one in found.whole.reasons:
            named = found.named(one.reason)
            self.assertEqual(len(named), one.n)
            self.assertTrue(all(one.reason in student.reasons for student in named))
        self.assertEqual(len(found.named()), found.whole.covered)

    def test_levels_and_weeks(self):
        """The median level of the year before; minutes by the Monday of the week."""
        log = seen(
            entry("a", date(2026, 12, 1), level=2.0), entry("a", date(2026, 12, 2), level=4.0),
            entry("a", TODAY, level=9.0), entry("b", TODAY, level=5.0), entry("c", TODAY, level=None),
        )  # fmt: skip
        self.assertEqual(levels_of(log, ["a", "b", "c", "d"], FIRST), {"a": 3.0, "b": 5.0})
        found = weekly_minutes(log, ["a", "d"], date(2026, 12, 1), TODAY)
        self.assertEqual(found, {"a": {date(2026, 11, 30): 20.0, date(2027, 2, 1): 10.0}})


class OneLog(unittest.TestCase):
    def test_patterns_with_their_evidence(self):
        """Claimed first with its evidence; what cannot be told says what is needed; entries the latest first."""
        rows = [
            entry("a", FIRST + timedelta(days=at), length=100.0 * at, items=10.0, right=10.0 - at % 10, text=f"T{at}")
            for at in range(12)
        ]
        rows[10]["right"], rows[11]["right"] = 1.0, 1.0
        found = practice_log_answer(seen(*rows, entry("b", TODAY)), "a", LOOKED, (None, None), {"a": ("Ray", "Ann")})
        self.assertEqual((found.name, found.n), ("Ann Ray", 12))
        self.assertTrue(found.headline.startswith("Longer texts go worse"))
        first = found.patterns[0]
        self.assertTrue(first.claimed)
        self.assertRegex(first.evidence, r"points right for 100 more words \(.* to .*\); 12 entries")
        self.assertEqual(found.entries[0].text, "T11")
        self.assertEqual(sum(week.minutes for week in found.weeks), 120.0)

    def test_alone_by_the_log_s_own_word(self):
        """A log that writes Independent is compared with its helped entries; one without such a word is not."""
        for word, told in (("Independent", True), ("with Bo", None)):
            rows = [
                entry("a", FIRST + timedelta(days=at), help=word if at % 2 else "shared", items=10.0,
                      right=5.0 + at % 3 if at % 2 else 9.0 + at % 4 / 4)
                for at in range(16)
            ]  # fmt: skip
            found = practice_log_answer(seen(*rows), "a", LOOKED, (None, None), {})
            self.assertEqual(next(one.claimed for one in found.patterns if one.name == "help"), told)

    def test_little_says_little(self):
        """One entry, none, somebody unknown to the log."""
        for student, n in (("a", 1), ("b", 0)):
            found = practice_log_answer(seen(entry("a", TODAY)), student, LOOKED, (None, None), {})
            self.assertEqual(found.n, n)
            self.assertFalse(any(one.claimed for one in found.patterns))


class Daily(unittest.TestCase):
    def words(self, day, log=(), results=(), sessions=(), said=None, goals=None):
        columns = ("student_id", "assessment", "tested_on", "score", "line")
        kinds = (pl.String, pl.String, pl.Date, pl.Float64, pl.Int64)
        frame = pl.DataFrame(list(results), schema=dict(zip(columns, kinds, strict=True)), orient="row")
        rows = [(1, "Reeds", on, student, spent) for on, there in sessions for student, spent in there.items()]
        kinds = {"group": pl.Int64, "name": pl.String, "day": pl.Date, "student_id": pl.String, "minutes": pl.Float64}
        attended = pl.DataFrame(rows, schema=kinds, orient="row")
        school = SCHOOL[np.datetime64(day) >= SCHOOL]
        weekly = [(frame, goals or {})]
        return daily_answer(["a", "b"], day, school, seen(*log), weekly, attended, said or {}, {})

    def test_nothing_repeats(self):
        """Over forty days every event stands on one day only, whatever the student did."""
        draw = np.random.default_rng(4)
        days = [day.item() for day in SCHOOL if FIRST <= day.item() <= LAST]
        log = [entry("a", day, passed=float(draw.random() < 0.6)) for day in days if draw.random() < 0.9]
        results = [("a", "Minute", day, float(draw.normal(60 + at, 5)), at) for at, day in enumerate(days[::3])]
        sessions = [(day, {"a": 30.0 * (draw.random() < 0.6), "b": 30.0}) for day in days]
        seen_about = []
        for day in days:
            found = self.words(day, log, results, sessions)
            seen_about += [(one.student_id, one.about) for one in (*found.needs, *found.earned)]
        self.assertGreater(len(seen_about), 10)
        self.assertEqual(len(seen_about), len(set(seen_about)))

    def test_away_for_two_weeks_and_back(self):
        """On the tenth school day without an entry, once; back on the day of the next entry."""
        log = [entry("a", date(2027, 1, 11)), entry("a", date(2027, 2, 3))]
        self.assertEqual(self.words(date(2027, 1, 22), log[:1]).needs, [])
        tenth = self.words(date(2027, 1, 25), log[:1])
        self.assertEqual([one.sentence for one in tenth.needs], ["No practice for 10 school days, since Jan 11, 2027"])
        self.assertEqual(self.words(date(2027, 1, 26), log[:1]).needs, [])
        back = self.words(date(2027, 2, 3), log)
        self.assertEqual([one.sentence for one in back.earned], ["Practices again after 16 school days without"])

    def test_results_and_sessions(self):
        """Best so far, a goal reached before it, missed two in a row; said words are marked."""
        weeks = [date(2027, 1, 8) + timedelta(days=7 * at) for at in range(5)]
        results = [("a", "Minute", day, 60.0 + at, at) for at, day in enumerate(weeks)]
        best = self.words(weeks[-1], results=results)
        self.assertEqual([one.sentence for one in best.earned], ["Best result so far: 64"])
        goal = self.words(weeks[-1], results=results, goals={"a": 64.0})
        self.assertEqual([one.sentence for one in goal.earned], ["Reached the goal of 64: 64"])
        sessions = [(day, {"a": 0.0, "b": 30.0}) for day in weeks[:2]]
        missed = self.words(weeks[1], sessions=sessions)
        self.assertEqual(
            [(one.student_id, one.sentence) for one in missed.needs], [("a", "Missed 2 or more sessions in a row")]
        )
        said = self.words(weeks[1], sessions=sessions, said={("a", missed.needs[0].about): weeks[1]})
        self.assertEqual(said.needs[0].said_on, weeks[1])
        without = [*sessions, (weeks[2], {"b": 30.0})]
        self.assertEqual(self.words(weeks[2], sessions=without).needs, [])
        self.assertEqual(self.words(weeks[2]).headline, "Nobody needs a word today")
