"""Files opened as tables of text, and their headers and values mapped."""
