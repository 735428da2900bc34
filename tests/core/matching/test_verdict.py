import pytest

from syntonos.core.matching.verdict import judge_expected


# Vocabulary: in tune within the tolerance, close up to twice it, off beyond.
@pytest.mark.parametrize(
    ("expected", "tolerance", "state"),
    [(0.0, 1.2, "in_tune"), (1.2, 1.2, "in_tune"), (1.21, 1.2, "close"), (2.4, 1.2, "close"),
     (2.41, 1.2, "off"), (1.9, 2.0, "in_tune"), (0.9, 0.4, "off")],
)  # fmt: skip
def test_a_delta_e_is_judged_against_the_tolerance(expected, tolerance, state):
    assert judge_expected(expected, tolerance).state == state


def test_each_state_has_words_of_its_own():
    assert len({judge_expected(e).words for e in (1.0, 2.0, 3.0)}) == 3
