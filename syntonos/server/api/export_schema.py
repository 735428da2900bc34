"""Write what the page is built with: the API's schema, and what the core decides."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path


def main() -> None:
    """Write the schema and the decided document to the two files named on the command line."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    import django

    django.setup()
    from syntonos.server.api.app import api
    from syntonos.server.api.decided import as_typescript
    from syntonos.server.rendering.stream import message_schemas

    schema = api.get_openapi_schema(path_prefix="/api/")
    # The stream's messages are no part of OpenAPI, but the client's types come from here too.
    schema["components"]["schemas"] = message_schemas() | schema["components"]["schemas"]
    text = json.dumps(schema, indent=1, sort_keys=True)
    Path(sys.argv[1]).write_text(text + "\n")
    Path(sys.argv[2]).write_text(as_typescript())


if __name__ == "__main__":
    main()
