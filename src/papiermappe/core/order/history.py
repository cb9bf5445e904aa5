"""The way back: which journal entries can be undone and redone."""

from collections.abc import Iterable
from enum import StrEnum
from typing import NamedTuple


class EntryKind(StrEnum):
    """What a journal entry is to the way back."""

    DO = "do"
    """A change by a person: can be undone."""
    UNDO = "undo"
    REDO = "redo"
    NOTE = "note"
    """Something that happened (a page arrived, a sheet was found): it stays as it is."""


class EntryRef(NamedTuple):
    """As much of a journal entry as the way back needs."""

    seq: int
    kind: EntryKind
    of_seq: int | None = None
    """The entry that is undone or redone."""


class WayBack(NamedTuple):
    """The entries that undo and redo would take, the next one last."""

    undoable: list[int]
    redoable: list[int]


def way_back(entries: Iterable[EntryRef]) -> WayBack:
    """Fold the entries of one Mappe, oldest first. A new change ends what could be redone; notes change nothing."""
    undoable: list[int] = []
    redoable: list[int] = []
    for entry in entries:
        match entry.kind:
            case EntryKind.DO:
                undoable.append(entry.seq)
                redoable.clear()
            case EntryKind.UNDO:
                redoable.append(undoable.pop())
            case EntryKind.REDO:
                undoable.append(redoable.pop())
            case EntryKind.NOTE:
                pass
    return WayBack(undoable, redoable)
