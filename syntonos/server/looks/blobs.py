"""The blob store of look LUTs: values by sha256, below the data folder."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from django.conf import settings

from syntonos.core.chain import LookTable, keep_table

_SHA = re.compile(r"[0-9a-f]{64}")


def _path(sha: str) -> Path:
    return Path(settings.DATA) / "blobs" / f"{sha}.npz"


def store(table: LookTable) -> str:
    """Keep a LUT's values; returns their sha256."""
    sha = keep_table(table)
    path = _path(sha)
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_suffix(".part")
        with partial.open("wb") as file:
            np.savez_compressed(file, values=table.values, low=table.low, high=table.high,
                                clf=np.frombuffer(table.clf, np.uint8))  # fmt: skip
        partial.replace(path)
    return sha


def load(sha: str) -> LookTable | None:
    """Return a LUT's values, or None where they are not here."""
    if not _SHA.fullmatch(sha) or not _path(sha).is_file():
        return None
    with np.load(_path(sha)) as data:
        low, high = (tuple(map(float, data[name])) for name in ("low", "high"))
        clf = data["clf"].tobytes() if "clf" in data else b""  # not in those of older versions
        return LookTable(data["values"], low, high, clf)  # type: ignore[arg-type]
