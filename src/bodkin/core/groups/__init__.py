"""Groups: who works with whom."""
