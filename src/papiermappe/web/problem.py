"""How the application answers what it cannot do: a page for people, JSON for scripts."""

from typing import Any

from pydantic import BaseModel

from papiermappe.message import Message
from papiermappe.words import Words


class Problem(BaseModel):
    """Why a request was not carried out; nothing was changed."""

    code: str
    message: str
    """For a person."""


def problem(message: Message, words: Words) -> Problem:
    """Return a message as scripts receive it."""
    return Problem(code=message.code, message=words.text(message))


_CONTENT = {"application/json": {"schema": Problem.model_json_schema()}}

PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {"description": description, "content": _CONTENT}
    for status, description in {
        400: "It is not HTTP, not JSON, or for another host.",
        403: "It does not come from a page of this application (no or another Origin).",
        404: "What it is about is not there.",
        409: "Somebody has changed the same thing since it was seen.",
        410: "The link by which a phone comes is over.",
        413: "Its body is too large.",
        422: "It makes no sense, or cannot be done in the present state.",
        502: "A device or destination does not answer as it should.",
        503: "The database does not answer, or a picture is not made yet.",
    }.items()
}
"""What every command may answer, for the OpenAPI document."""
