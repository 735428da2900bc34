"""Bad files through the command line: a bounded part of `make hostile`."""

import os
import signal
import subprocess
import sys
import time

import pytest

from syntonos.cli.main import main
from syntonos.core.text import printable


def test_bad_files_end_in_a_line_and_a_code_whatever_they_are():
    # In a process of its own: it forks, which one with threads should not.
    ended = subprocess.run(
        [sys.executable, "-m", "tests.hostile", "--seed", "2026", "--count", "64", "--places", "4",
         "--requests", "0"], capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert ended.returncode == 0, ended.stdout + ended.stderr[-2000:]
    (total,) = (line for line in ended.stdout.splitlines() if line.startswith("| all |"))
    assert int(total.split("|")[2]) > 90


def test_control_characters_of_names_do_not_reach_a_terminal(tmp_path, capsys):
    path = tmp_path / "\x1b]0;title\x07\x9b31m.png"
    assert main(["media", str(path)]) == 2
    told = capsys.readouterr().err
    assert "\\x1b]0;title\\x07\\x9b31m.png" in told
    assert told.count("\n") == 1
    assert printable("a\udcffb\tc") == "a\\xffb\tc"


@pytest.mark.parametrize("after", [0.05, 0.4, 1.2])
def test_ctrl_c_is_130_without_a_traceback(after):
    """While modules are loaded, and while it works."""
    process = subprocess.Popen(
        [sys.executable, "-c",
         "import signal, sys; signal.signal(signal.SIGINT, signal.default_int_handler); "
         "print(flush=True); from syntonos.cli.main import main; "
         "sys.exit(main(['encodings', '--check']))"],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=os.environ,
    )  # fmt: skip
    process.stdout.readline()
    time.sleep(after)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=60)
    assert b"Traceback" not in told
    assert process.returncode == 130
