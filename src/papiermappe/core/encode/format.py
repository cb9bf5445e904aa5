"""The formats of files, by their endings."""

from enum import StrEnum


class Format(StrEnum):
    """What is made, by the ending of its name."""

    PDF = ".pdf"
    TIFF = ".tif"
    PNG = ".png"
    JPEG = ".jpg"
    TEXT = ".txt"
    ALTO = ".xml"
    WORD = ".docx"
    WEB_PAGE = ".html"

    @property
    def media_type(self) -> str:
        """As in RFC 6838."""
        return _MEDIA_TYPES[self]

    @property
    def is_of_words(self) -> bool:
        """Whether only what is written goes in."""
        return self in {Format.TEXT, Format.ALTO, Format.WORD}

    @property
    def has_one_page(self) -> bool:
        """Whether each page is a file of its own."""
        return self in {Format.PNG, Format.JPEG}


_MEDIA_TYPES = {
    Format.PDF: "application/pdf",
    Format.TIFF: "image/tiff",
    Format.PNG: "image/png",
    Format.JPEG: "image/jpeg",
    Format.TEXT: "text/plain; charset=utf-8",
    Format.ALTO: "application/xml",
    Format.WEB_PAGE: "text/html; charset=utf-8",
    Format.WORD: "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
}
