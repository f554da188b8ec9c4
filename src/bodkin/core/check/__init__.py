"""Check: can a result be believed, and which one counts?"""
