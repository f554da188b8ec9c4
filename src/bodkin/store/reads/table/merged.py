"""Rows that are kept in the order of a key, brought up to date: some go, others come or change."""

import numpy as np
import polars as pl

FEW = 500
"""In so many places rows go and come between slices of the others; for more all are laid out anew."""
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

    A new row takes the place of one of its key. What goes and comes in few places, as an import does, comes between
    slices: nothing is copied, and who still looks at the rows before shares their memory.
    """
    new = new.sort(key)
    before, coming = rows[key].to_numpy(), new[key].to_numpy()
    keys = np.union1d(gone.to_numpy(), coming)
    if not keys.size:
        return rows
    begins, ends = np.searchsorted(before, keys), np.searchsorted(before, keys, side="right")
    # A place is where no row that stays lies between keys that go or come.
    firsts = np.flatnonzero(np.append(True, begins[1:] > ends[:-1]))
    if firsts.size > FEW:
        stay = np.flatnonzero(~rows[key].is_in(gone.implode()).to_numpy())
        places = np.concatenate([stay, rows.height + np.arange(new.height)])
        order = np.argsort(np.concatenate([before[stay], coming]), kind="stable")
        return pl.concat([rows, new])[places[order]]
    parts, done, laid = [], 0, 0
    lasts = np.append(firsts[1:], keys.size) - 1
    until = np.searchsorted(coming, keys[lasts], side="right")
    for begin, end, last in zip(begins[firsts].tolist(), ends[lasts].tolist(), until.tolist(), strict=True):
        parts += [rows.slice(done, begin - done), new.slice(laid, last - laid)]
        done, laid = end, last
    merged = pl.concat([*parts, rows.slice(done)])
    return merged.rechunk() if merged.n_chunks() > MOST_PIECES else merged
