"""Changes of one sign, term, bound or order each, with the tests that have to notice.

`old` stands once in its file. Where the code is written anew, so is its mutant: what it breaks is
the point, not the line.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Mutant:
    """One change, and its nearest tests (paths for pytest, or below web/ for vitest)."""

    name: str
    file: str
    old: str
    new: str
    tests: tuple[str, ...]


_CHAIN: Final = "syntonos/core/chain/"
_STAGES: Final = _CHAIN + "stages/"
_MATCHING: Final = "syntonos/core/matching/"
_MEDIA: Final = "syntonos/core/media/"
_SERVER: Final = "syntonos/server/"
_BENCH: Final = "web/src/features/bench/"

_TRIM = ("tests/core/chain/test_trim.py",)
_COMPOSE = ("tests/core/chain/test_compose.py",)
_ENGINE = ("tests/core/chain/test_engine.py",)
_OUTPUTS = ("tests/core/chain/test_outputs.py",)
_EXECUTOR = ("tests/core/chain/test_executor.py",)
_BAYES = ("tests/core/matching/test_bayes.py",)
_PLACES = ("tests/core/matching/test_places.py",)
_TUNER = ("tests/core/matching/test_tuner.py",)
_VIEWING = ("tests/core/viewing",)
_DRAFTS = ("tests/server/test_rendering.py",)


def _all(file: str, tests: tuple[str, ...], *rows: tuple[str, str, str]) -> tuple[Mutant, ...]:
    return tuple(Mutant(name, file, old, new, tests) for name, old, new in rows)


MUTANTS: Final[tuple[Mutant, ...]] = (
    # Stage maths
    *_all(
        _CHAIN + "trim_maps.py",
        _TRIM,
        ("flare after the gains", "pack.affine(mat, mat @ flare)", "pack.affine(mat, flare)"),
        (
            "stops of channels ignored",
            "2.0 ** (trim.stops + np.array(trim.stops_rgb))",
            "2.0 ** (trim.stops + 0 * np.array(trim.stops_rgb))",
        ),
        ("working log parts reversed", "    return tuple(out)\n", "    return tuple(out[::-1])\n"),
        (
            "pivot the other way",
            "pivot = GREY + trim.pivot * OF_A_STOP",
            "pivot = GREY - trim.pivot * OF_A_STOP",
        ),
        ("curve without its straight end", "+ last * np.maximum(value - x[-1], 0)", "+ 0 * last"),
        ("hues turned the other way", "scale * np.sin(turn)", "-scale * np.sin(turn)"),
        ("strength of pairs ignored", "strength * (wanted - sources)", "(wanted - sources)"),
        (
            "contradicting pairs taken",
            "if differ > _MOST_SLOPE * max(apart, 1e-9)",
            "if differ > 99 * max(apart, 1e-9)",
        ),
    ),
    *_all(
        _CHAIN + "white.py",
        _TRIM,
        ("tint dropped", "duv + tint / 1000", "duv + 0 * tint"),
        ("tint the other way", "duv + tint / 1000", "duv - tint / 1000"),
        ("warmth the other way", "white_at(mired + warmth", "white_at(mired - warmth"),
        (
            "luminance of a white not kept",
            "mat / float(AP1_LUMINANCE @ mat @ np.ones(3))",
            "mat / 1.0",
        ),
        ("white taken back by its own gains", "1 / cone_gains(*shift)", "cone_gains(*shift)"),
    ),
    *_all(
        _STAGES + "trim.py",
        _TRIM,
        (
            "bypass ignored",
            "fields = {n: getattr(NEUTRAL, n) for p in self.off for n in FIELDS[p]}",
            "fields = {n: getattr(NEUTRAL, n) for p in () for n in FIELDS[p]}",
        ),
        (
            "contrasts of light and clip added",
            'total["contrast"] = a.contrast * b.contrast',
            'total["contrast"] = a.contrast + b.contrast',
        ),
        (
            "keys of the clip dropped",
            'total["keys"] = (*a.keys, *b.keys)',
            'total["keys"] = a.keys',
        ),
        (
            "hues that change their order taken",
            "MOST_BETWEEN: Final = 36.0",
            "MOST_BETWEEN: Final = 360.0",
        ),
    ),
    *_all(
        _CHAIN + "detail.py",
        _TRIM,
        ("softening takes light off", "np.float32(1 - amounts[0])", "np.float32(1 - amounts[1])"),
        ("softening reaches too little", "_TAILS * wide * width", "0.3 * wide * width"),
    ),
    *_all(
        _CHAIN + "compose.py",
        _COMPOSE,
        ("clip trim ignored", "overrides.clip_trim or parts.clip_trim", "overrides.clip_trim"),
        (
            "draft of a clip's trim ignored",
            "overrides.clip_trim or parts.clip_trim",
            "parts.clip_trim",
        ),
        (
            "match of another encoding kept",
            "(base.match if decode == base.decode else None)",
            "base.match",
        ),
        (
            "unit correction counted twice",
            'input=Input(unit=base.unit) if "match" not in kept else Input()',
            "input=Input(unit=base.unit)",
        ),
    ),
    *_all(
        _STAGES + "__init__.py",
        _COMPOSE,
        (
            "trim after balance",
            "    trim.KIND,\n    balance.KIND,\n",
            "    balance.KIND,\n    trim.KIND,\n",
        ),
    ),
    *_all(
        _STAGES + "match.py",
        _COMPOSE,
        (
            "angle's flare added",
            "-gain * np.array(match.angle_flare)",
            "gain * np.array(match.angle_flare)",
        ),
        ("exposure the other way", "2.0**match.stops / np.array", "2.0**-match.stops / np.array"),
        ("reference's white left out", "(inverse * np.array(match.reference_white)", "(inverse"),
        (
            "reference's flare not led out of the mix",
            "inverse @ np.array(match.reference_flare)",
            "1.1 * np.array(match.reference_flare)",
        ),
        (
            "luminance of the mix left out",
            "mix * np.ones((3, 1)) * AP1_LUMINANCE",
            "mix * np.ones((3, 1)) / 3",
        ),
    ),
    *_all(
        _STAGES + "output.py",
        _OUTPUTS,
        (
            "tone scale without the display's peak",
            "output.tone.packed(display.peak)",
            "output.tone.packed(1.0)",
        ),
        (
            "gamut compression left out",
            "    if strength > 0:\n        pack.add",
            "    if strength > 2:\n        pack.add",
        ),
        (
            "yellow limit of the gamut compression",
            "1.147, 1.264, 1.312]), np",
            "1.147, 1.264, 1.3]), np",
        ),
    ),
    *_all(
        _CHAIN + "_kernels.py",
        _TRIM,
        (
            "CDL's saturation without green's weight",
            "luma = _LUMA_R * r + _LUMA_G * g + _LUMA_B * b\n            rr[i] = luma + sat",
            "luma = _LUMA_R * r + _LUMA_G * r + _LUMA_B * b\n            rr[i] = luma + sat",
        ),
        ("CDL's offset before its slope", "v = row[i] * s + o", "v = (row[i] + o) * s"),
    ),
    *_all(
        _CHAIN + "packing.py",
        _ENGINE,
        ("offsets lost where matrices are multiplied", "mat @ before[:, 3] + offset", "offset"),
        (
            "matrices multiplied in the other order",
            "mat, offset = mat @ before[:, :3],",
            "mat, offset = before[:, :3] @ mat,",
        ),
        ("levels put on before decoding", "(1 / scale, -offset / scale)", "(scale, offset)"),
    ),
    *_all(
        "syntonos/core/encodings/levels.py",
        ("tests/core/encodings/test_curves.py", *_ENGINE),
        ("legal black at 0", "(code_rgb - offset) / scale", "code_rgb / scale"),
    ),
    *_all(
        "syntonos/core/colorimetry/white.py",
        ("tests/core/colorimetry/test_colorimetry.py",),
        (
            "Duv's sign",
            "sign = 1.0 if point[1] >= foot[i, 1] else -1.0",
            "sign = -1.0 if point[1] >= foot[i, 1] else 1.0",
        ),
    ),
    *_all(
        "syntonos/core/colorimetry/adaptation.py",
        ("tests/core/colorimetry/test_colorimetry.py", *_TRIM),
        (
            "adaptation the other way",
            "(cone @ xy_to_xyz(white_dst_xy)) / (cone @ xy_to_xyz(white_src_xy))",
            "(cone @ xy_to_xyz(white_src_xy)) / (cone @ xy_to_xyz(white_dst_xy))",
        ),
    ),
    # Frames
    *_all(
        _CHAIN + "executor.py",
        (*_EXECUTOR, *_TRIM),
        (
            "numbers over time at the first frame",
            "kind_of(stage).at(stage, number)",
            "kind_of(stage).at(stage, 0)",
        ),
        ("no margin around a region", "planned.margin(width))\n    values", "0)\n    values"),
    ),
    *_all(
        "syntonos/core/scopes/drawing.py",
        ("tests/core/scopes/test_drawing.py", *_VIEWING),
        ("drawing ignores the frame's number", "plan(chain, number)", "plan(chain, 0)"),
        ("counts of one thread only", "total.parade += other.parade", "total.parade += 0"),
    ),
    *_all(
        _CHAIN + "marks.py",
        ("tests/core/chain/test_marks.py",),
        ("above white is not marked", "light >= top)", "light >= 99 * top)"),
        ("HDR's white ignored on screen", "shown.gamut.to_xyz) / white", "shown.gamut.to_xyz)"),
    ),
    # Fit
    *_all(
        _MATCHING + "rounds.py",
        _BAYES,
        (
            "moved flare's sign",
            "angle_flare = angle_flare - offset",
            "angle_flare = angle_flare + offset",
        ),
        (
            "moved flare in the wrong camera",
            "if float(offset @ AP1_LUMINANCE) < 0:",
            "if float(offset @ AP1_LUMINANCE) > 0:",
        ),
        (
            "white that was found not taken along",
            "line.angle_white / gain, reference_flare",
            "line.angle_white, reference_flare",
        ),
    ),
    *_all(
        _MATCHING + "models.py",
        _BAYES,
        (
            "last offset dropped",
            "line.reference_flare + answer.offset * line.reference_white",
            "line.reference_flare",
        ),
        (
            "smooth residual not zero at neutral",
            "[0.0, 0.0, *pull.tolist()]",
            "[0.0, 0.0, 0, 0, 0]",
        ),
    ),
    *_all(
        _MATCHING + "bayes.py",
        _BAYES,
        ("weights of patches ignored", "blocks / self.weight[:, None, None]", "blocks"),
        (
            "white without its column",
            "d[..., _WHITE] = self.jac * self.x[:, None, :]",
            "d[..., _WHITE] = 0 * self.jac",
        ),
    ),
    # Places
    *_all(
        _MATCHING + "by_places.py",
        _PLACES,
        (
            "noisier camera preferred",
            "noise[1] / (noise[0] + noise[1])",
            "noise[0] / (noise[0] + noise[1])",
        ),
        ("outlier bound removed", "kept = usual & (misses < bound)", "kept = usual"),
        ("all clusters alike", "of_one / count + np.eye(3)", "of_one + np.eye(3)"),
        ("places that do not agree in a cluster's mean", "_CALM: Final = 70", "_CALM: Final = 100"),
    ),
    *_all(
        _MATCHING + "scene_fit.py",
        _PLACES,
        (
            "fall-off of the angle's lens the other way",
            "-self.squared[1][kept]",
            "self.squared[1][kept]",
        ),
    ),
    *_all(
        _MATCHING + "places.py",
        _PLACES,
        (
            "places without the way back",
            "same &= np.hypot(ends[..., 0], ends[..., 1]) < _BACK",
            "same &= True",
        ),
        ("half a pixel off", "(at + 0.5) / [second[1], second[0]]", "at / [second[1], second[0]]"),
    ),
    # Tuner
    *_all(
        _MATCHING + "tuner.py",
        _TUNER,
        (
            "warmth told the other way",
            "return Tuner(stops - _light_lost(shift), *shift,",
            "return Tuner(stops - _light_lost(shift), -shift[0], shift[1],",
        ),
        (
            "tint told the other way",
            "return Tuner(stops - _light_lost(shift), *shift,",
            "return Tuner(stops - _light_lost(shift), shift[0], -shift[1],",
        ),
        (
            "exposure added, not taken off",
            'changes["stops"] = trim.stops - tuner.exposure',
            'changes["stops"] = trim.stops + tuner.exposure',
        ),
    ),
    # Time and media
    *_all(
        _MEDIA + "facts.py",
        ("tests/core/media",),
        (
            "every minute drops numbers",
            "total -= base // 15 * (minutes - minutes // 10)",
            "total -= base // 15 * minutes",
        ),
    ),
    *_all(
        _MEDIA + "ycbcr.py",
        ("tests/core/media/test_video.py",),
        ("Cr in green the other way", "e - g_cb * b - g_cr * r", "e - g_cb * b + g_cr * r"),
        ("chroma sited in the middle", "wide[2 * i] = line[i]\n", "wide[2 * i] = half * line[i]\n"),
    ),
    # Server
    *_all(
        _SERVER + "matching/chains.py",
        ("tests/server/test_trims.py", *_DRAFTS),
        (
            "what a clip adds not in force",
            "self._trim(light_id, camera.pk, clip.pk) if clip",
            "self._trim(light_id, camera.pk, None) if clip",
        ),
        (
            "unit correction of the reference",
            "unit=(1.0, 1.0, 1.0) if is_reference else",
            "unit=(1.0, 1.0, 1.0) if False else",
        ),
    ),
    *_all(
        "syntonos/core/viewing/viewing.py",
        _VIEWING,
        (
            "looking ignores the frame's number",
            'how = {"number": asked.frame,',
            'how = {"number": 0,',
        ),
        (
            "scopes of what is shown, not of the region",
            "part = region if asked.scoped is None else",
            "part = region if True else",
        ),
        ("softening of colours by themselves", "detail=NEUTRAL.detail)", "detail=(0.5, 0.5, 0.5))"),
        (
            "light after the wrong stage",
            "replace(overrides, until=stage,",
            "replace(overrides, until='input',",
        ),
    ),
    *_all(
        "syntonos/core/viewing/marks.py",
        _VIEWING,
        (
            "marks at the first frame",
            "chain, frame_rgb, frame=frame, region=region",
            "chain, frame_rgb, frame=0, region=region",
        ),
    ),
    *_all(
        _SERVER + "rendering/subjects.py",
        _DRAFTS,
        (
            "drafts ignore the frame's number",
            "        body.frame, body.width,",
            "        0, body.width,",
        ),
        ("the look under the hand ignored", "look=body.look,", "look=None,"),
    ),
    *_all(
        _SERVER + "rendering/keys.py",
        _DRAFTS,
        (
            "what was asked for is not in a picture's key",
            "ENGINE_VERSION, asked, QUALITY",
            "ENGINE_VERSION, QUALITY",
        ),
    ),
    *_all(
        _SERVER + "rendering/service.py",
        _DRAFTS,
        (
            "older pictures take the place of newer",
            "if before.sequence > sequence:",
            "if before.sequence < sequence:",
        ),
    ),
    *_all(
        _SERVER + "history/services.py",
        ("tests/server/test_history.py", "tests/server/test_trims.py"),
        (
            "stale bases of revisions taken",
            "        if now != base_number:",
            "        if now < base_number:",
        ),
        (
            "a field changed on an older base taken",
            "sequence__gt=self.base",
            "sequence__gt=self.base + 999",
        ),
    ),
    # Page
    *_all(
        _BENCH + "hand.ts",
        ("web/src/features/bench/hand.test.tsx",),
        ("the frame under the hand ignored", "frame: frame ?? seen.frame", "frame: seen.frame"),
        ("before does not leave the trim out", '"trim" as const', '"balance" as const'),
        (
            "what the clip adds is not drafted",
            "clip_trim: full(hand.clipTrim)",
            "clip_trim: full(hand.trim ?? {})",
        ),
    ),
    *_all(
        _BENCH + "trimParts.ts",
        ("web/src/features/bench/hand.test.tsx", "web/src/features/bench/trim.test.tsx"),
        (
            "needles move against the hand",
            "measured.warmth + after.warmth - before.warmth",
            "measured.warmth - after.warmth + before.warmth",
        ),
        (
            "contrast turned by a sum",
            "now.contrast * ((1 + measured + by) / (1 + measured))",
            "now.contrast + by",
        ),
    ),
    *_all(
        _BENCH + "timecode.ts",
        ("web/src/features/bench/timecode.test.ts",),
        (
            "timecodes subtracted the other way",
            "clip.start_frame + frame - other.start_frame",
            "other.start_frame + frame - clip.start_frame",
        ),
    ),
)
