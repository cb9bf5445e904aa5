"""The way back."""

from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.order.history import EntryKind, EntryRef, way_back


def test_notes_stand_beside_the_way_back() -> None:
    entries = [
        EntryRef(1, EntryKind.DO),
        EntryRef(2, EntryKind.NOTE),
        EntryRef(3, EntryKind.DO),
        EntryRef(4, EntryKind.UNDO, 3),
        EntryRef(5, EntryKind.NOTE),
    ]
    assert way_back(entries) == ([1], [3])
    assert way_back([*entries, EntryRef(6, EntryKind.REDO, 3)]) == ([1, 3], [])
    assert way_back([*entries, EntryRef(6, EntryKind.DO)]) == ([1, 6], [])


@given(st.lists(st.sampled_from(["do", "undo", "redo"])))
def test_it_agrees_with_two_plain_stacks(wishes: list[str]) -> None:
    entries: list[EntryRef] = []
    done: list[int] = []
    undone: list[int] = []
    for seq, wish in enumerate(wishes, start=1):
        if wish == "do":
            done, undone = [*done, seq], []
            entries.append(EntryRef(seq, EntryKind.DO))
        elif wish == "undo" and done:
            undone.append(done.pop())
            entries.append(EntryRef(seq, EntryKind.UNDO, undone[-1]))
        elif wish == "redo" and undone:
            done.append(undone.pop())
            entries.append(EntryRef(seq, EntryKind.REDO, done[-1]))
    assert way_back(entries) == (done, undone)
