"""Warmth and tint of trims on the scale of the chain's version 7; their pictures stay."""

from typing import Any

from django.db import migrations


def lift(apps: Any, schema_editor: Any) -> None:
    from syntonos.core.chain.old_white import lifted_trim

    for row in apps.get_model("matching", "Trim").objects.iterator():
        lifted = lifted_trim(row.stage)
        if lifted != row.stage:
            row.stage = lifted
            row.save(update_fields=["stage"])


class Migration(migrations.Migration):
    dependencies = [("matching", "0009_pins")]
    operations = [migrations.RunPython(lift, migrations.RunPython.noop)]
