import json

import pytest
from django.test import Client

from syntonos.server.footage.services import register_clip
from syntonos.server.jobs.queue import HUEY
from syntonos.server.matching import readings
from syntonos.server.productions.services import (
    create_camera,
    create_light,
    create_production,
)
from tests.warm import MEDIA

CAMERAS = [("A", "Alder", "logc3-ei800/awg3", "full"),
           ("B", "Birch", "s-log3/s-gamut3.cine", "full"),
           ("C", "Cedar", "v-log/v-gamut", "legal")]  # fmt: skip


@pytest.fixture(scope="module", autouse=True)
def _remembered(remembered):
    """The core remembers its answers while the tests of a file run."""


@pytest.fixture(autouse=True)
def _jobs_at_once(monkeypatch, settings):
    monkeypatch.setattr(HUEY, "immediate", True)
    settings.COMPARES_UNASKED = False  # it takes seconds after each fit: asked for where it matters


@pytest.fixture
def place(db, settings, media, tmp_path):
    """A production with three cameras in one light, their clips, and nothing read yet."""
    settings.MEDIA_ROOTS = {"media": MEDIA}
    settings.DATA = tmp_path
    production = create_production(name="Casting")
    light = create_light(production, {"name": "Foundry"})
    cameras, clips = {}, {}
    for letter, name, encoding, levels in CAMERAS:
        camera = create_camera(
            production, {"letter": letter, "name": name, "encoding": encoding, "levels": levels}
        )
        cameras[letter] = camera
        for number, kind in (("01", "chart"), ("02", "scene")):
            files = sorted(
                p.relative_to(MEDIA).as_posix()
                for p in (media / name).glob(f"{letter}001_{number}*")
            )
            clips[letter, kind] = register_clip(camera=camera, light=light, kind=kind, files=files)
    return type("Place", (), {"production": production, "light": light, "cameras": cameras,
                              "clips": clips})  # fmt: skip


@pytest.fixture
def read(place):
    """Read the charts of the named cameras."""

    def do(letters="AB"):
        for letter in letters:
            clip = place.clips[letter, "chart"]
            corners = readings.find(clip).detection.corners.tolist()
            readings.read(clip, corners, found_by="search")

    return do


class Api:
    def __init__(self):
        self.client = Client()

    def __call__(self, method, path, body=None, status=200, **headers):
        answer = getattr(self.client, method)(
            f"/api{path}", data=json.dumps(body) if body is not None else None,
            content_type="application/json", headers=headers,
        )  # fmt: skip
        assert answer.status_code == status, answer.content[:500]
        kind = answer.headers.get("Content-Type", "")
        return json.loads(answer.content) if "json" in kind and answer.content else answer


@pytest.fixture
def api():
    return Api()
