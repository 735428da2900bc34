"""Judging fits on simulated cameras, and learning what fits need to know beforehand."""
