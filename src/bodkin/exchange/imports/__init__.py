"""The import desk: one file or many, previewed, brought in, undone."""
