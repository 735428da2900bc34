import pytest
from hypothesis import settings

from tests.warm import demo_media

# `make soak`: properties that state no number of examples of their own are tried on many more.
settings.register_profile("soak", max_examples=3000, deadline=None)


@pytest.fixture(scope="session")
def media():
    """The demo's footage; `make test` has made it before the tests run in parallel."""
    return demo_media() / "bellfounders"
