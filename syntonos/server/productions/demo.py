"""The demo production: The Bellfounders, a bell foundry's casting day."""

from __future__ import annotations

from django.conf import settings
from django.db import transaction

from syntonos.core.simulate.foundry.footage import clip_files, demo_cameras, write_footage
from syntonos.server.footage.services import register_clip
from syntonos.server.matching import services as matching
from syntonos.server.productions.models import Production
from syntonos.server.productions.services import (
    create_camera,
    create_light,
    create_production,
)

NAME = "The Bellfounders"


def ensure_demo() -> bool:
    """Make footage and production where they are missing; says whether something was made."""
    write_footage(settings.MEDIA_ROOTS["media"] / "bellfounders")
    if Production.objects.filter(name=NAME).exists():
        return False
    with transaction.atomic():
        production = create_production(name=NAME)
        light = create_light(
            production,
            {"name": "Foundry", "conditions": "roof light, window, furnace glow; about 5700 K"},
        )
        clips = {}
        cameras = {}
        for demo in demo_cameras():
            camera = create_camera(
                production,
                {"letter": demo.letter, "name": demo.name, "encoding": demo.camera.encoding,
                 "levels": demo.camera.levels},
            )  # fmt: skip
            cameras[demo.letter] = camera
            for kind in ("chart", "scene"):
                name, files = clip_files(demo, kind)
                clips[demo.letter, kind] = register_clip(
                    camera=camera, light=light, kind=kind, name=name,
                    files=[f"bellfounders/{demo.name}/{file}" for file in files],
                )  # fmt: skip
        # C is done already, so that the Board shows both ends of the work; B is left to do.
        for letter in ("A", "C"):
            clip = clips[letter, "chart"]
            matching.read(clip, matching.find(clip).corners.tolist(), found_by="search")
        camera = cameras["C"]
        camera.production.refresh_from_db()
        matching.fit(light=light, camera=camera, request=matching.FitRequest())
    return True
