"""Share: pages for students, families, plan meetings and the team; what was made and handed over."""
