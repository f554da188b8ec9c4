"""The tests; drawn examples are the same in every run, so that a failure can be seen again, and never timed."""

from hypothesis import settings

settings.register_profile("same", derandomize=True, deadline=None)
settings.load_profile("same")
