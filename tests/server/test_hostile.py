"""Bad requests: a bounded part of `make hostile`."""

import os

from tests.hostile.requests import tell, try_all

EXAMPLES = int(os.environ.get("HOSTILE_EXAMPLES", "1"))
SEED = int(os.environ.get("HOSTILE_SEED", "2026"))


def test_no_request_breaks_the_server(transactional_db, place, read, api, capsys):
    read("AB")
    path = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{path}/matches", {}, status=201)
    before = api("get", f"/productions/{place.production.pk}/board")

    tried, failed = try_all(EXAMPLES, SEED)
    if "HOSTILE_EXAMPLES" in os.environ:
        with capsys.disabled():
            tell(tried, failed)
    assert len(tried) > 60
    assert not any(failed.values())
    after = api("get", f"/productions/{place.production.pk}/board")
    assert after["production"]["id"] == before["production"]["id"]
