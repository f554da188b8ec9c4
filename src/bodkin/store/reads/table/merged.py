"""Rows that are kept in the order of a key, brought up to date: some go, others come or change."""

import numpy as np
import polars as pl

FEW = 500
"""So many rows go and come between slices of the others; for more all are laid out anew."""
MOST_PIECES = 600
"""From so many pieces on a frame is laid out in one again."""
MOST_TOUCHED = 0.25
"""With a larger share of the rows touched, all are read anew."""


def of_keys(rows: pl.DataFrame, keys: pl.Series, key: str) -> pl.DataFrame:
    """The rows of some keys; rows lie in the order of ``key``."""
    if keys.len() <= FEW:
        places = rows[key].search_sorted(keys).unique()
        rows = rows.select(pl.all().gather(places.filter(places < rows.height)))
    return rows.filter(pl.col(key).is_in(keys.implode()))


def merged_rows(rows: pl.DataFrame, gone: pl.Series, new: pl.DataFrame, key: str) -> pl.DataFrame:
    """Rows without those of some keys and with new ones among them, all in the order of ``key``.

    A new row takes the place of one of its key. Few go and come between slices: nothing is copied, and who still
    looks at the rows before shares their memory.
    """
    if gone.len() + new.height > FEW:
        stay = np.flatnonzero(~rows[key].is_in(gone.implode()).to_numpy())
        # Two runs in order: where each row comes is found by the keys alone, and all is laid out once.
        places = np.concatenate([stay, rows.height + np.arange(new.height)])
        numbers = np.concatenate([rows[key].to_numpy()[stay], new[key].to_numpy()])
        return pl.concat([rows, new])[places[np.argsort(numbers, kind="stable")]]
    new = new.sort(key)
    keys = pl.concat([gone, new[key]]).unique().sort()
    begins, ends = (rows[key].search_sorted(keys, side=side).to_list() for side in ("left", "right"))
    parts: list[pl.DataFrame] = []
    # Up to where the rows and the new ones are laid down; new ones wait while no row lies between them.
    done, first = 0, 0
    for begin, end, waiting in zip(begins, ends, new[key].search_sorted(keys).to_list(), strict=True):
        if begin > done:
            parts += [new.slice(first, waiting - first), rows.slice(done, begin - done)]
            first = waiting
        done = end
    merged = pl.concat([*parts, new.slice(first), rows.slice(done)])
    return merged.rechunk() if merged.n_chunks() > MOST_PIECES else merged
