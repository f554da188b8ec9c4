"""What is read from the database, and the score table in memory."""
