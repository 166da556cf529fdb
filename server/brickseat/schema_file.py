"""Write the published schema, of the API and of the WebSocket, to a file, and the limits in it to another.

python -m brickseat.schema_file server/openapi.json web/src/api/limits.json
"""

import json
import os
import sys
from pathlib import Path
from typing import Any

FIRST = ("anyOf", "prefixItems")


def limits_of(field: dict[str, Any]) -> list[float] | None:
    """The least and the greatest value of a field, both of which are allowed; of one that may be null, or of a pair, those of its first."""
    if "minimum" in field and "maximum" in field:
        return [field["minimum"], field["maximum"]]
    inner = next((field[name][0] for name in FIRST if name in field), None)
    return limits_of(inner) if inner is not None else None


def all_limits(schemas: dict[str, Any]) -> dict[str, dict[str, list[float]]]:
    """Limits by schema and field."""
    found = {
        name: {field: limits for field, said in schema.get("properties", {}).items() if (limits := limits_of(said))}
        for name, schema in schemas.items()
    }
    return {name: fields for name, fields in found.items() if fields}


def main(path: Path, limits: Path) -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brickseat.settings")
    import django

    django.setup()
    from brickseat.api import api
    from brickseat.live.messages import message_schemas

    schema = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    # The messages of the WebSocket use the same records; those that the API has already stay as they are.
    schema["components"]["schemas"] = {**message_schemas(), **schema["components"]["schemas"]}
    path.write_text(json.dumps(schema, indent=1, sort_keys=True) + "\n")
    limits.write_text(json.dumps(all_limits(schema["components"]["schemas"]), indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
