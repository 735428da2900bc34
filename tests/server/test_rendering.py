"""The render service, pictures under the hand, and their keys."""

import threading
from dataclasses import replace

import numpy as np
import pytest
import simplejpeg

from syntonos.core.chain import PLAIN, Chain, Decode, Output
from syntonos.core.chain.engine import Cancelled
from syntonos.core.viewing import Asked
from syntonos.server.api.errors import BusyError, ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import source_key
from syntonos.server.productions.models import Camera
from syntonos.server.rendering import api as rendering_api
from syntonos.server.rendering import standing
from syntonos.server.rendering.keys import picture_key
from syntonos.server.rendering.service import RenderService
from tests.server.looking import a_clip, draft


class Jobs:
    """Work that goes on when it is told to."""

    def __init__(self):
        self.begun, self._go = [], {}

    def __call__(self, name):
        self._go[name] = threading.Event()

        def work(is_closed):
            self.begun.append(name)
            while not self._go[name].wait(0.01):
                if is_closed():
                    raise Cancelled
            return name.encode()

        return work

    def finish(self, name):
        self._go[name].set()

    def wait_for(self, *names):
        while not set(names) <= set(self.begun):
            pass


def test_the_running_picture_always_comes_and_of_those_that_wait_the_newest():
    service, jobs = RenderService(workers=1), Jobs()
    made = [service.submit("s", "v", i, jobs(str(i))) for i in (1,)]
    jobs.wait_for("1")
    made += [service.submit("s", "v", i, jobs(str(i))) for i in (2, 3)]
    assert made[1].exception(timeout=5).code == "preview.superseded"
    jobs.finish("1")
    assert made[0].result(timeout=5) == b"1"
    jobs.finish("3")
    assert made[2].result(timeout=5) == b"3"
    assert jobs.begun == ["1", "3"]
    assert service.load == (0, 0)
    # A late one that is older than what waits is turned away.
    blocker = service.submit("s", "v", 4, jobs("4"))
    jobs.wait_for("4")
    newest = service.submit("s", "v", 6, jobs("6"))
    with pytest.raises(ConflictError):
        service.submit("s", "v", 5, jobs("5"))
    jobs.finish("4"), jobs.finish("6")
    assert (blocker.result(5), newest.result(5)) == (b"4", b"6")


def test_a_closed_view_is_given_up_and_others_go_on():
    service, jobs = RenderService(workers=2), Jobs()
    closed = service.submit("page", "left", 1, jobs("left"))
    other = service.submit("other", "left", 1, jobs("other"))
    jobs.wait_for("left", "other")
    waiting = service.submit("page", "right", 1, jobs("right"))
    service.close("page")
    assert closed.exception(timeout=5).code == "preview.closed"
    assert waiting.exception(timeout=5).code == "preview.closed"
    jobs.finish("other")
    assert other.result(timeout=5) == b"other"
    assert service.load == (0, 0)


def test_a_bounded_number_waits_and_views_run_side_by_side():
    service, jobs = RenderService(workers=2, most_waiting=2), Jobs()
    running = [service.submit("s", v, 1, jobs(v)) for v in "ab"]
    jobs.wait_for("a", "b")
    waiting = [service.submit("s", v, 1, jobs(v)) for v in "cd"]
    with pytest.raises(BusyError):
        service.submit("s", "e", 1, jobs("e"))
    # One of a view that waits already takes its place, and is not one more.
    newer = service.submit("s", "d", 2, jobs("d2"))
    assert waiting[1].exception(timeout=5).code == "preview.superseded"
    for name in ("a", "b", "c", "d2"):
        jobs.finish(name)
    assert [f.result(5) for f in (*running, waiting[0], newer)] == [b"a", b"b", b"c", b"d2"]


def test_what_goes_wrong_goes_to_who_asked():
    def broken(is_closed):
        raise ValueError("no")

    service = RenderService(workers=1)
    with pytest.raises(ValueError, match="no"):
        service.make("s", "v", 1, broken)
    assert service.make("s", "v", 2, lambda is_closed: b"fine") == b"fine"


def test_too_many_pictures_are_a_429_with_a_hint(api, place, monkeypatch):
    full = RenderService(most_waiting=0)
    monkeypatch.setattr(rendering_api, "SERVICE", full)
    body = {
        "view": "v",
        "sequence": 1,
        "subject": a_clip(place.clips["A", "scene"].pk),
        "width": 64,
    }
    answer = api("post", "/pictures/draft", body, 429)
    assert (answer["code"], bool(answer["hint"])) == ("render.busy", True)
    api("post", "/pictures/close", {"session": "s"}, 204)


