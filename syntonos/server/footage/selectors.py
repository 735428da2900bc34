"""Reading footage: clips by what they say, what waits, and what lies beside the files."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError
from syntonos.core.media.video import OTHER_MATRIX
from syntonos.server.footage.frames import strip_of
from syntonos.server.footage.media import resolve
from syntonos.server.footage.missing import is_missing
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.footage.services import differences
from syntonos.server.history.services import head_of
from syntonos.server.productions.models import Camera, Production

# A correction that came with the footage: listed, never applied by itself.
_SIDECARS = (".cube", ".cdl", ".cc", ".ccc", ".clf", ".3dl")


def clips_of(
    production: Production, *, search: str = "", letter: str = "", light_id: int | None = None,
    kind: str = "", doubtful: bool = False,
) -> list[Clip]:  # fmt: skip
    """Return a production's clips; every word of the search stands somewhere in their rows."""
    rows = Clip.objects.filter(camera__production=production).select_related("camera", "light")
    if letter:
        rows = rows.filter(camera__letter=letter)
    if light_id is not None:
        rows = rows.filter(light_id=light_id)
    if kind:
        rows = rows.filter(kind=kind)
    rows = rows.order_by("light__position", "light_id", "timecode", "camera__letter", "id")
    words = search.casefold().split()[:8]
    return [
        clip for clip in rows
        if (not doubtful or _findings(clip)) and (not words or _says(clip, words))
    ]  # fmt: skip


def _findings(clip: Clip) -> list[Any]:
    """Return what speaks against how a clip is taken, where that was looked at."""
    return list(clip.findings) if clip.findings_of == clip.taken_as else []


def _says(clip: Clip, words: list[str]) -> bool:
    """Say whether every word stands in a clip's row: what it is, what its files say, how taken."""
    facts, found = clip.facts, _findings(clip)
    parts = [
        clip.name, clip.kind, str(clip.camera), clip.light.name, encoding_name(clip.encoding),
        clip.encoding, f"levels {clip.levels}", clip.format, f"{clip.bits} bit", clip.timecode,
        *map(str, facts.values()), *clip.files, *clip.warnings,
        *(f"{short} {facts[name]}" for name, short in _SHORT.items() if name in facts),
        *(("doubtful", *(f["text"] for f in found)) if found else ()),
        "missing" if is_missing(clip) else "",
    ]  # fmt: skip
    text = " ".join(parts).casefold()
    return all(word in text for word in words)


# What stands before a fact in a row.
_SHORT = {"scene": "sc. scene", "take": "t. take", "exposure_index": "EI exposure index"}


def encoding_name(slug: str) -> str:
    """Return an encoding's name; "" for none, the slug where it is not known here."""
    try:
        return find_encoding(slug).name if slug else ""
    except ColourError:
        return slug


Usual = dict[tuple[int, int, str], tuple[str, str]]  # light, camera, media: encoding, levels


def usual_of(production: Production) -> Usual:
    """Return what most clips of each camera in each light are taken as; where there are three."""
    seen: dict[tuple[int, int, str], Counter[tuple[str, str]]] = {}
    rows = Clip.objects.filter(camera__production=production).select_related("camera")
    for clip in rows:
        key = clip.light_id, clip.camera_id, clip.media
        seen.setdefault(key, Counter())[clip.encoding, clip.levels] += 1
    return {
        key: counted.most_common(1)[0][0] for key, counted in seen.items()
        if counted.total() >= _SIBLINGS and counted.most_common(1)[0][1] > counted.total() / 2
    }  # fmt: skip


_SIBLINGS = 3


def clip_row(clip: Clip, usual: Usual | None = None) -> dict[str, Any]:
    """Return a clip for the list; `usual` is what its siblings are taken as."""
    encoding, levels = (usual or {}).get(
        (clip.light_id, clip.camera_id, clip.media), (clip.encoding, clip.levels)
    )
    differs = "" if (encoding, levels) == (clip.encoding, clip.levels) else (
        f"{clip.camera.letter}'s other clips here: {encoding_name(encoding)}, levels {levels}"
    )  # fmt: skip
    names = [field.name for field in Clip._meta.fields]
    plain = {name: getattr(clip, name) for name in names if name not in ("camera", "light")}
    is_checked = clip.findings_of == clip.taken_as
    return plain | {
        "is_checked": is_checked, "findings": clip.findings if is_checked else [],
        "camera_id": clip.camera_id, "light_id": clip.light_id, "encoding": clip.encoding,
        "levels": clip.levels, "scene": clip.scene, "clipped_share": clip.clipped_share,
        "start_frame": clip.start_frame,
        "encoding_name": encoding_name(clip.encoding), "differs": differs,
        "strip": strip_of(clip.frame_count),
        "is_missing": (gone := is_missing(clip)), "sidecars": [] if gone else sidecars_of(clip),
    }  # fmt: skip


def clip_details(clip: Clip) -> dict[str, Any]:
    """Return all that is known of a clip."""
    chart = Clip.objects.filter(
        camera=clip.camera, light=clip.light, kind=Clip.Kind.CHART
    ).order_by("id").first()  # fmt: skip
    apart = differences(chart, clip) if chart and clip.kind == Clip.Kind.SCENE else []
    return clip_row(clip) | {
        "differences": apart, "head": head_of(clip.camera.production_id),
        "also_at": [copy["files"][0] for copy in clip.copies],
    }  # fmt: skip


def sidecars_of(clip: Clip) -> list[str]:
    """Return the corrections that lie beside a clip's first file under its name."""
    first = resolve(clip.files[0], clip.root)
    stems = {first.stem, first.stem.rstrip("0123456789").rstrip("._-"), clip.name}
    return [
        (Path(clip.files[0]).parent / f"{stem}{ending}").as_posix()
        for stem in sorted(stems - {""}) for ending in _SIDECARS
        if (first.parent / f"{stem}{ending}").is_file()
    ]  # fmt: skip


def matrices_of(row: Arrival) -> list[str]:
    """Return the matrices between which a person must say, where a file says two."""
    metadata = (row.recording or {}).get("metadata") or {}
    said = metadata.get("y'cbcr matrix taken"), metadata.get(OTHER_MATRIX)
    return [str(name) for name in said] if all(said) else []


def arrival_row(row: Arrival, cameras: Mapping[str, Camera] | None = None) -> dict[str, Any]:
    """Return a recording that waits, as the API says it; `cameras` by letter."""
    said = row.recording or {}
    own = (cameras or {}).get(row.letter)
    differs = ""
    if own is not None and row.encoding and row.encoding != own.encoding:
        differs = (
            f"its file says {encoding_name(row.encoding)}; camera {own.letter} is taken as "
            f"{encoding_name(own.encoding)}"
        )
    plain = {name: said.get(name) for name in ("facts", "warnings")}
    return {
        "id": row.pk, "folder": row.folder, "name": row.name, "file_count": len(row.files),
        "missing": len(row.missing), "state": row.state, "problem": row.problem,
        "letter": row.letter, "camera_name": row.camera_name, "encoding": row.encoding,
        "encoding_name": encoding_name(row.encoding), "light_name": row.light_name,
        "kind": row.kind, "differs": differs, "matrices": matrices_of(row), "matrix": row.matrix,
        "reasons": row.reasons, "media": said.get("kind", ""),
        "facts": plain["facts"] or {}, "warnings": plain["warnings"] or [],
        **{name: said.get(name) or "" for name in ("format", "rate", "timecode")},
        **{name: said.get(name) or 0 for name in ("width", "height", "bits", "frame_count")},
    }  # fmt: skip
