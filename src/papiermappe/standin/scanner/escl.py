"""eSCL as XML: settings read, capabilities and status written."""

import xml.etree.ElementTree as ET
from pathlib import Path

import defusedxml.ElementTree as DefusedET
from defusedxml import DefusedXmlException
from jinja2 import Environment, FileSystemLoader, StrictUndefined

from papiermappe.core.geometry import MM_PER_INCH
from papiermappe.standin.paper.physics import Region
from papiermappe.standin.scanner.device import LIGHT, Colour, Device, ScanRequest, SettingsRefused
from papiermappe.standin.scanner.pictures import JPEG, PDF, PNG

SCAN = "{http://schemas.hp.com/imaging/escl/2011/05/03}"
PWG = "{http://www.pwg.org/schemas/2010/12/sm}"
UNITS_PER_MM = 300 / MM_PER_INCH

_templates = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
_templates.filters["units"] = lambda length_mm: round(length_mm * UNITS_PER_MM)


class NotXml(Exception):
    """The settings are not well-formed XML, or not scan settings."""


def capabilities(device: Device, admin_url: str) -> str:
    """Return ScannerCapabilities."""
    return _templates.get_template("capabilities.xml").render(
        profile=device.profile, admin_url=admin_url, jpeg=JPEG, png=PNG, pdf=PDF, light=LIGHT
    )


def status(device: Device, now_s: float) -> str:
    """Return ScannerStatus, the newest job first."""
    return _templates.get_template("status.xml").render(device=device, jobs=device.jobs[::-1], now_s=now_s)


def image_info(width_px: int, height_px: int, bytes_a_line: int, job_uuid: str) -> str:
    """Return ScanImageInfo."""
    return _templates.get_template("image_info.xml").render(
        width_px=width_px, height_px=height_px, bytes_a_line=bytes_a_line, job_uuid=job_uuid
    )


def parse_settings(xml: bytes) -> ScanRequest:
    """Read ScanSettings.

    Raises:
        NotXml: this is no ScanSettings document.
        SettingsRefused: a value is missing, unknown or does not go with the others.
    """
    try:
        root = DefusedET.fromstring(xml, forbid_dtd=True)
    except (ET.ParseError, DefusedXmlException, ValueError) as exc:
        raise NotXml from exc
    if root.tag != f"{SCAN}ScanSettings":
        raise NotXml(root.tag)

    def text(name: str, default: str | None = None) -> str:
        found = root.findtext(name)
        if found is None and default is None:
            raise SettingsRefused(name)
        return (found if found is not None else default or "").strip()

    try:
        colour = Colour(text(f"{SCAN}ColorMode", Colour.COLOUR))
        dpi, dpi_y = int(text(f"{SCAN}XResolution", "300")), int(text(f"{SCAN}YResolution", "300"))
        compression = int(text(f"{SCAN}CompressionFactor", "25"))
        brightness, contrast = (int(text(SCAN + name, str(LIGHT.normal))) for name in ("Brightness", "Contrast"))
        region = _region(root)
    except ValueError as exc:
        raise SettingsRefused("a value cannot be read") from exc
    source = text(f"{PWG}InputSource")
    wanted = text(f"{SCAN}DocumentFormatExt", text(f"{PWG}DocumentFormat", JPEG))
    if source not in {"Platen", "Feeder"} or dpi != dpi_y or not 0 <= compression <= 100:
        raise SettingsRefused("source, resolution or compression")
    if not all(LIGHT.low <= value <= LIGHT.high for value in (brightness, contrast)):
        raise SettingsRefused("brightness or contrast")
    if wanted not in {JPEG, PNG, PDF} or (colour is Colour.BILEVEL and wanted == JPEG):
        raise SettingsRefused(wanted)
    return ScanRequest(
        source="Platen" if source == "Platen" else "Feeder",
        duplex=text(f"{SCAN}Duplex", "false") in {"true", "1"} and source == "Feeder",
        dpi=dpi,
        colour=colour,
        document_format=wanted,
        region=region,
        compression=compression,
        brightness=brightness,
        contrast=contrast,
    )


def _region(root: ET.Element) -> Region | None:
    regions = root.findall(f"{PWG}ScanRegions/{PWG}ScanRegion")
    if not regions:
        return None
    if len(regions) > 1:
        raise SettingsRefused("more than one region")
    x, y, width, height = (
        int(regions[0].findtext(f"{PWG}{name}", "0")) for name in ("XOffset", "YOffset", "Width", "Height")
    )
    if min(x, y) < 0 or min(width, height) < 30:
        raise SettingsRefused("region")
    return Region(x / UNITS_PER_MM, y / UNITS_PER_MM, width / UNITS_PER_MM, height / UNITS_PER_MM)
