"""Write the API's schema, which the TypeScript client is generated from."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path


def main() -> None:
    """Write the schema to the file named on the command line."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    import django

    django.setup()
    from syntonos.server.api.app import api

    schema = json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1, sort_keys=True)
    Path(sys.argv[1]).write_text(schema + "\n")


if __name__ == "__main__":
    main()
