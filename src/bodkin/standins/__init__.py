"""Small simulated services of others, so that Bodkin's ends of them can be tried."""
