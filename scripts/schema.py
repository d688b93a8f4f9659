"""Write the schemas of all kinds of document: ``python -m scripts.schema``."""

import json

from jorvik.core.document.schema import document_schema
from jorvik.place import ROOT
from jorvik.store.kinds import KINDS

DOCUMENTS = {kind.name: kind.model for kind in KINDS}


def schema_text(what: str) -> str:
    """Return the JSON Schema of a kind of document as the command line prints it."""
    return json.dumps(document_schema(DOCUMENTS[what]), indent=2) + "\n"


if __name__ == "__main__":
    for what in DOCUMENTS:
        (ROOT / f"src/jorvik/{what}.schema.json").write_text(schema_text(what))
