"""The log of changes: bases, words, undo and redo, and what is refused."""

from syntonos.server.history import services
from syntonos.server.matching.models import ChartReading
from syntonos.server.productions.models import Camera

ME = {"Syntonos-Author": "me"}
OTHER = {"Syntonos-Author": "other", "Syntonos-Author-Name": "J%C3%B6rn"}


def history(api, place, **who):
    return api("get", f"/productions/{place.production.pk}/history", **who)


def act(api, place, what, status=200, who=ME):
    return api("post", f"/productions/{place.production.pk}/{what}", status=status, **who)


def state(place):
    """All that a person could have changed, as the database has it."""
    production = place.production
    production.refresh_from_db()
    cameras = list(production.cameras.values().order_by("pk"))
    lights = list(production.lights.values().order_by("pk"))
    # What was measured of a clip is no change of it.
    clips = [
        [
            {k: v for k, v in row.items() if k != "clipped"}
            for row in c.clips.values().order_by("pk")
        ]
        for c in production.cameras.order_by("pk")
    ]
    current = [
        sorted(rows.filter(is_current=True).values_list("pk", flat=True))
        for rows in (light_rows for light in production.lights.all()
                     for light_rows in (light.matches, light.balances, light.looks))
    ]  # fmt: skip
    readings = sorted(ChartReading.objects.values_list("pk", flat=True))
    looks = sorted(production.looks.filter(is_current=True).values_list("pk", flat=True))
    return (production.name, production.tolerance, production.outputs,
            production.reference_camera_id, cameras, lights, clips, current, readings,
            looks)  # fmt: skip


def test_ten_different_steps_are_undone_one_by_one_and_done_again(api, place, read):
    read("A")
    production, light = place.production.pk, place.light.pk
    b, clip = place.cameras["B"].pk, place.clips["B", "scene"].pk
    base = f"/lights/{light}/cameras/{b}"
    found = api("post", f"/clips/{place.clips['B', 'chart'].pk}/find", {})
    steps = [
        ("patch", f"/productions/{production}", {"tolerance": 2.0}, 200),
        ("patch", f"/cameras/{b}", {"note": "lens 3", "unit_stops": 0.1}, 200),
        ("patch", f"/lights/{light}", {"conditions": "two lamps"}, 200),
        ("post", f"/productions/{production}/lights", {"name": "Yard"}, 201),
        ("post", f"/productions/{production}/cameras",
         {"letter": "F", "name": "Fir", "encoding": "srgb"}, 201),
        ("patch", f"/clips/{clip}", {"name": "B001_99"}, 200),
        ("post", f"/productions/{production}/clips/settings",
         {"ids": [clip], "values": {"levels": "legal"}}, 200),
        ("post", f"/clips/{place.clips['B', 'chart'].pk}/readings",
         {"corners": found["corners"]}, 201),
        ("post", f"{base}/matches", {}, 201),
        ("post", f"/lights/{light}/balance", {"stops": 0.5, "base_number": 0}, 201),
        ("post", f"/productions/{production}/look",
         {"stage": {"kind": "look", "steps": []}, "base_number": 0}, 201),
    ]  # fmt: skip
    states = [state(place)]
    for method, path, body, status in steps:
        api(method, path, body, status, **ME)
        states.append(state(place))
        assert states[-1] != states[-2], path
    told = history(api, place, **ME)
    assert told["undo"] == told["changes"][0]["words"]
    assert history(api, place, **OTHER)["undo"] is None
    for i in reversed(range(len(steps))):
        done = act(api, place, "undo")
        assert done["words"].startswith("Undone: ")
        assert state(place) == states[i], steps[i][1]
    assert act(api, place, "undo", 409)["code"] == "undo.nothing"
    for i in range(1, len(states)):
        act(api, place, "redo")
        assert state(place) == states[i], steps[i - 1][1]
    assert act(api, place, "redo", 409)["code"] == "redo.nothing"
    # A balance that was undone is in force no more: the next one is made on none.
    for _ in range(2):
        act(api, place, "undo")
    made = api("post", f"/lights/{light}/balance", {"stops": 0.7, "base_number": 0}, 201, **ME)
    assert made["number"] == 2
    words = [c["words"] for c in history(api, place, **ME)["changes"] if c["kind"] == "match.fit"]
    assert words == ["B in Foundry: match 1 fitted"]


def test_what_is_done_after_an_undo_leaves_nothing_to_do_again(api, place):
    path = f"/cameras/{place.cameras['B'].pk}"
    for note in ("one", "two"):
        api("patch", path, {"note": note}, **ME)
    act(api, place, "undo")
    api("patch", path, {"note": "three"}, **ME)
    assert history(api, place, **ME)["redo"] is None
    for note in ("one", ""):
        act(api, place, "undo")
        assert Camera.objects.get(pk=place.cameras["B"].pk).note == note


