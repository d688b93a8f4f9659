"""Documents as they come from a file or a request: the head first, then every field."""

from collections.abc import Sequence
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from jorvik.core.problems import Problem, from_validation, shown

M = TypeVar("M", bound=BaseModel)


def checked_document(model: type[M], document: object, form: str, kinds: Sequence[str] = ()) -> M:
    """Return a document, already read from JSON, as its model; ``form`` is what its ``format`` must say.

    Raises Problem with the path, what was found and what would do; ``kinds`` are no part of a path.
    """
    if not isinstance(document, dict):
        raise Problem("the document", shown(document), f'an object with "format": "{form}"')
    if document.get("format") != form:
        raise Problem("format", shown(document.get("format")), f'"{form}"')
    if document.get("version") != 1 or isinstance(document.get("version"), bool):
        raise Problem("version", shown(document.get("version")), "1, the version that this Jorvik reads")
    try:
        return model.model_validate(document)
    except ValidationError as error:
        raise from_validation(error, kinds) from None
