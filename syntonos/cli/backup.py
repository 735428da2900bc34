"""`syntonos backup` and `restore`: a data folder as one file, and back, while it is in use.

What is in it: the database through SQLite's backup API, and what its rows name (LUTs of looks,
files that left). Footage, small pictures and indexes are not: they are there or made again.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import shutil
import sqlite3
import tempfile
import zipfile
from pathlib import Path
from typing import Final

from syntonos.cli.output import has_place
from syntonos.core.errors import MediaError
from syntonos.core.files import parsing, see_file

_DATABASE: Final = "syntonos.sqlite3"
_FOLDERS: Final = ("blobs", "exports")
_HINT: Final = "Choose a file that `syntonos backup` wrote."


def run_backup(args: argparse.Namespace) -> int:
    """Write a backup of a data folder."""
    data, target = Path(args.data), Path(args.file)
    if not (data / _DATABASE).is_file():
        raise MediaError(f"There are no data in {data}.", code="data.missing",
                         hint="Say where they are with --data.")  # fmt: skip
    has_place(str(target))
    partial = target.with_name(f".{target.name}.part")
    try:
        with tempfile.TemporaryDirectory(dir=target.parent) as folder:
            copy = Path(folder) / _DATABASE
            with parsing(str(data / _DATABASE), hint="Look at the disc."):
                _copy_database(data / _DATABASE, copy)
            with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
                archive.write(copy, _DATABASE)
                for path in sorted(p for name in _FOLDERS for p in (data / name).rglob("*")):
                    if path.is_file() and not path.name.endswith(".part"):
                        archive.write(path, path.relative_to(data).as_posix())
        with partial.open("rb+") as file:
            os.fsync(file.fileno())
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    print(f"{target}: {target.stat().st_size / 2**20:.1f} MiB")
    return 0


def _copy_database(source: Path, target: Path) -> None:
    with (
        contextlib.closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as there,
        contextlib.closing(sqlite3.connect(target)) as here,
    ):
        there.backup(here)
        found = here.execute("PRAGMA integrity_check").fetchone()[0]
        if found != "ok":
            raise MediaError(f"{source} is damaged: {found}.", code="data.broken",
                             hint="Restore an earlier backup.")  # fmt: skip


def run_restore(args: argparse.Namespace) -> int:
    """Make a data folder of a backup; one that has data already is left as it is."""
    source, data = see_file(args.file), Path(args.data)
    if data.exists() and any(data.iterdir()):
        raise MediaError(f"{data} is not empty.", code="data.taken",
                         hint="Give a new folder with --data: nothing is overwritten.")  # fmt: skip
    data.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=data.parent) as folder:
        made = Path(folder) / "data"
        with parsing(source.name, hint=_HINT), zipfile.ZipFile(source) as archive:
            names = archive.namelist()
            wrong = [n for n in names if n != _DATABASE and not n.startswith(
                tuple(f"{name}/" for name in _FOLDERS))]  # fmt: skip
            if _DATABASE not in names or wrong or any(".." in Path(n).parts for n in names):
                raise MediaError(f"{source.name} is no backup.", hint=_HINT, code="data.broken")
            needed = sum(entry.file_size for entry in archive.infolist())
            if needed > shutil.disk_usage(data.parent).free:
                raise MediaError(f"The backup needs {needed / 2**20:.0f} MiB.", code="disc.full",
                                 hint="Make room, or give another folder.")  # fmt: skip
            archive.extractall(made)
            _copy_database(made / _DATABASE, made / "checked")
        (made / "checked").replace(made / _DATABASE)
        if data.exists():
            data.rmdir()
        shutil.move(made, data)
    print(f"{data}: restored. `syntonos serve --data {data}` opens it.")
    return 0
