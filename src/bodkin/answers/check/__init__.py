"""Check: are the results complete and credible?"""
