"""One student."""
