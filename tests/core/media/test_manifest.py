"""Manifests in the elements of ASC MHL 2.0 and 1.1, and the hashes they hold."""

import hashlib

import pytest

from syntonos.core.errors import MediaError
from syntonos.core.media.manifest import Marked, hash_file, read_manifest

V2 = b"""<?xml version="1.0" encoding="UTF-8"?>
<hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0">
  <hashes>
    <hash><path size="5">Clips/A002C006.mov</path><xxh64 action="original">0ea03b369a463d9d</xxh64>
      <md5>aaaa</md5></hash>
    <hash><path size="6">Sidecar.txt</path><md5 action="original">3663C6E04F92B5FE</md5></hash>
    <hash><path>../outside.mov</path><md5>00</md5></hash>
  </hashes>
</hashlist>"""
V1 = b"""<hashlist version="1.1"><hash><file>a.mov</file><size>12</size>
<xxhash64be>44bc2cf5ad770999</xxhash64be></hash></hashlist>"""


def test_both_versions_are_read_and_paths_stay_below():
    assert read_manifest(V2) == {
        "Clips/A002C006.mov": Marked(5, "xxh64", "0ea03b369a463d9d"),
        "Sidecar.txt": Marked(6, "md5", "3663c6e04f92b5fe"),
    }
    assert read_manifest(V1) == {"a.mov": Marked(12, "xxh64", "44bc2cf5ad770999")}


def test_hashes_are_the_published_ones(tmp_path):
    (tmp_path / "a").write_bytes(b"abc")
    found = hash_file(tmp_path / "a", ["xxh64", "md5", "sha1"])
    # FIPS 180-4 and RFC 1321 test vectors; xxHash's own test value of "abc", from memory.
    assert found["sha1"] == "a9993e364706816aba3e25717850c26c9cd0d89d"
    assert found["md5"] == "900150983cd24fb0d6963f7d28e17f72"
    assert found["sha256"] == hashlib.sha256(b"abc").hexdigest()
    assert found["xxh64"] == "44bc2cf5ad770999"


BOMB = b'<!DOCTYPE a [<!ENTITY x "xx"><!ENTITY y "&x;&x;">]><hashlist>&y;</hashlist>'


@pytest.mark.parametrize("data", [b"no xml", b"<other/>", BOMB, b"<hashlist>"])
def test_what_is_no_manifest_says_so(data):
    with pytest.raises(MediaError) as caught:
        read_manifest(data)
    assert caught.value.code == "manifest.invalid"


def test_a_file_that_grows_while_it_is_read_is_said_so(tmp_path):
    path = tmp_path / "a"
    path.write_bytes(bytes(100))

    def grow(done):
        path.write_bytes(bytes(200))

    with pytest.raises(MediaError) as caught:
        hash_file(path, tell=grow)
    assert caught.value.code == "media.growing"
    with pytest.raises(MediaError):
        hash_file(tmp_path / "gone")
