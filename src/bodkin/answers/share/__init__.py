"""Pages for students, families, plan meetings and the team: what stands on them, in words of their language."""
