"""Accounts: who comes in, what each role may do at every endpoint, and who did what."""

import asyncio
import contextlib
import json
import os
import re
import threading
from datetime import timedelta

import pytest
from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session
from django.utils import timezone

from syntonos.core.errors import ColourError
from syntonos.server.accounts import door, roles, services
from syntonos.server.accounts.services import keep_account
from syntonos.server.api.app import operations
from syntonos.server.consumer import tidy_up
from syntonos.server.history.models import Change
from tests.server.test_bring_in import Sent

PASSWORD = "a bell of bronze"  # noqa: S105
# What a few requests need, by hand; the table itself is roles.py.
BY_HAND = {
    "createCamera": "manage", "createLight": "manage", "putAway": "manage", "addLayout": "manage",
    "setTrim": "grade", "fitMatch": "grade", "takeAway": "grade", "undo": "grade",
    "getBoard": "look", "makeDraft": "look", "readProbes": "look", "downloadPackage": "look",
}  # fmt: skip
ROLES = ("look", "grade", "manage")


@pytest.fixture
def doors(transactional_db, settings, monkeypatch):
    settings.ACCOUNTS = settings.SECURE = True
    # The slow one is for those who guess; these are many.
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    monkeypatch.setattr(services, "TRIES", services.WrongTries())
    for role in ROLES:
        keep_account(f"anna-{role}", role, PASSWORD)


def send(method, path, body=b"", cookie="", **headers):
    kind = {"content-type": "application/json"} if body else {}
    sent = Sent(path, body, {**kind, **({"cookie": cookie} if cookie else {}), **headers})
    sent.scope["method"] = method
    return sent.go()


def signed_in(name, password=PASSWORD, then="/"):
    body = f"name={name}&password={password.replace(' ', '+')}&then={then}".encode()
    return send("POST", "/sign-in", body, **{"content-type": "application/x-www-form-urlencoded"})


def cookie_of(answer):
    return answer.headers["set-cookie"].split(";")[0]


def requests():
    for method, path, name in operations():
        yield method, re.sub(r"\{[^}]*\}", "999999", path), name


def test_every_operation_has_a_role_and_one_without_is_let_in_for_nobody(monkeypatch):
    names = {name for _, _, name in operations()}
    assert names == set(roles.NEEDS)
    assert roles.NEEDS.items() >= BY_HAND.items()
    for method, path, name in requests():
        assert roles.operation_of(method, path) == name, path
    monkeypatch.delitem(roles.NEEDS, "getBoard")
    needed = roles.role_needed("GET", "/api/productions/1/board")
    assert not any(roles.may(role, needed) for role in ROLES)
    for method, path in (("POST", "/api/nothing"), ("DELETE", "/api/session"), ("POST", "/")):
        assert not roles.may("manage", roles.role_needed(method, path))


def test_every_endpoint_lets_in_who_may_and_nobody_else(doors):
    cookies = {role: cookie_of(signed_in(f"anna-{role}")) for role in ROLES}
    for method, path, name in requests():
        if name == "dropFile":  # has a test of its own
            continue
        needed = roles.NEEDS[name]
        assert send(method, path).status == 401, name
        for role in ROLES:
            # A body that is none: who is let in is refused for that, and changes nothing.
            answer = send(method, path, b"" if method == "GET" else b"{", cookies[role])
            is_in = ROLES.index(role) >= ROLES.index(needed)
            assert (answer.status != 403) == is_in, (name, role, answer.status)
            assert answer.status != 401
            if not is_in:
                assert json.loads(answer.said)["code"] == "account.role"


