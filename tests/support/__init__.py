"""What several tests stand on: one database server, small files, a slow twin."""
