"""One module per kind of change, and undo, the one service that takes changes back."""
