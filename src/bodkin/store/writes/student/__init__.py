"""What people write and attach about one student."""
