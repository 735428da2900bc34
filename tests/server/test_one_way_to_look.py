"""Everything that gives pixels or figures of a subject gives the same, whatever is in force."""

import asyncio

import numpy as np
import pytest
import simplejpeg

from syntonos.core.chain import read_trim
from syntonos.server.matching.trims import set_trim
from tests.server.looking import a_clip, draft, taken_apart
from tests.server.test_stream import Page

ME = {"Syntonos-Author": "one way to look"}
SOFT = {"detail": [0.6, 0.4, 0.2]}
KEYED = {"keys": [{"number": "stops", "points": [[0, -1.0], [1, 0.5]]}]}
TRIMS = {
    "plain": {"stops": 0.3, "warmth": 25.0},
    "softened": {"stops": 0.3} | SOFT,
    "keyed": {"warmth": 25.0} | KEYED,
    "both": {"contrast": 1.1} | SOFT | KEYED,
}
OUTPUTS = {
    "sdr": {"kind": "output"},
    "hdr": {"kind": "output", "display": "rec2100-pq-1000"},
    "wide": {"kind": "output", "display": "p3-d65"},
}
WIDTH, FRAME = 320, 1


class Streamed(Page):
    """A page that takes whole messages."""

    async def hear(self):
        event = await asyncio.wait_for(self._out.get(), 60)
        data = event.get("bytes")
        return taken_apart(data) if data is not None else event


async def _played(subject, output):
    async with Streamed() as page:
        seen = {"subject": subject, "width": WIDTH, "frame": FRAME,
                "overrides": {"output": output}}  # fmt: skip
        await page.play(seen=seen, last=FRAME, rate=24, scopes=["parade"])
        return await page.hear()


def _jpeg(api, path):
    return simplejpeg.decode_jpeg(api("get", path).content)


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(("trim", "output"), [
    ("plain", "sdr"), ("softened", "sdr"), ("keyed", "hdr"), ("both", "wide"),
])  # fmt: skip
def test_every_answer_of_one_frame_has_the_same_numbers(api, place, read, trim, output):
    read("AB")
    light, camera, clip = place.light, place.cameras["B"], place.clips["B", "scene"]
    production = place.production
    production.refresh_from_db()
    production.outputs = [{"key": output, "name": output, "stage": OUTPUTS[output]}]
    production.save()
    base = f"/lights/{light.pk}/cameras/{camera.pk}"
    match = api("post", f"{base}/matches", {"base_number": 0}, 201)
    set_trim(light, camera, None, read_trim({"kind": "trim"} | TRIMS[trim]), 0)

    asked = {"subject": a_clip(clip.pk), "frame": FRAME, "width": WIDTH, "scopes": ["parade"]}
    header, blocks = draft(api, **asked)
    picture, parade = blocks["picture"], blocks["parade"]
    path = f"/clips/{clip.pk}/frames/{FRAME}/picture?width={WIDTH}"
    # The kept picture, the stream, the revision by its number, and the same trim under the hand.
    np.testing.assert_array_equal(_jpeg(api, path), picture)
    streamed, more = asyncio.run(_played(asked["subject"], output))
    assert streamed["display"] == header["display"]
    np.testing.assert_array_equal(more["picture"], picture)
    np.testing.assert_array_equal(more["parade"], parade)
    under_the_hand = {"match_id": match["id"], "trim": {"kind": "trim"} | TRIMS[trim]}
    _, again = draft(api, **asked, overrides=under_the_hand)
    np.testing.assert_array_equal(again["picture"], picture)
    # Without it the picture is another one: none of these answers leaves it out.
    _, without = draft(api, **asked, overrides={"off": ["trim"]})
    assert np.abs(without["picture"].astype(int) - picture).mean() > 0.5

    # Marks leave the figures of the picture as they are, and are told of the same frame.
    marked, hatched = draft(api, **asked, mark="gamut")
    np.testing.assert_array_equal(hatched["parade"], parade)
    assert 0 <= marked["outside"] <= 1

    # What a pin shows is what its clip showed, by either way of asking: it has one frame.
    pins = f"/productions/{production.pk}/pins"
    pin = api("post", pins, {"clip_id": clip.pk, "frame": FRAME}, status=201, **ME)
    of_pin = {"subject": {"kind": "pin", "id": pin["id"]}, "width": WIDTH, "scopes": ["parade"]}
    _, pinned = draft(api, **of_pin)
    np.testing.assert_array_equal(pinned["picture"], picture)
    np.testing.assert_array_equal(pinned["parade"], parade)
    np.testing.assert_array_equal(_jpeg(api, f"/pins/{pin['id']}/picture?width={WIDTH}"), picture)

    # Figures of other kinds are told under it, too: a candidate, what a fit would change.
    check = f"{base}/encoding-check/picture?encoding={clip.encoding}&levels=full"
    chart = {"subject": a_clip(place.clips["B", "chart"].pk), "width": WIDTH}
    decode = {"encoding": clip.encoding, "levels": "full"}
    _, candidate = draft(api, **chart, overrides={"decode": decode})
    # Its match is fitted for it alone: near the one in force, and far from the picture without.
    apart = np.abs(_jpeg(api, check).astype(int) - candidate["picture"]).mean()
    assert apart < 0.7
    preview = api("post", f"{base}/matches/preview", {"base_number": match["number"]})
    # The fit in force again: nothing changes.
    assert max(c["mean"] for c in preview["clips"]) < 0.01
    lines = api("post", "/pictures/overlays", asked | {"contours": True})
    assert lines["contours"]
