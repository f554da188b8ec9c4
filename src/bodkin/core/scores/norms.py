"""Norm curves: the mean and spread of a norm group through the weeks of a school year."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray, floats, positive
from bodkin.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class NormValues:
    """Norm mean and standard deviation in scale points, one per student.

    ``beyond`` marks a week before the first or after the last row, where the value at the end is used.
    """

    mean: FloatArray
    sd: FloatArray
    beyond: BoolArray


@dataclass(frozen=True, slots=True)
class NormCurve:
    """Norm rows of one grade in the order of their instructional week."""

    week: FloatArray
    mean: FloatArray
    sd: FloatArray

    def at(self, week: ArrayLike) -> NormValues:
        """Mean and spread at each week: linear between rows, the end value beyond them.

        ``week``: instructional weeks; NaN gives NaN. Source: linear interpolation, numpy.interp.
        """
        asked = floats("week", week)
        missing = np.isnan(asked)
        mean = np.where(missing, np.nan, np.interp(asked, self.week, self.mean))
        sd = np.where(missing, np.nan, np.interp(asked, self.week, self.sd))
        with np.errstate(invalid="ignore"):
            beyond = (asked < self.week[0]) | (asked > self.week[-1])
        return NormValues(mean, sd, beyond)


def norm_curve(week: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> NormCurve:
    """A curve from norm rows in any order.

    Raises BadInput for no rows, a missing value, two rows of one week, or a spread of 0 or less.
    """
    weeks, means, sds = floats("week", week), floats("mean", mean), positive("sd", sd)
    if not weeks.size or weeks.shape != means.shape or weeks.shape != sds.shape:
        raise BadInput("a norm curve needs one mean and one sd for each of its weeks, at least one")
    if np.isnan(weeks).any() or np.isnan(means).any() or np.isnan(sds).any():
        raise BadInput("a norm curve cannot have a missing week, mean or sd")
    order = np.argsort(weeks, kind="stable")
    if np.unique(weeks).size != weeks.size:
        twice = weeks[order][:-1][np.diff(weeks[order]) == 0][0]
        raise BadInput(f"a norm curve has two rows for week {twice:g}")
    return NormCurve(weeks[order], means[order], sds[order])


def middle_row(weeks: Sequence[float]) -> int:
    """Index of the row with the middle week (the earlier of two middle ones).

    Used where a season has several norm rows and the week of the test is not known.
    Raises BadInput for no rows.
    """
    if not weeks:
        raise BadInput("there is no norm row to choose from")
    order = sorted(range(len(weeks)), key=lambda i: (np.isnan(weeks[i]), weeks[i]))
    return order[(len(order) - 1) // 2]
