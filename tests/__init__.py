"""The tests; drawn examples are the same in every run, so that a failure can be seen again, and never timed."""

import warnings

from hypothesis import settings

from tests.support.extent import extent

settings.register_profile("same", derandomize=True, deadline=None, max_examples=extent(30, 200))
settings.load_profile("same")
# Starlette recommends a successor of httpx that the registries hardly carry yet; the test client works with httpx.
warnings.filterwarnings("ignore", message="Using `httpx` with `starlette.testclient`")
