import json
import re
from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
import pytest

from syntonos.cli.main import main
from syntonos.core.chain import (
    PLAIN,
    Chain,
    Decode,
    EncodingOutput,
    Output,
    Trim,
    chain_to_json,
    compile_chain,
    read_back,
    read_chain,
    run,
)
from syntonos.core.chain.readback import display_lab
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.formats import read_cdl_file, read_cube
from syntonos.core.media import RecordingReader, write_frame
from tests.foundry import same_places
from tests.opencolorio import cube_file, through
from tests.simulated import (
    DAY,
    PLACES,
    background,
    camera_a,
    camera_b,
    shoot,
    shoot_charts,
)


def files(media, camera, shot="01"):
    return sorted(str(p) for p in (media / camera).glob(f"?001_{shot}*"))


def _match(media, *more, angle="Cedar", slug="v-log/v-gamut", levels="legal"):
    return main(
        ["match", "--reference", *files(media, "Alder"), "--reference-encoding", "logc3",
         "--angle", *files(media, angle), "--angle-encoding", slug, "--angle-levels", levels,
         *map(str, more)]
    )  # fmt: skip


@pytest.mark.parametrize(
    ("angle", "slug", "levels"),
    [("Birch", "s-log3/s-gamut3.cine", "full"), ("Cedar", "v-log/v-gamut", "legal")],
)
def test_match_finds_both_charts_and_its_lut_holds_in_another_library(
    media, tmp_path, angle, slug, levels
):
    cube, report = tmp_path / "m.cube", tmp_path / "m.json"
    assert _match(media, "--to", "rec709-tone", "--out", cube, "--report", report,
                  angle=angle, slug=slug, levels=levels) == 0  # fmt: skip
    said = json.loads(report.read_text())
    assert said["fit"]["left_one_out"] < 0.6 * said["fit"]["white_only"]
    assert said["patches_left_out"] == []
    # The file applied by OpenColorIO to the scene clip, against the exact chain.
    codes = RecordingReader(files(media, angle, "02")).read(0).reshape(-1, 3)
    chain = read_chain(said["chain"])
    exact = run(compile_chain(chain), codes)
    seen = through(cube_file(cube), codes)
    d = delta_e_2000(display_lab(seen[::5]), display_lab(exact[::5]))
    assert d.mean() < 0.1
    # What the read-back says of these pixels (a fire among them, up to the display's white) is what
    # the other library makes of the file.
    stated = read_back(read_cube(cube.read_bytes()).table, chain, codes).of("picture")
    assert d.mean() == pytest.approx(stated.mean, rel=0.02)
    assert np.percentile(d, 99.9) == pytest.approx(stated.p99_9, rel=0.03)


def test_a_lut_to_the_reference_s_encoding_agrees_with_its_chain(media, tmp_path, capsys):
    cube, report, chain = (tmp_path / n for n in ("m.cube", "m.json", "c.json"))
    assert _match(media, "--size", 33, "--out", cube, "--report", report) == 0
    document = json.loads(report.read_text())["chain"]
    assert document["stages"][-1] == {
        "kind": "output-encoding", "encoding": "logc3-ei800/awg3", "levels": "full"
    }  # fmt: skip
    chain.write_text(json.dumps(document))
    again = tmp_path / "again.cube"
    assert main(["bake", str(chain), "--size", "33", "--out", str(again)]) == 0
    np.testing.assert_array_equal(
        read_cube(again.read_bytes()).table, read_cube(cube.read_bytes()).table
    )
    capsys.readouterr()
    assert main(["readback", str(cube), "--chain", str(chain),
                 "--image", files(media, "Cedar", "02")[0]]) == 0  # fmt: skip
    said = capsys.readouterr().out
    assert said.count("delta E mean") == 12
    plain = replace(read_chain(document), output=PLAIN)
    chain.write_text(json.dumps({**document, "stages": [*document["stages"][:-1],
                                {"kind": "output", "tone": None}]}))  # fmt: skip
    assert read_chain(json.loads(chain.read_text())) == plain


