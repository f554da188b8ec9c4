"""The score table in memory: its shape, how it is read whole, how it follows writes, the file a start reads."""
