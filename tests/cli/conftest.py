import pytest


@pytest.fixture(scope="module", autouse=True)
def _remembered(remembered):
    """The core remembers its answers while the tests of a file run."""
