"""Computation: arrays and documents in, arrays and documents out.

Nothing here knows the web, Django, pydantic or the command line.
"""