def test_wrong_levels_are_obeyed_with_a_warning(media, tmp_path, capsys):
    assert _match(media, "--out", tmp_path / "m.cube", "--size", 17, levels="full") == 0
    assert "speaks against full levels" in capsys.readouterr().err


def test_levels_are_found_where_they_are_not_stated(media, tmp_path, capsys):
    report = tmp_path / "m.json"
    assert _match(media, "--out", tmp_path / "m.cube", "--size", 17, "--report", report,
                  levels="auto") == 0  # fmt: skip
    said = json.loads(report.read_text())
    assert said["levels"]["reference"] == {"stated": "auto", "used": "full"}
    assert said["levels"]["angle"] == {"stated": "auto", "used": "legal"}
    told = capsys.readouterr()
    assert "curve levels: reference full, found, angle legal, found" in told.out
    assert "levels" not in told.err
    assert said["fit"]["expected_low"] < said["fit"]["expected"] < said["fit"]["expected_high"]


def test_all_charts_of_the_frames_make_one_match_wherever_they_stand(tmp_path, capsys):
    """A lit chart and a shaded one; the angle looks from the other side, so they swap places."""
    sides = []
    for name, camera, places in (("ref", camera_a(noise=0.06), PLACES),
                                 ("ang", camera_b(noise=0.06), PLACES[::-1])):  # fmt: skip
        frames, _ = shoot_charts(camera, (DAY, 0.3 * DAY), places, frames=1)
        for k, frame in enumerate(frames):
            write_frame(tmp_path / f"{name}{k}.tif", frame)
        sides.append([str(tmp_path / f"{name}{k}.tif") for k in range(len(frames))])
    told = {}
    for flags in ((), ("--all-charts",)):
        report = tmp_path / "report.json"
        assert main(["match", "--reference", *sides[0], "--reference-encoding", "logc3",
                     "--angle", *sides[1], "--angle-encoding", "s-log3/s-gamut3.cine",
                     "--reference-levels", "full", "--angle-levels", camera_b().levels,
                     "--size", "17", "--out", str(tmp_path / "m.cube"), "--report", str(report),
                     *flags]) == 0  # fmt: skip
        told[flags] = json.loads(report.read_text())
    assert "2 charts of each frame were read together" in capsys.readouterr().out
    alone, together = told.values()
    assert (alone["charts_beside"], together["charts_beside"]) == (0, 1)
    # The cameras' own difference, not the shade's 1.7 stops.
    assert together["fit"]["match"]["stops"] == pytest.approx(0.3, abs=0.15)
    assert together["fit"]["expected"] < alone["fit"]["expected"]
    # A side without frames, and frames that do not show as many, are refused in words.
    for reference, words in (
        ("published", "is values of one chart"),
        (None, "frame: 1, in the angle's: 2"),
    ):
        one = tmp_path / "one.tif"
        write_frame(one, shoot(camera_a(), frames=1).frames[0])
        assert main(["match", "--reference", reference or str(one), "--reference-encoding", "logc3",
                     "--angle", *sides[1], "--angle-encoding", "s-log3/s-gamut3.cine",
                     "--out", str(tmp_path / "n.cube"), "--all-charts"]) == 2  # fmt: skip
        assert words in capsys.readouterr().err
        assert not (tmp_path / "n.cube").exists()


