"""CASE: standards and prerequisites."""
