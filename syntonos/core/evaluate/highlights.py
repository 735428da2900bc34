"""`python -m syntonos.core.evaluate.highlights`: what filling clipped highlights gains.

Simulated cameras that clip at the top of a display curve, as small cameras do, look at things from
three stops under to two above that top, dull and with a sheen of the light's own colour. What is
clipped in one channel or more is compared with what it was, on a display.
"""

from __future__ import annotations

import argparse
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, Decode, Highlights, Match, Output, compile_chain, run
from syntonos.core.chain.readback import display_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import encode, find_encoding
from syntonos.core.evaluate.pairs import balance_for, generic_objects, random_taste
from syntonos.core.matching.highlights import fill_of
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.lights import random_light
from syntonos.core.simulate.objects import random_objects
from syntonos.core.simulate.sensors import random_sensor

A = NDArray[np.float64]
LIGHTS = ("daylight", "tungsten", "led", "mixed")
_ENCODING, _LINEAR = "rec709-2.4", "linear/bt709"


@dataclass(frozen=True, slots=True)
class Gain:
    """Mean delta E 2000 of clipped pixels against what they were."""

    scene: str
    light: str
    recorded: float
    filled: float
    unclipped: float  # what filling does to pixels that were not clipped


def gain_of(seed: int, light: str, scene: str) -> Gain:
    """Draw a camera, a light and a scene, and measure; "metal" things or things of all kinds."""
    rng = np.random.default_rng(seed)
    lamp = random_light(rng, light)
    camera = SimulatedCamera(
        random_sensor(rng), _LINEAR, balance_for(rng, lamp), bits=None,
        taste=random_taste(rng),  # type: ignore[arg-type]
    )  # fmt: skip
    objects = random_objects(rng, "metal", 540) if scene == "metal" else generic_objects(rng)
    dull = camera.expose(objects * lamp)[:, None, :]
    sheen = camera.expose(np.ones((1, lamp.size)) * lamp)[:, None, :]
    level = 2.0 ** rng.uniform(-3, 2, (len(objects), 12, 1))
    truth = camera.develop(level * (dull + rng.uniform(0, 0.06, level.shape) * sheen))
    recorded = np.minimum(truth, 1.0)
    clipped = (truth > 1.0).any(axis=2)
    curve = find_encoding(_ENCODING).curve
    code = encode(np.maximum(recorded, 0), curve).astype(np.float32)
    fill = fill_of([code], find_encoding(_ENCODING), "full")
    want = _shown(Chain(Decode(_LINEAR), Output()), truth.astype(np.float32))
    off = delta_e_2000(_lab(code, None), want)
    on = delta_e_2000(_lab(code, fill), want)
    return Gain(scene, light, float(off[clipped].mean()), float(on[clipped].mean()),
                float((on - off)[~clipped].mean()))  # fmt: skip


def _lab(code: NDArray[np.float32], fill: Highlights | None) -> A:
    return _shown(Chain(Decode(_ENCODING), Output(), match=Match(highlights=fill)), code)


def _shown(chain: Chain, code: NDArray[np.float32]) -> A:
    return display_lab(run(compile_chain(chain), code), "rec709")


def main() -> int:
    """Print a row for each kind of scene and light."""
    parser = argparse.ArgumentParser(prog="evaluate.highlights", description=__doc__)
    parser.add_argument("--pairs", type=int, default=20, help="cameras to a row")
    parser.add_argument("--seed", type=int, default=400_000)
    args = parser.parse_args()
    print("| scene | light | recorded, ΔE | filled, ΔE | not clipped, change in ΔE |")
    print("|---|---|---|---|---|")
    for scene in ("metal", "all kinds"):
        for number, light in enumerate(LIGHTS):
            start = args.seed + 1000 * number
            found = [gain_of(start + i, light, scene) for i in range(args.pairs)]
            means = [np.mean([getattr(g, name) for g in found])
                     for name in ("recorded", "filled", "unclipped")]  # fmt: skip
            print(f"| {scene} | {light} | {means[0]:.2f} | {means[1]:.2f} | {means[2]:+.3f} |")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
