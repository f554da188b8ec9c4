"""Events of a day, phases of help, and minutes made up: definitions at their borders."""

import unittest
from datetime import date
from itertools import groupby

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.dosage import weeks_to_make_up
from bodkin.core.follow_up.events import record_of_last, run_reached, runs_at_end
from bodkin.core.follow_up.phases import KINDS, phase_start


class Runs(unittest.TestCase):
    @given(st.lists(st.sampled_from([0.0, 1.0]), max_size=25), st.integers(1, 6))
    def test_as_counted_by_hand(self, flags, length):
        """Reference: itertools.groupby over the same flags."""
        groups = [(value, len(list(own))) for value, own in groupby(flags)]
        run = groups[-1][1] if groups and groups[-1][0] == 1 else 0
        self.assertEqual(run_reached(flags, length), run > 0 and run % length == 0)

    def test_what_is_not_known_ends_a_run(self):
        """Two passed, one unknown, two passed: no run of four."""
        self.assertFalse(run_reached([1, 1, np.nan, 1, 1], 4))
        self.assertTrue(run_reached([1, 1, np.nan, 1, 1], 2))
        self.assertFalse(run_reached([], 1))

    @given(st.lists(st.lists(st.sampled_from([0.0, 1.0, np.nan]), max_size=8), min_size=1, max_size=6))
    def test_many_at_once(self, own):
        """Reference: the run of each by itself; a place without flags has none."""
        place = np.repeat(np.arange(len(own)), [len(flags) for flags in own])
        found = runs_at_end(place, [flag for flags in own for flag in flags], len(own))
        for flags, run in zip(own, found, strict=True):
            self.assertEqual(run, next((at for at, flag in enumerate(reversed(flags)) if flag != 1), len(flags)))


class Records(unittest.TestCase):
    def test_beyond_every_one_before(self):
        """Best and lowest strictly; the first four results are none, a tie is none."""
        self.assertEqual(record_of_last([5, 6, 7, 8, 9]), "best")
        self.assertEqual(record_of_last([5, 6, 7, 8, 4]), "lowest")
        self.assertIsNone(record_of_last([5, 6, 7, 8, 8]))
        self.assertIsNone(record_of_last([5, 6, 7, 8]))


class Phases(unittest.TestCase):
    def test_the_latest_change_counts(self):
        """Change, pause and a higher goal begin a phase; stay, end and something else do not; the future is not yet."""
        day = [date(2027, 1, at) for at in range(1, 10)]
        decided = [(day[0], "change"), (day[3], "pause"), (day[4], "stay"), (day[8], "raise")]
        self.assertEqual(phase_start(decided, day[7]), day[3])
        self.assertEqual(phase_start(decided, day[8]), day[8])
        self.assertIsNone(phase_start([(day[1], kind) for kind in ("stay", "end", "other")], day[7]))
        self.assertIsNone(phase_start([], day[7]))
        self.assertEqual(len(KINDS), 6)
        with self.assertRaisesRegex(BadInput, 'no decision "stop"'):
            phase_start([(day[0], "stop")], day[1])


class MadeUp(unittest.TestCase):
    def test_weeks(self):
        """60 minutes at 30 a week take two weeks; nothing missing takes none; nothing given never ends."""
        found = weeks_to_make_up([60.0, 0.0, 60.0, 0.0], [30.0, 30.0, 0.0, 0.0])
        np.testing.assert_array_equal(found, [2.0, 0.0, np.nan, 0.0])
