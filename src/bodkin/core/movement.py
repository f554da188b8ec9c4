"""Movement of matched students between bands, and whether it is more than chance."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import chdtrc

from bodkin.core.arrays import IntArray, floats
from bodkin.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class Movement:
    """The square table (rows: band before, columns: band after) and what it comes to.

    ``net`` is (up - down) / n, None where nobody is matched.
    """

    table: IntArray
    up: int
    same: int
    down: int
    net: float | None

    @property
    def n(self) -> int:
        """Matched students in the table."""
        return self.up + self.same + self.down


def movement(first: ArrayLike, second: ArrayLike, bands: int) -> Movement:
    """The movement of students with a band order at both windows.

    ``first`` and ``second``: band orders 1..bands of one shape, NaN where there is none; such a
    student is left out. Raises BadInput for another shape or an order outside 1..bands.
    """
    before, after = floats("first", first), floats("second", second)
    if before.shape != after.shape:
        raise BadInput(f"first and second must have one shape: {before.shape}, {after.shape}")
    both = ~np.isnan(before) & ~np.isnan(after)
    rows, columns = before[both].astype(np.int64) - 1, after[both].astype(np.int64) - 1
    if rows.size and (min(rows.min(), columns.min()) < 0 or max(rows.max(), columns.max()) >= bands):
        raise BadInput(f"a band order must be from 1 to {bands}")
    return movement_of_table(np.bincount(rows * bands + columns, minlength=bands * bands).reshape(bands, bands))


def movement_of_table(table: ArrayLike) -> Movement:
    """The movement that a square table of counts holds, bands before as rows, after as columns.

    Raises BadInput for a table that is not square or has negative counts.
    """
    counts = _square(table).astype(np.int64)
    up, down, same = int(np.triu(counts, 1).sum()), int(np.tril(counts, -1).sum()), int(np.trace(counts))
    n = up + down + same
    return Movement(counts, up, same, down, (up - down) / n if n else None)


@dataclass(frozen=True, slots=True)
class MovementTest:
    """A chi-square test of movement; all None with the reason where it cannot be computed."""

    statistic: float | None
    df: int | None
    p: float | None
    reason: str | None = None


def _square(table: ArrayLike) -> NDArray[np.float64]:
    counts = floats("table", table)
    if counts.ndim != 2 or counts.shape[0] != counts.shape[1]:
        raise BadInput(f"table must be square, got shape {counts.shape}")
    if (counts < 0).any() or np.isnan(counts).any():
        raise BadInput("table must hold counts of 0 or more")
    return counts


def stuart_maxwell(table: ArrayLike) -> MovementTest:
    """Stuart-Maxwell test that the shares before and after are the same.

    ``table``: square counts. A band that nobody is in at either window leaves the table; df is
    one less than the bands that remain. Nothing is added to zero cells. Where the covariance
    of the differences is singular (no movers, or bands that nobody moves between) there is no
    test. Raises BadInput for a table that is not square or has negative counts.
    Source: Stuart (1955), Biometrika 42, 412-416; Maxwell (1970), Brit. J. Psychiatry 116, 651-655.
    """
    counts = _square(table)
    held = (counts.sum(axis=0) + counts.sum(axis=1)) > 0
    counts = counts[np.ix_(held, held)]
    df = counts.shape[0] - 1
    if df < 1:
        return MovementTest(None, None, None, "fewer than two bands hold students")
    if counts.sum() == np.trace(counts):
        return MovementTest(None, None, None, "nobody changed band")
    difference = (counts.sum(axis=1) - counts.sum(axis=0))[:-1]
    covariance = -(counts + counts.T)
    np.fill_diagonal(covariance, counts.sum(axis=0) + counts.sum(axis=1) - 2 * np.diag(counts))
    covariance = covariance[:-1, :-1]
    if np.linalg.matrix_rank(covariance) < df:
        return MovementTest(None, None, None, "some bands have no movers to or from the others")
    statistic = float(difference @ np.linalg.solve(covariance, difference))
    return MovementTest(statistic, df, float(chdtrc(df, statistic)))


def bowker(table: ArrayLike) -> MovementTest:
    """Bowker's test that as many move from each band to each other as move back.

    ``table``: square counts. A pair of cells that are both zero leaves the sum and the degrees
    of freedom. Raises BadInput as :func:`stuart_maxwell`.
    Source: Bowker (1948), J. American Statistical Association 43, 572-574.
    """
    counts = _square(table)
    upper = np.triu_indices_from(counts, 1)
    there, back = counts[upper], counts.T[upper]
    moved = (there + back) > 0
    df = int(moved.sum())
    if not df:
        return MovementTest(None, None, None, "nobody changed band")
    statistic = float((((there - back) ** 2)[moved] / (there + back)[moved]).sum())
    return MovementTest(statistic, df, float(chdtrc(df, statistic)))
