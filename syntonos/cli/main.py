"""`syntonos`: read charts, match, bake and read back, or serve the application.

Exit codes: 0; 2 bad input (one line: what was found, what to do); 3 a chart was found, but which
way up it is must be said; 4 two pictures do not show the same scene, or too little of it; 130
stopped by Ctrl-C. SYNTONOS_TRACE=1 shows where an error came from.
"""

from __future__ import annotations

from syntonos.cli import loading

# isort: split
import argparse
import contextlib
import io
import os
import signal
import sys
import traceback
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, NoReturn, TextIO

loading.done()
BAD_INPUT, UNCERTAIN, STOPPED = 2, 3, 130


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(f"syntonos: {message}. `{self.prog} --help` shows the usage.", file=sys.stderr)
        raise SystemExit(BAD_INPUT)


def _corner(text: str) -> tuple[float, float]:
    x, _, y = text.partition(",")
    try:
        return float(x), float(y)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not x,y in pixels") from None


def _per_cent(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value <= 100:
        raise argparse.ArgumentTypeError(f"{text!r} is not between 0 and 100")
    return value


def _parser() -> argparse.ArgumentParser:
    # Here and not above: they take their time, in which Ctrl-C may come.
    from syntonos import __version__
    from syntonos.core.charts import LAYOUTS
    from syntonos.core.matching.models import MODELS

    top = _Parser(prog="syntonos", description=__doc__, add_help=True)
    top.add_argument("--version", action="version", version=f"syntonos {__version__}")
    commands = top.add_subparsers(dest="command", required=True, parser_class=_Parser)

    encodings = commands.add_parser("encodings", help="list the encodings")
    encodings.add_argument("--json", action="store_true")
    encodings.add_argument("--check", action="store_true",
                           help="compare each with the libraries that have it")  # fmt: skip

    media = commands.add_parser("media", help="what recordings say of themselves")
    media.add_argument("files", nargs="*", metavar="FILE")
    media.add_argument("--json", action="store_true")
    media.add_argument("--check", action="store_true",
                       help="compare video and raw with the formulas, codec by codec")  # fmt: skip

    levels = {
        "choices": ("auto", "full", "legal"), "default": "auto",
        "help": "auto finds them from the charts; stated ones are obeyed",
    }  # fmt: skip
    corners: dict[str, Any] = {
        "nargs": 4, "type": _corner, "metavar": "x,y",
        "help": "centres of the first row's first and last patch, the last row's last and first "
        "(1, 6, 24, 19), in pixels; the first pixel's centre is 0,0",
    }  # fmt: skip
    layout: dict[str, Any] = {
        "default": LAYOUTS[0], "metavar": "LAYOUT",
        "help": f"{', '.join(LAYOUTS)}, or a layout file (.toml)",
    }  # fmt: skip
    chart = commands.add_parser("chart", help="find and read a colour chart")
    chart.add_argument("images", nargs="+", metavar="IMAGE")
    chart.add_argument("--encoding", required=True, metavar="SLUG")
    chart.add_argument("--levels", **levels)  # type: ignore[arg-type]
    chart.add_argument("--corners", **corners)
    chart.add_argument("--chart", **layout)
    chart.add_argument("--all", action="store_true", help="list every chart in the frame")
    chart.add_argument("--json", action="store_true")

    match = commands.add_parser("match", help="match an angle to the reference, write a LUT")
    for side in ("reference", "angle"):
        match.add_argument(f"--{side}", nargs="+", required=True, metavar="IMG")
        match.add_argument(f"--{side}-encoding", required=True, metavar="SLUG")
        match.add_argument(f"--{side}-levels", **levels)  # type: ignore[arg-type]
        match.add_argument(f"--{side}-corners", **corners)
        match.add_argument(f"--{side}-bracket", nargs="+", default=[], metavar="IMG",
                           help="the same chart at other exposures, one image each")  # fmt: skip
    match.add_argument("--angle-scene", nargs="+", default=[], metavar="IMG",
                       help="frames of what the angle shot, set as for its chart: they show where "
                            "its sensor clips and fill its highlights")  # fmt: skip
    match.add_argument("--reference-scene", nargs="+", default=[], metavar="IMG",
                       help="frames of the same scene by the reference: with the angle's they "
                            "steady the fit of the charts, or speak against it")  # fmt: skip
    match.add_argument("--by", default="chart",
                       choices=("chart", "picture", "areas", "statistics", "auto"),
                       help="picture: from places that both cameras see; areas: marked in both; "
                            "statistics: an estimate from the pictures as a whole; auto: in this "
                            "order, and it says which")  # fmt: skip
    match.add_argument("--areas", metavar="FILE.json",
                       help='a list of {"reference": [x, y, w, h], "angle": [x, y, w, h]} in '
                            "pixels; with --by picture only places inside count, or with "
                            '"leave_out": true none inside')  # fmt: skip
    match.add_argument("--mix", type=_per_cent, default=100.0, metavar="0..100",
                       help="how much of what statistics say is taken")  # fmt: skip
    match.add_argument("--chart", **layout)
    match.add_argument("--all-charts", action="store_true",
                       help="read every chart in the frames; the clearest makes the match, the "
                            "others steady it")  # fmt: skip
    match.add_argument("--model", default="averaged", choices=MODELS)
    match.add_argument("--size", type=int, default=65, choices=(17, 33, 65))
    match.add_argument(
        "--to", default="reference", choices=("reference", "rec709-tone", "rec709-plain")
    )
    sides: dict[str, Any] = {
        "choices": ("stored", "expanded"), "default": "stored",
        "help": "stored: code / full scale; expanded: legal levels stretched to 0..1",
    }  # fmt: skip
    match.add_argument("--lut-in", **sides)
    match.add_argument("--lut-out", **sides)
    match.add_argument("--out", required=True, metavar="FILE", help=".cube, .3dl or .clf")
    match.add_argument("--report", metavar="FILE.json")

    check = commands.add_parser("check", help="which encodings the charts speak for")
    for side in ("reference", "angle"):
        check.add_argument(f"--{side}", nargs="+", required=True, metavar="IMG")
        check.add_argument(f"--{side}-encoding", required=True, metavar="SLUG")
        check.add_argument(f"--{side}-levels", **levels)  # type: ignore[arg-type]
    check.add_argument(
        "--bracket", nargs="+", metavar="IMG:STOPS",
        help="the angle's chart again, so many stops above, like over.dpx:+2",
    )  # fmt: skip
    check.add_argument("--chart", **layout)
    check.add_argument("--json", action="store_true")

    bake = commands.add_parser("bake", help="bake a chain document into a LUT")
    bake.add_argument("chain", metavar="CHAIN.json")
    bake.add_argument("--size", type=int, required=True, choices=(17, 33, 65))
    bake.add_argument("--lut-in", **sides)
    bake.add_argument("--lut-out", **sides)
    bake.add_argument("--out", required=True, metavar="FILE", help=".cube, .3dl or .clf")

    cdl = commands.add_parser("cdl", help="a CDL for a box that works in a stated encoding")
    cdl.add_argument("chain", metavar="CHAIN.json")
    cdl.add_argument("--encoding", metavar="SLUG",
                     help="that the box works in; by default the chain's own")  # fmt: skip
    cdl.add_argument("--image", metavar="IMG", help="the clip's own pixels")
    cdl.add_argument("--size", type=int, default=33, choices=(17, 33, 65))
    cdl.add_argument("--out", required=True, metavar="FILE.cc",
                     help="the LUTs stand beside it: FILE.before.cube and FILE.behind.cube"
                     )  # fmt: skip

    trim = commands.add_parser("trim", help="list and set numbers of a chain's trim")
    trim.add_argument("chain", metavar="CHAIN.json")
    trim.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=NUMBER",
        help="such as exposure=-0.1 or warmth=8; may be given several times",
    )
    trim.add_argument("--list", action="store_true", help="all numbers, their units and ranges")
    trim.add_argument("--out", metavar="FILE", help="write the chain")

    readback = commands.add_parser("readback", help="compare a LUT with its chain")
    readback.add_argument("lut", metavar="FILE", help=".cube, .3dl or .clf")
    readback.add_argument("--lut-in", **sides)
    readback.add_argument("--lut-out", **sides)
    readback.add_argument("--chain", required=True, metavar="CHAIN.json")
    readback.add_argument("--image", metavar="IMG")

    for name, text in (("backup", "write a data folder into one file"),
                       ("restore", "make a data folder of a backup")):  # fmt: skip
        keep = commands.add_parser(name, help=text)
        keep.add_argument("file", metavar="FILE.zip")
        keep.add_argument("--data", type=Path, default=Path("var"), metavar="FOLDER")

    user = commands.add_parser("user", help="accounts, for `serve --host`")
    user.add_argument("do", choices=("list", "keep", "close"))
    user.add_argument("name", nargs="?", metavar="NAME")
    user.add_argument("--role", choices=("look", "grade", "manage"), default="grade")
    user.add_argument("--password", metavar="-", help="- asks for it; else one is made up")
    user.add_argument("--data", type=Path, default=Path("var"), metavar="FOLDER")

    for name, text in (("serve", "serve the application"), ("demo", "serve it with the demo")):
        serve = commands.add_parser(name, help=text)
        serve.add_argument("--port", type=int, default=8000)
        serve.add_argument("--data", type=Path, default=Path("var"), metavar="FOLDER")
        serve.add_argument("--host", default="127.0.0.1", metavar="ADDRESS",
                           help="other than this machine's own needs accounts, TLS")  # fmt: skip
        serve.add_argument("--name", action="append", default=[], metavar="HOSTNAME",
                           help="under which others reach it")  # fmt: skip
        serve.add_argument("--certificate", type=Path, metavar="FILE.pem")
        serve.add_argument("--key", type=Path, metavar="FILE.pem")
        serve.add_argument("--behind-proxy", action="store_true",
                           help="a proxy on this machine does TLS")  # fmt: skip
        if name == "demo":
            serve.add_argument("--prepare-only", action="store_true",
                               help="make the footage and the database, then stop")  # fmt: skip
    return top


