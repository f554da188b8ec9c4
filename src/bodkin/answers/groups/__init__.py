"""Groups: who works with whom, on what, when, and why."""