def test_an_angle_is_matched_to_published_values_and_to_a_table(media, tmp_path, capsys):
    def match(reference, *more):
        report = tmp_path / "r.json"
        code = main(["match", "--reference", reference, "--reference-encoding", "linear/ap1",
                     "--angle", *files(media, "Cedar"), "--angle-encoding", "v-log/v-gamut",
                     "--size", "17", "--out", str(tmp_path / "m.cube"), "--report", str(report),
                     *more])  # fmt: skip
        return code, report

    code, report = match("published", "--to", "rec709-plain")
    assert code == 0
    said = json.loads(report.read_text())
    assert said["levels"]["angle"]["used"] == "legal"
    assert said["fit"]["after"] < 0.4 * said["fit"]["white_only"]
    # The reference camera's own reading as a table gives what its frames give.
    rows = [p["lin_rgb"] for p in said["reference"]["patches"]]
    table = tmp_path / "chart.csv"
    table.write_text("patch,r,g,b\n" + "".join(
        f"{i + 1},{r},{g},{b}\n" for i, (r, g, b) in enumerate(rows)))  # fmt: skip
    code, report = match(str(table), "--to", "rec709-plain", "--reference-levels", "legal")
    assert code == 0
    assert json.loads(report.read_text())["fit"]["after"] == pytest.approx(said["fit"]["after"])
    capsys.readouterr()
    assert match("published")[0] == 2
    assert "choose --to rec709-tone" in capsys.readouterr().err
    assert match(str(tmp_path / "none.csv"), "--to", "rec709-plain")[0] == 2
    assert "There is no file" in capsys.readouterr().err


def test_check_names_what_the_charts_speak_for(media, capsys):
    def check(*more):
        code = main(["check", "--reference", *files(media, "Alder"), "--reference-encoding",
                     "logc3", "--angle", *files(media, "Cedar"), *more])  # fmt: skip
        said = capsys.readouterr()
        return code, said.out, said.err

    _, out, _ = check("--angle-encoding", "v-log/v-gamut", "--json")
    right = json.loads(out)
    assert right["verdict"] == "agrees"
    assert right["stated"]["levels"] == "legal"
    code, out, _ = check("--angle-encoding", "logc4/awg4", "--angle-levels", "legal")
    assert code == 0
    assert out.startswith("doubtful: the angle is stated as logc4/awg4, legal levels")
    assert "it could be curve: V-Log" in out
    code, _, err = check("--angle-encoding", "v-log/v-gamut", "--bracket", "over.dpx")
    assert code == 2
    assert "IMAGE:STOPS" in err


def test_chart_prints_one_object(media, capsys):
    assert main(["chart", *files(media, "Birch")[:2], "--encoding", "s-log3/s-gamut3.cine",
                 "--json"]) == 0  # fmt: skip
    said = json.loads(capsys.readouterr().out)
    assert said["orientation_certain"] is True
    assert said["levels"] == "full"
    assert [p["index"] for p in said["patches"]] == list(range(1, 25))
    assert set(said["patches"][0]) >= {"centre", "code_rgb", "lin_rgb", "spread", "flags"}
    corners = [f"{x},{y}" for x, y in said["corners"]]
    assert main(["chart", files(media, "Birch")[0], "--encoding", "s-log3/s-gamut3.cine",
                 "--corners", *corners]) == 0  # fmt: skip


def test_a_bracket_is_read_as_one(media, tmp_path, capsys):
    bracket = [*files(media, "Birch", "03"), *files(media, "Birch", "04")]
    report = tmp_path / "m.json"
    more = ("--angle-bracket", *bracket, "--out", tmp_path / "m.cube", "--report", report)
    usual = {"angle": "Birch", "slug": "s-log3/s-gamut3.cine", "levels": "full"}
    assert _match(media, *more, **usual) == 0
    said = json.loads(report.read_text())
    assert said["angle"]["frames"] == 4 + 2
    assert "bracket" not in capsys.readouterr().err
    # Taken for another curve, the exposures contradict each other.
    assert _match(media, *more, **usual | {"slug": "n-log/n-gamut"}) == 0
    assert "angle's bracket disagree" in capsys.readouterr().err


