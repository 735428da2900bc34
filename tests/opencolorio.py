"""OpenColorIO as the independent engine that chains and files are compared with."""

import numpy as np
import PyOpenColorIO as ocio

from syntonos.core.chain.stages.match import match_affine
from syntonos.core.encodings import GAMUTS, gamut_matrix
from syntonos.core.library_keys import OCIO_TO_AP0


def processor(*transforms):
    """Return a float processor without lossy optimisations."""
    group = ocio.GroupTransform(list(transforms))
    return ocio.Config.CreateRaw().getProcessor(group).getOptimizedCPUProcessor(
        ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_LOSSLESS
    )  # fmt: skip


def affine(mat, offset=(0, 0, 0)):
    full = np.eye(4)
    full[:3, :3] = mat
    return ocio.MatrixTransform(full.ravel().tolist(), [*map(float, offset), 0.0])


def inverse(transform):
    transform.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    return transform


def plain_chain(slug, match=None):
    """Return the chain to `rec709-plain` in OpenColorIO's own curves, matrices and gamma."""
    ap1_to_ap0 = "ACEScg_to_ACES2065-1"
    steps = [ocio.BuiltinTransform(OCIO_TO_AP0[slug]), inverse(ocio.BuiltinTransform(ap1_to_ap0))]
    if match is not None:
        steps.append(affine(*match_affine(match)))
    return processor(
        *steps,
        ocio.BuiltinTransform(ap1_to_ap0),
        affine(gamut_matrix(GAMUTS["ap0"], GAMUTS["bt709"])),
        ocio.RangeTransform(0.0, 1.0, 0.0, 1.0),
        inverse(ocio.ExponentTransform([2.4, 2.4, 2.4, 1.0])),
    )


def cube_file(path):
    """Return a .cube file, looked up tetrahedrally."""
    return processor(ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL))


def through(cpu, code):
    """Return pixels through a processor, a new array."""
    out = np.ascontiguousarray(code, np.float32).copy()
    cpu.applyRGB(out.reshape(-1))
    return out
