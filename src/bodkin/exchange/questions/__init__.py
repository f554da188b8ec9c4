"""What a file leaves doubtful, asked before anything comes in: who is who, what is new, which day is meant."""
