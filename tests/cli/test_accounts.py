"""Serving beyond this machine: what it needs is said before anything listens."""

import ssl
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from tests.cli.test_data import data, one_line, syntonos  # noqa: F401 - a fixture
from tests.journeys.conftest import _free_port

# Made once for tests, of localhost and for a hundred years; no server uses it.
DATA = Path(__file__).parents[1] / "data"
CERTIFICATE, KEY = DATA / "localhost.pem", DATA / "localhost-key.pem"
EVERYWHERE = "0.0.0.0"  # noqa: S104 - what is tried


def test_what_is_missing_is_said_and_passwords_are_not_in_the_clear(data):  # noqa: F811
    serve = ("serve", "--data", data, "--host", EVERYWHERE)
    assert "in the clear" in one_line(syntonos(*serve))
    proxied = (*serve, "--behind-proxy", "--name", "cart.example")
    assert "no account that manages" in one_line(syntonos(*proxied))


def test_beyond_this_machine_it_speaks_tls_and_asks_who_comes(data):  # noqa: F811
    told = syntonos("user", "keep", "anna", "--role", "manage", "--data", data)
    assert "manage, password " in told.stdout, told.stderr
    port = _free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "syntonos.cli.main", "serve", "--data", str(data), "--host",
         EVERYWHERE, "--name", "localhost", "--port", str(port), "--certificate", str(CERTIFICATE),
         "--key", str(KEY)], stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        while "Syntonos is at" not in (line := process.stdout.readline()):
            assert line, "the server stopped"
        assert line.startswith(f"Syntonos is at https://localhost:{port}/")
        trusted = ssl.create_default_context(cafile=str(CERTIFICATE))
        opener = urllib.request.build_opener(urllib.request.HTTPSHandler(context=trusted))
        for _ in range(100):
            try:
                page = opener.open(f"https://localhost:{port}/p/1", timeout=10)
                break
            except urllib.error.URLError as error:
                if not isinstance(error.reason, ConnectionRefusedError):
                    raise
                time.sleep(0.2)
        assert page.url.endswith("/sign-in?then=/p/1")
        assert b'name="password"' in page.read()
        with pytest.raises(urllib.error.HTTPError) as told:
            opener.open(f"https://localhost:{port}/api/productions", timeout=10)
        assert told.value.code == 401
        told.value.close()
        page.close()
    finally:
        process.terminate()
        process.communicate(timeout=30)
