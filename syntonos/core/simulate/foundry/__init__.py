"""The bell foundry: one room, its lights and materials, seen by several cameras."""

from syntonos.core.simulate.foundry.scene import VIEWS, View, build_scene
from syntonos.core.simulate.foundry.tracing import render_lights

__all__ = ["VIEWS", "View", "build_scene", "render_lights"]
