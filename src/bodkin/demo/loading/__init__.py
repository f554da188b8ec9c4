"""The invented district written into the database."""
