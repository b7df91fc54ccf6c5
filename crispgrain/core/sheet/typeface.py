"""Words in a PDF in the typeface that ships with the program, of which only the glyphs used are embedded.

References
----------
ISO 32000-1:2008 (PDF 1.7): 9.7.4.2 (CIDFontType2, glyphs by their number), 9.10.3 (ToUnicode).
"""

from __future__ import annotations

from io import BytesIO

import pikepdf

from crispgrain.paths import FONTS

FILE = FONTS / "NotoSans-Regular.ttf"
MISSING = 0  # the number of the glyph that stands for what the typeface has not
EM = 1000  # units that widths in a PDF are given in


class Typeface:
    """The glyphs for some words. What has none, such as most scripts of Asia, is shown as an empty box."""

    def __init__(self, words: str) -> None:
        from fontTools import subset  # takes a tenth of the program's start, and few starts end in a sheet
        from fontTools.ttLib import TTFont

        font = TTFont(FILE)
        subsetter = subset.Subsetter(subset.Options(layout_features=[], name_IDs=[], notdef_outline=True))
        subsetter.populate(unicodes=map(ord, words))
        subsetter.subset(font)
        self._font = font
        self._numbers = {code: font.getGlyphID(name) for code, name in (font.getBestCmap() or {}).items()}

    def shown(self, words: str) -> str:
        """Words as a string of a page's content: four hexadecimal digits for each glyph."""
        return "".join(f"{self._numbers.get(ord(sign), MISSING):04x}" for sign in " ".join(words.split()))

    def embedded(self, document: pikepdf.Pdf) -> pikepdf.Object:
        """The font object, with text that can be searched for and copied."""
        font, name = self._font, pikepdf.Name("/NotoSans")
        scale = EM / font["head"].unitsPerEm
        ascent, descent = font["hhea"].ascent * scale, font["hhea"].descent * scale
        box = [font["head"].xMin, font["head"].yMin, font["head"].xMax, font["head"].yMax]
        file = BytesIO()
        font.save(file)
        descriptor = pikepdf.Dictionary(
            Type=pikepdf.Name.FontDescriptor, FontName=name, Flags=4, FontBBox=[round(n * scale) for n in box],
            ItalicAngle=0, Ascent=round(ascent), Descent=round(descent), CapHeight=round(ascent), StemV=80,
            FontFile2=document.make_stream(file.getvalue()),
        )  # fmt: skip
        widths = [round(font["hmtx"][glyph][0] * scale) for glyph in font.getGlyphOrder()]
        glyphs = pikepdf.Dictionary(
            Type=pikepdf.Name.Font, Subtype=pikepdf.Name.CIDFontType2, BaseFont=name, CIDToGIDMap=pikepdf.Name.Identity,
            CIDSystemInfo=pikepdf.Dictionary(Registry="Adobe", Ordering="Identity", Supplement=0),
            FontDescriptor=document.make_indirect(descriptor), W=[0, widths],
        )  # fmt: skip
        return document.make_indirect(
            pikepdf.Dictionary(
                Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type0, BaseFont=name,
                Encoding=pikepdf.Name("/Identity-H"), DescendantFonts=[document.make_indirect(glyphs)],
                ToUnicode=document.make_stream(self._to_unicode().encode("ascii")),
            )
        )  # fmt: skip

    def _to_unicode(self) -> str:
        pairs = [f"<{number:04x}> <{chr(code).encode('utf-16-be').hex()}>" for code, number in self._numbers.items()]
        blocks = [pairs[at : at + 100] for at in range(0, len(pairs), 100)]  # a block may hold no more
        return "\n".join(
            [
                "/CIDInit /ProcSet findresource begin 12 dict begin begincmap",
                "/CMapName /Words def /CMapType 2 def",
                "1 begincodespacerange <0000> <ffff> endcodespacerange",
                *(f"{len(block)} beginbfchar\n" + "\n".join(block) + "\nendbfchar" for block in blocks),
                "endcmap CMapName currentdict /CMap defineresource pop end end",
            ]
        )
