"""What a LUT costs a match: how much further off colours come to lie through the LUT."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import (
    STORED,
    Chain,
    EncodingOutput,
    LutLevels,
    apply_lut,
    compile_chain,
    run,
)
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.encodings import (
    AP1,
    decode,
    encode,
    find_encoding,
    gamut_matrix,
    put_levels_on,
    take_levels_off,
)
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.prior import population

A = NDArray[np.float64]


def lut_cost(
    chain: Chain, table: NDArray[np.float32], expected: float, levels: LutLevels = STORED
) -> float:
    """Return how much a LUT adds to the mean delta E that is expected of a match.

    Parameters
    ----------
    chain : Chain
        With a match, to an encoding; to a display read-back tells all there is, and 0 is
        returned.
    table : (size, size, size, 3) float32
        The LUT of this chain.
    expected : float
        The match's own expected mean delta E.

    Notes
    -----
    Generic colours, as the angle would have recorded them, go through LUT and exact chain. What
    the LUT adds is independent of what the match misses, so squares add.
    """
    match = chain.match
    if match is None or not isinstance(chain.output, EncodingOutput):
        return 0.0
    mixed = population() * np.array(match.angle_white) * 2.0**-match.stops
    lin = (mixed + np.array(match.angle_flare)) @ np.linalg.inv(mix_matrix(match.mix)).T
    source = find_encoding(chain.decode.encoding)
    own = lin @ gamut_matrix(AP1, source.gamut).T
    code = put_levels_on(encode(own, source.curve), chain.decode.levels)
    code = code[((code >= 0) & (code <= 1)).all(axis=1)].astype(np.float32)
    white = np.linalg.inv(mix_matrix(match.mix)) @ np.array(match.reference_white)
    seen, exact = (
        _light(values, chain.output)
        for values in (
            levels.code(apply_lut(levels.from_stored(code), table), chain),
            run(compile_chain(chain), code),
        )
    )
    off = scene_delta_e(seen, exact, white)
    return float((np.sqrt(expected**2 + off**2) - expected).mean())


def _light(values: NDArray[np.float32], output: EncodingOutput) -> A:
    encoding = find_encoding(output.encoding)
    lin = decode(take_levels_off(values.astype(np.float64), output.levels), encoding.curve)
    return np.asarray(lin @ gamut_matrix(encoding.gamut, AP1).T, np.float64)
