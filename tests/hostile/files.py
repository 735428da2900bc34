"""Bad files of every kind through the command line.

Each goes to a child process of its own. It has to end within its time, with exit code 0, 2, 3 or 4,
with at most a line of error beside warnings, without a traceback, and must leave nothing half
written. Prints a table by kind, and what failed.
"""

import contextlib
import io
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from tests.hostile.seeds import write_seeds

SECONDS, MEMORY = 20, 6 * 2**30
ALLOWED = (0, 2, 3, 4)


@dataclass(frozen=True)
class Case:
    """A bad file of some kind, what was done to it, and the command it goes to."""

    kind: str
    change: str
    argv: tuple[str, ...]


def spoiled(data: bytes, rng: random.Random) -> tuple[str, bytes]:
    """Return what was done to a file's bytes, and the bytes."""
    n = max(len(data), 1)
    head = min(n, 400)
    kind = rng.choice(["cut", "flip", "head", "zeros", "ones", "twice", "noise", "insert",
                       "number", "swap", "ending", "empty"])  # fmt: skip
    if kind == "cut":
        return kind, data[: rng.randrange(n)]
    if kind == "empty":
        return kind, b""
    if kind == "twice":
        return kind, data + data
    if kind == "noise":
        return kind, rng.randbytes(rng.randrange(1, 5000))
    if kind == "ending":
        return kind, data + rng.randbytes(rng.randrange(1, 300))
    out = bytearray(data)
    if kind in ("flip", "head"):
        for _ in range(rng.choice([1, 1, 2, 8, 40])):
            out[rng.randrange(head if kind == "head" else n)] = rng.randrange(256)
    elif kind in ("zeros", "ones"):
        at = rng.randrange(head if rng.random() < 0.6 else n)
        size = rng.choice([1, 2, 4, 8, 64])
        out[at : at + size] = (b"\0" if kind == "zeros" else b"\xff") * size
    elif kind == "insert":
        at = rng.randrange(n)
        out[at:at] = rng.choice([b"\0", b"nan", b"1e999", b"-", b"9" * 400, b"\xff\xfe",
                                 b"[" * 3000, "é".encode(), b"\n\n", b"\x1b[31m"])  # fmt: skip
    elif kind == "number":  # a number in words is another one, or none
        found = [i for i, byte in enumerate(out[: 4 * head]) if chr(byte).isdigit()]
        if found:
            at = rng.choice(found)
            out[at : at + 1] = rng.choice([b"nan", b"inf", b"-1", b"1e308", b"99999999999999999999",
                                           b"0", b"\xc2\xb2", b'"x"', b"null", b"[]"])  # fmt: skip
    elif kind == "swap":
        a, b = rng.randrange(n), rng.randrange(n)
        size = rng.choice([4, 16, 100])
        out[a : a + size], out[b : b + size] = out[b : b + size], out[a : a + size]
    return kind, bytes(out)


def commands(kind: str, path: Path, seeds: dict[str, Path], work: Path) -> list[tuple[str, ...]]:
    """Return the commands that a file of a kind can go to."""
    at, out = str(path), str(work / "out.cube")
    chain, image = str(seeds["chain"]), str(seeds["png"])
    log = ("--encoding", "s-log3/s-gamut3.cine")
    corners = ("--corners", "10,10", "50,10", "50,40", "10,40")
    if kind == "chain":
        return [("bake", at, "--size", "17", "--out", out),
                ("readback", str(seeds["cube"]), "--chain", at)]  # fmt: skip
    if kind in ("cube", "3dl", "clf"):
        return [("readback", at, "--chain", chain)]
    if kind == "layout":
        return [("chart", image, *log, "--chart", at, *corners)]
    if kind == "table":
        return [("match", "--reference", at, "--reference-encoding", "linear/ap1", "--angle", image,
                 "--angle-encoding", log[1], "--angle-corners", *corners[1:], "--to",
                 "rec709-tone", "--size", "17", "--out", out)]  # fmt: skip
    return [("media", at), ("chart", at, *log, *corners),
            ("readback", str(seeds["cube"]), "--chain", chain, "--image", at)]  # fmt: skip


def odd_places(seeds: dict[str, Path], work: Path, every: int = 1) -> Iterator[Case]:
    """Yield what is no file: pipes, devices, folders, giants, links to themselves, odd names.

    Of one kind in so many only.
    """
    for kind, seed in list(seeds.items())[::every]:
        ending = seed.suffix
        made: list[tuple[str, Path]] = []
        pipe = work / f"pipe-{kind}{ending}"
        os.mkfifo(pipe)
        made.append(("pipe", pipe))
        folder = work / f"folder-{kind}{ending}"
        folder.mkdir()
        made.append(("folder", folder))
        loop = work / f"loop-{kind}{ending}"
        loop.symlink_to(loop)
        made.append(("link to itself", loop))
        device = work / f"device-{kind}{ending}"
        device.symlink_to("/dev/zero")
        made.append(("device", device))
        giant = work / f"giant-{kind}{ending}"
        with giant.open("wb") as file:
            file.write(seed.read_bytes()[:64])
            file.truncate(200 * 2**30)
        made.append(("sparse giant", giant))
        made.append(("missing", work / f"missing-{kind}{ending}"))
        escaped = work / f"\x1b[31mred\x07-{kind}{ending}"
        escaped.write_bytes(b"nothing")
        made.append(("escape in its name", escaped))
        named = Path(os.fsdecode(os.fsencode(work) + b"/\xff\xfe-" + kind.encode()[:4]
                                 + ending.encode()))  # fmt: skip
        named.write_bytes(b"nothing")
        made.append(("name that is no UTF-8", named))
        for change, path in made:
            yield Case(kind, change, commands(kind, path, seeds, work)[0])


