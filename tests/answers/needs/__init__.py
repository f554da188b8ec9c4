"""The answers of Needs."""
