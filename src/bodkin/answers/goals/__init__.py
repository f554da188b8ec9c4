"""Goals: what it takes to get there."""
