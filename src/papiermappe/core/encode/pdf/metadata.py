"""What a PDF says about itself: XMP (ISO 16684-1) and the document information, in agreement."""

import re
from typing import Literal
from xml.sax.saxutils import escape

import pikepdf

from papiermappe.core.encode.options import About

PRODUCER = "Papiermappe"
_NOT_XML = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def tell(pdf: pikepdf.Pdf, about: About, archive_part: Literal[2, 3] | None = 2) -> None:
    """Write title, author, dates and language, and the claim to be PDF/A (ISO 19005-2 or 19005-3, 6.6).

    Args:
        pdf: that says it.
        about: what it says.
        archive_part: of ISO 19005 that it follows, at conformance level U; None: it claims none.
    """
    said = {name: _NOT_XML.sub("", value) for name, value in about._asdict().items() if isinstance(value, str)}
    created = about.created.replace(microsecond=0)
    stamp = pikepdf.models.metadata.encode_pdf_date(created)
    for name, value in {
        "/Title": said["title"],
        "/Author": said["author"],
        "/Subject": said["subject"],
        "/Keywords": said["keywords"],
        "/Producer": PRODUCER,
        "/CreationDate": stamp,
        "/ModDate": stamp,
    }.items():
        if value or name == "/Title":
            pdf.docinfo[name] = value
    if about.language:
        pdf.Root.Lang = pikepdf.String(about.language)
    parts = [_TITLE, *(text for name, text in _OPTIONAL.items() if said[name]), _DATES]
    parts += [_ARCHIVE] if archive_part else []
    told = {name: escape(value) for name, value in said.items()}
    described = "".join(parts).format(**told, producer=PRODUCER, date=created.isoformat(), part=archive_part)
    packet = _XMP.format(described=described)
    stream = pdf.make_stream(packet.encode(), Type=pikepdf.Name.Metadata, Subtype=pikepdf.Name.XML)
    pdf.Root.Metadata = stream


_TITLE = """<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title>
</rdf:Description>
"""
_OPTIONAL = {
    "author": """<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">
<dc:creator><rdf:Seq><rdf:li>{author}</rdf:li></rdf:Seq></dc:creator>
</rdf:Description>
""",
    "subject": """<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">
<dc:description><rdf:Alt><rdf:li xml:lang="x-default">{subject}</rdf:li></rdf:Alt></dc:description>
</rdf:Description>
""",
    "keywords": """<rdf:Description rdf:about="" xmlns:pdf="http://ns.adobe.com/pdf/1.3/">
<pdf:Keywords>{keywords}</pdf:Keywords>
</rdf:Description>
""",
}
_DATES = """<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/">
<xmp:CreateDate>{date}</xmp:CreateDate>
<xmp:ModifyDate>{date}</xmp:ModifyDate>
</rdf:Description>
<rdf:Description rdf:about="" xmlns:pdf="http://ns.adobe.com/pdf/1.3/">
<pdf:Producer>{producer}</pdf:Producer>
</rdf:Description>
"""
_ARCHIVE = """<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">
<pdfaid:part>{part}</pdfaid:part>
<pdfaid:conformance>U</pdfaid:conformance>
</rdf:Description>
"""
_XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
{described}</rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>"""
