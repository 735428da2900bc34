"""The Bench's picture, the LUT and the command line are one chain, whatever is set."""

import json

import numpy as np
import pytest

from syntonos.cli.main import main
from syntonos.core.chain import chain_to_json, compile_chain, compose, run
from syntonos.core.chain.bake import bake_lut
from syntonos.core.chain.compose import Parts
from syntonos.core.chain.document import Decode, Match
from syntonos.core.chain.stages.trim import HueTrim, LevelTrim, Trim
from syntonos.core.formats import read_cube
from syntonos.server.handover.services import chain_for
from syntonos.server.looks.services import set_balance, set_look
from syntonos.server.matching.models import ChartReading
from syntonos.server.matching.models import Match as MatchRow
from syntonos.server.matching.trims import set_trim
from syntonos.server.rendering.schemas import SeenIn
from syntonos.server.rendering.subjects import subject_through

ENCODINGS = ("s-log3/s-gamut3.cine", "logc3-ei800/awg3", "v-log/v-gamut", "logc4/awg4", "srgb",
             "n-log/n-gamut", "c-log2/cinema-gamut", "acescct/ap1")  # fmt: skip
OUTPUTS = [
    {"key": "a", "name": "a", "stage": {"kind": "output"}},
    {"key": "b", "name": "b", "stage": {"kind": "output", "tone": None, "compression": 0.7}},
    {"key": "c", "name": "c", "stage": {"kind": "output", "display": "p3-d65"}},
    {"key": "d", "name": "d", "stage": {"kind": "output", "display": "rec2100-hlg"}},
]


def near(rng, at, spread, size=3):
    return tuple(float(v) for v in at + rng.uniform(-spread, spread, size))


def random_match(rng):
    rows = [near(rng, 0.0, 0.1, 2) for _ in range(3)]
    matrix = tuple(
        tuple(np.insert(row, i, 1 - sum(row)).tolist()) for i, row in enumerate(rows)
    )  # fmt: skip
    return Match(near(rng, 0.004, 0.003), near(rng, 1.0, 0.2), float(rng.uniform(-1, 1)), matrix,
                 near(rng, 1.0, 0.2), near(rng, 0.003, 0.002),
                 clip=float(rng.uniform(2, 8)) if rng.random() < 0.5 else None)  # fmt: skip


def random_cdl(rng):
    return {"slope": near(rng, 1.0, 0.2), "offset": near(rng, 0.0, 0.03),
            "power": near(rng, 1.0, 0.2), "saturation": float(rng.uniform(0.5, 1.4)),
            "clamp": bool(rng.random() < 0.3)}  # fmt: skip


def random_trim(rng):
    return Trim(
        stops=float(rng.uniform(-0.5, 0.5)), warmth=float(rng.uniform(-60, 60)),
        tint=float(rng.uniform(-8, 8)), flare=float(rng.uniform(0, 0.003)),
        contrast=float(rng.uniform(0.9, 1.1)),
        levels=(LevelTrim(warmth=float(rng.uniform(-20, 20))), LevelTrim(), LevelTrim()),
        hues=tuple(HueTrim(turn=float(rng.uniform(-8, 8))) for _ in range(6)),
    )  # fmt: skip


def test_two_hundred_random_settings_agree_to_a_hundred_thousandth(place, read, tmp_path):
    rng = np.random.default_rng(15)
    read("B")
    reading = ChartReading.objects.latest("pk")
    camera, light, clip = place.cameras["B"], place.light, place.clips["B", "scene"]
    production = camera.production
    production.outputs = OUTPUTS
    production.save()
    match = MatchRow(
        light=light, camera=camera, reference=place.cameras["A"], number=1, is_current=True,
        angle_reading=reading, evidence={},
    )  # fmt: skip
    worst = 0.0
    for i in range(200):
        camera.encoding, camera.levels = rng.choice(ENCODINGS), rng.choice(["full", "legal"])
        camera.unit_stops, camera.unit_tint = near(rng, 0, 0.5, 1)[0], near(rng, 0, 0.3, 1)[0]
        camera.save()
        clip.overrides = {"encoding": str(rng.choice(ENCODINGS))} if rng.random() < 0.5 else {}
        clip.save()
        stage = random_match(rng)
        match.chain = chain_to_json(compose(Parts(Decode("srgb"), match=stage)))
        match.save()
        dials = {"stops": float(rng.uniform(-1, 1)), "warmth": float(rng.uniform(-60, 60)),
                 "tint": float(rng.uniform(-8, 8)),
                 "cdl": random_cdl(rng) if rng.random() < 0.5 else None}  # fmt: skip
        set_balance(light, dials, i)
        steps = [{"kind": "cdl", "cdl": random_cdl(rng), "mix": float(rng.uniform(0.3, 1))}
                 for _ in range(rng.integers(0, 3))]  # fmt: skip
        set_look(production, None, {"kind": "look", "steps": steps}, i)
        trims = random_trim(rng), random_trim(rng)
        set_trim(light, camera, None, trims[0], i)
        set_trim(light, camera, clip, trims[1], i)
        output = OUTPUTS[rng.integers(len(OUTPUTS))]["key"]
        # The Bench.
        seen = SeenIn(subject={"kind": "clip", "id": clip.pk}, overrides={"output": output})
        subject, overrides = subject_through(seen)
        shown = compose(subject.parts, overrides)
        # What is taken away.
        taken, _ = chain_for(light, camera, output, clip)
        table = bake_lut(taken, 17)
        # The command line, from the document that the server gives.
        document, cube = tmp_path / "chain.json", tmp_path / "out.cube"
        document.write_text(json.dumps(chain_to_json(shown)))
        assert main(["bake", str(document), "--size", "17", "--out", str(cube)]) == 0
        by_hand = read_cube(cube.read_bytes()).table
        nodes = rng.integers(0, 17, (64, 3))
        picture = run(compile_chain(shown), (nodes / 16).astype(np.float32))
        for other in (table, by_hand):
            worst = max(worst, np.abs(other[tuple(nodes.T)] - picture).max())
        # And they are what was set, not only alike.
        assert (shown.decode, shown.match) == (Decode(clip.encoding, clip.levels), stage)
        assert shown.balance.stops == dials["stops"]
        assert len(shown.look.steps) == len(steps)
        assert shown.trim.stops == pytest.approx(trims[0].stops + trims[1].stops)
    assert worst < 1e-5
