"""Many LUTs at once: made in one job, into one zip with a list of what each file is."""

from __future__ import annotations

import contextlib
import csv
import hashlib
import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, Literal

from django.template import Context, Engine
from django.utils import timezone

from syntonos.core.chain import AS_IN_FORCE, LutLevels, Overrides
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError
from syntonos.core.matching.verdict import LEAST_TOLD, MOST_LUT_COST
from syntonos.core.viewing import Asked, Subject
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.handover import services
from syntonos.server.handover.models import Export
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching import selectors
from syntonos.server.matching.chains import parts_of
from syntonos.server.matching.models import Match
from syntonos.server.productions.models import Camera, Light, Production
from syntonos.server.rendering.pictures import picture

KIND: Final = "take-away"
_STILL_WIDTH = 1280
_KEPT: Final = 14 * 24 * 3600.0  # seconds that a package can be fetched
_COLUMNS: Final = (
    "file", "camera", "light", "clips", "from", "from_levels", "to", "format", "points", "lut_in",
    "lut_out", "match", "delta_e", "read_back_mean", "read_back_p99_9", "chain", "sha256",
    "warnings",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is taken away: which angles, to which targets, in which formats."""

    cells: tuple[tuple[int, int], ...]  # light, camera
    targets: tuple[str, ...]
    formats: tuple[str, ...]
    size: int
    lut_in: Literal["stored", "expanded"]
    lut_out: Literal["stored", "expanded"]
    stills: bool


def start(production: Production, wanted: dict[str, Any]) -> Job:
    """Queue the making of a package."""
    lights = set(production.lights.values_list("pk", flat=True))
    cameras = set(production.cameras.values_list("pk", flat=True))
    if any(light not in lights or camera not in cameras for light, camera in wanted["cells"]):
        raise ConflictError("takeaway.cells", "An angle that was chosen is not in this production.",
                            "Choose the angles again.")  # fmt: skip
    count = len(wanted["cells"])
    title = f"Taking {count} angle{'s' if count != 1 else ''} away"
    return jobs.start(production, KIND, title, {"production_id": production.pk, **wanted})


def path_of(job: Job) -> Path:
    """Return the zip that a job made."""
    return services.folder() / f"package-{(job.result or {}).get('sha256', '')}.zip"


def remove_old(now: float) -> None:
    """Remove the zips that were made two weeks ago: their files can be put together again.

    `now` in seconds since 1970, as `time.time` tells.
    """
    for path in services.folder().glob("package-*"):
        with contextlib.suppress(FileNotFoundError):
            if now - path.stat().st_mtime > _KEPT:
                path.unlink()


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Make a package; arguments: production_id, and the fields of Wanted."""
    production = Production.objects.select_related("reference_camera").get(
        pk=arguments["production_id"]
    )
    plain = {k: v for k, v in arguments.items() if k != "production_id"}
    plain["cells"] = tuple((light, camera) for light, camera in plain["cells"])
    return make(production, Wanted(**plain), progress)


def make(
    production: Production, wanted: Wanted, progress: Callable[[float, str], None]
) -> dict[str, Any]:
    """Make all files and the zip; what cannot be made is named in it, and stops nothing else."""
    lights = production.lights.in_bulk([light for light, _ in wanted.cells])
    cameras = production.cameras.select_related("production__reference_camera").in_bulk(
        [camera for _, camera in wanted.cells]
    )
    places = [(lights[at], cameras[who]) for at, who in wanted.cells
              if at in lights and who in cameras]  # fmt: skip
    todo = [
        (light, camera, own, target, format_)
        for light, camera in places for own in _kinds_of_clips(light, camera)
        for target in wanted.targets for format_ in wanted.formats
    ]  # fmt: skip
    levels = LutLevels(wanted.lut_in, wanted.lut_out)
    made: list[Export] = []
    refused: dict[str, list[str]] = {}  # why, and what
    for number, (light, camera, own, target, format_) in enumerate(todo):
        what = f"{camera.letter} in {light.name} to {target}"
        progress(0.9 * number / len(todo), f"{what}, {format_}")
        try:
            row = services.export_lut(light=light, camera=camera, target=target, size=wanted.size,
                                      format_=format_, levels=levels, own=own)  # fmt: skip
            made.append(row)
        except ColourError as error:
            refused.setdefault(str(error), []).append(f"{what}, {format_}")
    left_out = [f"{'; '.join(which)}. {why}" for why, which in refused.items()]
    progress(0.9, "Stills and the list")
    stills = _stills(places) if wanted.stills else {}
    return _written(production, made, left_out, stills)


def _kinds_of_clips(light: Light, camera: Camera) -> list[Clip | None]:
    """Return what needs a LUT: None for clips as the camera is set, one clip of each other kind."""
    variants = services.variants(light, camera)
    apart = {name for variant in variants for name in variant.clips}
    own = list(Clip.objects.filter(pk__in=[v.clip_id for v in variants]).select_related("camera"))
    usual = Clip.objects.filter(light=light, camera=camera).exclude(name__in=apart).exists()
    return [*([None] if usual or not own else []), *own]


def _stills(places: list[tuple[Light, Camera]]) -> dict[str, bytes]:
    """Return each angle's picture as shot and matched, and the reference's, as JPEG by name."""
    out: dict[str, bytes] = {}
    asked = Asked(width=_STILL_WIDTH)
    as_shot = Overrides(off=frozenset({"match", "trim"}))
    for light, camera in places:
        clip = (
            Clip.objects.filter(light=light, camera=camera)
            .select_related("camera__production", "light").order_by("-kind", "id").first()
        )  # fmt: skip
        if clip is None:
            continue
        stem = f"stills/{services.word_of(light.name)}_{camera.letter}_{clip.name}"
        subject = Subject(ClipSource(clip), parts_of(clip))
        try:
            if selectors.current_match(light.pk, camera) is None:
                out[f"{stem}_reference.jpg"] = picture(subject, asked, AS_IN_FORCE)
                continue
            out[f"{stem}_as-shot.jpg"] = picture(subject, asked, as_shot)
            out[f"{stem}_matched.jpg"] = picture(subject, asked, AS_IN_FORCE)
        except ColourError:  # its media are gone: the LUTs do not need them
            continue
    return out


def _written(
    production: Production, made: list[Export], left_out: list[str], stills: dict[str, bytes]
) -> dict[str, Any]:
    rows = [_row(export) for export in made]
    table = io.StringIO()
    writer = csv.DictWriter(table, _COLUMNS)
    writer.writeheader()
    writer.writerows(rows)
    folder = Path(__file__).parent / "templates"
    page = Engine(dirs=[str(folder)]).get_template("package.html")
    reference = production.reference_camera
    text = page.render(Context({
        "production": production.name, "made": timezone.now().strftime("%Y-%m-%d %H:%M UTC"),
        "reference": str(reference or ""), "rows": rows, "left_out": left_out,
        "stills": [{"file": name, "text": Path(name).stem.replace("_", " ")}
                   for name in sorted(stills)],
    }))  # fmt: skip
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        for export in made:
            archive.write(services.path_of(export), export.file_name)
        archive.writestr("list.csv", table.getvalue())
        archive.writestr("list.html", text)
        for name, jpeg in stills.items():
            archive.writestr(name, jpeg)
    content = data.getvalue()
    digest = hashlib.sha256(content).hexdigest()
    final = services.folder() / f"package-{digest}.zip"
    partial = final.with_suffix(".part")
    partial.write_bytes(content)
    partial.replace(final)
    return {
        "sha256": digest, "size": len(content), "left_out": left_out,
        "name": f"{services.word_of(production.name)}_{timezone.now():%Y-%m-%d_%H%M}.zip",
        "files": [{"name": row["file"], "p99_9": row["read_back_p99_9"],
                   "warnings": row["warnings"]} for row in rows],
    }  # fmt: skip


def _row(export: Export) -> dict[str, Any]:
    """Return what the list says of a file."""
    main = next(
        (d for colours in ("picture", "grid") for d in export.read_back["differences"]
         if (d["colours"], d["interpolation"], d["bits"]) == (colours, "tetrahedral", None)), None,
    )  # fmt: skip
    decode = next(s for s in export.chain["stages"] if s["kind"] == "decode")
    match: Match | None = export.match
    expected = match.facts.get("expected") if match else None
    return {
        "file": export.file_name, "camera": str(export.camera), "light": export.light.name,
        "clips": f"clips taken as {export.clip}" if export.clip else "clips as the camera is set",
        "from": find_encoding(decode["encoding"]).name, "from_levels": decode["levels"],
        "to": _target_name(export),
        "format": export.format, "points": export.size if export.format != "clf" else "",
        "lut_in": export.lut_in, "lut_out": export.lut_out,
        "match": match.number if match else "", "chain": export.chain_hash[:12],
        "delta_e": "" if expected is None else f"{expected:.2f}",
        "read_back_mean": f"{main['mean']:.4f}" if main else "",
        "read_back_p99_9": f"{main['p99_9']:.3f}" if main else "",
        "sha256": export.sha256, "warnings": "; ".join(_warnings(export, match)),
    }  # fmt: skip


def _target_name(export: Export) -> str:
    """Return where a file leads, as it is called on the screen."""
    last = export.chain["stages"][-1]
    if export.target == "reference":
        return f"reference camera's {find_encoding(last['encoding']).name}, {last['levels']}"
    return next(
        (row["name"] for row in export.camera.production.outputs if row["key"] == export.target),
        export.target,
    )


def _warnings(export: Export, match: Match | None) -> list[str]:
    out = []
    read_back = export.read_back
    if match is not None:
        scenes = Clip.objects.filter(
            light=export.light, camera=export.camera, kind=Clip.Kind.SCENE
        ).select_related("camera")  # fmt: skip
        if selectors.is_borrowed(match):
            out.append("the match is borrowed from another light")
        else:
            tolerance = export.camera.production.tolerance
            verdict = selectors.verdict_of(match, tolerance, selectors.clipped_share(scenes))
            if verdict.state != "in_tune":
                out.append(", ".join((verdict.words.lower(), *verdict.lowered_by)))
    for share, words in (
        (read_back.get("share_outside"), "beyond what the target's code values hold"),
        (read_back.get("share_beyond"), "beyond the 0 to 1 that the LUT takes"),
    ):
        if share and share > LEAST_TOLD:
            out.append(f"{100 * share:.1f} % of the picture {words}")
    if (cost := read_back.get("cost")) and cost > MOST_LUT_COST:
        out.append(f"it adds {cost:.2f} ΔE to the match")
    return out
