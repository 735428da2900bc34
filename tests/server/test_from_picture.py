"""Matches where nobody shot a chart: a job, a revision like any other, and what it stands on."""

import numpy as np
import pytest

from syntonos.core.chain import bake_lut, compose
from syntonos.core.errors import FitError
from syntonos.core.formats import read_cube
from syntonos.server.matching import from_picture
from syntonos.server.matching.chains import parts_of_camera
from syntonos.server.matching.models import Match

ME = {"Syntonos-Author": "me"}


@pytest.fixture
def path(place):
    return f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"


def ask(place, **more):
    return {"clip_id": place.clips["B", "scene"].pk,
            "reference_clip_id": place.clips["A", "scene"].pk, **more}  # fmt: skip


def cell(api, place, letter="B"):
    rows = api("get", f"/productions/{place.production.pk}/board")["cells"]
    return next(c for c in rows if c["camera_id"] == place.cameras[letter].pk)


def test_a_match_from_the_picture_is_a_revision_like_any_other(api, place, path, read):
    assert cell(api, place)["state"] == "not_measured"
    job = api("post", f"{path}/matches/from-picture", ask(place), status=202, **ME)
    assert api("get", f"/productions/{place.production.pk}/jobs")[0]["state"] == "done", job
    angle = api("get", path)
    match = angle["match"]
    assert (match["number"], match["picture"]["names"]) == (1, ["A001_02", "B001_02"])
    assert match["picture"]["places"] > 100
    assert match["after"] < 0.5 * match["white_only"] < match["before"]
    assert angle["state"] in ("in_tune", "close", "off")
    # What leaves is made of it.
    taken = api("post", f"{path}/exports", {"target": "rec709", "size": 17}, status=201)
    data = b"".join(api.client.get(f"/api/exports/{taken['id']}/file").streaming_content)
    chain = compose(parts_of_camera(place.cameras["B"], place.light))
    np.testing.assert_allclose(read_cube(data).table, bake_lut(chain, 17), atol=2e-6)
    assert chain.match is not None
    # The menu's values are worked out on a chart; other lights cannot borrow it.
    assert api("get", f"{path}/menu", status=422)["code"] == "menu.no_chart"
    # A second one on a stale base is refused by its job, and nothing changes.
    api("post", f"{path}/matches/from-picture", ask(place), status=202, **ME)
    stale = api("get", f"/productions/{place.production.pk}/jobs")[0]
    assert (stale["state"], stale["problem"]["code"]) == ("failed", "revision.stale_base")
    api("post", f"{path}/matches/from-picture", ask(place, base_number=1), status=202, **ME)
    again = api("post", f"/matches/{match['id']}/restore", {"base_number": 2}, status=201, **ME)
    assert (again["number"], again["restored_from"]) == (3, 1)
    # Taken as something else than it was matched as: off, and it says so.
    clip = place.clips["B", "scene"]
    values = {"ids": [clip.pk], "values": {"levels": "legal"}}
    api("post", f"/productions/{place.production.pk}/clips/settings", values, **ME)
    assert "the picture was matched as" in cell(api, place)["reason"]
    api("post", f"/productions/{place.production.pk}/undo", **ME)
    # Once both charts are read they are better: fit to them.
    read("AB")
    assert (cell(api, place)["state"], cell(api, place)["next_step"]) == ("stale", "fit_again")
    fitted = api("post", f"{path}/matches", {"base_number": 3}, status=201)
    assert fitted["picture"] is None
    assert abs(fitted["stops"] - match["stops"]) < 0.15


def test_another_scene_is_refused_by_the_job_and_nothing_is_kept(api, place, path, monkeypatch):
    def refuse(*_, **__):
        raise FitError("The two pictures do not show the same scene.", hint="Choose others.",
                       code="places.scene")  # fmt: skip

    monkeypatch.setattr(from_picture, "places_of", refuse)
    api("post", f"{path}/matches/from-picture", ask(place), status=202, **ME)
    job = api("get", f"/productions/{place.production.pk}/jobs")[0]
    assert (job["state"], job["problem"]["code"]) == ("failed", "places.scene")
    assert Match.objects.count() == 0
    foreign = ask(place) | {"reference_clip_id": place.clips["C", "scene"].pk}
    api("post", f"{path}/matches/from-picture", foreign, status=404)
    reference = path.rpartition("/")[0] + f"/{place.cameras['A'].pk}"
    itself = ask(place) | {"clip_id": place.clips["A", "chart"].pk}
    refused = api("post", f"{reference}/matches/from-picture", itself, status=422)
    assert refused["code"] == "fit.reference"
