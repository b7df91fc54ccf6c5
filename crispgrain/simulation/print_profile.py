"""A made-up printer and paper as an ICC profile: what soft proofs and separations are tried on.

Halftones mix as in the Neugebauer equations with Yule and Nielsen's correction; the colours of paper and inks are
invented, and overprints multiply. Nothing here is measured from a real device.
"""

from __future__ import annotations

import itertools
import struct
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.core.colour.icc import tagged
from crispgrain.core.colour.spaces import ICC_D50_XYZ

N = 2.0  # how far light spreads in the paper (Yule and Nielsen, 1951)
PAPER = (93.0, 0.5, -2.5)  # CIE L*a*b*, D50
INKS = {"c": (55.0, -32.0, -46.0), "m": (49.0, 68.0, -4.0), "y": (86.0, -5.0, 82.0), "k": (21.0, 0.5, 0.5)}
GRID = 21  # nodes of each axis from colours to ink; half as many of each ink to colours
STEPS = 256.0  # of 16 bits in one unit of a* and b* (ICC.1:2010, 10.10, legacy encoding)


@cache
def print_profile(space: str) -> bytes:
    """A version 2 printer profile for ``RGB`` (ink is up to the driver) or ``CMYK``."""
    forward = _rgb_to_lab if space == "RGB" else _cmyk_to_lab
    count = 3 if space == "RGB" else 4
    axis = np.linspace(0, 1, GRID if count == 3 else GRID // 2 + 1)
    nodes = np.stack(np.meshgrid(*[axis] * count, indexing="ij"), axis=-1).reshape(-1, count)
    to_colour = _lut(count, 3, len(axis), _encoded(forward(nodes)))
    lab = np.stack(
        np.meshgrid(*[np.linspace(0, 65535, GRID)] * 3, indexing="ij"), axis=-1
    ).reshape(-1, 3)  # fmt: skip
    wanted = np.stack([lab[:, 0] / 652.8, lab[:, 1] / STEPS - 128, lab[:, 2] / STEPS - 128], axis=-1)
    ink = _inverted(wanted)
    device = 1 - ink if space == "RGB" else _with_black(ink)
    to_ink = _lut(3, count, GRID, np.round(device * 65535))
    paper = _xyz(np.array(PAPER), ICC_D50_XYZ)
    tags = {
        b"desc": _described(f"Crisp Grain simulated matt paper, {space}"),
        b"cprt": b"text\0\0\0\0Made by Crisp Grain. No copyright is claimed.\0",
        b"wtpt": b"XYZ \0\0\0\0" + b"".join(struct.pack(">i", round(v * 65536)) for v in paper),
        b"A2B0": to_colour, b"A2B1": to_colour, b"A2B2": to_colour,
        b"B2A0": to_ink, b"B2A1": to_ink, b"B2A2": to_ink,
    }  # fmt: skip
    return _file(space, tags)


def _rgb_to_lab(rgb: NDArray) -> NDArray:
    return _ink_to_lab(_with_black(1 - rgb))


def _cmyk_to_lab(cmyk: NDArray) -> NDArray:
    return _ink_to_lab(cmyk)


def _with_black(cmy: NDArray) -> NDArray:
    """Grey component replacement: what all three inks have beyond a third becomes black."""
    black = np.clip(cmy.min(axis=-1, keepdims=True) - 0.35, 0, None) / 0.65
    return np.concatenate([np.clip(cmy - 0.5 * black, 0, 1), black], axis=-1)


def _ink_to_lab(cmyk: NDArray) -> NDArray:
    """CIE L*a*b* relative to the paper, by the Neugebauer equations over 16 overprints."""
    mixed = np.zeros((len(cmyk), 3))
    for on in itertools.product((False, True), repeat=4):
        share = np.prod(np.where(on, cmyk, 1 - cmyk), axis=-1)  # Demichel
        mixed += share[:, None] * _overprint(on) ** (1 / N)
    return _lab(mixed**N)


@cache
def _overprint(on: tuple[bool, ...]) -> NDArray:
    """XYZ of inks over one another, as a share of the paper's."""
    paper, share = _xyz(np.array(PAPER), np.ones(3)), np.ones(3)
    for put, ink in zip(on, INKS.values(), strict=True):
        if put:
            share = share * _xyz(np.array(ink), np.ones(3)) / paper
    return share


def _inverted(lab: NDArray) -> NDArray:
    """The inks (before black is put in) that come nearest to colours: the nearest of many, then Gauss and Newton."""
    axis = np.linspace(0, 1, 33)
    many = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    ink = many[scipy.spatial.cKDTree(_ink_to_lab(_with_black(many))).query(lab)[1]]
    hair = 1e-4
    for _ in range(5):
        now = _ink_to_lab(_with_black(ink))
        slopes = [(_ink_to_lab(_with_black(np.clip(ink + hair * np.eye(3)[i], 0, 1))) - now) / hair for i in range(3)]
        jacobian = np.stack(slopes, axis=-1)
        gram = np.swapaxes(jacobian, 1, 2) @ jacobian + np.eye(3)
        step = np.linalg.solve(gram, np.swapaxes(jacobian, 1, 2) @ (lab - now)[..., None])[..., 0]
        tried = np.clip(ink + step, 0, 1)
        better = ((_ink_to_lab(_with_black(tried)) - lab) ** 2).sum(-1) < ((now - lab) ** 2).sum(-1)
        ink = np.where(better[:, None], tried, ink)
    return ink


def _lab(xyz: NDArray) -> NDArray:
    """CIE 1976 L*a*b* of XYZ relative to white (CIE 15:2004, 8.2.1)."""
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=-1)


