"""What is kept: MariaDB through SQLAlchemy, and the score table in memory."""
