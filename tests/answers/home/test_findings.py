"""What stands out between schools, against scipy and a walk over every grade of every school."""

import unittest
from dataclasses import replace

import numpy as np
import polars as pl
from scipy import stats
from statsmodels.stats import multitest

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.home.findings import FEWEST, GroupSeen, few_of_each, group_looks, standing, unit_looks
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, moved_rows, table_of


def district(moved, seed=2, size=40):
    """Schools with so many students each, whose winter score is moved by so much; grade 4."""
    return compare(table_of(moved_rows(moved, "school", size, seed)), Scope(**BASE))


def unit_findings(made):
    return few_of_each(standing(unit_looks(made)))


def findings(made, groups):
    return few_of_each(standing([*unit_looks(made), *group_looks(made, groups)]))


class Units(unittest.TestCase):
    def test_a_school_is_told_of_when_welch_says_so(self):
        """References: scipy.stats.ttest_ind of unequal variances, statsmodels' false discovery rate over all looks."""
        made = district({"North": -9, "South": 0, "East": 1, "West": 8})
        rows = made.students
        apart_of, chances = {}, {}
        for school in ("North", "South", "East", "West"):
            own = rows.filter(school=school)["gain_z"].to_numpy()
            others = rows.filter(rows["school"] != school)["gain_z"].to_numpy()
            chance = stats.ttest_ind(own, others, equal_var=False).pvalue
            chances[school] = chance
            apart = own.mean() - others.mean()
            if abs(own.mean()) > 0.1 and (own.mean() > 0) == (apart > 0):
                apart_of[school] = apart
        strong = [look.p for look in unit_looks(made) if look.instead_of]
        stand = multitest.multipletests([*chances.values(), *strong], 0.05, method="fdr_bh")[0]
        told = {school for school, stands in zip(chances, stand, strict=False) if stands}
        wanted = {school: apart for school, apart in apart_of.items() if school in told}
        answer = {one.scope["school"][0]: one.size for one in unit_findings(made) if one.step == "compare"}
        self.assertEqual(set(answer), {"North", "West"})
        self.assertEqual(set(answer), set(wanted))
        for school, size in wanted.items():
            self.assertAlmostEqual(answer[school], size, places=12)

    def test_who_has_no_grade_or_school_counts_nowhere(self):
        """The looks are those of the students without them; where nobody is left there is none."""
        made = district({"North": -9, "South": 0, "East": 1, "West": 8})
        students = made.students.with_row_index("at")
        for column in ("school", "to_grade"):
            lost = pl.when(pl.col("at") % 7 != 3).then(pl.col(column))
            some = replace(made, students=students.with_columns(lost.alias(column)))
            fewer = replace(made, students=students.filter(pl.col("at") % 7 != 3))
            found, wanted = ([(look.p, look.name) for look in unit_looks(one)] for one in (some, fewer))
            self.assertEqual(found, wanted, column)
            self.assertGreater(len(found), 4)
        nobody = students.with_columns(school=pl.lit(None, dtype=students["school"].dtype))
        self.assertEqual(unit_looks(replace(made, students=nobody)), [])

    def test_the_sentence_says_which_way_and_how_far(self):
        """Size to one decimal, the count and the shares of the school alone, the largest first."""
        found = findings(district({"North": -9, "South": 0, "East": 0}), [])
        self.assertEqual(found[0].sentence[:46], "Grade 4 at North fell behind grade 4 elsewhere")
        self.assertIn(f"by {abs(found[0].size):.1f} standard deviations of growth.", found[0].sentence)
        self.assertTrue(found[0].detail.startswith("40 students. "))
        self.assertEqual(found[0].scope, {"grade": ["4"], "school": ["North"]})
        sizes = [abs(one.size) for one in found if one.kind == "fell"]
        self.assertEqual(sizes, sorted(sizes, reverse=True))

    def test_of_what_is_told_few_are_chance(self):
        """Simulation, 60 districts of eight schools alike: in at most 5 of 100 anything is told at all."""
        rng, told = np.random.default_rng(6), 0
        made = district(dict.fromkeys("ABCDEFGH", 0), size=20)
        for _ in range(60):
            drawn = made.students.with_columns(gain_z=rng.normal(size=made.students.height))
            told += bool(unit_findings(replace(made, students=drawn)))
        # 3 are expected; more than 7 would come up about once in fifty.
        self.assertLessEqual(told, 7)

    def test_strong_starters_are_not_told_of_where_the_whole_grade_is(self):
        """The look at them counts all the same; a look that does not stand says what is said otherwise."""
        made = district({"North": -15, "South": 0, "East": 0}, size=60)
        self.assertEqual([one.step for one in unit_findings(made) if one.scope["school"] == ["North"]], ["compare"])
        groups = [GroupSeen(7, "Readers", frozenset(f"South{at:03}" for at in range(0, 40, 2)))]
        (said,) = [one for one in findings(made, groups) if one.step == "groups"]
        self.assertIn("no more than similar students", said.sentence)

    def test_too_few_for_a_sentence(self):
        """A school, or all others together, with fewer than twelve is not told of."""
        for sizes in ({"North": -20, "South": 0},):
            self.assertEqual(unit_findings(district(sizes, size=FEWEST - 1)), [])
            self.assertTrue(unit_findings(district(sizes, size=FEWEST)))

    def test_nobody_with_growth(self):
        """Without a norm nothing stands out, and nothing breaks."""
        self.assertEqual(findings(district({"North": 0}), []), [])

    def test_a_school_that_others_merely_fell_behind_is_not_praised(self):
        """It grew as expected; the others fell."""
        made = district({"North": 0, "South": -12}, size=60)
        self.assertEqual({one.scope["school"][0]: one.kind for one in unit_findings(made)}, {"South": "fell"})


class Groups(unittest.TestCase):
    def test_a_group_beside_similar_students(self):
        """A group that grew half a spread more is found; one of nobody here is passed over."""
        made = district({"North": 0, "South": 0}, size=80)
        rows = made.students
        members = frozenset(rows["student_id"].to_list()[:30:2])
        lifted = rows.with_columns(gain_z=rows["gain_z"] + 2.0 * rows["student_id"].is_in(list(members)))
        groups = [GroupSeen(7, "Readers", members), GroupSeen(8, "Others", frozenset({"x"}))]
        found = findings(replace(made, students=lifted), groups)
        mine = [one for one in found if one.step == "groups"]
        self.assertEqual([(one.scope, one.kind, one.n) for one in mine], [({"group": ["7"]}, "grew", len(members))])


if __name__ == "__main__":
    unittest.main()
