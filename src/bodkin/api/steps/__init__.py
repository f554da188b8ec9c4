"""One router for each step of the round, and for the scope."""
