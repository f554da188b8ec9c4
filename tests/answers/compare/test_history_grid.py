"""The history grid."""

import unittest

from bodkin.answers.compare.history_grid import columns_of, grid_table, history_grid
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, WINDOWS, WINTER, result, table_of, three_windows, with_spring


class History(unittest.TestCase):
    def setUp(self):
        rows = three_windows(n=12)
        rows += [result(900 + at, f"s{at:03}", WINTER, 430 + at, language="Portuguese") for at in range(4)]
        rows += [result(950, "s000", "2023-24 fall", 470, grade="2")]
        self.table = with_spring(table_of(rows))
        scope = Scope(**BASE, matched=False)
        self.comparison = compare(self.table, scope)

    def grid(self, back=0, **more):
        columns = columns_of(
            self.comparison.scope, self.comparison.students["student_id"], [("Tide", "reading")],
            lambda _: self.table, back=back, strands=None,
        )  # fmt: skip
        return history_grid(self.comparison, columns, {}, **more)

    def test_a_column_for_each_window_and_language(self):
        """Three windows in English, one in Portuguese; an older year only when asked for."""
        answer = [(column.language, column.window) for column in self.grid().columns]
        self.assertEqual(answer, [("English", window) for window in WINDOWS] + [("Portuguese", WINTER)])
        self.assertNotIn("2023-24 fall", [column.window for column in self.grid(back=1).columns])
        self.assertIn("2023-24 fall", [column.window for column in self.grid(back=2).columns])

    def test_cells_are_scores_with_the_band_of_their_day(self):
        """Bands by the cuts of the grade; a window without a result is empty, not 0."""
        grid = self.grid()
        row = next(row for row in grid.rows if row.student_id == "s003")
        self.assertIsNone(row.cells[1])
        for cell in (cell for one in grid.rows for cell in one.cells[:3] if cell is not None):
            self.assertEqual(cell.order, 1 if cell.score < 490 else 2 if cell.score < 510 else 3)

    def test_sorted_by_a_column_those_without_come_last_either_way(self):
        """Up and down."""
        key = self.grid().columns[3].key
        for down in (False, True):
            scores = [row.cells[3].score if row.cells[3] else None for row in self.grid(sort=key, down=down).rows]
            self.assertEqual(scores[:4], sorted((430.0, 431.0, 432.0, 433.0), reverse=down))
            self.assertEqual(scores[4:], [None] * 8)

    def test_pages_and_the_spreadsheet_hold_the_same_rows(self):
        """Two pages are the whole; a score and a band a column."""
        whole = self.grid(count=None)
        parts = self.grid(count=7).rows + self.grid(start=7, count=7).rows
        self.assertEqual(parts, whole.rows)
        table = grid_table(whole)
        self.assertEqual(len(table.header), 5 + 2 * len(whole.columns))
        self.assertEqual([len(row) for row in table.rows], [len(table.header)] * 12)