def test_a_change_of_encoding_and_what_a_job_made_of_it_are_one_step(api, place, read):
    read("AB")
    b = place.cameras["B"].pk
    base = f"/lights/{place.light.pk}/cameras/{b}"
    api("post", f"{base}/matches", {}, 201, **ME)
    before = state(place)
    api("patch", f"/cameras/{b}", {"levels": "legal"}, **ME)
    assert api("get", base)["match"]["number"] == 2
    told = act(api, place, "undo")["words"]
    assert told.startswith("Undone: Camera B: curve levels full → legal, and ")
    assert state(place) == before
    assert api("get", base)["match"]["number"] == 1
    assert api("get", base)["state"] == "in_tune"


def test_a_step_that_somebody_else_built_on_is_refused_with_both_named(api, place, read):
    read("AB")
    base = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{base}/matches", {}, 201, **ME)
    api("post", f"{base}/matches", {"model": "matrix", "base_number": 1}, 201, **OTHER)
    refused = act(api, place, "undo", 409)
    assert refused["code"] == "undo.built_on"
    for part in ("match 1 fitted", "match 2 fitted", "Jörn"):
        assert part in refused["detail"]
    # Once they take theirs back, it can be done.
    act(api, place, "undo", who=OTHER)
    act(api, place, "undo")
    assert api("get", base)["match"] is None
    # A camera that clips stand on does not go.
    api("post", f"/productions/{place.production.pk}/cameras",
        {"letter": "F", "name": "Fir", "encoding": "srgb"}, 201, **ME)  # fmt: skip
    fir = Camera.objects.get(letter="F")
    place.clips["B", "scene"].__class__.objects.filter(pk=place.clips["B", "scene"].pk).update(
        camera=fir
    )
    assert "stands on" in act(api, place, "undo", 409)["detail"]


def test_what_left_is_marked_and_never_undone(api, place, read):
    read("AB")
    base = f"/lights/{place.light.pk}/cameras/{place.cameras['B'].pk}"
    api("post", f"{base}/matches", {}, 201, **ME)
    api("post", f"{base}/exports", {"size": 17}, 201, **ME)
    assert history(api, place, **ME)["changes"][0]["words"].startswith(
        "Taken away: B_foundry_s-log3"
    )
    assert "match 1" in act(api, place, "undo")["words"]
    assert api("get", f"{base}/exports")[0]["is_current"] is False
    # Taking something away is no step: what was undone can still be done again.
    api("post", f"/lights/{place.light.pk}/cameras/{place.cameras['A'].pk}/exports",
        {"size": 17, "target": "rec709"}, 201, **ME)  # fmt: skip
    assert "match 1" in act(api, place, "redo")["words"]
    assert api("get", f"{base}/exports")[0]["is_current"] is True


def test_two_windows_change_different_fields_and_the_same_one(api, place):
    path = f"/cameras/{place.cameras['B'].pk}"
    board = f"/productions/{place.production.pk}/board"
    head = api("get", board)["head"]
    api("patch", path, {"note": "from one", "base": head}, **ME)
    # Another field, on the same old base: both stay.
    api("patch", path, {"name": "Birch II", "base": head}, **OTHER)
    row = Camera.objects.get(letter="B")
    assert (row.note, row.name) == ("from one", "Birch II")
    refused = api("patch", path, {"note": "from two", "base": head}, 409, **OTHER)
    assert refused["code"] == "change.stale"
    assert "from one" in refused["detail"]
    assert "from two" in refused["detail"]
    assert Camera.objects.get(letter="B").note == "from one"
    # The same value is no conflict; on the newest base it can be overruled.
    api("patch", path, {"note": "from one", "base": head}, **OTHER)
    api("patch", path, {"note": "from two", "base": api("get", board)["head"]}, **OTHER)
    clips = f"/productions/{place.production.pk}/clips/settings"
    ids = [place.clips["B", "scene"].pk]
    head = api("get", f"/clips/{ids[0]}")["head"]
    api("post", clips, {"ids": ids, "values": {"levels": "legal"}, "base": head}, **ME)
    api("post", clips, {"ids": ids, "values": {"encoding": "srgb"}, "base": head}, **OTHER)
    assert api("get", f"/clips/{ids[0]}")["overrides"] == {"levels": "legal", "encoding": "srgb"}
    api("post", clips, {"ids": ids, "values": {"levels": "full"}, "base": head}, 409, **OTHER)


def test_two_presses_of_undo_at_once_take_back_two_steps(api, place, monkeypatch):
    """Both requests look at the log before either has written: the second goes on to the next."""
    camera = place.cameras["B"]
    for name in ("One", "Two"):
        api("patch", f"/cameras/{camera.pk}", {"name": name}, **ME)
    first = services.next_undo(place.production.pk)
    assert "Two" in act(api, place, "undo")["words"]
    real = services.next_undo
    stale = iter([first])
    monkeypatch.setattr(services, "next_undo", lambda pk: next(stale, None) or real(pk))
    assert "One" in act(api, place, "undo")["words"]
    camera.refresh_from_db()
    assert camera.name == "Birch"
