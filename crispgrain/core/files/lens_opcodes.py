"""What a DNG says of its lens: by how much it bent lines, drew colours apart and darkened corners.

References
----------
Adobe DNG specification 1.4, chapter 7, OpcodeList3: WarpRectilinear and FixVignetteRadial. The numbers of the opcodes
and the order of their fields are from memory.
"""

from __future__ import annotations

import struct
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..optics import LEAST_LIGHT, LensProfile, Terms, fitted
from .opcodes import entries

WARP, VIGNETTE = 1, 3
NAME = "As the file says"
WARP_PLANES = (1, 3)  # one set of numbers for all colours, or one for each
SET = struct.Struct(">6d")  # four radial terms, two tangential ones
MIDDLE = struct.Struct(">2d")  # shares of width and height
GAINS = struct.Struct(">5d")  # of the radius to the power of 2, 4 ... 10
FARTHEST = 0.2  # share of the picture that a lens' axis can be off its middle; beyond is damage
APART = 0.005  # share of the picture; nearer middles of what one file says are one
OFF_RADIUS = 5e-5  # tangential terms below move the corners of 24 MP by half a pixel at most: 3 x 5e-5 of 3600 px
LEAST, MOST = 0.5, 2.0  # by which a lens can move corners; beyond is damage
POWERS = (0, 2, 4, 6, 8, 10)
RADII = np.linspace(0, 1, 257)


def read(opcodes: bytes) -> tuple[LensProfile | None, tuple[str, ...]]:
    """The lens as an OpcodeList3 describes it, None if it says nothing of it, and what of the list is not followed."""
    profile, unknown = LensProfile(NAME), []
    try:
        for opcode, optional, data in entries(opcodes):
            try:
                if opcode == WARP:
                    profile = _with_warp(profile, data)
                elif opcode == VIGNETTE:
                    profile = _with_light(profile, data)
                elif not optional:
                    unknown.append(f"operation {opcode} is not known here")
            except ValueError as error:
                unknown.append(str(error))
    except struct.error:
        unknown.append("it is cut short")
    return (profile if profile != LensProfile(NAME) else None), tuple(unknown)


def _with_warp(profile: LensProfile, data: bytes) -> LensProfile:
    """Of a point of the straight picture, at ``r`` from the middle, each colour was drawn at ``r f(r)``."""
    (planes,) = struct.unpack_from(">I", data)
    if planes not in WARP_PLANES:
        raise ValueError("its bent lines make no sense")
    sets = np.array([SET.unpack_from(data, 4 + n * SET.size) for n in range(planes)])
    radial, tangential = sets[:, :4], sets[:, 4:]
    middle = _middle(data, 4 + planes * SET.size, profile)
    there = [RADII * _polynomial(terms) for terms in radial]
    if not (np.isfinite(sets).all() and all((np.diff(r) > 0).all() and LEAST < r[-1] < MOST for r in there)):
        raise ValueError("its bent lines make no sense")
    if np.abs(tangential).max() > OFF_RADIUS:
        raise ValueError("lines are bent otherwise than about the middle")
    red, green, blue = there if planes == 3 else there * 3
    bends: Terms = tuple(t for r in radial[len(radial) // 2] for t in (float(r), 0.0))[:-1]
    return replace(profile, bends=_unless_plain(bends), red=_apart(green, red), blue=_apart(green, blue), middle=middle)


def _apart(green: NDArray, other: NDArray) -> Terms:
    """From where green was drawn to where another colour was."""
    return () if np.array_equal(green, other) else fitted(green, other / np.maximum(green, 1e-9), POWERS)


def _with_light(profile: LensProfile, data: bytes) -> LensProfile:
    gains = np.array([1.0, *GAINS.unpack_from(data)])
    middle = _middle(data, GAINS.size, profile)
    gain = _polynomial(gains)
    if not (np.isfinite(gain).all() and gain.min() > LEAST and gain.max() <= 1 / LEAST_LIGHT):
        raise ValueError("its dark corners make no sense")
    light = fitted(RADII, 1 / gain, POWERS) if gain.max() > gain.min() else ()
    return replace(profile, light=light, middle=middle)


def _polynomial(terms: NDArray) -> NDArray:
    """In even powers of the radius."""
    return np.asarray(np.polynomial.polynomial.polyval(RADII**2, terms))


def _middle(data: bytes, place: int, profile: LensProfile) -> tuple[float, float]:
    """What it is about; raises if that is not what the rest is about."""
    x, y = MIDDLE.unpack_from(data, place)
    if not max(abs(x - 0.5), abs(y - 0.5)) <= FARTHEST:
        raise ValueError("its middle is none")
    if profile != LensProfile(NAME) and max(abs(x - profile.middle[0]), abs(y - profile.middle[1])) > APART:
        raise ValueError("its lines and its light have two middles")
    return x, y


def _unless_plain(terms: Terms) -> Terms:
    return () if terms[0] == 1 and not any(terms[1:]) else terms
