"""Did the help work: the screen's figures are the headless run's, and the reading says what they bear."""

import json
import unittest

import numpy as np

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.follow_up.given import ENOUGH
from bodkin.answers.follow_up.helped import helped_answer
from bodkin.answers.headless.helped import helped_texts
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import sentence
from tests.support.tables import BASE, FALL, WINTER, result, table_of

SCOPE = Scope(**BASE)


def drawn(seed, n=120, effect=0.0, members=25):
    """Students of two programs; the members' winter score is moved by so many points."""
    draw = np.random.default_rng(seed)
    chosen = {f"s{at:03}" for at in draw.choice(n, members, replace=False)}
    rows = []
    for at in range(n):
        student, start = f"s{at:03}", round(draw.normal(495, 18))
        programs = ["ML"] if draw.random() < 0.3 else []
        gain = draw.normal(8, 9) + effect * (student in chosen)
        for window, score in ((FALL, start), (WINTER, round(start + gain))):
            if draw.random() < 0.97:
                rows.append(result(len(rows), student, window, score, standard_error=8.0, programs=programs))
    return compare(table_of(rows), SCOPE, sentence(SCOPE, norms=True)), chosen


class EqualsTheHeadlessRun(unittest.TestCase):
    def test_thirty_drawn_groups(self):
        """Pairs, difference, interval and balance of thirty groups, with the strata that the screen says it took."""
        for seed in range(30):
            comparison, members = drawn(seed, members=6 + seed)
            found = helped_answer(comparison, members, {})
            strata = "grade" if "grade alone" in found.lead else "grade,program"
            order = {student: at for at, student in enumerate(sorted(comparison.students["student_id"]))}
            texts = helped_texts(comparison, members, strata, order)
            summary = json.loads(texts["summary.json"])
            with self.subTest(seed=seed):
                self.assertEqual((found.members, found.matched), (summary["members"], summary["matched"]))
                self.assertEqual(found.few, summary["few"])
                for name in ("difference", "low", "high"):
                    ours, theirs = getattr(found, name), summary[name]
                    self.assertEqual(ours is None, theirs is None)
                    if ours is not None:
                        self.assertAlmostEqual(ours, theirs, places=9)
                self.assertEqual([one.model_dump() for one in found.balance], summary["balance"])


class Readings(unittest.TestCase):
    def reading(self, effect, given, members=30):
        comparison, chosen = drawn(1, n=300, effect=effect, members=members)
        return helped_answer(comparison, chosen, {}, given=given, attended=0.9)

    def test_what_the_figures_bear(self):
        """Growth beyond chance worked; little help given is said first; else it did not work although it was given."""
        self.assertEqual(self.reading(14, 0.95).reading, "worked")
        # Help that worked although little of it was given did work.
        self.assertEqual(self.reading(14, 0.4).reading, "worked")
        little = self.reading(0, ENOUGH - 0.01)
        self.assertEqual(little.reading, "did not happen")
        self.assertRegex(little.headline, "^The help did not happen: 74")
        plenty = self.reading(0, ENOUGH)
        self.assertEqual(plenty.reading, "did not work")
        self.assertRegex(plenty.headline, "although 75\xa0% of the planned minutes were given$")
        self.assertIn("came to 90\xa0% of the sessions", plenty.lead)
        self.assertEqual(self.reading(0, None).reading, "did not work")

    def test_too_few_says_nothing(self):
        """Six members are too few to tell, whatever came of it; nobody in the comparison too."""
        few = self.reading(20, 0.95, members=6)
        self.assertEqual((few.reading, few.few), ("cannot tell", True))
        self.assertRegex(few.headline, "^Too few")
        comparison, _ = drawn(1)
        none = helped_answer(comparison, {"nobody"}, {})
        self.assertEqual((none.reading, none.matched, none.unmatched), ("cannot tell", 0, ["nobody"]))