def test_a_chart_of_one_s_own_is_read_by_its_layout_file(tmp_path, capsys):
    shot = shoot(camera_a())
    path, card = tmp_path / "a.tif", tmp_path / "half.toml"
    write_frame(path, shot.frames[0])
    card.write_text("rows = 2\ncolumns = 6\nneutrals = [7, 8, 9, 10, 11, 12]\n")
    corners = [f"{x:.2f},{y:.2f}" for x, y in shot.centres[[12, 17, 23, 18]]]
    assert main(["chart", str(path), "--encoding", "logc3", "--chart", str(card), "--json",
                 "--corners", *corners]) == 0  # fmt: skip
    half = json.loads(capsys.readouterr().out)
    assert len(half["patches"]) == 12
    assert main(["chart", str(path), "--encoding", "logc3", "--all"]) == 0
    listed = capsys.readouterr().out.strip().splitlines()
    assert len(listed) == 1
    assert main(["chart", str(path), "--encoding", "logc3", "--json", *listed[0].split()]) == 0
    whole = json.loads(capsys.readouterr().out)
    for a, b in zip(half["patches"], whole["patches"][12:], strict=True):
        np.testing.assert_allclose(a["lin_rgb"], b["lin_rgb"], rtol=0.02, atol=2e-3)
    assert main(["chart", str(path), "--encoding", "logc3", "--chart", "nowhere"]) == 2
    assert "no chart layout" in capsys.readouterr().err


def test_encodings_are_listed(capsys):
    assert main(["encodings", "--json"]) == 0
    slugs = {row["slug"] for row in json.loads(capsys.readouterr().out)}
    assert {"logc4/awg4", "n-log/n-gamut", "rec709", "srgb", "linear/ap1"} <= slugs


def test_an_uncertain_orientation_is_asked_for(tmp_path, capsys, monkeypatch):
    from syntonos.cli import charts

    shot = shoot(camera_a(), frames=1)
    path = tmp_path / "a.tif"
    write_frame(path, shot.frames[0])
    certain = charts.find_chart
    monkeypatch.setattr(
        charts,
        "find_chart",
        lambda code, layout: replace(certain(code, layout), orientation_certain=False),
    )
    assert main(["chart", str(path), "--encoding", "logc3"]) == 3
    assert "which way up" in capsys.readouterr().err


def _clipped(path):
    shot = shoot(camera_a(encoding="rec709", stops=4), frames=1)
    write_frame(path, shot.frames[0])
    return [f"{x:.1f},{y:.1f}" for x, y in shot.corners]


def test_bad_input_is_one_line_and_leaves_nothing(tmp_path, capsys):
    empty, text, white = tmp_path / "empty.tif", tmp_path / "t.png", tmp_path / "w.tif"
    write_frame(empty, camera_a().record(background()))
    text.write_text("hello")
    corners = _clipped(white)
    out = tmp_path / "o.cube"
    chain = tmp_path / "c.json"
    chain.write_text('{"syntonos": "chain", "version": 99, "stages": []}')
    broken = tmp_path / "b.json"
    broken.write_text("{")
    cases = [
        (["chart", str(text), "--encoding", "logc3"], "no PNG picture"),
        (["chart", str(empty), "--encoding", "logc3"], "No 24-patch chart"),
        (["chart", str(empty), "--encoding", "nope"], "no encoding"),
        (["chart", str(tmp_path / "gone.tif"), "--encoding", "logc3"], "no file"),
        (["chart", str(empty), "--encoding", "logc3", "--corners", "1,1", "2", "3,3", "4,4"],
         "not x,y"),
        (["chart", str(empty), "--encoding", "logc3", "--corners", "900,1", "990,1", "990,60",
          "900,60"], "outside"),
        (["match", "--reference", str(white), "--reference-encoding", "rec709",
          "--reference-corners", *corners, "--angle", str(white), "--angle-encoding", "rec709",
          "--angle-corners", *corners, "--out", str(out)], "can be used"),
        # Before the charts are looked for, not after it.
        (["match", "--reference", str(text), "--reference-encoding", "rec709", "--angle", str(text),
          "--angle-encoding", "rec709", "--out", str(tmp_path / "no" / "o.cube")],
         f"{tmp_path / 'no'}: There is no such folder"),
        (["bake", str(chain), "--size", "33", "--out", str(out)], "version 99"),
        (["bake", str(chain), "--size", "33", "--out", str(out)], "versions 1 to 7"),
        (["bake", str(broken), "--size", "33", "--out", str(out)], "not JSON"),
        (["bake", str(chain), "--size", "34", "--out", str(out)], "invalid choice"),
        (["readback", str(text), "--chain", str(chain)], "version 99"),
    ]  # fmt: skip
    for arguments, says in cases:
        try:
            code = main(arguments)
        except SystemExit as stop:
            code = stop.code
        said = capsys.readouterr().err
        assert code == 2, arguments
        assert says in said, said
        assert said.count("\n") == 1, said
        assert "Traceback" not in said
    assert not out.exists()
    assert not [p for p in tmp_path.iterdir() if p.name.startswith(".")]


