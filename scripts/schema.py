"""The schemas of the documents: ``python -m scripts.schema patch > src/jorvik/patch.schema.json``."""

import json
import sys

from pydantic import BaseModel

from jorvik.core.document.card import MachineCard
from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import Phrase
from jorvik.core.document.recording import RecordedNote
from jorvik.core.document.schema import document_schema
from jorvik.core.document.take import Take

DOCUMENTS: dict[str, type[BaseModel]] = {
    "patch": Patch,
    "phrase": Phrase,
    "take": Take,
    "recording": RecordedNote,
    "card": MachineCard,
}


def schema_text(what: str) -> str:
    """Return the JSON Schema of a kind of document as the command line prints it."""
    return json.dumps(document_schema(DOCUMENTS[what]), indent=2) + "\n"


if __name__ == "__main__":
    print(schema_text(sys.argv[1]), end="")
