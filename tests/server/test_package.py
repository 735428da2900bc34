"""Many LUTs at once: one zip with a list, every file opened by OpenColorIO."""

import csv
import io
import zipfile

import numpy as np
import pytest

from syntonos.core.chain import compile_chain, read_chain, run
from syntonos.core.formats.clf_look import clf_processor
from syntonos.server.handover import package
from syntonos.server.handover.models import Export
from syntonos.server.jobs.models import Job
from tests.opencolorio import cube_file


@pytest.fixture
def matched(api, place, read):
    read("ABC")
    for letter in "BC":
        path = f"/lights/{place.light.pk}/cameras/{place.cameras[letter].pk}/matches"
        api("post", path, {}, status=201)
    return place


def take_away(api, place, **changes):
    body = {
        "cells": [{"light_id": place.light.pk, "camera_id": place.cameras[k].pk} for k in "BC"],
        "targets": ["reference", "rec709"], "formats": ["cube", "clf"], "size": 33,
    } | changes  # fmt: skip
    return api("post", f"/productions/{place.production.pk}/take-away", body, status=202)


def opened(client, job):
    answer = client.get(f"/api/jobs/{job['id']}/package")
    assert answer.status_code == 200
    return zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))


def test_one_zip_holds_every_lut_with_a_list_and_stills(api, client, matched, tmp_path):
    job = take_away(api, matched, stills=True)
    assert (job["state"], job["problem"]) == ("done", None)
    archive = opened(client, job)
    rows = list(csv.DictReader(io.StringIO(archive.read("list.csv").decode())))
    luts = [name for name in archive.namelist() if name.endswith((".cube", ".clf"))]
    assert sorted(luts) == sorted(row["file"] for row in rows)
    assert len(set(luts)) == 8
    stills = [name for name in archive.namelist() if name.startswith("stills/")]
    assert len(stills) == 4
    page = archive.read("list.html").decode()
    # By the names on the screen, not by keys.
    assert {row["from"] for row in rows} == {"S-Log3 / S-Gamut3.Cine", "V-Log / V-Gamut"}
    assert {row["to"].split(",")[0] for row in rows} == {
        "reference camera's LogC3 EI 800 / Wide Gamut 3",
        "Rec.709",
    }
    # Greys and what lies about them, which no output clips.
    rng = np.random.default_rng(5)
    codes = rng.uniform(0.25, 0.6, (500, 1)) + rng.uniform(-0.02, 0.02, (500, 3))
    codes = codes.astype(np.float32)
    for row in rows:
        assert row["file"] in page
        assert all(row[k] for k in ("camera", "light", "from", "to", "chain", "read_back_mean"))
        export = Export.objects.get(file_name=row["file"])
        data = archive.read(row["file"])
        if row["format"] == "clf":
            processor = clf_processor(data)
        else:
            path = tmp_path / row["file"]
            path.write_bytes(data)
            processor = cube_file(path)
        seen = codes.copy()
        processor.applyRGB(seen)
        want = run(compile_chain(read_chain(export.chain)), codes)
        # 33 points for the cube; the CLF is exact but for its cube of the colour model.
        assert np.abs(seen - want).mean() < (0.004 if row["format"] == "cube" else 0.002)


def test_no_two_files_have_one_name_and_what_cannot_be_made_stops_nothing(api, client, matched):
    aces = {"name": "ACES", "stage": {"kind": "output-aces", "display": "rec709"}}
    board = api("get", f"/productions/{matched.production.pk}/board")
    outputs = [*board["production"]["outputs"], aces]
    api("patch", f"/productions/{matched.production.pk}", {"outputs": outputs})
    key = api("get", f"/productions/{matched.production.pk}/board")["production"]["outputs"][-1][
        "key"
    ]
    for version in (1, 2):
        job = take_away(api, matched, targets=[key], formats=["cube", "clf"], size=17)
        names = [f["name"] for f in job["result"]["files"]]
        assert len(names) == 2
        assert all(name.endswith(f"_v{version}.cube") for name in names)
        (left_out,) = job["result"]["left_out"]
        assert "CLF has no node" in left_out
        assert {"B in Foundry", "C in Foundry"} <= {w[:12] for w in left_out.split("; ")}
    every = list(Export.objects.values_list("file_name", flat=True))
    assert len(every) == len(set(every)) == 4
    assert opened(client, job).read("list.html").decode().count("CLF has no node") == 1


def test_a_package_that_is_gone_says_what_to_do(api, client, matched):
    job = take_away(api, matched, targets=["reference"], formats=["cube"])
    package.path_of(Job.objects.get(pk=job["id"])).unlink()
    assert client.get(f"/api/jobs/{job['id']}/package").json()["detail"].endswith("again.")
    empty = take_away_refused(api, matched)
    assert empty["code"]


def take_away_refused(api, place):
    body = {"cells": [], "targets": ["reference"], "formats": ["cube"]}
    return api("post", f"/productions/{place.production.pk}/take-away", body, status=422)
