"""Practice in a period: of many students, and of one."""
