"""The Groups step: groups that are made, and the board."""
