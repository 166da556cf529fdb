"""Write the published schema, of the API and of the WebSocket, to a file: python -m brickseat.schema_file server/openapi.json."""

import json
import os
import sys
from pathlib import Path


def main(path: Path) -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brickseat.settings")
    import django

    django.setup()
    from brickseat.api import api
    from brickseat.live.messages import message_schemas

    schema = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    # The messages of the WebSocket use the same records; those that the API has already stay as they are.
    schema["components"]["schemas"] = {**message_schemas(), **schema["components"]["schemas"]}
    path.write_text(json.dumps(schema, indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