class _Shown(io.TextIOBase):
    """A terminal's stream that shows control characters and bytes that are no text, as \\xNN."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        from syntonos.core.text import printable

        encoding = self._stream.encoding or "utf-8"
        shown = printable(text).encode(encoding, "backslashreplace").decode(encoding)
        self._stream.write(shown)
        return len(text)

    def flush(self) -> None:
        self._stream.flush()

    def fileno(self) -> int:
        return self._stream.fileno()

    def isatty(self) -> bool:
        return self._stream.isatty()


@contextlib.contextmanager
def _shown() -> Iterator[None]:
    out, err = sys.stdout, sys.stderr
    sys.stdout, sys.stderr = _Shown(out), _Shown(err)
    try:
        yield
    finally:
        sys.stdout, sys.stderr = out, err


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    _stopped.clear()
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        with contextlib.suppress(ValueError):  # not in the main thread
            signal.signal(signal.SIGINT, _stop)
    try:
        with _shown():
            code = _run(argv)
            sys.stdout.flush()
            return code
    except BrokenPipeError:  # who read our output has had enough, as `head` does
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        return STOPPED
    except Exception:
        if _stopped:
            return STOPPED
        raise


# Libraries that are interrupted while they are loaded turn Ctrl-C into errors of their own.
_stopped: list[int] = []


def _stop(number: int, _: object) -> NoReturn:
    _stopped.append(number)
    raise KeyboardInterrupt


def _run(argv: Sequence[str] | None) -> int:
    args = _parser().parse_args(argv)
    from syntonos.core.errors import ColourError

    def fail(message: str) -> int:
        print(f"syntonos: {' '.join(message.split())}", file=sys.stderr)
        if os.environ.get("SYNTONOS_TRACE"):
            traceback.print_exc()
        return BAD_INPUT

    try:
        from syntonos.cli import backup, cdl, commands, match, serve, trim

        if args.command in ("serve", "demo"):
            return serve.run(args)
        own = {
            "match": match,
            "backup": backup,
            "restore": backup,
            "user": serve,
            "trim": trim,
            "cdl": cdl,
        }
        module = own.get(args.command, commands)
        return int(getattr(module, f"run_{args.command}")(args))
    except ColourError as error:
        return fail(str(error))
    except BrokenPipeError:
        raise
    except OSError as error:
        name = error.filename or ""
        return fail(f"{name}: {error.strerror or error}. Check the path and rights.")
    except MemoryError:
        return fail("This needs more memory than there is. Give a smaller file.")
    except Exception as error:
        if _stopped:
            raise
        return fail(f"{type(error).__name__}: {error}. This is an error of the program itself: "
                    "report it with what SYNTONOS_TRACE=1 shows.")  # fmt: skip


if __name__ == "__main__":
    raise SystemExit(main())
