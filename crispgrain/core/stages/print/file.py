"""Print: how the result becomes a file. Nothing is done to pixels before they are quantised."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...colour import icc
from ...colour.icc import PROFILES
from ...files.metadata import Kept
from ...files.write import OutputFormat
from ...model import Model, Parameter, Stage, Values
from .paper import FILL, FIT, MM, NONE, OWN, PAPERS, paper_words

LIKE_SOURCE = "source"  # as a format: that of each shot, and its depth, profile and resolution


def _is_jpeg(values: Values) -> bool:
    return values["format"] == OutputFormat.JPEG


def _has_depths(values: Values) -> bool:
    if not _is_own(values):
        return False
    format = OutputFormat(str(values["format"]))
    return not (format.only_8_bits or format.only_16_bits)


def _is_of_8_bits(values: Values) -> bool:
    return OutputFormat(str(values["format"])).only_8_bits or (_has_depths(values) and values["bits"] == "8")


def _has_profiles(values: Values) -> bool:
    return _is_own(values) and OutputFormat(str(values["format"])).has_profiles


def _is_lossy(values: Values) -> bool:
    return _is_own(values) and OutputFormat(str(values["format"])).has_quality


def _is_own(values: Values) -> bool:
    return values["format"] != LIKE_SOURCE


def summary(model: Model, values: Values, size: Size) -> str:
    if not _is_own(values):
        return "like the source"
    format = OutputFormat(str(values["format"]))
    bits = "8" if format.only_8_bits else "16" if format.only_16_bits else values["bits"]
    kind = f"{format.label} {bits} bit"
    if values["paper"] != NONE:
        return f"{paper_words(values)}, {kind}"
    return f"{kind}, {float(values['ppi']):.0f} ppi"


def _on_paper(values: Values) -> bool:
    return values["paper"] != NONE


PAPER = (
    Parameter("paper", "Print", "The paper it goes on: crop and size follow, lying or upright as each shot does.", NONE,
              choices=(NONE, *PAPERS, OWN), labels=("no paper chosen", *(p.name for p in PAPERS.values()), "own size"),
              resizes=True),
    Parameter("paper-width", "Paper width", "One side of the paper.", 30.0, 0.1, 5000, 0.1, resizes=True,
              matters=lambda values: values["paper"] == OWN),
    Parameter("paper-height", "Paper height", "The other side.", 40.0, 0.1, 5000, 0.1, resizes=True,
              matters=lambda values: values["paper"] == OWN),
    Parameter("unit", "Unit", "Of the paper's sides.", "cm", choices=tuple(MM), resizes=True,
              matters=lambda values: values["paper"] == OWN),
    Parameter("fit", "On the paper", "Cut the picture to the paper's ratio, or leave it whole with white around it.",
              FILL, choices=(FILL, FIT), labels=("fill it", "fit in whole"), resizes=True, matters=_on_paper),
    Parameter("bleed", "Bleed", "Printed beyond the edge of the paper, and cut off.", 0.0, 0, 50, 0.5, "mm",
              resizes=True, matters=lambda values: _on_paper(values) and not float(values["border"])),
    Parameter("border", "White border", "Left free within the edge of the paper.", 0.0, 0, 500, 1, "mm",
              resizes=True, matters=_on_paper),
)  # fmt: skip

MODEL = Model(
    Stage.PRINT, "file", "File", "The file a print lab gets: format, bit depth, profile and resolution.",
    (
        *PAPER,
        Parameter("format", "Format", "TIFF and PNG lose nothing, a DNG keeps RAW's own colours, the others are small.",
                  "tiff", choices=(*(f.value for f in OutputFormat), LIKE_SOURCE),
                  labels=(*(f.label for f in OutputFormat), "like the source")),
        Parameter("bits", "Bit depth", "16 bits keep fine gradients.", "16", choices=("8", "16"),
                  labels=("8 bits", "16 bits"), matters=_has_depths),
        Parameter("profile", "Profile", "Colour space of the file; sRGB if in doubt.", "srgb", choices=tuple(PROFILES),
                  labels=tuple(PROFILES.values()),
                  matters=lambda values: _has_profiles(values) and not values["icc"]),
        Parameter("icc", "ICC file", "A profile of your own, in place of those above; empty for none.", "", check=str,
                  files=(".icc", ".icm"),
                  matters=_has_profiles),
        Parameter("intent", "Intent", "How colours that the profile has not are replaced.", icc.Intent.RELATIVE,
                  choices=tuple(icc.Intent), labels=("perceptual", "relative colorimetric", "saturation", "absolute"),
                  matters=lambda values: bool(values["icc"])),
        Parameter("black-point", "Black point", "The darkest of the picture becomes the darkest of the file.", "on",
                  choices=("on", "off"), labels=("compensated", "as it is"),
                  matters=lambda values: bool(values["icc"]) and values["intent"] != icc.Intent.ABSOLUTE),
        Parameter("ppi", "Resolution", "Pixels per inch of paper; labs expect 300.", 300, 36, 1200, 1, "ppi",
                  matters=_is_own),
        Parameter("quality", "Quality", "95 shows no loss.", 95, 30, 100, 1, matters=_is_lossy),
        Parameter("limit", "At most", "Lower the quality until the file is as small; 0 is any size.", 0, 0, 100_000, 50,
                  "kB", matters=_is_lossy),
        Parameter("subsampling", "Colour of JPEG", "4:4:4 keeps the colour of every pixel.", "4:4:4",
                  choices=("4:4:4", "4:2:2", "4:2:0"), matters=_is_jpeg),
        Parameter("progressive", "Progressive", "Shown coarsely first while it is loaded.", "off",
                  choices=("off", "on"), matters=_is_jpeg),
        Parameter("compression", "Compression", "Nothing is lost; not every lab reads it.", "none",
                  choices=("none", "lzw", "zip"), labels=("none", "LZW", "ZIP"),
                  matters=lambda values: values["format"] == OutputFormat.TIFF),
        Parameter("dither", "Dithering", "Of 8 bits: gentle slopes keep their tones and show no steps.", "on",
                  choices=("on", "off"), matters=lambda values: _is_own(values) and _is_of_8_bits(values)),
        Parameter("metadata", "Metadata", "Reduced: neither where it was, nor whose camera it was.", "all",
                  choices=tuple(Kept)),
        *(Parameter(id, name, "Written into the file; empty keeps the shot's.", "", check=str)
          for id, name in (("copyright", "Copyright"), ("creator", "Creator"), ("caption", "Caption"))),
    ),
    lambda pixels, values, context: pixels, summary=summary,
)  # fmt: skip
