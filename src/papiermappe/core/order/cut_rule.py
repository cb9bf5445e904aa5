"""By what a pile is cut into documents."""

from enum import StrEnum


class CutRule(StrEnum):
    """By what a pile is cut."""

    PAGES_SHOW = "pages_show"
    """Dividers, and all that pages show."""
    DIVIDERS = "dividers"
    BLANK = "blank"
    """Sheets without anything on them; they are set aside."""
    NUMBERS = "numbers"
    """Where printed page numbers begin again."""
    LETTERHEAD = "letterhead"
    """Where the letterhead or the size of the sheet changes."""
    SHEETS = "sheets"
    """Every so many."""
    PAGES = "pages"
    """Every so many; a sheet is never cut."""
