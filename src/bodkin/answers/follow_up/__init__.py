"""Follow-up: is the help working?"""
