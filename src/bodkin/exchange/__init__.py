"""Open formats in and out; nothing here computes a figure."""
