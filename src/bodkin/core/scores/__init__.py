"""Scores, norms, cuts and bands: what a result means."""
