"""Paper: what sizes there are, and where a picture goes on a sheet."""

from __future__ import annotations

import re
from dataclasses import dataclass

from crispgrain.geometry import Size

from ...errors import TreatmentError
from ...model import Value, Values

MM = {"mm": 1.0, "cm": 10.0, "in": 25.4}
NONE, OWN = "none", "own"
FILL, FIT = "fill", "fit"


@dataclass(frozen=True)
class Paper:
    """A size of paper, in mm, upright, with its name."""

    name: str
    width: float
    height: float


def _metric(*sides: tuple[float, float]) -> dict[str, Paper]:
    return {f"{w:g}x{h:g}cm": Paper(f"{w:g} × {h:g} cm", 10 * w, 10 * h) for w, h in sides}


def _inches(*sides: tuple[float, float]) -> dict[str, Paper]:
    return {f"{w:g}x{h:g}in": Paper(f"{w:g} × {h:g} in", 25.4 * w, 25.4 * h) for w, h in sides}


# ISO 216:2007, main A series, trimmed sizes.
ISO_216 = {"a6": (105, 148), "a5": (148, 210), "a4": (210, 297), "a3": (297, 420), "a2": (420, 594), "a1": (594, 841),
           "a0": (841, 1189)}  # fmt: skip
# The usual sizes of photographic paper in cm and inches are common practice, no source.
PAPERS: dict[str, Paper] = {
    **{id: Paper(id.upper(), *sides) for id, sides in ISO_216.items()},
    **_metric((10, 15), (13, 18), (20, 30), (30, 30), (30, 40), (30, 45), (40, 60), (50, 70), (60, 90)),
    **_inches((4, 6), (5, 7), (8, 10), (8, 12), (11, 14), (12, 16), (16, 20), (18, 24), (20, 30), (24, 36)),
}


@dataclass(frozen=True)
class Layout:
    """A sheet in px, the picture on it, and the rows and columns of white above and left of it."""

    sheet: Size
    picture: Size
    above: int
    left: int


@dataclass(frozen=True)
class Sheet:
    """A chosen print: paper, bleed beyond its edge and white border within it, in mm.

    Whether the picture ``fills`` what is to be printed on, cut to its ratio, or fits into it whole.
    """

    width: float
    height: float
    bleed: float
    border: float
    fills: bool
    ppi: float

    def area(self, landscape: bool) -> Size:
        """What is to be printed on, in px.

        Raises
        ------
        TreatmentError
            If the border leaves nothing.
        """
        more = -2 * self.border if self.border else 2 * self.bleed
        if min(self.width, self.height) + more <= 0:
            raise TreatmentError(f"a border of {self.border:g} mm leaves nothing of the paper")
        return self._pixels(more, landscape)

    def layout(self, picture: Size) -> Layout:
        """Where a picture in its final size goes: in the middle."""
        sheet = self._pixels(2 * self.bleed, picture.width >= picture.height)
        sheet = Size(max(sheet.height, picture.height), max(sheet.width, picture.width))
        return Layout(sheet, picture, (sheet.height - picture.height) // 2, (sheet.width - picture.width) // 2)

    def fitted(self, cropped: Size) -> Size:
        """The size in px that a picture of a shape gets which fits in whole."""
        area = self.area(cropped.width >= cropped.height)
        factor = min(area.width / cropped.width, area.height / cropped.height)
        height, width = (max(1, int(n * factor + 0.5)) for n in (cropped.height, cropped.width))
        return Size(min(height, area.height), min(width, area.width))

    def _pixels(self, more: float, landscape: bool) -> Size:
        sides = [int((mm + more) / 25.4 * self.ppi + 0.5) for mm in (self.width, self.height)]
        short, long = (max(1, side) for side in sorted(sides))
        return Size(short, long) if landscape else Size(long, short)


def sheet_of(values: Values) -> Sheet | None:
    """The print that the Print stage's values choose; None if the size is set otherwise."""
    chosen = str(values["paper"])
    if chosen == NONE:
        return None
    if chosen == OWN:
        unit = MM[str(values["unit"])]
        width, height = float(values["paper-width"]) * unit, float(values["paper-height"]) * unit
    else:
        width, height = PAPERS[chosen].width, PAPERS[chosen].height
    return Sheet(
        width, height, float(values["bleed"]), float(values["border"]), values["fit"] == FILL, float(values["ppi"])
    )


def paper_words(values: Values) -> str:
    """The chosen paper, in the unit it was chosen in."""
    chosen = str(values["paper"])
    if chosen == OWN:
        return f"{float(values['paper-width']):g} × {float(values['paper-height']):g} {values['unit']}"
    return PAPERS[chosen].name


def settings_from(words: str) -> dict[str, Value]:
    """Values of the Print stage for a paper in words: ``a3``, ``40x60cm``, ``8 x 10 in``, ``250x380mm``.

    Raises
    ------
    TreatmentError
        If it is none.
    """
    plain = words.strip().lower().replace("×", "x").replace(" ", "")
    if plain in PAPERS:
        return {"paper": plain}
    found = re.fullmatch(r"(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(mm|cm|in)", plain)
    if found is None or not all(float(side) for side in found.groups()[:2]):
        raise TreatmentError(f"a paper is one of {', '.join(PAPERS)}, or sides in mm, cm or in, not “{words}”")
    width, height, unit = found.groups()
    return {"paper": OWN, "paper-width": float(width), "paper-height": float(height), "unit": unit}


def sheet_sides(words: str) -> tuple[float, float]:
    """Width and height in mm of a sheet in words, as :func:`settings_from` takes them, the first side across."""
    chosen = settings_from(words)
    if "unit" not in chosen:
        paper = PAPERS[str(chosen["paper"])]
        return paper.width, paper.height
    unit = MM[str(chosen["unit"])]
    return float(chosen["paper-width"]) * unit, float(chosen["paper-height"]) * unit


def length_from(words: str) -> float:
    """A length in mm, of words: ``3mm``, ``0.5 cm``, ``0.125in``, and mm if no unit is given; TreatmentError else."""
    found = re.fullmatch(r"(\d+(?:\.\d+)?)(mm|cm|in)?", words.strip().lower().replace(" ", ""))
    if found is None:
        raise TreatmentError(f"a length is a number with mm, cm or in, not “{words}”")
    return float(found[1]) * MM[found[2] or "mm"]
