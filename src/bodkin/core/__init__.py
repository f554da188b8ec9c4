"""The rules of the job: pure functions on NumPy arrays, no I/O, no clock, no database, no web.

Conventions: missing is NaN and stays NaN; rounding happens only at display, except where a
definition itself rounds (percentile ranks); arrays are one-dimensional and one entry per student
unless a docstring says otherwise.
"""
