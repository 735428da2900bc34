"""Accounts: who comes in, what each role may do at every endpoint, and who did what."""

import json
import re

import pytest

from syntonos.core.errors import ColourError
from syntonos.server.accounts import services
from syntonos.server.accounts.services import keep_account
from syntonos.server.history.models import Change
from tests.server.test_bring_in import Sent

PASSWORD = "a bell of bronze"  # noqa: S105
# What each request of the API needs, by hand: of those that are not named here, reading needs
# "look" and changing "grade".
MANAGE = {
    "createProduction", "changeProduction", "putAway", "createCamera", "changeCamera",
    "createLight", "changeLight", "addLayout", "enterEncoding", "takeFromConfig", "takeFromFile",
}  # fmt: skip
ONLY_ASKS = {
    "closeViews", "diagnose", "plotTone", "tryEncoding", "readCdl", "readConfig", "findChart",
    "previewTakeAs", "previewBalance", "previewFit", "measureTrim", "readProbes",
    "readPoints", "findOverlays",
}  # fmt: skip
ROLES = ("look", "grade", "manage")


@pytest.fixture
def doors(transactional_db, settings, monkeypatch):
    settings.ACCOUNTS = settings.SECURE = True
    # The slow one is for those who guess; these are many.
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    monkeypatch.setattr(services, "_failures", {})
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


def operations():
    from syntonos.server.api.app import api

    for path, methods in api.get_openapi_schema()["paths"].items():
        for method, said in methods.items():
            yield method.upper(), re.sub(r"\{[^}]*\}", "999999", path), said["operationId"]


def test_every_endpoint_lets_in_who_may_and_nobody_else(doors):
    cookies = {role: cookie_of(signed_in(f"anna-{role}")) for role in ROLES}
    tried = 0
    for method, path, name in operations():
        asks = method == "GET" or name in ONLY_ASKS
        needed = "look" if asks else "manage" if name in MANAGE else "grade"
        assert send(method, path).status == 401, name
        for role in ROLES:
            # A body that is none: who is let in is refused for that, and changes nothing.
            answer = send(method, path, b"" if method == "GET" else b"{", cookies[role])
            is_in = ROLES.index(role) >= ROLES.index(needed)
            assert (answer.status != 403) == is_in, (name, role, answer.status)
            assert answer.status != 401
            if not is_in:
                assert json.loads(answer.said)["code"] == "account.role"
            tried += 1
    assert tried > 200
    assert {name for _, _, name in operations()} >= MANAGE | ONLY_ASKS


def test_files_pictures_and_streams_ask_too(doors, place):
    look = cookie_of(signed_in("anna-look"))
    path = f"/api/productions/{place.production.pk}/uploads?name=a.mov"
    octets = {"content-type": "application/octet-stream"}
    for cookie, status in (("", 401), (look, 403)):
        dropped = send("POST", path, b"x" * 10_000, cookie, **octets)
        assert (dropped.status, dropped.asked) == (status, 0)  # not a byte of it was read
    draft = {"session": "s", "view": "v", "sequence": 1, "width": 64,
             "clip_id": place.clips["A", "scene"].pk}  # fmt: skip
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
