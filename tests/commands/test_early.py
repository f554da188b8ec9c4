"""Which units there are, and those that run in a process of their own while the other tests are read."""

import unittest

from bodkin.commands.testing.early import Early
from bodkin.commands.testing.units import Unit, early_units, wanted

GOOD = Unit("class", "tests.core.scores.test_gap")


class Beside(unittest.TestCase):
    def run_early(self, *units):
        early = Early(units)
        self.addCleanup(early.stop)
        return {one.unit: one for one in early.rest()}

    def test_what_became_of_each_comes_back(self):
        """A module that passes, and one that is not there: both are told, each once."""
        broken = Unit("class", "tests.core.no_such_module")
        found = self.run_early(GOOD, broken)
        self.assertEqual(set(found), {GOOD, broken})
        self.assertGreater(found[GOOD].passed, 0)
        self.assertEqual(found[GOOD].failed, 0)
        self.assertEqual((found[broken].passed, found[broken].failed), (0, 1))

    def test_a_process_that_ends_without_a_word_has_failed(self):
        """Its units are counted, not forgotten."""
        self.assertEqual(self.run_early(), {})
        killed = Early([Unit("class", "tests.core.growth.test_steady"), GOOD])
        self.addCleanup(killed.stop)
        killed._process.kill()
        self.assertEqual([one.failed for one in killed.rest()], [1, 1])

    def test_which_they_are(self):
        """Checks and core, where they are wanted; never a class of tests."""
        kinds = {unit.kind for unit in early_units([])}
        self.assertEqual(kinds, {"check", "core"})
        self.assertEqual(early_units(["answers", "tests.core.growth"]), [])
        self.assertEqual(early_units(["core"]), [Unit("core", "core")])


class Parts(unittest.TestCase):
    def test_a_dotted_package_is_its_folder(self):
        """By itself a package holds no test: it would pass with none."""
        found = wanted(["tests.answers.needs"])
        self.assertEqual(found, wanted(["answers/needs"]))
        self.assertGreater(len(found), 1)
        self.assertEqual(wanted(["tests.core.scores.test_gap"]), [GOOD])
