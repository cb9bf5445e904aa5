"""Filing the Mappen of a desk from the command line, for scripts."""

import time
from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from pydantic import BaseModel

from papiermappe.core.documents import Division
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions
from papiermappe.core.page_choice import RangeRefused, WhichPages
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.local.errors import CannotFile
from papiermappe.message import Message, SaysMessages
from papiermappe.services import destinations, filing, mappen
from papiermappe.services.caller import Caller
from papiermappe.services.destinations import KeptDestination
from papiermappe.services.errors import NotPossible, ServiceError
from papiermappe.services.filing import FilingRequest
from papiermappe.services.filing_views import FilingView, whole_filing
from papiermappe.services.mappen import MappeCard
from papiermappe.services.planning import PagesWanted
from papiermappe.services.reading import Reading
from papiermappe.services.unsettled import unsettled
from papiermappe.store.database import Store
from papiermappe.store.models import DeliveryState, FilingState
from papiermappe.store.secrets import SecretBox

SCRIPT = Caller("command line")
ASK_EVERY_S = 0.3
DONE, FAILED, WAITS = 0, 1, 3
"""How the command ends: all is delivered, something was not, or it goes on without us."""


class Asked(NamedTuple):
    """What a script asks for; what is None goes as the first destination says."""

    to: Sequence[str]
    """Names of destinations."""
    level: Level | None = None
    format: Format | None = None
    languages: str | None = None
    mode: RecognitionMode = RecognitionMode.ACCURATE
    ranges: str = ""
    division: Division = Division.ONE
    every: int = 1
    options: DocumentOptions = DocumentOptions()


class Outcome(BaseModel):
    """What came of one Mappe."""

    mappe: int
    documents: list[str]
    """Their names."""
    bytes: int | None
    state: str
    """delivered, waiting, making, failed, stopped or refused"""
    places: list[str] = []
    message: Message | None = None

    @property
    def exit_code(self) -> int:
        """How a command that came to this ends."""
        return {"delivered": DONE, "waiting": WAITS, "making": WAITS}.get(self.state, FAILED)


def file_mappen(
    store: Store, secrets: SecretBox, mappe_ids: Sequence[int], asked: Asked, wait_s: float
) -> list[Outcome]:
    """Have Mappen filed one after the other; one that cannot be filed like that keeps no other from it.

    Args:
        store: of the desk.
        secrets: seals what is secret.
        mappe_ids: of the Mappen.
        asked: what is asked for.
        wait_s: how long the answer for each is awaited.

    Raises:
        CannotFile: there is no destination of that name.
    """
    outcomes = []
    for mappe_id in mappe_ids:
        try:
            outcomes.append(file_mappe(store, secrets, mappe_id, asked, wait_s))
        except (ServiceError, RangeRefused) as exc:
            outcomes.append(Outcome(mappe=mappe_id, documents=[], bytes=None, state="refused", message=exc.message))
    return outcomes


def file_mappe(store: Store, secrets: SecretBox, mappe_id: int, asked: Asked, wait_s: float) -> Outcome:
    """Have a Mappe filed by the desk's workers, once its pages are in and examined, and wait for what comes of it.

    Args:
        store: of the desk.
        secrets: seals what is secret.
        mappe_id: of the Mappe.
        asked: what is asked for.
        wait_s: how long the answer is awaited; a filing that takes longer goes on without us.

    Raises:
        CannotFile: there is no destination of that name.
        ServiceError: it cannot be filed like that, or its pages are not in, and examined, in time.
        RangeRefused: the ranges of pages make no sense.
    """
    places = [_named(store, name) for name in asked.to]
    until_s = time.monotonic() + wait_s
    _wait_until_settled(store, mappe_id, until_s)
    number = filing.request_filing(
        SCRIPT, store, mappe_id, _request(asked, places), datetime.now().astimezone(), secrets
    )
    while (outcome := _outcome(mappe_id, whole_filing(SCRIPT, store, number))).state == "making":
        if time.monotonic() > until_s:
            break
        time.sleep(ASK_EVERY_S)
    return outcome


def _wait_until_settled(store: Store, mappe_id: int, until_s: float) -> None:
    """Wait until all pages of a Mappe are in and examined. Raises NotPossible where that takes too long, or fails."""
    was_scanning = False
    while not (found := unsettled(SCRIPT, store, mappe_id)).is_over:
        was_scanning |= found.scanning
        if time.monotonic() > until_s:
            raise NotPossible("pages_being_scanned" if found.scanning else "pages_being_examined")
        time.sleep(ASK_EVERY_S)
    if was_scanning and found.interrupted:
        raise NotPossible("scan_was_interrupted")


def in_words(outcome: Outcome, words: SaysMessages) -> str:
    """Return a line that tells what came of a Mappe."""
    told = [str(outcome.mappe), outcome.state, *outcome.documents, *outcome.places]
    return "\t".join([*told, *([words.text(outcome.message)] if outcome.message else [])])


def _named(store: Store, name: str) -> KeptDestination:
    known = destinations.list_destinations(SCRIPT, store)
    found = next((place for place in known if place.name.casefold() == name.strip().casefold()), None)
    if found is None:
        raise CannotFile("no_such_destination", name=name, known=", ".join(place.name for place in known))
    return found


def _request(asked: Asked, places: Sequence[KeptDestination]) -> FilingRequest:
    form = places[0].form
    languages = asked.languages if asked.languages is not None else form.languages or ""
    which = WhichPages.RANGES if asked.ranges else WhichPages.ALL
    return FilingRequest(
        tuple(place.id for place in places),
        asked.level or form.level or Level.BALANCED,
        Reading(languages, asked.mode),
        format=asked.format or form.format or Format.PDF,
        pages=PagesWanted(which, (), asked.ranges, asked.division, asked.every),
        options=asked.options,
    )


def _outcome(mappe_id: int, view: FilingView) -> Outcome:
    states = {delivery.state for delivery in view.deliveries}
    away = [delivery for delivery in view.deliveries if delivery.next_try_at]
    failed = next((delivery for delivery in view.deliveries if delivery.state is DeliveryState.FAILED), None)
    if view.state is not FilingState.MADE:
        state = "making" if view.state.under_way else view.state.value
    elif failed is not None:
        state = "failed"
    elif away:
        state = "waiting"
    else:
        state = "delivered" if states == {DeliveryState.DELIVERED} else "making"
    trouble = failed or (away[0] if away else None)
    return Outcome(
        mappe=mappe_id,
        documents=[document.file_name for document in view.documents if document.file_name],
        bytes=view.byte_size,
        state=state,
        places=[delivery.place for delivery in view.deliveries if delivery.place],
        message=view.message or (trouble.message if trouble else None),
    )


def open_mappen(caller: Caller, store: Store, find: str) -> list[MappeCard]:
    """Return the Mappen on the desk whose subjects have the words that are looked for, the newest first."""
    first = mappen.list_open(caller, store, find)
    rest = [mappen.list_open(caller, store, find, page=page).cards for page in range(2, first.pages + 1)]
    return [card for cards in (first.cards, *rest) for card in cards]
