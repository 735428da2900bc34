import pytest

from tests.warm import demo_media


@pytest.fixture(scope="session")
def media():
    """The demo's footage; `make test` has made it before the tests run in parallel."""
    return demo_media() / "bellfounders"
