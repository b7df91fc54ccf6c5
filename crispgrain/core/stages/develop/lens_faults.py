"""What a lens did to a shot, as its profile or a person says, and the frame in which it is undone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from crispgrain.geometry import Size

from ...frame import Frame
from ...model import Value, Values
from ...optics import LensProfile, Optics, Radial
from ...transform import Transform

KNOWN, OWN = "known", "own"
PARTS = ("bends", "red", "blue", "light")  # of what is known, as text; filled in for each shot, as is the middle
UNKNOWN = {"bends": "bent lines", "red": "fringes", "light": "dark corners"}  # where a profile lacks a part


def asks(values: Values) -> bool:
    """Whether it goes by what is known of the shot's lens."""
    return not by_hand(values)


def said(profile: LensProfile | None, name: str) -> str:
    """What a remark says of what is known."""
    if profile is None:
        return f"Nothing is known of the lens “{name}”; correct by hand." if name else "The file names no known lens."
    missing = ", ".join(what for part, what in UNKNOWN.items() if not getattr(profile, part))
    return f"{profile.name}; nothing is known of {missing}." if missing else f"{profile.name}."


def by_hand(values: Values) -> bool:
    return values["by"] == OWN


def terms_of(text: str) -> tuple[float, ...]:
    """Coefficients from text, as values hold them."""
    return tuple(float(v) for v in text.split())


def told(values: Values, profile: LensProfile | None) -> dict[str, Value]:
    """The values with what is to be undone filled in, from a profile or from what was set by hand."""
    if by_hand(values):
        bulge, dark = -float(values["bulge"]) / 100, 2 ** -float(values["dark"]) - 1
        red, blue = float(values["red_size"]) / 1000, float(values["blue_size"]) / 1000
        profile = LensProfile(
            "", (1.0, 0.0, bulge) if bulge else (), (1 + red,) if red else (), (1 + blue,) if blue else (),
            (1.0, 0.0, dark) if dark else (),
        )  # fmt: skip
        wanted = dict.fromkeys(PARTS, True)
    else:
        fringes = values["edges"] == "on"
        wanted = {"bends": values["straight"] == "on", "red": fringes, "blue": fringes, "light": values["even"] == "on"}
    given = {part: getattr(profile, part) if profile is not None and wanted[part] else () for part in PARTS}
    given["middle"] = profile.middle if profile is not None else (0.5, 0.5)
    return {**values, **{part: " ".join(f"{t:.9g}" for t in terms) for part, terms in given.items()}}


def radial(values: Values, part: str, size: Size) -> Radial | None:
    """A part of what a lens did to a picture of a size, if that is known."""
    terms = terms_of(str(values.get(part, "")))
    if not terms:
        return None
    x, y = terms_of(str(values["middle"]))
    return Radial.about_middle(size, terms, (x, y))


def after(frame: Frame, values: Values) -> Frame:
    """The frame as a lens without faults would have drawn it: of the same size, with no empty corner."""
    size = frame.size

    bends = radial(values, "bends", size)
    optics = Optics(*(radial(values, part, size) for part in ("red", "blue", "light")))
    straight = Transform(lens=bends).after(_filling(bends, size)) if bends is not None else Transform()
    return replace(
        frame, to_source=frame.to_source.after(straight), optics=optics if optics != Optics() else frame.optics
    )


def _filling(bends: Radial, size: Size) -> Transform:
    """The scale about the middle at which the edge of the picture is just that of what was drawn, or within."""
    along = np.linspace(0, 1, 65)
    x = np.concatenate([along, along, 0 * along, 1 + 0 * along]) * size.width
    y = np.concatenate([0 * along, 1 + 0 * along, along, along]) * size.height

    def scaled(share: float) -> Transform:
        return Transform(((share, 0, (1 - share) * bends.x), (0, share, (1 - share) * bends.y), (0, 0, 1)))

    def fits(share: float) -> bool:
        right, down = bends(*scaled(share)(x, y))
        hair = 1e-3  # px
        return bool((np.minimum(right, down) >= -hair).all() and (right <= size.width + hair).all()
                    and (down <= size.height + hair).all())  # fmt: skip

    low, high = 0.5, 1.5
    while high - low > 1e-7:
        trial = (low + high) / 2
        low, high = (trial, high) if fits(trial) else (low, trial)
    return scaled(low)
