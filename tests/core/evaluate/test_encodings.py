"""The table of all encodings against the libraries, as the command makes it."""

from syntonos.core.evaluate.encodings import compare_all


def test_every_encoding_agrees_with_the_libraries_that_have_it():
    rows = {row.slug: row for row in compare_all()}
    assert len(rows) >= 55
    known = [r.colour_science for r in rows.values() if r.colour_science is not None]
    assert len(known) >= 34
    # At zero light PQ's formula leaves 7.3e-7, ours goes through zero.
    assert max(known) < 1e-6
    both = [r.opencolorio for r in rows.values() if r.opencolorio is not None]
    assert len(both) >= 10
    assert max(both) < 2e-5  # OpenColorIO is float32
    assert max(r.round_trip for r in rows.values()) < 1e-6
    assert rows["linear/ap1"].colour_science is None
