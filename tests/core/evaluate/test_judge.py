"""Fits on simulated cameras, judged on colours that were not on the chart (docs/matching.md)."""

import numpy as np
import pytest

from syntonos.core.evaluate.cases import draw_cases, off_chart, off_chart_objects
from syntonos.core.evaluate.judge import best_plain, judge, table
from syntonos.core.matching.expected import INTERVALS

# Seeds that neither the prior was learned from nor the stated error was calibrated on.
CASES = {case.name: case for case in draw_cases(1, 31_000)}


@pytest.fixture(scope="module")
def verdicts():
    return {name: judge(CASES[name]) for name in
            ("related-daylight", "tinted-flare", "gradient-glare", "white-clipped", "line-spectrum",
             "no-matrix", "wrong-levels")}  # fmt: skip


def test_every_case_is_near_the_floor_and_tells_its_error(verdicts):
    for name, verdict in verdicts.items():
        assert verdict.holds_mean, name
        assert verdict.holds_p95, name
        assert verdict.levels_right, name
        assert verdict.mean <= verdict.plain["white and exposure"] + 0.05, name

    # Nine in ten is promised of the stated error, so one of seven may miss.
    assert sum(v.holds_expected for v in verdicts.values()) >= 6
    assert np.mean([v.grey for v in verdicts.values()]) < 0.01


def test_the_error_is_told_apart_by_kinds_of_colours(verdicts):
    # Nine in ten is promised of each kind, so of seven cases two may miss.
    for kind, interval in INTERVALS.items():
        ratios = [np.log(v.kinds[kind][1] / v.kinds[kind][0]) for v in verdicts.values()]
        assert np.mean(np.abs(ratios) < np.log(interval)) >= 0.7, kind
    # Greys are surest and saturated colours least, both as stated and as they are.
    for row in (0, 1):
        mean = {k: np.mean([v.kinds[k][row] for v in verdicts.values()]) for k in INTERVALS}
        assert min(mean, key=mean.get) == "greys"
        assert max(mean, key=mean.get) == "saturated"


def test_fits_beat_the_best_plain_method(verdicts):
    rows = list(verdicts.values())
    plain = best_plain(rows)
    ratio = np.exp(np.mean([np.log(v.mean / v.plain[plain]) for v in rows]))
    # `make evaluate` has the target over many cases; seven are a guard.
    assert ratio < 0.95
    assert len(table(rows)) == len(rows) + 1


def test_glare_costs_plain_methods_dear(verdicts):
    spoilt = verdicts["gradient-glare"]
    assert spoilt.mean < 0.7 * min(
        v for k, v in spoilt.plain.items() if k != "robust matrix + residual"
    )


def test_the_judge_sees_colours_that_the_chart_does_not_have():
    objects, kinds = off_chart_objects()
    assert len(objects) > 300
    assert set(kinds) >= {"smooth", "saturated", "skin", "foliage", "fabric", "metal", "grey"}
    case = CASES["related-daylight"]
    lin = off_chart(case, case.angle)
    assert np.isfinite(lin).all()
    # Levels that are not those of the file change what is seen.
    other = "legal" if case.angle.camera.levels == "full" else "full"
    assert np.abs(off_chart(case, case.angle, other) - lin).max() > 0.01