def _xyz(lab: NDArray, white: NDArray) -> NDArray:
    y = (lab[0] + 16) / 116
    f = np.array([y + lab[1] / 500, y, y - lab[2] / 200])
    return np.where(f > 6 / 29, f**3, (116 * f - 16) * 27 / 24389) * white


def _encoded(lab: NDArray) -> NDArray:
    return np.round(np.clip(np.stack([lab[:, 0] * 652.8, *((lab[:, 1:].T + 128) * STEPS)], axis=-1), 0, 65535))


def _lut(inputs: int, outputs: int, grid: int, values: NDArray) -> bytes:
    """A lut16Type (ICC.1:2010, 10.10) with straight curves."""
    head = struct.pack(">4sIBBBB", b"mft2", 0, inputs, outputs, grid, 0)
    matrix = struct.pack(">9i", *(65536 if i % 4 == 0 else 0 for i in range(9)))
    straight = struct.pack(">2H", 0, 65535)
    return (
        head + matrix + struct.pack(">2H", 2, 2) + straight * inputs
        + values.astype(">u2").tobytes() + straight * outputs
    )  # fmt: skip


def _described(words: str) -> bytes:
    """A textDescriptionType of version 2 profiles (ICC.1:2001-04, 6.5.17)."""
    plain = words.encode("ascii") + b"\0"
    return b"desc\0\0\0\0" + struct.pack(">I", len(plain)) + plain + b"\0" * (4 + 4 + 2 + 1 + 67)


def _file(space: str, tags: dict[bytes, bytes]) -> bytes:
    contents = tagged(tags)
    header = struct.pack(
        ">I4sI4s4s4s6H4s4sI4sIQI",
        128 + len(contents), b"lcms", 0x02400000, b"prtr", space.encode().ljust(4), b"Lab ",
        2026, 1, 1, 0, 0, 0, b"acsp", b"\0" * 4, 0, b"\0" * 4, 0, 0, 0,
    )  # fmt: skip
    header += b"".join(struct.pack(">i", round(v * 65536)) for v in ICC_D50_XYZ) + b"\0" * 48
    return header + contents
