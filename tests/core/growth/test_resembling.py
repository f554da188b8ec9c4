"""Grades and seasons that a score resembles."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.growth.resembling import resembling


class Resembles(unittest.TestCase):
    def test_every_row_within_an_error_and_the_closest(self):
        """Often more than one; the closest is one of them, exactly one error away counts."""
        answer = resembling(500.0, 10.0, [480.0, 490, 503, 510, 530])
        self.assertEqual((answer.within_error.tolist(), answer.closest, answer.beyond), ([1, 2, 3], 2, 0))

    def test_beyond_the_table_is_said(self):
        """Below and above every norm mean by more than the error."""
        self.assertEqual(resembling(460.0, 10.0, [480.0, 490]).beyond, -1)
        self.assertEqual(resembling(501.0, 10.0, [480.0, 490]).beyond, 1)
        self.assertEqual(resembling(499.0, 10.0, [480.0, 490]).beyond, 0)
        for arguments in ((500.0, 0.0, [1.0]), (500.0, 5.0, []), (np.nan, 5.0, [1.0])):
            with self.assertRaises(BadInput):
                resembling(*arguments)