def test_files_pictures_and_streams_ask_too(doors, place):
    look = cookie_of(signed_in("anna-look"))
    path = f"/api/productions/{place.production.pk}/uploads?name=a.mov"
    octets = {"content-type": "application/octet-stream"}
    for cookie, status in (("", 401), (look, 403)):
        dropped = send("POST", path, b"x" * 10_000, cookie, **octets)
        assert (dropped.status, dropped.asked) == (status, 0)  # not a byte of it was read
    draft = {"session": "s", "view": "v", "sequence": 1, "width": 64,
             "subject": {"kind": "clip", "id": place.clips["A", "scene"].pk}}  # fmt: skip
    body = json.dumps(draft).encode()
    assert send("POST", "/api/pictures/draft", body).status == 401
    assert send("POST", "/api/pictures/draft", body, look).status == 200
    stream = Sent("/api/stream", b"", {"connection": "upgrade"})
    stream.scope["type"] = "websocket"
    assert stream.go().code == 4401
    page = send("GET", "/p/1/l/2/c/3/bench")
    assert (page.status, page.headers["location"]) == (303, "/sign-in?then=/p/1/l/2/c/3/bench")


def test_signing_in_and_out(doors):
    wrong = signed_in("anna-grade", "something else")
    assert wrong.status == 401
    assert b"do not belong together" in wrong.said
    assert "set-cookie" not in wrong.headers
    good = signed_in("anna-grade", then="/p/1")
    assert (good.status, good.headers["location"]) == (303, "/p/1")
    for word in ("HttpOnly", "SameSite=Strict", "Secure"):
        assert word in good.headers["set-cookie"]
    for away in ("https://elsewhere.example/", "//elsewhere.example", "/%5C/elsewhere.example"):
        assert signed_in("anna-grade", then=away).headers["location"] == "/"
    cookie = cookie_of(good)
    assert json.loads(send("GET", "/api/session", b"", cookie).said) == {
        "name": "anna-grade", "role": "grade",
    }  # fmt: skip
    # A page elsewhere cannot sign anybody in or out, whatever cookie it has.
    assert send("POST", "/sign-out", b"", cookie, origin="https://elsewhere.example").status == 403
    assert send("GET", "/api/session", b"", cookie).status == 200
    assert send("POST", "/sign-out", b"", cookie).status == 303
    assert send("GET", "/api/session", b"", cookie).status == 401
    # Another password, or none any more, ends what was open.
    cookie = cookie_of(signed_in("anna-grade"))
    keep_account("anna-grade", "grade", "another bell of bronze")
    assert send("GET", "/api/session", b"", cookie).status == 401
    cookie = cookie_of(signed_in("anna-look"))
    services.close_account("anna-look")
    assert send("GET", "/api/session", b"", cookie).status == 401
    with pytest.raises(ColourError, match="last account that manages"):
        services.close_account("anna-manage")


def test_guessing_is_slowed_down(doors):
    for _ in range(5):
        assert signed_in("anna-manage", "guess").status == 401
    assert signed_in("anna-manage").status == 429  # the right one too: it is not told apart
    assert signed_in("anna-grade").status == 303


def test_ten_thousand_made_up_names_do_not_set_a_throttled_name_free(doors, monkeypatch):
    monkeypatch.setattr(services, "authenticate", lambda **_: None)
    for _ in range(5):
        assert services.sign_in("anna-manage", "guess", "10.0.0.1") is None
    refused = 0
    for k in range(12_000):
        with contextlib.suppress(ColourError):
            services.sign_in(f"made-up-{k}", "guess", "10.0.0.1")
            continue
        refused += 1
    with pytest.raises(ColourError, match="wrong tries"):
        services.sign_in("anna-manage", "guess", "10.0.0.1")
    assert refused > 11_900
    # From elsewhere the same name is let in.
    monkeypatch.undo()
    assert services.sign_in("anna-manage", PASSWORD, "10.0.0.2")


