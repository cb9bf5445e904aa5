"""The station Tidy: making pages good."""

from collections.abc import Collection
from typing import Literal

from papiermappe.core.clean.arrival import Look
from papiermappe.core.treatment import Cropping, Origin, Straightening, Tone, Treatment
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import Fields, edit, locked_mappe, note, pages_of, treatment_of
from papiermappe.services.words import count
from papiermappe.store.database import Store
from papiermappe.store.models import Page
from papiermappe.store.queue import Work, hand_in

Step = Literal["straighten", "crop"]

_FOUND = (("straighten",), ("crop",), ("quarter_turns", "turn_origin"))
"""What the machine finds: the fields of each step."""

_IN_TONE = {
    Tone.AS_SCANNED: "in the tones of the scan",
    Tone.WHITE: "with white paper",
    Tone.GREY: "in grey",
    Tone.BILEVEL: "in black and white",
}


def turn_pages(store: Store, mappe_id: int, page_ids: Collection[int], quarter_turns: int, seen: int) -> int:
    """Turn pages counter-clockwise by quarters."""
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        changes: dict[int, Fields] = {
            page.id: {
                "quarter_turns": (treatment_of(page).quarter_turns + quarter_turns) % 4,
                "turn_origin": Origin.BY_HAND.value,
            }
            for page in pages_of(session, mappe_id)
            if page.id in page_ids
        }
        if not changes:
            raise NotPossible("There is no page to turn.")
        degrees = quarter_turns % 4 * 90
        way = {270: "90° clockwise", 90: "90° counter-clockwise"}.get(degrees, f"{degrees}°")
        return edit(session, mappe, f"{count(len(changes), 'page')} turned {way}", changes, seen)


def switch_step(store: Store, mappe_id: int, page_ids: Collection[int], step: Step, on: bool, seen: int) -> int:
    """Switch straightening or cropping on or off, where the machine has looked at the page."""
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        changes = {
            page.id: change
            for page in pages_of(session, mappe_id)
            if page.id in page_ids and (change := _switched(page, step, on))
        }
        if not changes:
            raise NotPossible("These pages are that way already, or have not been looked at yet.")
        what = "straightening" if step == "straighten" else "cropping"
        return edit(session, mappe, f"{what} {'on' if on else 'off'} for {count(len(changes), 'page')}", changes, seen)


def _switched(page: Page, step: Step, on: bool) -> Fields | None:
    value: Straightening | Cropping | None = getattr(treatment_of(page), step)
    if value is None or value.on is on:
        return None
    return {step: value.model_copy(update={"on": on}).model_dump(mode="json")}


def set_tone(store: Store, mappe_id: int, page_ids: Collection[int], tone: Tone, seen: int) -> int:
    """Show pages as scanned, with white paper, in grey or bilevel."""
    with store.begin() as session:
        mappe = locked_mappe(session, mappe_id)
        changes: dict[int, Fields] = {
            page.id: {"tone": tone.value}
            for page in pages_of(session, mappe_id)
            if page.id in page_ids and treatment_of(page).tone is not tone
        }
        if not changes:
            raise NotPossible("These pages are shown that way already.")
        return edit(session, mappe, f"{count(len(changes), 'page')} shown {_IN_TONE[tone]}", changes, seen)


def record_look(store: Store, page_id: int, look: Look) -> None:
    """Write down what the machine found on a page; what a person has set meanwhile stays.

    Where it is not sure which way up the page stands, the recogniser will be asked.
    """
    with store.begin() as session:
        page = session.get_one(Page, page_id)
        mappe = locked_mappe(session, page.mappe_id)
        session.refresh(page)
        earlier = Look.model_validate(page.look).treatment if page.look else Treatment()
        before, now, found = (one.model_dump(mode="json") for one in (earlier, treatment_of(page), look.treatment))
        untouched = [name for step in _FOUND if all(now[part] == before[part] for part in step) for name in step]
        page.look = look.model_dump(mode="json")
        note(session, mappe, "", {page_id: {name: found[name] for name in untouched}})
        if look.way_up_open:
            hand_in(session, Work.FIND_UPRIGHT, page_id=page_id)
