"""Compiled loops of the curves over many values.

The formulas are named through their module: numba keeps no compiled function on disc that is
handed another one by a name of its own module.
"""

from __future__ import annotations

from typing import Any

from syntonos.core._jit import jit
from syntonos.core.encodings import scalar


@jit
def each(row: Any, p: Any, function: Any) -> None:
    """Run a function with its parameters over values (n,), in place."""
    for i in range(row.size):
        row[i] = function(row[i], p)


@jit
def run_curve(row: Any, family: int, inverse: bool, a: Any) -> None:
    """Run a curve of any family but a table over values (n,), in place; a (12,) and more.

    One loop each, since a choice inside of a loop costs its vector instructions.
    """
    p = (a[0], a[1], a[2], a[3], a[4], a[5], a[6], a[7], a[8], a[9], a[10], a[11])
    if family == scalar.LOG_LIN and inverse:
        each(row, p, scalar.log_lin_decode)
    elif family == scalar.LOG_LIN:
        each(row, p, scalar.log_lin_encode)
    elif family == scalar.CUBE_LOG and inverse:
        each(row, p, scalar.cube_log_decode)
    elif family == scalar.CUBE_LOG:
        each(row, p, scalar.cube_log_encode)
    elif family == scalar.POWER and inverse:
        each(row, p, scalar.power_decode)
    elif family == scalar.POWER:
        each(row, p, scalar.power_encode)
    elif family == scalar.POWER_LIN and inverse:
        each(row, p, scalar.power_lin_decode)
    elif family == scalar.POWER_LIN:
        each(row, p, scalar.power_lin_encode)
    elif family == scalar.MIRROR_LOG and inverse:
        each(row, p, scalar.mirror_log_decode)
    elif family == scalar.MIRROR_LOG:
        each(row, p, scalar.mirror_log_encode)
    elif family == scalar.TWO_LOG and inverse:
        each(row, p, scalar.two_log_decode)
    elif family == scalar.TWO_LOG:
        each(row, p, scalar.two_log_encode)
    elif family == scalar.PQ and inverse:
        each(row, p, scalar.pq_decode)
    elif family == scalar.PQ:
        each(row, p, scalar.pq_encode)
    elif family == scalar.HLG and inverse:
        each(row, p, scalar.hlg_decode)
    elif family == scalar.HLG:
        each(row, p, scalar.hlg_encode)
