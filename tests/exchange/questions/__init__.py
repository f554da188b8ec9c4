"""Tests of what a file leaves doubtful."""
