"""Files attached to students: what they are by their content, and why one is refused."""
