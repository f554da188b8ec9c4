"""The test command: every check and test, over two workers, the longest first."""
