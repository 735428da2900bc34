"""For migrations: rows of before the log get an identity each."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from typing import Any


def give_uuids(app: str, *names: str) -> Callable[[Any, Any], None]:
    """Return a migration step that gives every row of some models its own UUID."""

    def forwards(apps: Any, schema_editor: Any) -> None:
        for name in names:
            model = apps.get_model(app, name)
            # The new column's default was worked out once, for all rows alike.
            for key in model._base_manager.values_list("pk", flat=True):
                model._base_manager.filter(pk=key).update(uuid=uuid.uuid4())

    return forwards
