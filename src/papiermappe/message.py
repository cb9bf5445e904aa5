"""What is to be said to a person, as a code with its parameters; the words are made where they are shown."""

from collections.abc import Mapping
from typing import Any, Protocol

from pydantic import BaseModel, ConfigDict, SerializationInfo, SerializerFunctionWrapHandler, model_serializer


class SaysMessages(Protocol):
    """Brings messages into words."""

    def text(self, message: "Message") -> str:
        """Return what a message says."""
        ...


class Message(BaseModel):
    """A code and what its sentence needs.

    A parameter may itself be a message (as JSON): a run is interrupted *because* a device did not answer. Written as
    JSON with `words` in the context, it carries its sentence as `text`.
    """

    model_config = ConfigDict(frozen=True)

    code: str
    params: Mapping[str, Any] = {}

    @model_serializer(mode="wrap")
    def _with_words(self, handler: SerializerFunctionWrapHandler, info: SerializationInfo) -> dict[str, Any]:
        plain: dict[str, Any] = handler(self)
        words: SaysMessages | None = info.context.get("words") if info.context else None
        return {"code": self.code, "text": words.text(self)} if words else plain