def test_luts_of_every_kind_and_levels_are_baked_and_read_back(media, tmp_path, capsys):
    document = chain_to_json(Chain(Decode("v-log/v-gamut", "legal"), Output()))
    chain = tmp_path / "c.json"
    chain.write_text(json.dumps(document))
    image = files(media, "Cedar", "02")[0]
    for name, more in (
        ("a.cube", ()), ("a.3dl", ()), ("a.clf", ()),
        ("e.cube", ("--lut-in", "expanded", "--lut-out", "expanded")),
    ):  # fmt: skip
        lut = tmp_path / name
        bake = ["bake", str(chain), "--size", "33", "--out", str(lut), *more]
        assert main(bake) == 0
        capsys.readouterr()
        assert main(["readback", str(lut), "--chain", str(chain), "--image", image, *more]) == 0
        picture = next(line for line in capsys.readouterr().out.splitlines() if "picture" in line)
        assert float(re.search(r"mean ([\d.]+)", picture)[1]) < 0.3, (name, picture)
    wrong = tmp_path / "w.txt"
    assert main(["bake", str(chain), "--size", "33", "--out", str(wrong)]) == 2
    assert not wrong.exists()
    clf = ["bake", str(chain), "--size", "33", "--out", str(tmp_path / "b.clf"), "--lut-in",
           "expanded"]  # fmt: skip
    assert main(clf) == 2
    assert "A CLF says itself" in capsys.readouterr().err
    linear = chain_to_json(Chain(Decode("linear/ap1"), Output()))
    chain.write_text(json.dumps(linear))
    assert main(["bake", str(chain), "--size", "33", "--out", str(tmp_path / "l.cube")]) == 2
    assert "brings its own shaper" in capsys.readouterr().err


def test_a_trim_is_listed_and_set_by_name(tmp_path, capsys):
    chain = Chain(Decode("s-log3/s-gamut3.cine"), Output())
    before, after = tmp_path / "chain.json", tmp_path / "after.json"
    before.write_text(json.dumps(chain_to_json(chain)))
    sets = ["exposure=-0.1", "warmth=8", "hues.red.turn=4", "cdl.slope.g=1.02", "detail.fine=0.5"]
    args = [part for text in sets for part in ("--set", text)]
    assert main(["trim", str(before), *args, "--out", str(after)]) == 0
    assert "exposure -0.10 stop, warmth +8 mired, hues" in capsys.readouterr().out
    trim = read_chain(json.loads(after.read_text())).trim
    assert (trim.stops, trim.warmth, trim.hues[0].turn, trim.cdl.slope[1], trim.detail[0]) == (
        -0.1, 8, 4, 1.02, 0.5
    )  # fmt: skip
    assert main(["trim", str(after), "--list"]) == 0
    assert "mired, positive is warmer; -250 to 250" in capsys.readouterr().out
    lut = tmp_path / "x.cube"
    assert main(["bake", str(after), "--size", "17", "--out", str(lut)]) == 0
    assert "fine 50%" in capsys.readouterr().out
    assert main(["readback", str(lut), "--chain", str(after)]) == 0
    for bad in ("warmth", "warmth=hot", "gain=1", "exposure=nan", "warmth=900"):
        assert main(["trim", str(before), "--set", bad, "--out", str(tmp_path / "no.json")]) == 2
    assert not (tmp_path / "no.json").exists()


