"""Data folders: what cannot be opened says so in a line; backup and restore."""

import os
import sqlite3
import subprocess
import sys

import pytest

from syntonos.cli.main import main
from tests.warm import DEMO


def syntonos(*words, **env):
    return subprocess.run(
        [sys.executable, "-m", "syntonos.cli.main", *map(str, words)], capture_output=True,
        text=True, timeout=120, env={**os.environ, **env}, check=False,
    )  # fmt: skip


def one_line(ended):
    assert ended.returncode == 2, ended.stderr
    (line,) = ended.stderr.strip().splitlines()
    return line


@pytest.fixture
def data(tmp_path):
    if not DEMO.is_dir():
        pytest.skip("tests.warm has not been run")
    folder = tmp_path / "data"
    folder.mkdir()
    for path in DEMO.iterdir():
        (folder / path.name).write_bytes(path.read_bytes())
    return folder


def test_a_database_that_is_broken_or_newer_is_said_in_a_line(data):
    database = data / "syntonos.sqlite3"
    with sqlite3.connect(database) as rows:
        rows.execute("insert into django_migrations (app, name, applied) values "
                     "('matching', '0999_later', '2030-01-01')")  # fmt: skip
    assert "newer Syntonos (matching 0999_later)" in one_line(syntonos("serve", "--data", data))
    database.write_bytes(b"no database" * 500)
    assert "is damaged" in one_line(syntonos("serve", "--data", data))


def test_a_backup_is_the_data_and_comes_back_elsewhere(data, tmp_path, capsys):
    (data / "blobs").mkdir()
    (data / "blobs" / "lut.npz").write_bytes(b"a LUT")
    zipped, there = tmp_path / "b.zip", tmp_path / "restored"
    # While somebody writes: the backup is one moment's.
    with sqlite3.connect(data / "syntonos.sqlite3") as writer:
        writer.execute("pragma journal_mode=wal")
        before = writer.execute("select count(*) from footage_clip").fetchone()
        writer.execute("begin immediate")
        writer.execute("update footage_clip set name = name || 'x'")
        assert main(["backup", str(zipped), "--data", str(data)]) == 0
        writer.rollback()
    assert main(["restore", str(zipped), "--data", str(there)]) == 0
    with sqlite3.connect(there / "syntonos.sqlite3") as rows:
        assert rows.execute("select count(*) from footage_clip").fetchone() == before
        assert (
            rows.execute("select count(*) from footage_clip where name like '%x'").fetchone()[0]
            == 0
        )
    assert (there / "blobs" / "lut.npz").read_bytes() == b"a LUT"
    # Nothing is overwritten, and what is no backup leaves nothing.
    broken = tmp_path / "no.zip"
    broken.write_bytes(zipped.read_bytes()[:2000])
    for words, said in (
        (["restore", str(zipped), "--data", str(there)], "is not empty"),
        (["restore", str(broken), "--data", str(tmp_path / "new")], "no.zip cannot be read"),
        (["backup", str(zipped), "--data", str(tmp_path / "none")], "no data"),
    ):
        assert main(words) == 2
        assert said in capsys.readouterr().err
    assert not (tmp_path / "new").exists()
