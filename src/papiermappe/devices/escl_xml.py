"""eSCL as XML: answers parsed with a hardened parser, settings written."""

import xml.etree.ElementTree as ET

import defusedxml.ElementTree as DefusedET
from defusedxml import DefusedXmlException
from pydantic import ValidationError

from papiermappe.core.geometry import MM_PER_INCH
from papiermappe.core.zones import Zone
from papiermappe.devices.errors import AnswerRefused, SettingsRefused
from papiermappe.devices.model import (
    Abilities,
    Colour,
    DeviceStatus,
    JobStatus,
    Sides,
    Source,
    SourceAbilities,
    Span,
    TicketSettings,
    plain_uuid,
)

SCAN_NS = "http://schemas.hp.com/imaging/escl/2011/05/03"
PWG_NS = "http://www.pwg.org/schemas/2010/12/sm"
SCAN, PWG = f"{{{SCAN_NS}}}", f"{{{PWG_NS}}}"
UNITS_PER_MM = 300 / MM_PER_INCH
MAX_DIGITS = 9
RANGE_STEPS_DPI = (75, 100, 150, 200, 300, 400, 600, 1200)

_COLOURS = {"RGB24": Colour.COLOUR, "Grayscale8": Colour.GREY, "BlackAndWhite1": Colour.BILEVEL}
_COLOUR_NAMES = {colour: name for name, colour in _COLOURS.items()} | {Colour.BY_CONTENT: "RGB24"}

ET.register_namespace("scan", SCAN_NS)
ET.register_namespace("pwg", PWG_NS)


def _parsed(xml: bytes, tag: str) -> ET.Element:
    try:
        root: ET.Element = DefusedET.fromstring(xml, forbid_dtd=True)
    except (ET.ParseError, DefusedXmlException, ValueError, LookupError, TypeError) as exc:
        # The last two: of encodings that XML may name and Python does not have, or has for other things than text.
        raise AnswerRefused("answer_unreadable") from exc
    if root.tag != SCAN + tag:
        raise AnswerRefused("answer_unexpected")
    return root


def parse_abilities(xml: bytes) -> Abilities:
    """Parse ScannerCapabilities. Raises AnswerRefused."""
    root = _parsed(xml, "ScannerCapabilities")
    try:
        simplex, duplex = (
            root.find(f"{SCAN}Adf/{SCAN}AdfSimplexInputCaps"),
            root.find(f"{SCAN}Adf/{SCAN}AdfDuplexInputCaps"),
        )
        capacity = root.findtext(f"{SCAN}Adf/{SCAN}FeederCapacity")
        abilities = Abilities(
            name=(root.findtext(f"{PWG}MakeAndModel") or "Scanner").strip()[:80],
            uuid=plain_uuid(root.findtext(f"{SCAN}UUID") or ""),
            admin_url=_web_address(root.findtext(f"{SCAN}AdminURI")),
            glass=_source(root.find(f"{SCAN}Platen/{SCAN}PlatenInputCaps")),
            feeder=_source(simplex if simplex is not None else duplex),
            duplex=duplex is not None,
            feeder_capacity=_number(capacity),
            brightness=_span(root.find(f"{SCAN}BrightnessSupport")),
            contrast=_span(root.find(f"{SCAN}ContrastSupport")),
        )
    except (ValueError, ValidationError) as exc:
        raise AnswerRefused("capabilities_unreadable") from exc
    if abilities.glass is None and abilities.feeder is None:
        raise AnswerRefused("no_source")
    return abilities


def _span(support: ET.Element | None) -> Span | None:
    """Return a range of numbers; None where it is incomplete, or leaves no choice."""
    if support is None:
        return None
    low, normal, high = (_number(support.findtext(f"{SCAN}{name}")) for name in ("Min", "Normal", "Max"))
    if low is None or normal is None or high is None or not low <= normal <= high or low == high:
        return None
    return Span(low=low, normal=normal, high=high)


def _web_address(text: str | None) -> str | None:
    return text.strip() if text and text.strip().startswith(("http://", "https://")) else None


def _source(caps: ET.Element | None) -> SourceAbilities | None:
    if caps is None:
        return None
    colours = {mode.text for mode in caps.iter(f"{SCAN}ColorMode")}
    resolutions = _resolutions(caps)
    known = tuple(colour for name, colour in _COLOURS.items() if name in colours)
    width, height = (
        (_number(caps.findtext(f"{SCAN}{name}")) or 0) / UNITS_PER_MM for name in ("MaxWidth", "MaxHeight")
    )
    if not known or not resolutions or min(width, height) <= 0:
        raise AnswerRefused("capabilities_incomplete")
    return SourceAbilities(width_mm=width, height_mm=height, resolutions_dpi=resolutions, colours=known)


