"""The schema of the patch document: ``python -m scripts.schema > src/jorvik/patch.schema.json``."""

import json

from jorvik.core.document.schema import patch_schema


def schema_text() -> str:
    """Return the JSON Schema as the command line prints it."""
    return json.dumps(patch_schema(), indent=2) + "\n"


if __name__ == "__main__":
    print(schema_text(), end="")
