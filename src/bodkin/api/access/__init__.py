"""The way in: what every request passes first, and the server that takes it."""
