"""Tests of services."""
