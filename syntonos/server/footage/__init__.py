"""Clips, their frames and pictures."""
