"""Every story planted in the invented district is found again, with nothing but its data and the core."""

import unittest
from collections import Counter
from datetime import date

import numpy as np
import polars as pl

from bodkin.answers.comparison.comparison import Comparison, compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.needs.evidence import POINTS, pieces_of_evidence
from bodkin.answers.scope.scope import Scope
from bodkin.core.check.credibility import doubt, language_or_skill, two_sittings
from bodkin.core.follow_up.dosage import dosage
from bodkin.core.follow_up.matched_comparison import matched_comparison
from bodkin.core.follow_up.trend import aim_line, next_step, trend
from bodkin.core.needs.items import item_figures, item_flags
from bodkin.core.needs.mastery import STATES
from bodkin.core.needs.standards import path_to, prerequisite_graph, weigh
from bodkin.core.scores.gap import gap
from bodkin.demo.district import SIGN_INS
from bodkin.exchange.plain.import_rows import rows_out
from bodkin.exchange.plain.row_files import ROW_FILES
from bodkin.store.reads.load_needs import load_needs
from bodkin.store.reads.table.load import load_score_table
from tests.support import stage

FALL, WINTER = "2026-27 fall", "2026-27 winter"


class Stories(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        with stage.demo().reading() as session:
            cls.table = load_score_table(session)
            cls.rows = {name: rows_out(session, kind) for name, kind in ROW_FILES.items()}
            cls.minutes = pl.DataFrame(
                [tuple(row) for row in session.connection().exec_driver_sql("SELECT id, minutes FROM result")],
                schema={"line": pl.Int64, "minutes": pl.Float64},
                orient="row",
            )

    def compared(self, subject: str, first: str = FALL, second: str = WINTER, **more) -> Comparison:
        scope = Scope(assessment="Saltgauge", subject=subject, from_window=first, to_window=second, **more)
        return compare(self.table, scope)

    def doubts(self, subject: str) -> pl.DataFrame:
        """Doubts about this winter's results, grade by grade."""
        mine = self.table.results.filter(
            (pl.col("subject") == subject) & (pl.col("assessment") == "Saltgauge") & (pl.col("language") == "English")
        ).join(self.minutes, on="line")
        counted = mine.filter(pl.col("window").is_not_null()).sort("tested_on", "line")
        counted = counted.unique(["student_id", "window"], keep="last", maintain_order=True)
        wide = counted.pivot("window", index="student_id", values="minutes")
        now = counted.filter(pl.col("window") == WINTER).join(wide, on="student_id")
        before = counted.filter(pl.col("window") == FALL).select(
            "student_id", pl.col("score").alias("last_score"), pl.col("standard_error").alias("last_error")
        )
        now = now.join(before, on="student_id", how="left")
        parts = []
        for _, grade in now.group_by("grade", maintain_order=True):
            found = doubt(
                grade["minutes"].to_numpy(),
                grade.select(set(wide.columns) - {"student_id", WINTER}).to_numpy().astype(float),
                grade["score"].to_numpy(),
                grade["standard_error"].to_numpy(),
                grade["last_score"].fill_null(float("nan")).to_numpy(),
                grade["last_error"].fill_null(float("nan")).to_numpy(),
            )
            parts.append(grade.with_columns(fast=found.too_fast, retest=found.retest, change=found.change))
        return pl.concat(parts)

    def test_reading_of_grade_4_at_saltgrass_fell_after_a_strong_fall(self):
        """The core finds the planted fall in distance from expected."""
        grade = summarise(self.compared("reading", grade=("4",), by="school"))
        by_school = {row.value: row for row in grade.by}
        fell = by_school["Saltgrass Primary"]
        self.assertLess(fell.movement.net, 0)
        self.assertLess(fell.growth.mean_gain, fell.growth.mean_expected - 3)
        others = [row for name, row in by_school.items() if name != "Saltgrass Primary"]
        for other in others:
            self.assertGreater(other.growth.met_share, fell.growth.met_share + 0.1)
            # The fall had been strong: more of them at or above the third band than elsewhere.
            self.assertGreater(fell.bands[2].from_at_or_above, other.bands[2].from_at_or_above)

    def test_one_class_rushed_its_winter_test_in_mathematics(self):
        """Most doubts about speed in that window are of one class."""
        doubts = self.doubts("mathematics")
        share = doubts.group_by("section").agg(pl.col("fast").mean(), pl.len()).filter(pl.col("len") >= 10)
        first, second = share.sort("fast", descending=True).head(2).iter_rows(named=True)
        self.assertEqual(first["section"], "7 Yawl")
        self.assertGreater(first["fast"], 0.6)
        self.assertLess(second["fast"], 0.3)
        retests = Counter(doubts.filter(pl.col("retest"))["section"])
        self.assertEqual(retests.most_common(1)[0][0], "7 Yawl")

    def test_one_wild_outlier_stands_out_of_all_reading_results(self):
        """One change is far beyond every other."""
        doubts = self.doubts("reading").filter(pl.col("retest")).sort("change")
        worst = doubts.row(0, named=True)
        self.assertEqual((worst["grade"], worst["minutes"]), ("8", 4.0))
        self.assertLess(worst["change"], -5)
        self.assertEqual(doubts.height, 1)

    def test_multilingual_learners_read_far_better_in_portuguese(self):
        """The difference of the two languages is beyond its error for most."""
        winter = self.table.results.filter(
            (pl.col("assessment") == "Saltgauge") & (pl.col("subject") == "reading") & (pl.col("window") == WINTER)
        )
        home = winter.filter(pl.col("language") == "Portuguese")
        english = winter.filter(pl.col("language") == "English").unique("student_id", keep="last", maintain_order=True)
        both = home.join(english, on="student_id", suffix="_english")
        self.assertGreater(both.height, 40)
        self.assertTrue(both["programs"].list.contains("Multilingual learner").all())
        gap = two_sittings(both["score"], both["standard_error"], both["score_english"], both["standard_error_english"])
        short = [(490 - both[f"score{side}"]) / both[f"standard_error{side}"] for side in ("", "_english")]
        needs = Counter(language_or_skill(gap, *short, 40.0))
        self.assertGreater(needs["language"] / both.height, 0.7)
        self.assertLess(needs["skill"], needs["language"] / 10)

    def test_place_value_is_the_missing_ground_under_decimals_at_causeway(self):
        """The weight of the skill leads the list of what to teach first."""
        rests_on: dict[str, set[str]] = {code: set() for code in self.rows["standards"]["code"]}
        for code, below in self.rows["prerequisites"].iter_rows():
            rests_on[code].add(below)
        graph = prerequisite_graph(rests_on)
        fifth = self.compared("mathematics", grade=("5",)).students.select("student_id", "school")
        with stage.demo().reading() as session:
            data = load_needs(session, stage.TODAY)
        points = pieces_of_evidence(data, sources=(POINTS,)).with_columns(
            state=pl.col("code").replace_strict(dict(enumerate(STATES)), return_dtype=pl.String)
        )
        said = points.join(fifth, on="student_id").filter(pl.col("state").is_in(STATES[:3]))
        lacking = said.filter(pl.col("state") == "not yet").group_by("school", "standard").agg(pl.len())
        size = dict(fifth.group_by("school").agg(pl.len()).iter_rows())
        share = {(school, one): n / size[school] for school, one, n in lacking.iter_rows()}
        for standard in ("M3-NP-2", "M4-NP-1", "M5-NP-1"):
            for school in ("Osier Bank Primary", "Saltgrass Primary"):
                here, there = share["Causeway Intermediate", standard], share.get((school, standard), 0.0)
                self.assertGreater(here, there + 0.25, standard)
        here = {one: n for school, one, n in lacking.iter_rows() if school == "Causeway Intermediate"}
        reach = [code for code in rests_on if code.startswith(("M5", "M6"))]
        heaviest = [row.standard for row in weigh(graph, here, reach)[:3]]
        self.assertTrue(all("-NP-" in one for one in heaviest), heaviest)
        # For most of those who lack decimals the path begins at place value.
        students = said.filter((pl.col("school") == "Causeway Intermediate") & (pl.col("standard") == "M5-FD-1"))
        held = said.filter(pl.col("state") == "mastered").group_by("student_id").agg("standard")
        mastered = dict(held.iter_rows())
        lack = students.filter(pl.col("state") == "not yet")["student_id"].to_list()
        begins = [path_to(graph, "M5-FD-1", mastered.get(student, [])) for student in lack]
        through = sum(any("-NP-" in one for one in path) for path in begins)
        self.assertGreater(through / len(lack), 0.8)

    def members(self, group: str) -> list[str]:
        return self.rows["groups"].filter(pl.col("group") == group)["student_id"].to_list()

    def helped(self, group: str, grade: str):
        students = self.compared("reading", grade=(grade,)).students.filter(
            pl.col("gain_z").is_not_null() & pl.col("from_score").is_not_null()
        )
        members = students["student_id"].is_in(self.members(group))
        figures = (students[name].to_numpy() for name in ("gain_z", "from_score"))
        return matched_comparison(*figures, members.to_numpy(), students["to_grade"].to_numpy())

    def received(self, group: str, planned_minutes: float):
        sessions = self.rows["sessions"].filter(pl.col("group") == group)
        weeks = 15
        per = sessions.group_by("student_id").agg(
            pl.col("minutes").sum(), (pl.col("minutes") > 0).sum().alias("came"), pl.len().alias("held")
        )
        return dosage(per["minutes"], np.full(per.height, 3 * weeks * planned_minutes), per["came"], per["held"])

    def test_a_group_in_grade_3_works(self):
        """Its members grew more than matched students, beyond the interval."""
        seen = self.helped("Tide pool readers", "3")
        self.assertGreater(seen.difference, 0.8)
        self.assertGreater(seen.low, 0)

    def test_a_group_in_grade_7_does_not_although_attendance_was_good(self):
        """No gain over matched students, with most sessions attended."""
        seen = self.helped("Deep water readers", "7")
        self.assertLess(seen.difference, 0.5)
        self.assertGreater(float(np.mean(self.received("Deep water readers", 30).sessions)), 0.9)

    def test_a_group_met_half_its_planned_minutes(self):
        """Minutes received are about half of those planned."""
        half = float(np.mean(self.received("Osier word workshop", 30).minutes))
        self.assertTrue(0.35 < half < 0.6, half)
        self.assertGreater(float(np.mean(self.received("Tide pool readers", 30).minutes)), 0.8)

    def test_weekly_probes_say_the_same_of_both_groups(self):
        """The trend is near the aim line for one group and below it for the other."""
        probes = self.table.results.filter(pl.col("assessment") == "One-minute passage").sort("tested_on")
        began = date(2026, 10, 12)
        acts: dict[str, Counter[str]] = {}
        slopes: dict[str, list[float]] = {}
        for group in ("Tide pool readers", "Deep water readers"):
            acts[group], slopes[group] = Counter(), []
            for student in self.members(group):
                mine = probes.filter(pl.col("student_id") == student)
                weeks = np.array([(day - began).days / 7 for day in mine["tested_on"]])
                scores = mine["score"].to_numpy()
                # The aim: a word and a half more each week until the group ends.
                aim = aim_line(weeks, scores, 26.0, float(np.median(scores[:3])) + 1.3 * 25)
                acts[group][next_step(weeks, scores, aim).act] += 1
                slopes[group].append(trend(weeks, scores).slope)
        self.assertGreater(np.median(slopes["Tide pool readers"]), 1.4)
        self.assertLess(np.median(slopes["Deep water readers"]), 0.6)
        self.assertGreaterEqual(acts["Deep water readers"]["change"], 9)
        self.assertLessEqual(acts["Tide pool readers"]["change"], 3)

    def test_strong_readers_of_grade_6_at_causeway_stopped_growing(self):
        """Starters in the upper part grew less than those elsewhere."""
        sixth = self.compared("reading", grade=("6",)).students.filter(pl.col("gain_z").is_not_null())
        strong = sixth.filter(pl.col("from_percentile") >= 70)
        mean = dict(strong.group_by("school").agg(pl.col("gain_z").mean()).iter_rows())
        self.assertLess(mean["Causeway Intermediate"], -0.3)
        self.assertLess(mean["Causeway Intermediate"], mean["Marrow Point Middle"] - 0.3)
        others = sixth.filter((pl.col("from_percentile") < 60) & (pl.col("school") == "Causeway Intermediate"))
        self.assertGreater(others["gain_z"].mean(), mean["Causeway Intermediate"] + 0.25)

    def answers(self, test: str):
        items = self.rows["items"].filter(pl.col("test") == test)
        given = self.rows["answers"].filter(pl.col("test") == test)
        wide = given.pivot("item", index="student_id", values="option")
        names, keys = items["item"].to_list(), items["key"].to_list()
        chosen = wide.select(names).to_numpy()
        points = np.stack([(chosen[:, at] == key).astype(float) for at, key in enumerate(keys)], axis=1)
        return names, keys, chosen, points

    def flags(self, test: str):
        names, keys, chosen, points = self.answers(test)
        figures = item_figures(points)
        letters = "ABCD"
        answer = {}
        for at, name in enumerate(names):
            options = np.array([letters.index(one) if one else -1 for one in chosen[:, at]])
            rest = points.sum(axis=1) - points[:, at]
            answer[name] = item_flags(options, {letters.index(keys[at])}, 4, rest, float(figures.discrimination[at]))
        return answer

    def test_an_item_with_a_wrong_key_is_found(self):
        """The flag names the planted item and the option most of the best chose."""
        flags = self.flags("Unit check: story structure")
        wrong = [name for name, flag in flags.items() if flag.check_the_key]
        self.assertEqual(wrong, ["7"])

    def test_an_item_with_a_strong_wrong_answer_is_found(self):
        """The flag names the planted item and its one shared mistake."""
        flags = self.flags("Unit check: decimals")
        self.assertEqual(
            ["9"], [name for name, flag in flags.items() if flag.shared_mistake is not None and not flag.check_the_key]
        )

    def test_informing_texts_go_worse_in_grade_4_at_osier_bank(self):
        """Practice by kind of text shows the planted weakness."""
        fourth = self.compared("reading", grade=("4",)).students.select("student_id", "school")
        log = self.rows["practice"].join(fourth, on="student_id")
        for school, worse in (("Osier Bank Primary", True), ("Saltgrass Primary", False)):
            mine = log.filter(pl.col("school") == school)
            each = mine.group_by("student_id", "kind").agg(pl.col("right").sum() / pl.col("items").sum())
            by_kind = dict(each.group_by("kind").agg("right").iter_rows())
            found = gap(by_kind["informing"], by_kind["story"])
            self.assertEqual(found.high < -0.1, worse, school)

    def test_some_moved_and_some_came_late(self):
        """Enrolments have the planted moves and late arrivals."""
        with stage.demo().reading() as session:
            moved = session.connection().exec_driver_sql(
                "SELECT COUNT(*) FROM (SELECT e.student_id FROM enrolment e JOIN section s "
                "ON s.id = e.section_id WHERE s.school_year_id = 3 "
                "GROUP BY e.student_id HAVING COUNT(DISTINCT s.school_id) = 2) AS both_of_them"
            )
            late = session.connection().exec_driver_sql(
                "SELECT COUNT(*) FROM enrolment e JOIN section s ON s.id = e.section_id JOIN school_year y "
                "ON y.id = s.school_year_id WHERE s.school_year_id = 3 AND e.first_day > y.first_day"
            )
            self.assertEqual(moved.scalar(), 22)
            self.assertGreater(late.scalar(), 22)

    def test_a_window_was_not_given_at_one_school(self):
        """The flooded school has no result in that window."""
        first = self.table.results.filter((pl.col("window") == "2024-25 fall") & (pl.col("assessment") == "Saltgauge"))
        self.assertNotIn("Osier Bank Primary", first["school"].unique().to_list())
        self.assertEqual(first["school"].n_unique(), 3)

    def test_everybody_who_can_sign_in_is_there(self):
        """One person of each role, with a password that works."""
        with stage.demo().reading() as session:
            logins = session.connection().exec_driver_sql("SELECT login FROM person WHERE login IS NOT NULL")
            self.assertEqual({login for (login,) in logins}, {login for login, _, _ in SIGN_INS})
