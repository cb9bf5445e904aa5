"""Codes printed on pages: bar codes and two-dimensional ones, as values."""

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

MAX_TEXT = 300


class CodeFormat(StrEnum):
    """The kinds of codes that are looked for."""

    QR = "qr"
    """ISO/IEC 18004."""
    DATA_MATRIX = "data_matrix"
    """ISO/IEC 16022."""
    CODE_128 = "code_128"
    """ISO/IEC 15417."""
    CODE_39 = "code_39"
    """ISO/IEC 16388."""
    EAN_13 = "ean_13"
    """ISO/IEC 15420."""


class PageCode(BaseModel):
    """A code that was read on a page. Its text comes from outside: it may say anything."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: CodeFormat
    text: Annotated[str, Field(min_length=1, max_length=MAX_TEXT)]
