"""The invented district: everything in here is made up, from one fixed seed."""
