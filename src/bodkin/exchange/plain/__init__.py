"""Plain files: their columns, what comes in, what goes out."""
