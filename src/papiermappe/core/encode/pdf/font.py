"""A font without ink, for text that is found and copied but not seen.

Every character has the same empty glyph, half as wide as high, so that a word is brought to its width by stretching it.
"""

import io

import pikepdf
from fontTools.fontBuilder import FontBuilder
from fontTools.ttLib.tables._g_l_y_f import Glyph

UNITS = 1000
WIDTH = 500
ASCENT, DESCENT = 800, -200
CHARACTERS_A_SECTION = 100  # of a ToUnicode map (Adobe technical note 5411, 1.4.1)
FIRST_CODE = 1
MAX_CODES = 65_535


class Characters:
    """The characters that come in a document, each with its code."""

    def __init__(self) -> None:
        self._codes: dict[str, int] = {}

    def coded(self, text: str) -> bytes:
        """Return a text in the codes of the font, two bytes a character; what it has no room for is left out."""
        codes = []
        for character in text:
            if character not in self._codes and len(self._codes) < MAX_CODES:
                self._codes[character] = FIRST_CODE + len(self._codes)
            if character in self._codes:
                codes.append(self._codes[character].to_bytes(2, "big"))
        return b"".join(codes)

    def __bool__(self) -> bool:
        return bool(self._codes)

    def to_unicode(self) -> bytes:
        """Return the map from codes to Unicode (ISO 32000-1, 9.10.3)."""
        lines = [
            f"<{code:04x}> <{character.encode('utf-16-be', 'replace').hex()}>"
            for character, code in self._codes.items()
        ]
        sections = [lines[at : at + CHARACTERS_A_SECTION] for at in range(0, len(lines), CHARACTERS_A_SECTION)]
        body = "\n".join(f"{len(part)} beginbfchar\n" + "\n".join(part) + "\nendbfchar" for part in sections)
        return f"{_CMAP_START}{body}\n{_CMAP_END}".encode()


_CMAP_START = """/CIDInit /ProcSet findresource begin
12 dict begin
begincmap
/CIDSystemInfo << /Registry (Adobe) /Ordering (UCS) /Supplement 0 >> def
/CMapName /Adobe-Identity-UCS def
/CMapType 2 def
1 begincodespacerange
<0000> <ffff>
endcodespacerange
"""
_CMAP_END = """endcmap
CMapName currentdict /CMap defineresource pop
end
end
"""


def font_of(pdf: pikepdf.Pdf, characters: Characters) -> pikepdf.Object:
    """Return the font of a document, with all the characters that came in it."""
    name = pikepdf.Name("/PapiermappeUnseen")
    descriptor = pikepdf.Dictionary(
        Type=pikepdf.Name.FontDescriptor,
        FontName=name,
        Flags=4,
        FontBBox=[0, DESCENT, WIDTH, ASCENT],
        ItalicAngle=0,
        Ascent=ASCENT,
        Descent=DESCENT,
        CapHeight=ASCENT,
        StemV=80,
        FontFile2=pdf.make_stream(_font_file()),
    )
    descendant = pikepdf.Dictionary(
        Type=pikepdf.Name.Font,
        Subtype=pikepdf.Name.CIDFontType2,
        BaseFont=name,
        CIDSystemInfo=pikepdf.Dictionary(
            Registry=pikepdf.String("Adobe"), Ordering=pikepdf.String("Identity"), Supplement=0
        ),
        FontDescriptor=pdf.make_indirect(descriptor),
        DW=WIDTH,
        CIDToGIDMap=pdf.make_stream(b"\0\0" + b"\0\1" * MAX_CODES),
    )
    return pdf.make_indirect(
        pikepdf.Dictionary(
            Type=pikepdf.Name.Font,
            Subtype=pikepdf.Name.Type0,
            BaseFont=name,
            Encoding=pikepdf.Name("/Identity-H"),
            DescendantFonts=[pdf.make_indirect(descendant)],
            ToUnicode=pdf.make_stream(characters.to_unicode()),
        )
    )


def _font_file() -> bytes:
    """Return a TrueType font with two empty glyphs."""
    builder = FontBuilder(UNITS, isTTF=True)
    builder.setupGlyphOrder([".notdef", "unseen"])
    builder.setupCharacterMap({ord(" "): "unseen"})
    builder.setupGlyf({".notdef": Glyph(), "unseen": Glyph()})
    builder.setupHorizontalMetrics({".notdef": (WIDTH, 0), "unseen": (WIDTH, 0)})
    builder.setupHorizontalHeader(ascent=ASCENT, descent=DESCENT)
    builder.setupNameTable({"familyName": "Papiermappe Unseen", "styleName": "Regular"})
    builder.setupOS2(sTypoAscender=ASCENT, sTypoDescender=DESCENT, usWinAscent=ASCENT, usWinDescent=-DESCENT)
    builder.setupPost()
    builder.font["head"].created = builder.font["head"].modified = 0
    builder.font.recalcTimestamp = False
    out = io.BytesIO()
    builder.save(out)
    return out.getvalue()