def test_a_flood_of_sign_ins_makes_nobody_wait_who_is_in(doors, monkeypatch):
    cookie = cookie_of(signed_in("anna-grade"))
    hashed = threading.Event()
    monkeypatch.setattr(door, "sign_in", lambda *_: hashed.wait(30) and None)
    form = {"content-type": "application/x-www-form-urlencoded"}

    async def go():
        from syntonos.server.config.asgi import application

        def request(method, path, body=b"", **headers):
            sent = Sent(path, body, headers)
            sent.scope["method"] = method
            return sent, application(sent.scope, sent.receive, sent.send)

        guesses = [request("POST", "/sign-in", b"name=a&password=b", **form) for _ in range(40)]
        waiting = [asyncio.ensure_future(work) for _, work in guesses]
        await asyncio.sleep(0)
        asked, work = request("GET", "/api/session", cookie=cookie)
        await work
        assert asked.status == 200
        assert not hashed.is_set()
        hashed.set()
        await asyncio.gather(*waiting)
        answers = [sent.status for sent, _ in guesses]
        assert set(answers) == {401, 429}  # those that do not fit are told to come again

    asyncio.run(go())


@pytest.mark.parametrize("over", ["signed out", "closed", "another password"])
def test_a_stream_ends_with_its_session(doors, monkeypatch, over):
    monkeypatch.setattr(door, "_LOOKS_EVERY", 0.01)
    cookie = cookie_of(signed_in("anna-look"))
    ended = {
        "signed out": lambda: services.sign_out(cookie.partition("=")[2]),
        "closed": lambda: services.close_account("anna-look"),
        "another password": lambda: keep_account("anna-look", "look", "another bell of bronze"),
    }[over]
    heard = []

    async def go():
        from syntonos.server.config.asgi import application

        opened, closed = asyncio.Event(), asyncio.Event()
        events = [{"type": "websocket.connect"}]

        async def receive():
            if events:
                return events.pop()
            await closed.wait()
            return {"type": "websocket.disconnect"}

        async def hear(message):
            heard.append(message)
            {"websocket.accept": opened, "websocket.close": closed}[message["type"]].set()

        scope = Sent("/api/stream", b"", {"cookie": cookie}).scope | {"type": "websocket"}
        work = asyncio.ensure_future(application(scope, receive, hear))
        await opened.wait()
        await sync_to_async(ended)()
        await work

    asyncio.run(go())
    assert heard[-1] == {"type": "websocket.close", "code": 4401}


def test_what_is_over_is_removed(doors, settings, tmp_path):
    settings.DATA, settings.MEDIA_ROOTS = tmp_path, {"media": tmp_path / "media"}
    now = 2_000_000_000.0
    old, new = tmp_path / "exports/package-a.zip", tmp_path / "exports/package-b.zip"
    part = tmp_path / "media/dropped/day/.0123.part"
    lut = tmp_path / "exports/kept.cube"
    for path, age in ((old, 20), (new, 1), (lut, 90), (part, 2)):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"x")
        os.utime(path, (now - age * 86_400,) * 2)
    key = cookie_of(signed_in("anna-look")).partition("=")[2]
    Session.objects.filter(pk=key).update(expire_date=timezone.now() - timedelta(minutes=1))
    other = cookie_of(signed_in("anna-grade")).partition("=")[2]
    tidy_up(now)
    assert [p.exists() for p in (old, new, lut, part)] == [False, True, True, False]
    assert set(Session.objects.values_list("pk", flat=True)) == {other}


def test_who_did_what_is_who_signed_in(doors, place):
    cookie = cookie_of(signed_in("anna-manage"))
    path = f"/api/productions/{place.production.pk}/lights"
    body = json.dumps({"name": "Yard"}).encode()
    claimed = {"syntonos-author": "someone", "syntonos-author-name": "Someone%20else"}
    assert send("POST", path, body, cookie, **claimed).status == 201
    entry = Change.objects.latest("sequence")
    assert (entry.words, entry.author_name) == ("Light Yard added", "anna-manage")


def test_on_this_machine_nobody_is_asked(transactional_db, place):
    assert send("GET", f"/api/productions/{place.production.pk}/board").status == 200
    assert json.loads(send("GET", "/api/session").said) == {"name": "", "role": "manage"}
