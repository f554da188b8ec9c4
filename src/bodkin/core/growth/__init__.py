"""Growth: what could be expected, and what came of it."""
