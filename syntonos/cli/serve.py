"""`syntonos serve` and `syntonos demo`: the web worker in the foreground, jobs beside it."""

from __future__ import annotations

import argparse
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import warnings
from pathlib import Path
from typing import NoReturn


def run(args: argparse.Namespace) -> int:
    """Prepare the database (and the demo), then serve until Ctrl-C or TERM."""
    data = args.data.resolve()
    data.mkdir(parents=True, exist_ok=True)
    os.environ["SYNTONOS_PORT"] = str(args.port)
    beyond = _beyond(args)
    if beyond:
        os.environ["SYNTONOS_ACCOUNTS"] = "1"
        os.environ["SYNTONOS_NAMES"] = ",".join([*args.name, args.host])
    if not getattr(args, "prepare_only", False) and _is_taken(args.port):
        print(f"syntonos: port {args.port} is taken. Choose another with --port (PORT=).",
              file=sys.stderr)  # fmt: skip
        return 2
    prepare_data(data)
    if beyond:
        _needs_manager()
    if args.command == "demo":
        from syntonos.server.demo import ensure_demo

        start = time.perf_counter()
        if ensure_demo():
            print(f"demo production ready in {time.perf_counter() - start:.0f} s", flush=True)
        if args.prepare_only:
            return 0
    # Static files and downloads are small; that they are read at once is meant.
    warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous")
    from syntonos.server.rendering.pictures import warm_up

    _tell_of_compiling()
    start = time.perf_counter()
    warm_up()
    if (took := time.perf_counter() - start) > _LONG:
        print(f"kernels compiled in {took:.0f} s; they are kept for the next time", flush=True)
    import uvicorn

    # Requests and the engine's threads hand the interpreter to each other many times a picture.
    # With Python's usual 5 ms for each hand-over, two drafts at once take twice as long.
    sys.setswitchinterval(0.0005)
    consumer = _Consumer()
    # uvicorn shuts down, then raises the signal again: both ways of stopping it end in exit code 0.
    signal.signal(signal.SIGTERM, _stop)
    signal.signal(signal.SIGINT, _stop)
    shown = f"https://{(args.name or [args.host])[0]}" if beyond else "http://127.0.0.1"
    place = shown if args.behind_proxy else f"{shown}:{args.port}"
    print(f"Syntonos is at {place}/ (Ctrl-C stops it)", flush=True)
    try:
        uvicorn.run("syntonos.server.config.asgi:application",
                    host="127.0.0.1" if args.behind_proxy else args.host, port=args.port,
                    ssl_certfile=args.certificate if beyond and not args.behind_proxy else None,
                    ssl_keyfile=args.key if beyond and not args.behind_proxy else None,
                    log_level="warning", timeout_graceful_shutdown=2, ws="websockets-sansio",
                    ws_max_size=2**16)  # fmt: skip
    finally:
        consumer.stop()
    return 0


_LOOPBACK = ("127.0.0.1", "localhost", "::1")


def _beyond(args: argparse.Namespace) -> bool:
    """Say whether others than this machine are served, after a look at what that needs.

    Raises
    ------
    ColourError
        serve.tls, serve.name.
    """
    from syntonos.core.errors import ColourError
    from syntonos.core.files import see_file

    if args.host in _LOOPBACK and not args.behind_proxy:
        return False
    if not args.behind_proxy:
        if not (args.certificate and args.key):
            raise ColourError("Passwords do not go in the clear beyond this machine.",
                              hint="Give --certificate and --key, or --behind-proxy where a proxy "
                              "on this machine does TLS.", code="serve.tls")  # fmt: skip
        see_file(args.certificate)
        see_file(args.key)
    if not args.name and (args.behind_proxy or args.host in ("0.0.0.0", "::")):  # noqa: S104
        raise ColourError("Under which name others reach it is not said.",
                          hint="Give --name HOSTNAME, as in its certificate.",
                          code="serve.name")  # fmt: skip
    return True


def _needs_manager() -> None:
    from syntonos.core.errors import ColourError
    from syntonos.server.accounts.services import accounts

    if not any(account.role == "manage" for account in accounts()):
        raise ColourError("There is no account that manages yet.",
                          hint="Make one: syntonos user keep NAME --role manage.",
                          code="serve.accounts")  # fmt: skip


