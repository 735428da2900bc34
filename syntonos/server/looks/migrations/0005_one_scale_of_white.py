"""Dials of balances on the scale of the chain's version 7; what they do to pictures stays."""

from typing import Any

import numpy as np
from django.db import migrations


def lift(apps: Any, schema_editor: Any) -> None:
    from syntonos.core.chain.white import shift_of

    for row in apps.get_model("looks", "Balance").objects.iterator():
        if row.dials.get("warmth") or row.dials.get("tint"):
            warmth, tint = shift_of(np.array(row.stage["gains"])).round(2).tolist()
            row.dials = {**row.dials, "warmth": warmth, "tint": tint}
            row.save(update_fields=["dials"])


class Migration(migrations.Migration):
    dependencies = [("looks", "0004_log_of_changes")]
    operations = [migrations.RunPython(lift, migrations.RunPython.noop)]
