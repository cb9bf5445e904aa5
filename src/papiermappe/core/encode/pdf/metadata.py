"""What a PDF says about itself: XMP (ISO 16684-1) and the document information, in agreement."""

import re
from datetime import datetime
from typing import NamedTuple
from xml.sax.saxutils import escape

import pikepdf

PRODUCER = "Papiermappe"
_NOT_XML = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


class About(NamedTuple):
    """What a document says about itself."""

    title: str
    """Shown by readers in place of the file name."""
    created: datetime
    """With its time zone."""
    language: str | None = None
    """Of its text, as in BCP 47; None where that is not known."""


def tell(pdf: pikepdf.Pdf, about: About) -> None:
    """Write title, dates, language and the claim to be PDF/A-2u (ISO 19005-2, 6.6)."""
    title = _NOT_XML.sub("", about.title)
    created = about.created.replace(microsecond=0)
    for name, value in {
        "/Title": title,
        "/Producer": PRODUCER,
        "/CreationDate": pikepdf.models.metadata.encode_pdf_date(created),
        "/ModDate": pikepdf.models.metadata.encode_pdf_date(created),
    }.items():
        pdf.docinfo[name] = value
    if about.language:
        pdf.Root.Lang = pikepdf.String(about.language)
    packet = _XMP.format(title=escape(title), producer=PRODUCER, date=created.isoformat())
    stream = pdf.make_stream(packet.encode(), Type=pikepdf.Name.Metadata, Subtype=pikepdf.Name.XML)
    pdf.Root.Metadata = stream


_XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title>
</rdf:Description>
<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/">
<xmp:CreateDate>{date}</xmp:CreateDate>
<xmp:ModifyDate>{date}</xmp:ModifyDate>
</rdf:Description>
<rdf:Description rdf:about="" xmlns:pdf="http://ns.adobe.com/pdf/1.3/">
<pdf:Producer>{producer}</pdf:Producer>
</rdf:Description>
<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">
<pdfaid:part>2</pdfaid:part>
<pdfaid:conformance>U</pdfaid:conformance>
</rdf:Description>
</rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>"""
