"""Scanners: known by their address; asked how they are."""

from dataclasses import dataclass

from sqlalchemy import select

from papiermappe.devices.errors import DeviceError
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import Abilities, DeviceState, DeviceStatus, TicketSettings
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.store.database import Store
from papiermappe.store.models import Device, Ticket

EVERYDAY = "Everyday"


@dataclass(frozen=True)
class DeviceCard:
    """A device with what it can do and how it is right now; the error where it does not answer."""

    id: int
    name: str
    abilities: Abilities | None
    status: DeviceStatus | None
    problem: str | None

    @property
    def ready(self) -> bool:
        """Whether a pass can begin, paper or not."""
        return self.status is not None and self.status.state is DeviceState.IDLE


def add_device(store: Store, address: str, limits: Limits) -> int:
    """Add a scanner by its address, after it has answered; one that is known already is not added twice.

    Raises:
        DeviceError: it is no address, or no scanner answers there.
    """
    url = device_url(address)
    with EsclClient(url, limits) as client:
        abilities = client.abilities()
    with store.begin() as session:
        known = session.scalar(select(Device).where(Device.url == url))
        if known is None:
            known = Device(name=abilities.name, url=url)
            session.add(known)
            session.flush()
        return known.id


def list_devices(store: Store) -> list[tuple[int, str]]:
    """Return number and name of all devices."""
    with store.begin() as session:
        return [(row.id, row.name) for row in session.execute(select(Device.id, Device.name).order_by(Device.id))]


def device_at(store: Store, device_id: int) -> Device:
    """Return a device. Raises NotFound."""
    with store.begin() as session:
        device = session.get(Device, device_id)
        if device is None:
            raise NotFound("This scanner is not known here. Add it by its address.")
        return device


def look_at_device(store: Store, device_id: int, limits: Limits) -> DeviceCard:
    """Ask a device how it is; a device that does not answer is a card with the problem, not an error."""
    device = device_at(store, device_id)
    try:
        with EsclClient(device.url, limits) as client:
            return DeviceCard(device.id, device.name, client.abilities(), client.status(), None)
    except DeviceError as exc:
        return DeviceCard(device.id, device.name, None, None, exc.message)


def everyday_ticket(store: Store) -> TicketSettings:
    """Return the ticket that was used last."""
    with store.begin() as session:
        kept = session.scalar(select(Ticket.settings).where(Ticket.name == EVERYDAY))
        return TicketSettings.model_validate(kept) if kept else TicketSettings()


def keep_everyday_ticket(store: Store, ticket: TicketSettings) -> None:
    """Keep a ticket as the one used last."""
    with store.begin() as session:
        kept = session.scalar(select(Ticket).where(Ticket.name == EVERYDAY).with_for_update())
        if kept:
            kept.settings = ticket.model_dump(mode="json")
        else:
            session.add(Ticket(name=EVERYDAY, settings=ticket.model_dump(mode="json")))


def must_fit(ticket: TicketSettings, abilities: Abilities) -> None:
    """Check that a device can do what a ticket asks. Raises NotPossible."""
    if ticket.fitted(abilities) != ticket:
        raise NotPossible(f"{abilities.name} cannot do this ticket. Choose again from what it offers.")
