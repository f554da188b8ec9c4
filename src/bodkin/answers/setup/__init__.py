"""Setup: tests with their norms and cuts."""
