import os

import pytest
from hypothesis import settings

from tests.warm import demo_media

# `make soak`: properties that state no number of examples of their own are tried on many more.
settings.register_profile("soak", max_examples=3000, deadline=None)


# Files that take longest, begun first, so that no worker is left with one of them at the end.
LONGEST = (
    "journeys/test_putting_right", "journeys/test_trim", "cli/test_cli", "server/test_from_scene",
    "journeys/", "core/matching/test_areas", "core/charts/", "core/evaluate/", "server/test_pins",
    "core/matching/test_places",
)  # fmt: skip


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items):
    """Sort the longest files to the front; all else stays in its order."""

    def rank(item):
        return next((i for i, name in enumerate(LONGEST) if name in item.nodeid), len(LONGEST))

    items.sort(key=rank)


@pytest.fixture(scope="session")
def media():
    """The demo's footage; `make test` has made it before the tests run in parallel."""
    return demo_media() / "bellfounders"


@pytest.fixture(scope="module")
def remembered(tmp_path_factory):
    """Let slow pure functions of the core remember what they answered, for all workers of a run."""
    from tests.remembered import remembered

    base = tmp_path_factory.getbasetemp()
    with remembered((base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "remembered"):
        yield
