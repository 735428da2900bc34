"""Syntonos: every angle of a production matched to one reference camera, in scene-linear light."""

__version__ = "0.1.0"
