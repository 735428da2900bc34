import pytest

from syntonos.core.matching.verdict import judge_match


# Vocabulary: in tune within the tolerance, close up to twice it, off beyond.
@pytest.mark.parametrize(
    ("expected", "tolerance", "state"),
    [(0.0, 1.2, "in_tune"), (1.2, 1.2, "in_tune"), (1.21, 1.2, "close"), (2.4, 1.2, "close"),
     (2.41, 1.2, "off"), (1.9, 2.0, "in_tune"), (0.9, 0.4, "off")],
)  # fmt: skip
def test_a_delta_e_is_judged_against_the_tolerance(expected, tolerance, state):
    assert judge_match(expected, tolerance).state == state


def test_each_state_has_words_of_its_own():
    assert len({judge_match(e).words for e in (1.0, 2.0, 3.0)}) == 3


@pytest.mark.parametrize(
    ("left_out", "clipped", "state", "reasons"),
    [(4 / 24, 0.005, "in_tune", 0), (5 / 24, 0.0, "close", 1), (0.0, 0.006, "close", 1),
     (10 / 24, 0.06, "close", 2)],
)  # fmt: skip
def test_what_the_figure_cannot_see_takes_the_best_verdict_away(left_out, clipped, state, reasons):
    found = judge_match(0.8, left_out=left_out, clipped=clipped)
    assert (found.state, len(found.lowered_by)) == (state, reasons)
    # It makes nothing better that is bad by its figure.
    assert judge_match(9.0, left_out=left_out, clipped=clipped).state == "off"
