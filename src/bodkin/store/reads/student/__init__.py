"""Everything that is kept about one student, read in one go."""
