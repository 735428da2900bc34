"""`make mutate`: change one sign or term at a time, and see that the nearest tests notice.

Each mutant of `mutants.py` is put into a copy of the tree, its nearest tests are run there, and
they have to fail. One that survives is a change that nobody would notice. Before that the same
tests have to pass on the copy as it is.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

from tests.mutate.mutants import MUTANTS, Mutant

ROOT = Path(__file__).parents[2]
COPY = ROOT / "var/mutate/tree"
LINKED = (".venv", "web/node_modules")
LONGEST = 600  # seconds; a change that makes a test hang is noticed too
KILLED, SURVIVED = "killed", "SURVIVED"


def copy_tree() -> None:
    """Bring the copy to what git knows of here; what has not changed keeps its compiled kernels."""
    listed = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, capture_output=True, text=True,
        check=True,
    ).stdout.splitlines()  # fmt: skip
    kept = {name for name in listed if (ROOT / name).is_file()}
    for path in [p for p in COPY.rglob("*") if p.is_file() and not p.is_symlink()]:
        name = path.relative_to(COPY).as_posix()
        if name not in kept and not name.startswith(("var/", "web/dist/")) and ".pyc" not in name:
            path.unlink()
    for name in kept:
        source, target = ROOT / name, COPY / name
        if not target.is_file() or target.stat().st_mtime != source.stat().st_mtime:
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(source, target)
    for name in LINKED:
        if not (COPY / name).exists():
            (COPY / name).parent.mkdir(parents=True, exist_ok=True)
            (COPY / name).symlink_to(ROOT / name, target_is_directory=True)


def run(tests: tuple[str, ...]) -> tuple[int, str]:
    """Run tests in the copy; return the exit code and the end of what was printed."""
    env = {
        **os.environ,
        "SYNTONOS_CACHE": str(COPY / "var/cache"),
        "SYNTONOS_TEST_MEDIA": str(ROOT / "var/test/media"),
        "PYTHONDONTWRITEBYTECODE": "1",
        # The nearest test has to see it every time, not by luck of an example.
        "HYPOTHESIS_STORAGE_DIRECTORY": str(COPY / "var/hypothesis"),
    }
    if tests[0].startswith("web/"):
        names = [name.removeprefix("web/") for name in tests]
        command, folder = ["npx", "vitest", "run", *names], COPY / "web"
    else:
        command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
        folder = COPY
    try:
        done = subprocess.run(
            command, cwd=folder, env=env, capture_output=True, text=True, timeout=LONGEST,
            check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return 1, "took too long"
    return done.returncode, (done.stdout + done.stderr)[-3000:]


def changed(mutant: Mutant) -> tuple[str, str]:
    """Return a file as it is and with the change."""
    text = (COPY / mutant.file).read_text(encoding="utf-8")
    if text.count(mutant.old) != 1:
        raise SystemExit(
            f"{mutant.name}: its line stands {text.count(mutant.old)} times in {mutant.file}. "
            "Write it again in mutants.py."
        )
    return text, text.replace(mutant.old, mutant.new)


def tried(mutant: Mutant) -> str:
    """Return what came of a mutant."""
    path = COPY / mutant.file
    text, other = changed(mutant)
    times = path.stat()
    try:
        path.write_text(other, encoding="utf-8")
        code, said = run(mutant.tests)
    finally:
        path.write_text(text, encoding="utf-8")
        os.utime(path, ns=(times.st_atime_ns, times.st_mtime_ns))
    if code == 1:
        return KILLED
    if code == 0:
        return SURVIVED
    raise SystemExit(f"{mutant.name}: the tests did not run ({code}).\n{said}")


def main() -> int:
    parser = argparse.ArgumentParser(prog="tests.mutate", description=__doc__)
    parser.add_argument("names", nargs="*", help="only mutants whose names have one of these words")
    parser.add_argument("--as-is", action="store_true", help="do not run the unchanged tests first")
    chosen = parser.parse_args()
    mutants = [m for m in MUTANTS if not chosen.names or any(w in m.name for w in chosen.names)]
    copy_tree()
    for mutant in mutants:
        changed(mutant)
    if not chosen.as_is:
        for tests in {m.tests for m in mutants}:
            code, said = run(tests)
            if code:
                print(f"{' '.join(tests)}: fails without any change\n{said}")
                return 2
    rows = []
    for mutant in mutants:
        begin = time.monotonic()
        result = tried(mutant)
        rows.append((result, mutant))
        print(f"{result:8} {time.monotonic() - begin:5.1f} s  {mutant.name}", flush=True)
    survived = sum(result == SURVIVED for result, _ in rows)
    table = ["| change | file | nearest tests | |", "|---|---|---|---|"]
    for result, m in rows:
        table.append(f"| {m.name} | {m.file} | {', '.join(m.tests)} | {result} |")
    (COPY.parent / "table.md").write_text("\n".join(table) + "\n", encoding="utf-8")
    print(f"{len(rows) - survived} of {len(rows)} killed; the table: var/mutate/table.md")
    return 1 if survived else 0


if __name__ == "__main__":
    sys.exit(main())