def run_user(args: argparse.Namespace) -> int:
    """Make, change, close or list accounts."""
    import getpass

    from syntonos.core.errors import ColourError

    data = args.data.resolve()
    data.mkdir(parents=True, exist_ok=True)
    prepare_data(data)
    from syntonos.server.accounts.services import accounts, close_account, keep_account

    if args.do == "list":
        for account in accounts():
            print(f"{account.role:<8}{account.name}")
        return 0
    if not args.name:
        raise ColourError("No name was given.", hint=f"syntonos user {args.do} NAME.",
                          code="account.name")  # fmt: skip
    if args.do == "close":
        close_account(args.name)
        print(f"{args.name} is let in no more.")
        return 0
    asked = getpass.getpass(f"Password of {args.name}: ") if args.password == "-" else None  # noqa: S105
    if args.password not in (None, "-"):
        raise ColourError("A password on the command line is seen by others.",
                          hint="Say --password - to be asked for it.",
                          code="account.password")  # fmt: skip
    made_up = keep_account(args.name, args.role, asked)
    print(f"{args.name} may come in: {args.role}" + (f", password {made_up}" if made_up else ""))
    return 0


def prepare_data(data: Path) -> None:
    """Set Django up over a data folder, and bring its database to this version.

    Raises
    ------
    MediaError
        data.closed, data.broken, data.newer.
    """
    from syntonos.core.errors import MediaError

    if not os.access(data, os.W_OK | os.X_OK):
        raise MediaError(
            f"The data folder {data} may not be written.", code="data.closed",
            hint="Give the right to write there, or choose another with --data.",
        )  # fmt: skip
    os.environ["SYNTONOS_DATA"] = str(data)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import DatabaseError, OperationalError, connection
    from django.db.migrations.loader import MigrationLoader

    name = data / "syntonos.sqlite3"
    try:
        loader = MigrationLoader(connection)
        unknown = set(loader.applied_migrations) - set(loader.disk_migrations)
        if unknown:
            app, number = sorted(unknown)[-1]
            raise MediaError(f"{name} was written by a newer Syntonos ({app} {number}).",
                             hint="Start that version, or choose another folder with --data.",
                             code="data.newer")  # fmt: skip
        call_command("migrate", interactive=False, verbosity=0)
    except OperationalError as error:
        raise MediaError(f"{name} cannot be used: {error}.", code="data.broken",
                         hint="Look at the disc and its rights.") from error  # fmt: skip
    except DatabaseError as error:
        raise MediaError(f"{name} is damaged: {error}.", code="data.broken",
                         hint="Restore a backup (`syntonos restore`), or choose another folder "
                         "with --data.") from error  # fmt: skip


def _tell_of_compiling() -> None:
    """Say that the first start takes longer, where nothing is compiled yet."""
    from syntonos.core._jit import CACHE

    if not CACHE.is_dir() or not any(CACHE.rglob("*.nbi")):
        print("compiling the kernels, once: about half a minute on two cores", flush=True)


_LONG = 5.0  # seconds; less is loading


class _Consumer:
    """What works off the jobs, niced: the picture under the hand comes first.

    Where its process ends by itself it is started again, later each time; what it had begun is
    taken up.
    """

    def __init__(self) -> None:
        self._stopping = threading.Event()
        self._process = self._start()
        threading.Thread(target=self._watch, daemon=True, name="consumer").start()

    def _start(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [sys.executable, "-m", "syntonos.server.consumer"],
            start_new_session=True,  # Ctrl-C is for the supervisor, which then says TERM
            env={**os.environ, "SYNTONOS_PARENT": str(os.getpid())},
        )

    def _watch(self) -> None:
        pause = 1.0
        while True:
            code = self._process.wait()
            if self._stopping.wait(pause):
                return
            print(f"syntonos: the consumer of jobs ended ({code}); it is started again.",
                  file=sys.stderr, flush=True)  # fmt: skip
            self._process = self._start()
            pause = min(2 * pause, 60.0)

    def stop(self) -> None:
        """End it with TERM, then by force."""
        self._stopping.set()
        self._process.terminate()
        try:
            self._process.wait(4)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def _stop(*_: object) -> NoReturn:
    raise SystemExit(0)


def _is_taken(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return True
    return False
