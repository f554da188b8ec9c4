"""Bodkin: one calm desk for a school's testing round."""

__version__ = "0.1.0"