def _resolutions(caps: ET.Element) -> tuple[int, ...]:
    """Return the resolutions in ascending order; for a range, the usual ones within it."""
    discrete = {
        _number(resolution.findtext(f"{SCAN}XResolution")) or 0 for resolution in caps.iter(f"{SCAN}DiscreteResolution")
    }
    for span in caps.iter(f"{SCAN}XResolutionRange"):
        low, high = (_number(span.findtext(f"{SCAN}{name}")) or 0 for name in ("Min", "Max"))
        discrete |= {dpi for dpi in RANGE_STEPS_DPI if low <= dpi <= high}
    return tuple(sorted(dpi for dpi in discrete if 50 <= dpi <= 1200))


def parse_status(xml: bytes) -> DeviceStatus:
    """Parse ScannerStatus. Raises AnswerRefused."""
    root = _parsed(xml, "ScannerStatus")
    try:
        return DeviceStatus.model_validate(
            {
                "state": root.findtext(f"{PWG}State", "").strip(),
                "adf_state": (root.findtext(f"{SCAN}AdfState") or "").strip() or None,
                "jobs": [
                    JobStatus(
                        uri=job.findtext(f"{PWG}JobUri", "").strip(),
                        images_completed=_number(job.findtext(f"{PWG}ImagesCompleted")),
                        age_s=_number(job.findtext(f"{SCAN}Age")),
                        state=job.findtext(f"{PWG}JobState", "").strip(),
                    )
                    for job in root.iter(f"{SCAN}JobInfo")
                ],
            }
        )
    except (ValueError, ValidationError) as exc:
        raise AnswerRefused("status_unreadable") from exc


def _number(text: str | None) -> int | None:
    """Return a whole number; None if there is none. Raises ValueError for anything else, and for absurd ones."""
    if text is None or not text.strip():
        return None
    if len(text.strip()) > MAX_DIGITS:
        raise ValueError
    return int(text)


def media_type(ticket: TicketSettings) -> str:
    """Return the media type to ask for; JPEG cannot be bilevel."""
    return "image/png" if ticket.colour is Colour.BILEVEL else "image/jpeg"


def settings_xml(ticket: TicketSettings, abilities: Abilities, area: Zone | None = None) -> bytes:
    """Return ScanSettings for a ticket that the device can meet, for an area of the glass or for all of the paper.

    Raises:
        SettingsRefused: it has no such source.
    """
    able = abilities.source(ticket.source)
    if able is None:
        raise SettingsRefused("source_absent", source=ticket.source.value)
    x_mm, y_mm, width_mm, height_mm = (0.0, 0.0, *ticket.area_mm(able))
    if area is not None:
        x_mm, y_mm = max(0.0, area.x_mm), max(0.0, area.y_mm)
        width_mm = min(area.x_mm + area.width_mm, able.width_mm) - x_mm
        height_mm = min(area.y_mm + area.height_mm, able.height_mm) - y_mm
    root = ET.Element(f"{SCAN}ScanSettings")
    _put(root, f"{PWG}Version", "2.63")
    _put(root, f"{SCAN}Intent", "Document")
    region = ET.SubElement(ET.SubElement(root, f"{PWG}ScanRegions"), f"{PWG}ScanRegion")
    _put(region, f"{PWG}ContentRegionUnits", "escl:ThreeHundredthsOfInches")
    for name, length_mm in (("XOffset", x_mm), ("YOffset", y_mm), ("Width", width_mm), ("Height", height_mm)):
        _put(region, f"{PWG}{name}", str(int(length_mm * UNITS_PER_MM)))
    _put(root, f"{PWG}InputSource", "Feeder" if ticket.source is Source.FEEDER else "Platen")
    _put(root, f"{SCAN}ColorMode", _COLOUR_NAMES[ticket.colour])
    _put(root, f"{SCAN}XResolution", str(ticket.dpi))
    _put(root, f"{SCAN}YResolution", str(ticket.dpi))
    _put(root, f"{PWG}DocumentFormat", media_type(ticket))
    _put(root, f"{SCAN}DocumentFormatExt", media_type(ticket))
    if ticket.source is Source.FEEDER:
        _put(root, f"{SCAN}Duplex", "true" if ticket.sides is Sides.BOTH else "false")
    for name, span, percent in (
        ("Brightness", abilities.brightness, ticket.brightness),
        ("Contrast", abilities.contrast, ticket.contrast),
    ):
        if span is not None and percent:
            _put(root, f"{SCAN}{name}", str(span.at(percent)))
    document: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return document


def _put(parent: ET.Element, tag: str, text: str) -> None:
    ET.SubElement(parent, tag).text = text
