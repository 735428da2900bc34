"""Sound files of every kind that the command line reads: what hostile ones are made from."""

import json
from pathlib import Path

import numpy as np

from syntonos.core.chain import (
    Balance,
    Cdl,
    CdlStep,
    Chain,
    Decode,
    Look,
    Match,
    Output,
    bake_lut,
    chain_to_json,
    write_clf,
)
from syntonos.core.formats import Cube, write_3dl, write_cube
from syntonos.core.media import FORMATS, write_frame
from syntonos.core.media.video_write import CODECS, write_video
from syntonos.core.simulate.dng import mosaic, write_dng

LAYOUT = """
name = "Grey strip"
rows = 1
columns = 4
names = ["white", "light", "dark", "black"]
greys = [1, 2, 3, 4]
"""
TABLE = "patch,R,G,B\n" + "\n".join(f"{i},{0.1 * (i % 9)},{0.2},{0.03 * i}" for i in range(1, 25))


def write_seeds(folder: Path) -> dict[str, Path]:
    """Write one sound file of each kind, small; returns them by kind."""
    folder.mkdir(parents=True, exist_ok=True)
    out: dict[str, Path] = {}
    picture = np.random.default_rng(1).random((48, 64, 3)).astype(np.float32)
    for ending in FORMATS:
        path = folder / f"picture{ending}"
        try:
            write_frame(path, picture)
        except Exception:  # noqa: S112 - kinds that are read only
            continue
        out[ending[1:]] = path
    for codec in ("prores-422-hq", "h264", "dnxhr-hqx", "ffv1"):
        kind = CODECS[codec]
        path = folder / f"{codec}{kind.ending}"
        wide = np.random.default_rng(2).random((128, 256, 3))
        write_video(path, [wide] * 4, codec)
        out[f"{codec} ({kind.ending[1:]})"] = path
    path = folder / "raw.dng"
    matrix = [[0.47, 0.06, -0.08], [-0.78, 1.55, 0.25], [-0.15, 0.19, 0.67]]
    write_dng(path, mosaic(picture, black=512, white=16383), model="Dogwood", color_matrix=matrix,
              neutral=(0.41, 1.0, 0.65), black=512, white=16383)  # fmt: skip
    out["dng"] = path
    chain = Chain(
        Decode("s-log3/s-gamut3.cine"), Output(),
        match=Match(smooth=((0.4, -0.3, 0.03, -0.02, 0.04), (-0.3, 0.2, -0.02, 0.01, 0.02))),
        balance=Balance(0.1, (1.1, 1.0, 0.9), Cdl()), look=Look((CdlStep(Cdl(saturation=1.1)),)),
    )  # fmt: skip
    for kind, data in {
        "chain": json.dumps(chain_to_json(chain)).encode(),
        "cube": write_cube(Cube(bake_lut(chain, 17), "seed")),
        "3dl": write_3dl(bake_lut(chain, 17)),
        "clf": write_clf(Chain(Decode("s-log3/s-gamut3.cine"), Output(tone=None))),
        "layout": LAYOUT.encode(), "table": TABLE.encode(),
    }.items():  # fmt: skip
        endings = {"chain": "json", "layout": "toml", "table": "csv"}
        path = folder / f"sound.{endings.get(kind, kind)}"
        path.write_bytes(data)
        out[kind] = path
    return out
