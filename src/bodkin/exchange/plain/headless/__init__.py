"""The plain files of a headless run, read and checked against one another."""
