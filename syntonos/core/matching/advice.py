"""What limits a match, and what would help most, each with the gain to expect."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.charts.layout import ChartLayout, place_on
from syntonos.core.matching.bayes import Problem
from syntonos.core.matching.expected import expected_if, overall
from syntonos.core.matching.metric import MIX, linear_metric
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.rounds import Answer

A = NDArray[np.float64]
_LEAST = 0.02  # delta E
_LEAST_SHARE = 0.03
_HARDLY_SEEN = 0.5


@dataclass(frozen=True, slots=True)
class Advice:
    """One thing to do, and how much less the expected delta E would be."""

    text: str
    gain: float


def advise(
    answer: Answer, priors: dict[str, Prior], reasons: dict[int, str], layout: ChartLayout
) -> tuple[tuple[Advice, ...], str]:
    """Return what would help, the best first, and in words what limits the match.

    Parameters
    ----------
    answer : Answer
        Of the model that was chosen.
    priors : dict
        Its priors, by family.
    reasons : dict
        Patches that are left out (from 0), with the reason.
    layout : ChartLayout
    """
    p = answer.problem
    ideas: list[tuple[str, Problem]] = [
        (
            "Average more frames of the chart, or shoot it larger.",
            replace(p, noise=p.noise / np.where(p.patches >= 0, 4, 1)[:, None, None]),
        )
    ]
    spoilt = {
        "glare": (list(answer.glared), "Shoot the chart again without glare"),
        "cover": (list(answer.wild), "Wipe the chart, uncover it, and shoot it again"),
    }
    for found_rows, text in spoilt.values():
        rows = [r for r in found_rows if p.patches[r] >= 0]
        if rows:
            extra = p.extra.copy()
            extra[rows] = 0
            named = ", ".join(str(int(p.patches[r]) + 1) for r in sorted(rows))
            ideas.append((f"{text}: patch {named}.", replace(p, extra=extra)))
    for word, text in (
        ("clipped", "Shoot the chart again, exposed below clipping"),
        ("crushed", "Shoot the chart again with more light"),
    ):
        lost = sorted(i for i, reason in reasons.items() if reason.startswith(word))
        if lost and layout.nominal is not None:
            named = ", ".join(str(i + 1) for i in lost)
            ideas.append((f"{text}: patch {named}.", _with_patches(answer, layout, lost)))
    found = p, answer.solved
    white, now = answer.line.reference_white, overall(answer.expected)
    gains = [
        Advice(text, now - expected_if(white, answer.share, found, priors, other,
                                       answer.exposure_doubt))
        for text, other in ideas
    ]  # fmt: skip
    worth = [a for a in gains if a.gain > max(_LEAST, _LEAST_SHARE * now)]
    worth.sort(key=lambda a: -a.gain)
    return tuple(worth), _limit(answer, priors, worth)


def _with_patches(answer: Answer, layout: ChartLayout, lost: list[int]) -> Problem:
    """Return the problem with patches as they would have been read, about."""
    p = answer.problem
    nominal = np.array(layout.nominal) @ mix_matrix(MIX).T
    nominal = nominal / (mix_matrix(MIX) @ np.ones(3))
    x = nominal[lost]
    noise = np.repeat(np.median(p.noise, axis=0)[None], len(lost), axis=0)
    # Where places are counted from follows the patches that were read (`where_lit`).
    places = place_on(layout)[lost] + (p.place[0] - place_on(layout)[p.patches[0]])
    return replace(
        p,
        x=np.concatenate([p.x, x]),
        y=np.concatenate([p.y, x]),
        jac=np.concatenate([p.jac, linear_metric(x, answer.line.reference_white)]),
        noise=np.concatenate([p.noise, noise]),
        place=np.concatenate([p.place, places]),
        patches=np.concatenate([p.patches, np.array(lost)]),
        extra=np.concatenate([p.extra, np.zeros((len(lost), 3, 3))]),
        weight=np.concatenate([p.weight, np.ones(len(lost))]),
    )


def _limit(answer: Answer, priors: dict[str, Prior], worth: list[Advice]) -> str:
    """Say what limits: the reading, what the patches can tell, or the sensors."""
    now = overall(answer.expected)
    if worth and worth[0].gain > 0.2 * now:
        return "The reading limits this match."
    if now < _HARDLY_SEEN:
        return "What is left can hardly be seen."
    p = answer.problem
    # As if every patch had been read twenty times over, without noise.
    perfect = replace(p, noise=p.noise * 0, weight=p.weight * 20)
    left = expected_if(
        answer.line.reference_white,
        answer.share,
        (p, answer.solved),
        priors,
        perfect,
        answer.exposure_doubt,
    )
    if left > 0.75 * now:
        return "The sensors differ in this light: no reading of this chart can tell more."
    return (
        "The chart leaves colours open: areas that both cameras saw, a costume, skin, a wall, "
        "would tell more."
    )
