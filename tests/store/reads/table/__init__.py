"""Tests of the score table in memory."""
