"""Tells the core where LUTs and users' encodings are kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.apps import AppConfig


class LooksConfig(AppConfig):
    name = "syntonos.server.looks"

    def ready(self) -> None:
        from syntonos.core.chain import ask_for_missing_tables
        from syntonos.core.encodings import ask_for_missing
        from syntonos.server.looks.blobs import load

        ask_for_missing_tables(load)
        ask_for_missing(_definition)


def _definition(slug: str) -> Mapping[str, Any] | None:
    from syntonos.server.productions.models import OwnEncoding

    row = OwnEncoding.objects.filter(slug=slug).first()
    return None if row is None else row.definition
