"""What a device can do of a ticket, and what it can do instead of the rest."""

from papiermappe.devices.model import ANY_SIZE, OWN_SIZE, Abilities, Lies, Sides, TicketSettings
from papiermappe.message import Message


def unoffered(wish: TicketSettings, fitted: TicketSettings, abilities: Abilities, device: str) -> list[Message]:
    """Return, for each setting that a device does not offer, what it offers and what is taken.

    Args:
        wish: the ticket as a person wants it.
        fitted: as the device can do it.
        abilities: of the device.
        device: its name.
    """
    able = abilities.source(fitted.source)
    if able is None:
        return []
    notes = []
    if fitted.source != wish.source:
        params: dict[str, object] = {
            "device": device,
            "wished_source": wish.source.value,
            "source": fitted.source.value,
        }
        notes.append(Message(code="source_not_offered", params=params))
    if fitted.sides != wish.sides and wish.sides is Sides.BOTH:
        notes.append(Message(code="both_sides_not_offered", params={"device": device, "source": fitted.source.value}))
    if fitted.dpi != wish.dpi:
        offered = sorted(able.resolutions_dpi)
        params = {"source": fitted.source.value, "offered": offered, "wished": wish.dpi, "dpi": fitted.dpi}
        notes.append(Message(code="dpi_not_offered", params=params))
    if fitted.colour != wish.colour:
        params = {"source": fitted.source.value, "wished_colour": wish.colour.value, "colour": fitted.colour.value}
        notes.append(Message(code="colour_not_offered", params=params))
    size = {"width_mm": round(able.width_mm), "height_mm": round(able.height_mm)}
    if fitted.paper != wish.paper and wish.paper != ANY_SIZE:
        params = {"source": fitted.source.value, "wished_paper": wish.paper, **size}
        sideways = wish.lies is Lies.SIDEWAYS and wish.paper in able.papers()
        notes.append(Message(code="paper_not_sideways" if sideways else "paper_not_offered", params=params))
    if wish.paper == OWN_SIZE and (fitted.width_mm, fitted.height_mm) != (wish.width_mm, wish.height_mm):
        notes.append(Message(code="own_size_not_offered", params={"source": fitted.source.value, **size}))
    if fitted.brightness != wish.brightness:
        notes.append(Message(code="brightness_not_offered", params={"device": device}))
    if fitted.contrast != wish.contrast:
        notes.append(Message(code="contrast_not_offered", params={"device": device}))
    return notes
