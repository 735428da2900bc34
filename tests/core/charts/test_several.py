"""Several exposures read as one, and the best frames of a clip."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from syntonos.core.charts.bracket import merge_readings
from syntonos.core.charts.frames import CLIPPED, DISTURBED, GLARE, MOTION, SOFT, propose_frames
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChartError
from syntonos.core.matching.encoding_check import as_encoded
from tests.simulated import CORNERS, camera_a, camera_b, reading, shoot


def bracket(stops, **changes):
    camera = camera_b(bits=10, **changes)
    return [reading(replace(camera, stops=s), seed=k + 3) for k, s in enumerate(stops)]


def test_a_bracket_finds_its_exposures_and_brings_all_to_the_first():
    merged = merge_readings(bracket((0.0, 2.0, -2.0)))
    assert [e.stops for e in merged.exposures] == pytest.approx([2, -2], abs=0.01)
    assert merged.is_straight
    alone = reading(camera_b(bits=None, stops=0.0, noise=0.0))
    np.testing.assert_allclose(merged.reading.lin_rgb, alone.lin_rgb, rtol=0.01, atol=1e-3)
    assert merged.reading.frames == 6


def test_what_clips_in_one_exposure_is_taken_from_another():
    parts = bracket((1.3, -0.7, -2.7), clip=1.5)
    lost = [p.index for p in parts[0].patches if not p.is_usable]
    assert 19 in lost
    merged = merge_readings(parts)
    # Yellow's red clips in the sensor, hidden by the matrix: only the darker exposure shows it.
    assert set(lost) < set(merged.rescued) == {16, 19}
    assert all(p.is_usable for p in merged.reading.patches)
    want = reading(camera_b(bits=None, stops=1.3, noise=0.0, clip=100.0)).lin_rgb
    np.testing.assert_allclose(merged.reading.lin_rgb, want, rtol=0.012, atol=1.5e-3)
    # Its code is what the file would have held, had it had room.
    again = as_encoded(merged.reading, find_encoding(merged.reading.encoding), "full")
    np.testing.assert_allclose(again.lin_rgb[18], merged.reading.lin_rgb[18], rtol=1e-6)


def test_wrong_levels_show_as_steps_that_are_not_what_was_set():
    parts = bracket((0.0, 2.0, -2.0))
    wrong = [as_encoded(r, find_encoding(r.encoding), "legal") for r in parts]
    merged = merge_readings(wrong)
    assert all(abs(abs(e.stops) - 2) > 0.2 for e in merged.exposures)


def test_a_bracket_of_different_charts_or_too_far_apart_is_refused():
    one = reading(camera_b())
    with pytest.raises(ChartError, match="not of one chart"):
        merge_readings([one, reading(camera_a())])
    clipped = [replace(p, flags=("clipped",)) for p in one.patches[3:]]
    far = replace(one, patches=(*one.patches[:3], *clipped))
    with pytest.raises(ChartError, match="in common"):
        merge_readings([one, far])


def test_frames_are_proposed_that_are_still_sharp_and_undisturbed():
    frames = []
    for k in range(9):
        moved = CORNERS + max(0, k - 5) * 3.0
        frame = shoot(camera_b(bits=10), corners=moved, frames=1, seed=k).frames[0]
        if k == 2:
            frame = cv2.GaussianBlur(frame, (0, 0), 3)
        if k == 4:
            frame = frame.copy()
            frame[200:260, 350:420] = 0.6
        frames.append(frame)
    shot = shoot(camera_b())
    found = propose_frames(frames, shot.corners + 1.5)
    assert found.frames == (0, 1, 3, 5)
    reasons = {n.frame: n.reason for n in found.notes}
    assert (reasons[2], reasons[4], reasons[7]) == (SOFT, DISTURBED, MOTION)
    assert np.abs(found.corners - shot.corners).max() < 0.5
    assert found.moved == pytest.approx(9 * np.sqrt(2), abs=0.7)
    assert not found.is_moving


def test_corners_placed_in_a_frame_that_is_left_out_are_carried_along():
    moved = [CORNERS + 6.0, CORNERS, CORNERS, CORNERS, CORNERS]
    frames = [
        shoot(camera_b(bits=10), corners=c, frames=1, seed=k).frames[0] for k, c in enumerate(moved)
    ]
    there = shoot(camera_b()).corners
    # By hand in the first frame, half a pixel off: as placed, but where the chart rests.
    by_hand = there + 6.5
    found = propose_frames(frames, by_hand)
    assert found.frames == (1, 2, 3, 4)
    np.testing.assert_allclose(found.given, there + 0.5, atol=0.4)
    # Placed where it rests already, they stay exactly as they were placed.
    np.testing.assert_array_equal(propose_frames(frames, there + 0.5).given, there + 0.5)


def test_frames_that_clip_give_way_to_those_that_do_not():
    """An iris that closes: most frames are over, and the few that are not are the better ones."""
    frames = [
        shoot(camera_b(bits=10, stops=s, clip=1.0), frames=1, seed=k).frames[0]
        for k, s in enumerate((2.2, 2.2, 2.2, 2.2, 0.0, 0.0))
    ]
    found = propose_frames(frames, shoot(camera_b()).corners)
    assert found.frames == (4, 5)
    assert {n.reason for n in found.notes[:4]} == {CLIPPED}


def test_frames_without_glare_are_taken_though_most_have_it():
    """Light that lies over the dark corner in five of eight frames, and the lamp flickers."""
    frames = []
    for k in range(8):

        def lit(raw, k=k):
            veil = np.zeros((24, 1))
            veil[[4, 5, 10, 11, 17, 22, 23]] = 0.05 if k < 5 else 0.0
            return (raw + veil) * (1 + 0.02 * (-1) ** k)

        frames += shoot(camera_b(bits=10), frames=1, seed=k, patches=lit).frames
    found = propose_frames(frames, shoot(camera_b()).corners)
    assert found.frames == (5, 6, 7)
    assert {n.reason for n in found.notes[:5]} == {GLARE}


def test_a_chart_that_comes_nearer_is_read_where_it_is_large():
    """Three frames far away, two turned from one to the next, three large ones at rest."""
    far = (CORNERS - CORNERS.mean(axis=0)) * 0.45 + CORNERS.mean(axis=0)
    near = (CORNERS - CORNERS.mean(axis=0)) * 1.15 + CORNERS.mean(axis=0)
    places = [far, far, far, 0.6 * far + 0.4 * near, 0.3 * far + 0.7 * near, near, near, near]
    shots = [shoot(camera_b(bits=10), corners=c, frames=1, seed=k) for k, c in enumerate(places)]
    found = propose_frames([shot.frames[0] for shot in shots], shots[0].corners)
    assert found.frames == (5, 6, 7)
    assert np.abs(found.corners - shots[5].corners).max() < 1


def test_where_no_chart_is_seen_all_frames_count():
    frames = [np.full((540, 960, 3), 0.4, np.float32)] * 3
    found = propose_frames(frames, CORNERS)
    assert found.frames == (0, 1, 2)
    np.testing.assert_array_equal(found.given, CORNERS)


def test_a_chart_that_never_rests_still_gives_its_sharpest_frame():
    frames = [
        shoot(camera_b(bits=10), corners=CORNERS + 7.0 * k, frames=1, seed=k).frames[0]
        for k in range(4)
    ]
    found = propose_frames(frames, shoot(camera_b()).corners + 10)
    assert len(found.frames) == 1
    assert found.is_moving