def _draft(api, **body):
    header, blocks = draft(api, scopes=["parade", "vectorscope"], **body)
    return header, blocks["picture"], blocks


def test_a_draft_is_header_picture_and_counts(api, place):
    clip = place.clips["A", "scene"]
    header, picture, blocks = _draft(api, subject=a_clip(clip.pk))
    assert picture.shape == (180, 320, 3)
    assert (header["name"], header["matched"]) == (clip.name, False)
    assert [block["name"] for block in header["blocks"]] == ["picture", "parade", "vectorscope"]
    assert blocks["parade"].sum() == 3 * 320 * 180
    assert blocks["vectorscope"].sum() == 320 * 180
    # What is not asked for by name does not come.
    _, alone = draft(api, subject=a_clip(clip.pk), scopes=["vectorscope"])
    assert set(alone) == {"picture", "vectorscope"}
    wrong = {"view": "v", "sequence": 1, "subject": a_clip(clip.pk)}
    pinned = {"syntonos": "chain", "version": 99, "stages": []}
    answer = api("post", "/pictures/draft", wrong | {"overrides": {"pinned": pinned}}, 422)
    assert answer["code"] == "chain.version"
    look = {"kind": "look", "steps": [{"kind": "cdl", "cdl": {"slope": [-1, 1, 1]}}]}
    answer = api("post", "/pictures/draft", wrong | {"overrides": {"look": look}}, 422)
    assert answer["code"] == "cdl.invalid"


def message(api, **body):
    header, picture, blocks = _draft(api, **body)
    return header, picture.astype(float), blocks["parade"]


