"""Other systems: rostering services and tests taken online."""
