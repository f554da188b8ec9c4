"""Movement of matched students between bands, and whether it is more than chance."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import chdtrc, gammaln

from bodkin.core.arrays import FloatArray, IntArray, floats
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
    return movement_of_each(_square(table)[None])[0]


def movement_of_each(tables: ArrayLike) -> list[Movement]:
    """The movement of many groups of students, shape (groups, bands, bands); see :func:`movement_of_table`."""
    counts = _square(tables, groups=True).astype(np.int64)
    ups, downs = (side.sum(axis=(1, 2)).tolist() for side in (np.triu(counts, 1), np.tril(counts, -1)))
    stayed = np.trace(counts, axis1=1, axis2=2).tolist()
    return [
        Movement(table, up, same, down, (up - down) / n if (n := up + same + down) else None)
        for table, up, same, down in zip(counts, ups, stayed, downs, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class MovementTest:
    """A chi-square test of movement; all None with the reason where it cannot be computed."""

    statistic: float | None
    df: int | None
    p: float | None
    reason: str | None = None


FEW_MOVERS = 25
"""With fewer movers the chi-square curve is not to be trusted, and the exact test is worked out."""
EVERY_PATTERN = 2**15
"""Most patterns of directions that are all looked at."""
AT_ONCE = 20_000
"""Patterns of several groups that are looked at together."""
DRAWS = 20_000
"""Patterns drawn, from a fixed seed, where there are more."""
SEED = 1955
LOG_2 = math.log(2)


def movement_exact(table: ArrayLike) -> float | None:
    """Chance of a shift of the margins as large as this, had a coin decided which way each mover went.

    ``table``: square counts, bands before as rows. The statistic is Stuart and Maxwell's, whose
    covariance no such coin changes (generalized inverse). Movers between the same two bands are alike, so
    every pattern of directions is looked at with its binomial weight, up to 32,768 patterns; beyond that
    20,000 are drawn from a fixed seed, the one seen counted among them. None where nobody moved.
    Raises BadInput as :func:`stuart_maxwell`.
    Source: sign-flip permutation test of paired data, Pesarin & Salmaso (2010), Permutation Tests for
    Complex Data, chapter 1; counting what was seen, Phipson & Smyth (2010), Stat. Appl. in Genetics 9, 39.
    """
    return movement_exact_of_each(_square(table)[None])[0]


def movement_exact_of_each(tables: ArrayLike) -> list[float | None]:
    """The test of many groups of students, shape (groups, bands, bands); see :func:`movement_exact`."""
    counts = _square(tables, groups=True)
    rows, columns = np.triu_indices(counts.shape[-1], 1)
    ahead = counts[:, rows, columns]
    movers = ahead + counts[:, columns, rows]
    way = np.zeros((rows.size, counts.shape[-1]))
    way[np.arange(rows.size), rows], way[np.arange(rows.size), columns] = 1.0, -1.0
    inverse = np.linalg.pinv(np.einsum("pi,gp,pj->gij", way, movers, way), hermitian=True)
    # The statistic as a form of how many more went up than down between each pair of bands.
    form = way @ inverse @ way.T
    more = 2 * ahead - movers
    least = np.einsum("gp,gpq,gq->g", more, form, more) - 1e-9
    chance = np.full(len(counts), np.nan)
    patterns = np.prod(movers + 1.0, axis=1)
    for at in np.flatnonzero(patterns > EVERY_PATTERN):
        chance[at] = _as_far_by_draws(movers[at], form[at], least[at])
    every = np.flatnonzero((patterns > 1) & (patterns <= EVERY_PATTERN))
    # A few groups at a time, so that their patterns fit into memory.
    parts = np.cumsum(patterns[every]) // AT_ONCE
    for part in np.unique(parts):
        mine = every[parts == part]
        chance[mine] = _as_far_by_coin(movers[mine].astype(np.int64), form[mine], least[mine])
    return [None if np.isnan(one) else float(one) for one in chance]


def _as_far_by_draws(movers: FloatArray, form: FloatArray, least: float) -> float:
    """Chance of a statistic of at least ``least``, from patterns drawn; of one group."""
    drawn = np.random.default_rng(SEED).binomial(movers.astype(np.int64), 0.5, size=(DRAWS, movers.size))
    more = 2 * drawn - movers
    as_far = np.einsum("np,pq,nq->n", more, form, more, optimize=True) >= least
    return (int(as_far.sum()) + 1) / (DRAWS + 1)


def _as_far_by_coin(movers: IntArray, form: FloatArray, least: FloatArray) -> FloatArray:
    """Chance of a statistic of at least ``least`` when a coin sends each mover up or down, from every pattern.

    ``movers``: shape (groups, pairs of bands), of each group some; ``form``: shape (groups, pairs, pairs).
    """
    groups = np.arange(len(movers))
    # A pattern and its reverse are as far and as likely: of the first pair no more than half need go up.
    first = (movers > 0).argmax(axis=1)
    ways = movers + 1
    ways[groups, first] = movers[groups, first] // 2 + 1
    sizes = ways.prod(axis=1)
    begins = np.cumsum(sizes) - sizes
    # How likely so many of a pair go up: a table by group, pair and number.
    k = np.arange(movers.max() + 1)
    n = movers[..., None]
    factorial = gammaln(k + 1.0)
    rest = np.where(k <= n, n - k, 0)
    likely = np.where(k <= n, np.exp(factorial[n] - factorial[k] - factorial[rest] - n * LOG_2), 0.0)
    of_first, below_half = likely[groups, first], 2 * k[None, :] < movers[groups, first][:, None]
    likely[groups, first] = np.where(below_half, 2 * of_first, of_first)
    # Each pattern of each group in one long row, its numbers read off like the digits of a number.
    left = np.arange(sizes.sum()) - np.repeat(begins, sizes)
    weight = np.ones(left.size)
    more: list[FloatArray] = []
    pairs = np.flatnonzero(movers.any(axis=0))
    for pair in pairs:
        left, up = np.divmod(left, np.repeat(ways[:, pair], sizes))
        weight *= likely[:, pair].ravel()[np.repeat(groups * k.size, sizes) + up]
        more.append((2 * up - np.repeat(movers[:, pair], sizes)).astype(np.float64))
    statistic = np.zeros(left.size)
    for at, one in enumerate(pairs):
        row = np.repeat(form[:, one, one], sizes) * more[at]
        for other in range(at + 1, pairs.size):
            row += np.repeat(2.0 * form[:, one, pairs[other]], sizes) * more[other]
        statistic += row * more[at]
    weight[statistic < np.repeat(least, sizes)] = 0.0
    chance: FloatArray = np.minimum(1.0, np.add.reduceat(weight, begins))
    return chance


def _square(table: ArrayLike, *, groups: bool = False) -> NDArray[np.float64]:
    """A checked table of counts, or with ``groups`` a stack of them."""
    counts = floats("table", table)
    if counts.ndim != 2 + groups or counts.shape[-1] != counts.shape[-2]:
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
    return stuart_maxwell_of_each(_square(table)[None])[0]


def stuart_maxwell_of_each(tables: ArrayLike) -> list[MovementTest]:
    """The test of many groups of students, shape (groups, bands, bands); see :func:`stuart_maxwell`."""
    counts = _square(tables, groups=True)
    held = (counts.sum(axis=1) + counts.sum(axis=2)) > 0
    tests = [MovementTest(None, None, None, "fewer than two bands hold students")] * len(counts)
    # Groups that hold students in the same bands have tables of one size and are solved together.
    for bands in np.unique(held, axis=0):
        df = int(bands.sum()) - 1
        if df < 1:
            continue
        alike = np.flatnonzero((held == bands).all(axis=1))
        for at, test in zip(alike.tolist(), _margins_differ(counts[alike][:, bands][:, :, bands], df), strict=True):
            tests[at] = test
    return tests


def _margins_differ(counts: NDArray[np.float64], df: int) -> list[MovementTest]:
    """Stuart-Maxwell tests of tables whose bands all hold students."""
    before, after, stayed = counts.sum(axis=2), counts.sum(axis=1), np.einsum("gii->gi", counts)
    difference = (before - after)[:, :-1]
    covariance = -(counts + counts.transpose(0, 2, 1))
    np.einsum("gii->gi", covariance)[:] = before + after - 2 * stayed
    covariance = covariance[:, :-1, :-1]
    moved = before.sum(axis=1) > stayed.sum(axis=1)
    solvable = moved & (np.linalg.matrix_rank(covariance) == df)
    statistic = np.full(len(counts), np.nan)
    solved = np.linalg.solve(covariance[solvable], difference[solvable][..., None])[..., 0]
    statistic[solvable] = (difference[solvable] * solved).sum(axis=1)
    still, apart = "nobody changed band", "some bands have no movers to or from the others"
    return [
        MovementTest(value, df, p) if fine else MovementTest(None, None, None, apart if some else still)
        for value, p, fine, some in zip(
            statistic.tolist(), chdtrc(df, statistic).tolist(), solvable.tolist(), moved.tolist(), strict=True
        )
    ]


def bowker(table: ArrayLike) -> MovementTest:
    """Bowker's test that as many move from each band to each other as move back.

    ``table``: square counts. A pair of cells that are both zero leaves the sum and the degrees
    of freedom. Raises BadInput as :func:`stuart_maxwell`.
    Source: Bowker (1948), J. American Statistical Association 43, 572-574.
    """
    return bowker_of_each(_square(table)[None])[0]


def bowker_of_each(tables: ArrayLike) -> list[MovementTest]:
    """The test of many groups of students, shape (groups, bands, bands); see :func:`bowker`."""
    counts = _square(tables, groups=True)
    rows, columns = np.triu_indices(counts.shape[-1], 1)
    there, back = counts[:, rows, columns], counts[:, columns, rows]
    moved = there + back
    statistic = ((there - back) ** 2 / np.where(moved > 0, moved, 1.0)).sum(axis=1)
    df = (moved > 0).sum(axis=1)
    chance = chdtrc(np.maximum(df, 1), statistic)
    return [
        MovementTest(value, size, p) if size else MovementTest(None, None, None, "nobody changed band")
        for value, size, p in zip(statistic.tolist(), df.tolist(), chance.tolist(), strict=True)
    ]
