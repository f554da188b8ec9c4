"""Compare: where students stand and what moved."""
