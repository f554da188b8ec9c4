"""OneRoster 1.2 packages, in and out."""
