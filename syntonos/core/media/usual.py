"""What range and curve levels a kind of file usually goes with: a proposal, no finding.

Common practice, no source: log curves are defined on the whole code scale and stored in legal
Y'CbCr, so that video brings its range and the curve keeps its full levels; picture sequences keep
the codes as they are, but for those that were made from legal video without being stretched.
"""

from __future__ import annotations

from dataclasses import dataclass

from syntonos.core.encodings import Encoding


@dataclass(frozen=True, slots=True)
class Usual:
    """The usual combination for files of one kind.

    levels : "full"
    ranges : the settings of the quantisation range that come to it, the first to be taken; "" is
        what the file says, else legal. Empty for pictures, which have no such setting.
    words : what is usual, and when it is otherwise
    """

    files: str
    levels: str
    ranges: tuple[str, ...]
    words: str


def usual_combination(kind: str, form: str, encoding: Encoding) -> Usual | None:
    """Propose range and curve levels for a kind of file that carries an encoding.

    Parameters
    ----------
    kind : "stills", "video" or "raw"
    form : str
        As `Recording.format` names it.

    Returns
    -------
    Usual, or None for raw, which is developed to the whole scale.
    """
    if kind == "raw":
        return None
    if kind == "video":
        return Usual(
            f"video ({form})", "full", ("", "legal"),
            "the range that the file says, else legal, and full curve levels.",
        )  # fmt: skip
    words = "full curve levels; legal where they were made from legal video without stretching it."
    if form == "EXR" and encoding.kind != "linear":
        words = "linear light, not a log curve; with one, full curve levels."
    return Usual(f"{form} pictures", "full", (), words)
