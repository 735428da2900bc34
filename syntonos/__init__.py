"""Syntonos: every angle of a production matched to one reference camera, in scene-linear light."""

import os

__version__ = "0.1.0"

# The fits' matrices are small: a library's threads over them only get in each other's way, and in
# that of the pictures. Read when NumPy is imported, so it stands here.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
