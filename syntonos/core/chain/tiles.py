"""What other layers need to run programs over tiles in loops of their own."""

from syntonos.core.chain._kernels import room_of_tile, run_tile, store_bytes
from syntonos.core.chain.tile import TILE, load

__all__ = ["TILE", "load", "room_of_tile", "run_tile", "store_bytes"]
