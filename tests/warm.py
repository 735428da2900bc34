"""Done once before the tests run in parallel: kernels compiled, demo footage made."""

import os
import shutil
from pathlib import Path

import numpy as np

MEDIA = Path(os.environ.get("SYNTONOS_TEST_MEDIA", "var/test/media")).resolve()
DEMO = MEDIA.with_name("demo")  # what the demo's first start leaves; each journey has its own copy


def demo_media() -> Path:
    """Return the folder with the demo's footage, made where it is missing."""
    from syntonos.core.simulate.foundry.footage import write_card, write_footage

    write_footage(MEDIA / "bellfounders")
    write_card(MEDIA / "bellfounders")
    return MEDIA


def demo_data() -> None:
    """Keep the demo production as `setup_demo` makes it of that footage."""
    os.environ |= {"SYNTONOS_MEDIA": str(MEDIA), "SYNTONOS_DATA": str(DEMO),
                   "DJANGO_SETTINGS_MODULE": "syntonos.server.config.settings"}  # fmt: skip
    import django
    from django.core.management import call_command

    shutil.rmtree(DEMO, ignore_errors=True)
    DEMO.mkdir(parents=True)
    django.setup()
    call_command("migrate", verbosity=0)
    from syntonos.server.demo import ensure_demo

    ensure_demo()


def main() -> None:
    from syntonos.core.chain import Chain, Decode, Output, apply_lut, bake_lut
    from syntonos.core.encodings import CURVES, decode, encode
    from syntonos.core.scopes import count_scopes, draw

    chain = Chain(Decode("n-log/n-gamut", "legal"), Output())
    draw(chain, np.full((8, 8, 3), 0.4, np.float32))
    table = bake_lut(chain, 17)
    for interpolation in ("tetrahedral", "trilinear"):
        count_scopes(apply_lut(table[0], table, interpolation=interpolation))
    for curve in CURVES.values():
        for dtype in (np.float32, np.float64):
            encode(decode(np.array([0.5], dtype), curve), curve)
    demo_media()
    demo_data()


if __name__ == "__main__":
    main()
