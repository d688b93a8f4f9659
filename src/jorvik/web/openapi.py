"""Print the schema of the API and of the messages of a session.

The types of the screen are generated from it.
"""

import json
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import create_engine

from jorvik.web.app import Settings, create_app
from jorvik.web.forms.session import FROM_WINDOW, TO_WINDOW

_REFERENCE = "#/components/schemas/{model}"


def schema() -> dict[str, Any]:
    """Return the OpenAPI schema, with the messages of a session."""
    found = create_app(Settings(create_engine("postgresql+psycopg://"))).openapi()
    schemas = found["components"]["schemas"]
    messages: dict[str, TypeAdapter[Any]] = {"FromWindow": FROM_WINDOW, "ToWindow": TO_WINDOW}
    for name, adapter in messages.items():
        described = adapter.json_schema(ref_template=_REFERENCE)
        schemas.update({key: each for key, each in described.pop("$defs").items() if key not in schemas})
        schemas[name] = described
    return found


if __name__ == "__main__":
    print(json.dumps(schema(), indent=1))
