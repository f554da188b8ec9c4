"""Who may do what and see whom, as data: the only place that knows a role by its name."""
