"""One module per question of the job: a scope and the score table in, a typed answer out."""
