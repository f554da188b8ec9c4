"""Bodkin: one calm desk for a school's testing round."""

import gc

__version__ = "0.1.0"

GC_THRESHOLDS = (50_000, 20, 50)
"""New objects before the garbage collector runs, and runs of it before it looks at older ones. An answer about a
district makes and drops hundreds of thousands of objects, and a start as many; at Python's own 700 collecting takes a
third of the one's time and a fifth of the other's."""

gc.set_threshold(*GC_THRESHOLDS)
