"""Minutes and sessions against plan."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.dosage import dosage


class Dosages(unittest.TestCase):
    def test_minutes_and_sessions(self):
        """Half the minutes, three of four sessions; nothing planned is not a zero."""
        answer = dosage([300, 10], [600, 0], [3, 0], [4, 0])
        np.testing.assert_array_equal(answer.minutes, [0.5, np.nan])
        np.testing.assert_array_equal(answer.sessions, [0.75, np.nan])
        with self.assertRaisesRegex(BadInput, "sessions cannot be negative"):
            dosage([1], [1], [-1], [1])