def cases(
    seed: int, count: int, seeds: dict[str, Path], work: Path, every: int = 1
) -> Iterator[Case]:
    """Yield bad files, made one after the other."""
    rng = random.Random(seed)
    yield from odd_places(seeds, work, every)
    kinds = sorted(seeds)
    for number in range(count):
        kind = kinds[number % len(kinds)]
        change, data = spoiled(seeds[kind].read_bytes(), rng)
        if rng.random() < 0.05:
            kind_as = rng.choice(kinds)
            change, ending = f"as {kind_as}", seeds[kind_as].suffix
        else:
            kind_as, ending = kind, seeds[kind].suffix
        path = work / f"bad{number}{ending}"
        path.write_bytes(data)
        yield Case(kind, change, rng.choice(commands(kind_as, path, seeds, work)))
        path.unlink(missing_ok=True)


def outcome(case: Case, run: Callable[[list[str]], int], work: Path) -> str:
    """Run a case in a child; returns "" or what was wrong with it."""
    err = work / "stderr"
    child = os.fork()
    if child == 0:
        code = 99
        try:
            resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
            with err.open("wb") as file:
                os.dup2(file.fileno(), 2)
            with Path(os.devnull).open("wb") as null:
                os.dup2(null.fileno(), 1)
            sys.stdout = io.TextIOWrapper(io.FileIO(1, "w"), "utf-8", "surrogateescape")
            sys.stderr = io.TextIOWrapper(io.FileIO(2, "w"), "utf-8", "surrogateescape")
            code = run(list(case.argv))
        except SystemExit as ended:
            code = int(ended.code or 0)
        except BaseException:
            import traceback

            traceback.print_exc()
        finally:
            with contextlib.suppress(Exception):
                sys.stdout.flush()
                sys.stderr.flush()
            os._exit(code & 255)
    end = time.monotonic() + SECONDS
    while time.monotonic() < end:
        pid, status = os.waitpid(child, os.WNOHANG)
        if pid:
            break
        time.sleep(0.004)
    else:
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        return "hangs"
    text = err.read_bytes()
    lines = [line for line in text.split(b"\n") if line.strip()]
    told = [line for line in lines if line.startswith(b"syntonos:")]
    if os.WIFSIGNALED(status):
        return f"killed by signal {os.WTERMSIG(status)}"
    code = os.WEXITSTATUS(status)
    if b"Traceback" in text:
        return f"traceback: {lines[-1].decode(errors='replace')[:90]}"
    if b"error of the program itself" in text:
        return f"not foreseen: {told[0].decode(errors='replace')[:120]}"
    if code not in ALLOWED:
        return f"exit code {code}"
    if code == 2 and len(told) != 1:
        return f"{len(told)} lines of error"
    if any(byte < 32 and byte not in b"\n\t" for byte in text):
        return "escape sequence in the output"
    if list(work.glob("*.part")) or list(work.glob(".*.part")):
        return "left a part of a file"
    return ""


def try_all(
    seed: int, count: int, *, places: int = 1
) -> tuple[Counter[str], dict[str, list[tuple[Case, str]]]]:
    """Try cases; returns how many of each kind were tried, and what failed."""
    from syntonos.cli import commands as _commands  # noqa: F401 - imported before the forks
    from syntonos.cli import match as _match  # noqa: F401
    from syntonos.cli.main import main

    tried: Counter[str] = Counter()
    failed: dict[str, list[tuple[Case, str]]] = defaultdict(list)
    work = Path(tempfile.mkdtemp(prefix="hostile"))
    try:
        seeds = write_seeds(work / "seeds")
        for case in cases(seed, count, seeds, work, places):
            tried[case.kind] += 1
            wrong = outcome(case, main, work)
            if wrong:
                failed[case.kind].append((case, wrong))
    finally:
        shutil.rmtree(work, ignore_errors=True)
    return tried, failed


def tell(tried: Counter[str], failed: dict[str, list[tuple[Case, str]]]) -> None:
    """Print what was tried and failed, by kind."""
    print("| kind | tried | failed |")
    print("|---|---|---|")
    for kind in sorted(tried):
        print(f"| {kind} | {tried[kind]} | {len(failed[kind])} |")
    print(f"| all | {tried.total()} | {sum(map(len, failed.values()))} |")
    for rows in failed.values():
        for case, wrong in rows:
            print(f"{case.kind}, {case.change}, `{' '.join(case.argv[:2])}`: {wrong}")
