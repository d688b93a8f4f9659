"""The schemas of the documents: ``python -m scripts.schema patch > src/jorvik/patch.schema.json``."""

import json
import sys

from jorvik.core.document.schema import patch_schema, phrase_schema

SCHEMAS = {"patch": patch_schema, "phrase": phrase_schema}


def schema_text(what: str) -> str:
    """Return the JSON Schema of a kind of document as the command line prints it."""
    return json.dumps(SCHEMAS[what](), indent=2) + "\n"


if __name__ == "__main__":
    print(schema_text(sys.argv[1]), end="")
