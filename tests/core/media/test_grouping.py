"""Proposals: which camera and which light, and why. Common practice, no source."""

from fractions import Fraction

import pytest

from syntonos.core.media import group_files, known_facts
from syntonos.core.media.grouping import Found, encoding_of, propose_places

CAMERAS = {"A": "Alder", "B": "Birch"}


def place(row, cameras=CAMERAS, lights=None):
    return propose_places([row], cameras, lights or {})[0]


@pytest.mark.parametrize(
    ("row", "letter", "name"),
    [
        (Found("day 2", "clip", "video", {"camera": "Birch"}), "B", "Birch"),
        (Found("day 2/Birch", "xyz", "video"), "B", "Birch"),
        (Found("day 2/Cam A", "xyz", "video"), "A", "Alder"),
        (Found("card", "x", "video", {"reel": "B004"}), "B", "Birch"),
        (Found("card", "A012_C003", "stills"), "A", "Alder"),
        (Found("Cedar", "C001_01", "raw"), "C", "Cedar"),
        (Found("", "B_chart", "stills"), "B", "Birch"),
        (Found("", "e-chart", "stills"), "E", "Camera E"),
        (Found("odds", "clip", "video"), "C", "odds"),
    ],
)
def test_a_camera_is_known_by_name_folder_reel_or_is_the_next(row, letter, name):
    found = place(row)
    assert (found.letter, found.camera_name) == (letter, name)
    assert found.reasons["letter"]


def test_new_recordings_of_one_new_camera_are_one_camera():
    rows = [Found("Cedar", f"clip {i}", "video", {"camera": "Cedar"}) for i in range(3)]
    assert {p.letter for p in propose_places(rows, CAMERAS, {})} == {"C"}


def test_a_pause_of_a_quarter_of_an_hour_is_a_new_light_and_known_hours_are_known():
    times = ["09:00:00:00", "09:10:00:00", "09:24:00:00", "11:00:00:00", "20:00:00:00"]
    rows = [Found("x", f"A00{i}", "video", timecode=t, rate=Fraction(24))
            for i, t in enumerate(times)]  # fmt: skip
    lights = {"Foundry": [9 * 3600.0 + 100], "Night": [20 * 3600.0 + 600]}
    found = [p.light for p in propose_places(rows, CAMERAS, lights)]
    assert found == ["Foundry", "Foundry", "Foundry", "Light at 11:00", "Night"]


def test_without_a_timecode_only_the_only_light_is_proposed():
    assert place(Found("x", "A001", "stills"), lights={"Pit": []}).light == "Pit"
    assert place(Found("x", "A001", "stills"), lights={"Pit": [], "Yard": []}).light == ""


@pytest.mark.parametrize(
    "row",
    [Found("x", "A001_chart", "video"), Found("x", "A001", "video", {"slate": "Chart, pit"}),
     Found("x", "A001", "raw", {"note": "colour chart"})],
)  # fmt: skip
def test_a_chart_is_one_by_name_slate_or_note(row):
    assert place(row).is_chart


@pytest.mark.parametrize(
    ("kind", "facts", "slug"),
    [
        ("video", {"curve": "S-Log3", "gamut": "S-Gamut3.Cine"}, "s-log3/s-gamut3.cine"),
        ("video", {"curve": "V-Log"}, "v-log/v-gamut"),
        ("video", {"curve": "S-Log3"}, ""),  # two gamuts go with it: asked
        ("video", {}, ""),
        ("raw", {}, "linear/ap1"),
    ],
)
def test_an_encoding_is_taken_only_where_the_files_name_one(kind, facts, slug):
    assert encoding_of(kind, facts)[0] == slug


def test_facts_are_known_by_the_last_part_of_their_names():
    found = {"exif:LensModel": "35 mm", "org.foundry.Scene": " 12  A ", "ISOSpeedRatings": 800,
             "smpte:TimeCode": "x", "Color Temperature": "5600"}  # fmt: skip
    assert known_facts(found) == {
        "lens": "35 mm", "scene": "12 A", "exposure_index": "800", "white": "5600",
    }  # fmt: skip


def test_gaps_are_counted_and_single_pictures_are_no_sequence():
    names = [*(f"a.{i:04d}.dpx" for i in (1, 2, 4, 5, 6)), "x_7.png", "x_900.png", "b.mov",
             "b_2.mov", "note.txt", "c 1.dng"]  # fmt: skip
    found = {g.name: (len(g.files), g.missing) for g in group_files(names)}
    assert found == {"a": (5, (3,)), "x": (2, ()), "b": (1, ()), "b_2": (1, ()), "c ": (1, ())} or (
        found == {"a": (5, (3,)), "x": (2, ()), "b": (1, ()), "b_2": (1, ()), "c": (1, ())}
    )
