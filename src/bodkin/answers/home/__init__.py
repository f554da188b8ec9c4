"""Home: what every step found."""
