"""The demo production: The Bellfounders, a bell foundry's casting day."""

from __future__ import annotations

from django.conf import settings
from django.db import transaction

from syntonos.core.simulate.foundry.cast import CLIPS, LIGHTS, demo_cameras, own_curve
from syntonos.core.simulate.foundry.footage import CARD, clip_files, write_card, write_footage
from syntonos.server.footage.models import Clip
from syntonos.server.footage.services import register_clip
from syntonos.server.matching import readings
from syntonos.server.matching import services as matching
from syntonos.server.productions.models import Production
from syntonos.server.productions.services import (
    change_production,
    create_camera,
    create_light,
    create_production,
    keep_own_encoding,
)

NAME = "The Bellfounders"


def _is_there() -> bool:
    """Say whether nothing is missing, without the simulator, which takes a second to load."""
    root = settings.MEDIA_ROOTS["media"]
    files = Clip.every.filter(camera__production__name=NAME).values_list("files", flat=True)
    return (
        len(files) >= len(CLIPS)
        and (root / "bellfounders" / CARD).is_dir()
        and all((root / name).is_file() for row in files for name in row)
    )


def ensure_demo() -> bool:
    """Make footage and production where they are missing; says whether something was made."""
    if _is_there():
        return False
    media = settings.MEDIA_ROOTS["media"] / "bellfounders"
    write_footage(media)
    write_card(media)
    if Production.objects.filter(name=NAME).exists():
        return False
    with transaction.atomic():
        production = create_production(name=NAME)
        hdr = {"name": "Rec.2100 PQ", "stage": {"kind": "output", "display": "rec2100-pq-1000"}}
        change_production(production, {"outputs": [*production.outputs, hdr]})
        lights = [
            create_light(production, {"name": row.name, "conditions": row.conditions})
            for row in LIGHTS
        ]
        keep_own_encoding(production, own_curve(), "measured by the crew")
        clips = {}
        cameras = {}
        for demo in demo_cameras():
            camera = create_camera(
                production,
                {"letter": demo.letter, "name": demo.name, "encoding": demo.camera.encoding,
                 "levels": demo.camera.levels},
            )  # fmt: skip
            cameras[demo.letter] = camera
            for clip in (c for c in CLIPS if c.letter == demo.letter):
                clips[clip.letter, clip.day, clip.number] = register_clip(
                    camera=camera, light=lights[clip.day - 1], kind=clip.kind, name=clip.reel,
                    files=[f"bellfounders/{demo.name}/{name}" for name in clip_files(demo, clip)],
                )  # fmt: skip
        # C is done already, so that the Board shows both ends of the work; B is left to do.
        for letter in ("A", "C"):
            row = clips[letter, 1, 1]
            found = readings.find(row)
            readings.read(row, found.detection.corners.tolist(), found_by="search")
        camera = cameras["C"]
        camera.production.refresh_from_db()
        matching.fit(light=lights[0], camera=camera, request=matching.FitRequest())
    return True