def test_zoomed_in_every_pixel_of_the_file_is_a_square_of_what_the_whole_shows(api, place):
    clip = place.clips["A", "scene"]
    whole = {"subject": a_clip(clip.pk), "frame": 0, "width": clip.width}
    _, picture, _ = message(api, **whole)
    header, near, _ = message(api, **whole | {"region": [0.5, 0.25, 10 / clip.width, 0.02]})
    left, top, wide, _ = header["region"]
    x, y = round(left * clip.width), round(top * clip.height)
    assert (header["pixels"], round(wide * clip.width)) == (clip.width, 10)
    square = near.shape[1] // 10
    middles = near[square // 2 :: square, square // 2 :: square]
    there = picture[y : y + middles.shape[0], x : x + 10]
    assert np.abs(middles - there).mean() < 3  # JPEG of detail
    for wrong in ([0, 0, 0, 0], [-1, 0, 1, 1], [0.2, 0.2, "NaN", 0.1]):
        body = {"view": "v", "sequence": 2, **whole, "region": wrong}
        api("post", "/pictures/draft", body, 422)


def test_a_draft_is_made_at_the_number_of_its_frame(api, place):
    # A number over time: nothing at the first frame, a stop at the second.
    keys = [{"number": "stops", "points": [[0, 0.0], [1, 1.0]]}]
    for frame, stops in ((0, 0.0), (1, 1.0)):
        seen = {"subject": a_clip(place.clips["A", "scene"].pk), "frame": frame}
        header, over_time, parade = message(
            api, **seen, overrides={"trim": {"kind": "trim", "keys": keys}}
        )
        _, plain, counts = message(
            api, **seen, overrides={"trim": {"kind": "trim", "stops": stops}}
        )
        assert header["frame"] == frame
        np.testing.assert_array_equal(over_time, plain)
        np.testing.assert_array_equal(parade, counts)


def test_scopes_of_a_region_and_of_the_lowest_tenth(api, place):
    clip = place.clips["A", "scene"]
    seen = {"subject": a_clip(clip.pk), "frame": 0, "width": 480}
    _, picture, all_of_it = message(api, **seen)
    header, same, part = message(api, **seen, scoped=[0.25, 0.25, 0.5, 0.5])
    assert (same == picture).all()
    assert part.sum() == pytest.approx(all_of_it.sum() / 4, rel=0.02)
    assert header["scoped"] == [0.25, 0.25, 0.5, 0.5]
    header, _, low = message(api, **seen, lowest=True)
    assert (header["bottom"], header["top"]) == (-0.01, 0.1)
    # What lies under a tenth, told from the picture's own bytes.
    dark = (picture < 25.5).mean(axis=(0, 1))
    np.testing.assert_allclose(low[:, :, :-1].sum(axis=(1, 2)) / low[0].sum(), dark, atol=0.02)


def test_overlays_of_a_frame_are_in_shares_of_it(api, place):
    seen = {"subject": a_clip(place.clips["A", "scene"].pk), "frame": 0}
    found = api("post", "/pictures/overlays", {**seen, "contours": True, "neutral": True})
    ends = np.concatenate([np.array(c["segments"]) for c in found["contours"]])
    assert ends.min() >= 0
    assert ends.max() <= 1
    assert len(found["casts"]) > 10
    none = api("post", "/pictures/overlays", seen)
    assert none == {"contours": [], "casts": []}


def test_the_bench_without_its_match_shows_what_the_server_shows_without_it(api, place, read):
    # A unit correction of one stop counts where the match is off, on the Bench as in kept pictures.
    read("AB")
    camera, clip = place.cameras["B"], place.clips["B", "scene"]
    api("patch", f"/cameras/{camera.pk}", {"unit_stops": 1.0})
    base = f"/lights/{place.light.pk}/cameras/{camera.pk}"
    made = api("post", f"{base}/matches", {}, 201)
    off = {"off": ["match"]}
    _, draft, _ = _draft(api, subject=a_clip(clip.pk), overrides=off)
    path = f"/clips/{clip.pk}/frames/0/picture?width=320"
    kept = simplejpeg.decode_jpeg(api("get", f"{path}&stage=input").content)
    np.testing.assert_array_equal(draft, kept)
    header, matched, _ = _draft(api, subject=a_clip(clip.pk))
    assert header["matched"]
    np.testing.assert_array_equal(matched, simplejpeg.decode_jpeg(api("get", path).content))
    # A revision by its number; one of another camera is none of this clip's.
    _, revision, _ = _draft(api, subject=a_clip(clip.pk), overrides={"match_id": made["id"]})
    np.testing.assert_array_equal(revision, matched)
    other = {"view": "v", "sequence": 1, "subject": a_clip(place.clips["C", "scene"].pk),
             "overrides": {"match_id": made["id"]}}  # fmt: skip
    api("post", "/pictures/draft", other, 404)


def test_a_stand_says_what_is_in_force_and_spares_the_database(
    api, place, django_assert_num_queries
):
    base = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"

    def stand():
        return next(c for c in api("get", base)["angle"]["clips"] if c["kind"] == "scene")["stand"]

    clip, first = place.clips["B", "scene"], stand()
    seen = {"subject": a_clip(clip.pk), "stand": first, "width": 64}
    _, before, _ = _draft(api, **seen)
    with django_assert_num_queries(0):
        _draft(api, **seen, overrides={"dials": {"stops": 1}})
    api("post", f"/lights/{place.light.pk}/balance", {"stops": 2, "base_number": 0}, 201)
    assert stand() != first
    # What a page was told stays what it sees, until it is told otherwise.
    np.testing.assert_array_equal(_draft(api, **seen)[1], before)
    assert (_draft(api, **(seen | {"stand": stand()}))[1] != before).any()
    assert standing.forget(first)
    assert standing.recall(first, "") is None
    # All that a draft takes from the database is in it: names, files, the other outputs.
    seen_stands = {stand()}
    hdr = {"name": "HDR", "stage": {"kind": "output", "display": "rec2100-pq-1000"}}
    production = f"/productions/{place.production.pk}"
    outputs = api("get", f"{production}/board")["production"]["outputs"]
    for method, path, body in (
        ("patch", f"/clips/{clip.pk}", {"name": "B001_77"}),
        ("patch", production, {"outputs": [*outputs, hdr]}),
        ("patch", f"/cameras/{place.cameras['B'].pk}", {"unit_stops": 0.2}),
        ("post", f"{production}/clips/settings", {"ids": [clip.pk], "values": {"levels": "legal"}}),
    ):
        api(method, path, body)
        assert stand() not in seen_stands
        seen_stands.add(stand())


def test_the_key_of_a_picture_holds_all_that_its_pixels_depend_on():
    chain = Chain(Decode("logc3-ei800/awg3"), Output())
    camera = Camera(encoding="logc3-ei800/awg3", levels="full", raw={})
    asked = Asked(1, 320)

    def clip(**changes):
        row = Clip(camera=camera, media="raw", **({"checksum": "a"} | changes))
        return source_key(row)

    keys = [
        picture_key(clip(), chain, asked),
        picture_key(clip(checksum="b"), chain, asked),
        picture_key(clip(overrides={"kelvin": 3200, "white": "set"}), chain, asked),
        picture_key(clip(), chain.to(PLAIN), asked),
        *(
            picture_key(clip(), chain, replace(asked, **changes))
            for changes in (
                {"frame": 2}, {"width": 321}, {"region": (0, 0, 0.5, 0.5)}, {"mark": "gamut"},
                {"whole": True}, {"codes": True},
            )
        ),
    ]  # fmt: skip
    assert len(set(keys)) == len(keys)
    assert keys[0] == picture_key(clip(), chain, asked)