def test_a_cdl_for_a_box_is_written_with_its_luts_and_read_again(tmp_path, capsys):
    chain = Chain(Decode("s-log3/s-gamut3.cine"), Output(), trim=Trim(stops=0.2, warmth=10))
    path, out = tmp_path / "chain.json", tmp_path / "b.cc"
    path.write_text(json.dumps(chain_to_json(chain)))
    args = ["cdl", str(path), "--size", "17", "--out", str(out)]
    assert main([*args, "--encoding", "logc3-ei800/awg3"]) == 0
    said = capsys.readouterr().out
    assert "alone it loses delta E" in said
    assert "tetrahedral" in said
    assert {p.name for p in tmp_path.iterdir()} == {
        "chain.json", "b.cc", "b.before.cube", "b.behind.cube"
    }  # fmt: skip
    (row,) = read_cdl_file(out.read_bytes())
    assert min(row.slope) > 0.5
    assert main([*args, "--encoding", "linear/ap1"]) == 2
    assert "holds light" in capsys.readouterr().err


def test_a_match_by_the_scene_needs_no_chart_and_refuses_another_scene(media, tmp_path, capsys):
    files = {name[0]: str(sorted((media / name).glob(f"{name[0]}004_02*"))[0])
             for name in ("Alder", "Birch")}  # fmt: skip
    out, report = tmp_path / "b.cube", tmp_path / "b.json"

    def match(reference, *more):
        return main([
            "match", "--reference", reference, "--reference-encoding", "logc3-ei800/awg3",
            "--angle", files["B"], "--angle-encoding", "s-log3/s-gamut3.cine",
            "--reference-levels", "full", "--angle-levels", "full", "--size", "17",
            "--out", str(out), *more,
        ])  # fmt: skip

    assert match(files["A"], "--by", "auto", "--report", str(report)) == 0
    said = capsys.readouterr().out
    assert "Matching by the scene" in said
    assert "expect" in said
    found = json.loads(report.read_text())
    assert (found["by"], found["fit"]["places"] > 100) == ("picture", True)
    assert found["fit"]["after"] < 0.3 * found["fit"]["before"]
    assert read_cube(out.read_bytes()).table.shape == (17, 17, 17, 3)
    low, expected, high = (found["fit"][k] for k in ("expected_low", "expected", "expected_high"))
    assert low < expected < high
    # Areas that a person would mark: about places that the scene itself says are the same.
    one, two = (at[:: len(at) // 8] for at in same_places("a-scene", "b-scene", step=24))
    areas = tmp_path / "areas.json"
    areas.write_text(json.dumps([
        {"reference": [*(r - 12).tolist(), 24, 24], "angle": [*(a - 14).tolist(), 28, 28]}
        for r, a in zip(one, two, strict=True)
    ]))  # fmt: skip
    assert match(files["A"], "--by", "areas", "--areas", str(areas), "--report", str(report)) == 0
    by_areas = json.loads(report.read_text())
    assert (by_areas["by"], by_areas["fit"]["areas"]) == ("areas", len(one))
    assert abs(by_areas["fit"]["stops"] - found["fit"]["stops"]) < 0.25
    assert by_areas["fit"]["expected"] > expected
    capsys.readouterr()
    assert match(files["A"], "--by", "statistics", "--mix", "0", "--report", str(report)) == 0
    nothing = json.loads(report.read_text())["fit"]
    assert "An estimate only, mixed in by 0 %" in capsys.readouterr().out
    np.testing.assert_allclose(nothing["match"]["matrix"], np.eye(3), atol=1e-9)
    parts = []
    for limited in ((), ("--areas", str(areas))):
        args = "--by", "statistics", *limited, "--report", str(report)
        assert match(files["A"], *args) == 0
        parts.append(json.loads(report.read_text())["fit"]["match"]["matrix"])
    assert parts[0] != parts[1]
    capsys.readouterr()
    assert nothing["stops"] == 0
    # Where the angle's sensor clips is seen in its scene: the third camera's ends at 9.
    one, other = (str(sorted((media / name).glob("?001_02*"))[0]) for name in ("Alder", "Cedar"))
    assert main([
        "match", "--reference", one, "--reference-encoding", "logc3-ei800/awg3", "--angle", other,
        "--angle-encoding", "v-log/v-gamut", "--angle-levels", "legal", "--size", "17",
        "--by", "statistics", "--out", str(out), "--report", str(report),
    ]) == 0  # fmt: skip
    stages = {s["kind"]: s for s in json.loads(report.read_text())["chain"]["stages"]}
    assert stages["match"]["clip"] == pytest.approx(9, rel=1e-3)
    capsys.readouterr()
    # The same frame as a scanned negative, written by OpenColorIO's own transform, says the same.
    scan = tmp_path / "scan.dpx"
    code = RecordingReader([files["A"]]).read(0)
    to_ap0 = Chain(Decode("logc3-ei800/awg3"), EncodingOutput("linear/ap0"))
    density = np.maximum(run(compile_chain(to_ap0), code), 1e-5)
    to_scan = ocio.BuiltinTransform("ADX10_to_ACES2065-1", ocio.TRANSFORM_DIR_INVERSE)
    ocio.Config.CreateRaw().getProcessor(to_scan).getDefaultCPUProcessor().applyRGB(density)
    write_frame(scan, np.clip(density, 0, 1))
    as_scan = "--by", "picture", "--reference-encoding", "adx10"
    assert match(str(scan), *as_scan, "--to", "rec709-tone", "--report", str(report)) == 0
    assert "scanned negative" in capsys.readouterr().out
    by_scan = json.loads(report.read_text())["fit"]
    assert abs(by_scan["stops"] - found["fit"]["stops"]) < 0.05
    np.testing.assert_allclose(
        by_scan["match"]["matrix"], found["fit"]["match"]["matrix"], atol=0.06
    )
    assert match(str(scan), *as_scan) == 2
    assert "No LUT leads to ADX10" in capsys.readouterr().err
    # What is wrong is told in a line, and nothing is written.
    areas.write_text("[{}]")
    assert match(files["A"], "--by", "areas", "--areas", str(areas)) == 2
    assert "Area 1 has no rectangle for the reference" in capsys.readouterr().err
    assert match(files["A"], "--by", "areas") == 2
    assert "--areas FILE.json" in capsys.readouterr().err
    rng = np.random.default_rng(5)
    other = tmp_path / "other.exr"
    write_frame(other, rng.uniform(0.2, 0.6, (270, 480, 3)).astype(np.float32), metadata={})
    out.unlink()
    assert match(str(other), "--by", "picture") == 4
    assert "do not show the same scene" in capsys.readouterr().err
    assert not out.exists()


def test_scenes_beside_charts_steady_the_fit_or_say_why_not(media, tmp_path, capsys):
    def files(take):
        return [str(sorted((media / name).glob(f"{name[0]}004_{take}*"))[0])
                for name in ("Alder", "Birch")]  # fmt: skip

    report = tmp_path / "b.json"

    def match(*more):
        (one, other) = files("01")
        return main([
            "match", "--reference", one, "--reference-encoding", "logc3-ei800/awg3",
            "--angle", other, "--angle-encoding", "s-log3/s-gamut3.cine", "--size", "17",
            "--out", str(tmp_path / "b.cube"), "--report", str(report), *more,
        ])  # fmt: skip

    assert match() == 0
    alone = json.loads(report.read_text())["fit"]
    one, other = files("02")
    assert match("--reference-scene", one, "--angle-scene", other) == 0
    assert "the scene agrees with the chart" in capsys.readouterr().out
    found = json.loads(report.read_text())
    assert found["scene"]["agrees"] is True
    assert found["fit"]["steadied"]["count"] > 20
    assert "steadied" not in alone
    assert found["fit"]["match"] != alone["match"]
    # The angle's scene is another picture: told, and the charts alone decide.
    assert match("--reference-scene", one, "--angle-scene", files("01")[0]) == 0
    assert "warning: The scene" in capsys.readouterr().err
    assert json.loads(report.read_text())["fit"]["match"] == alone["match"]
    for args, hint in (
        ((), "--angle-scene"),
        (("--by", "picture"), "as --reference and --angle"),
        (("--angle-scene", other, "--reference", "published"), "Leave --reference-scene out"),
    ):
        assert match("--reference-scene", one, *args) == 2
        assert hint in capsys.readouterr().err
