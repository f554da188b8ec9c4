"""Withheld cells cannot be worked out: a solver of scipy tries on seeded random tables."""

import unittest

import numpy as np
from scipy.optimize import linprog
from scipy.sparse import csr_array

from bodkin.core import suppression
from bodkin.core.errors import BadInput
from bodkin.core.suppression import withhold
from tests.support.extent import extent


def two_way(rows):
    """Cells of a table with its totals, and the sums that hold them together."""
    rows = np.asarray(rows)
    full = np.vstack([np.column_stack([rows, rows.sum(axis=1)]), np.append(rows.sum(axis=0), rows.sum())])
    height, width = full.shape
    at = np.arange(height * width).reshape(height, width)
    sums = [(at[i, -1], at[i, :-1].tolist()) for i in range(height)]
    sums += [(at[-1, j], at[:-1, j].tolist()) for j in range(width)]
    return full.ravel(), sums


def possible(cells, sums, hidden, cell):
    """Smallest and largest value a cell can have for somebody who sees all others."""
    equations, known = [], []
    for total, parts in sums:
        row, left = np.zeros(len(cells)), 0.0
        for place, sign in [(total, -1.0), *((part, 1.0) for part in parts)]:
            if hidden[place]:
                row[place] += sign
            else:
                left -= sign * cells[place]
        equations.append(row)
        known.append(left)
    aim = np.zeros(len(cells))
    aim[cell] = 1
    ends = [linprog(s * aim, A_eq=np.array(equations), b_eq=known, bounds=(0, None)) for s in (1, -1)]
    return ends[0].fun, -ends[1].fun if ends[1].status == 0 else np.inf


class Withhold(unittest.TestCase):
    def test_the_second_cell_is_the_smallest_other_one(self):
        """5 of 60 is too few; with it the smallest of the others goes."""
        mask = withhold([5, 20, 15, 20, 60], [(4, [0, 1, 2, 3])], 10)
        self.assertEqual(mask.tolist(), [True, False, True, False, False])

    def test_enough_everywhere_withholds_nothing(self):
        """Cells at the minimum are shown."""
        self.assertFalse(withhold([10, 20, 30], [(2, [0, 1])], 10).any())

    def test_two_zeroes_are_not_given_away_by_their_sum(self):
        """Two withheld zeroes that add up to nothing would be known: a third cell goes too."""
        mask = withhold([0, 0, 30, 40, 70], [(4, [0, 1, 2, 3])], 10)
        self.assertEqual(mask.tolist(), [True, True, True, False, False])

    def test_a_solver_cannot_find_any_withheld_cell(self):
        """Over seeded random two-way tables no withheld cell has a single possible value."""
        rng = np.random.default_rng(11)
        for trial in range(extent(6, 15)):
            cells, sums = two_way(rng.integers(0, 30, (rng.integers(2, 5), rng.integers(2, 5))))
            hidden = withhold(cells, sums, 10)
            self.assertFalse((~hidden & (cells < 10)).any())
            for cell in np.flatnonzero(hidden):
                low, high = possible(cells, sums, hidden, cell)
                with self.subTest(trial=trial, cell=int(cell)):
                    self.assertGreaterEqual(high - low, 0.5)

    def test_plain_cases_are_what_a_search_finds(self):
        """Over seeded random tables and hidden cells: told at once, exchanged or sought: the search agrees."""
        rng = np.random.default_rng(12)
        kinds = set()
        for trial in range(extent(40, 150)):
            cells, sums = two_way(rng.integers(0, 3, (rng.integers(1, 4), rng.integers(2, 5))))
            hidden = rng.random(len(cells)) < rng.choice([0.3, 0.6, 1])
            if trial % 3 == 0:
                sums = sums[:1]
            if trial % 2:
                hidden[[total for total, _ in sums]] = False
            matrix = np.zeros((len(sums), len(cells)))
            for row, (total, parts) in zip(matrix, sums, strict=True):
                row[total], row[list(parts)] = -1, 1
            matrix = matrix[:, hidden]
            used, tied = abs(matrix).sum(axis=1) > 0, abs(matrix).sum(axis=0) > 0
            if not tied.any():
                continue
            equations, truth = csr_array(matrix[used][:, tied]), cells[hidden][tied].astype(float)
            secret = np.ones(truth.size, dtype=bool)
            with self.subTest(trial=trial):
                found = suppression._determined(equations, truth, secret)
                np.testing.assert_array_equal(found, suppression._searched(equations, truth, secret))
            kinds |= {(known, free) for known, free in zip(
                suppression._told_at_once(equations, truth).tolist(),
                suppression._exchanged(equations, truth).tolist(), strict=True,
            )}  # fmt: skip
        self.assertEqual(kinds, {(True, False), (False, True), (False, False)})

    def test_the_check_itself_can_fail(self):
        """Hiding only the small cell of a row gives it away, and the solver sees that."""
        cells, sums = two_way([[3, 20], [30, 40]])
        low, high = possible(cells, sums, np.arange(9) == 0, 0)
        self.assertAlmostEqual(low, 3)
        self.assertAlmostEqual(high, 3)

    def test_refusals(self):
        """A minimum of none, a negative count, parts that do not fit their total."""
        for arguments, words in (
            (([1, 2], [], 0), "minimum"),
            (([-1], []), "0 or more"),
            (([1, 2, 4], [(2, [0, 1])]), "do not add up"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                withhold(*arguments)
