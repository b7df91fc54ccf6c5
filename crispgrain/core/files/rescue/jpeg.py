"""A damaged JPEG: what can be read, at its place and in its light; the rest from the preview, and marked."""

from __future__ import annotations

import io
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFile

from .found import Found
from .jpeg_breaks import Break, breaks_of
from .jpeg_header import Header, mended, read_header
from .jpeg_scan import Placed, blocks_of, runs_of

FITS = 6.0  # 8-bit steps between neighbouring blocks of one picture, beyond what is usual in it
RARE = 0.5  # percent of pixels that may be beyond black or white
FAIR = 0.7  # how much a unit that fits counts against one that does not
ROWS_UP = 4  # of units, that are looked through for one that is known


@dataclass
class _Canvas:
    """Units of a picture in reading order, by component, and which of them are known."""

    parts: list[NDArray[np.float32]]
    known: NDArray[np.bool_]
    row: int  # units of each


def rescued_jpeg(data: bytes, start: int = 0, model: bytes | None = None, preview: bytes | None = None) -> Found:
    """Read what is left of a JPEG that begins at a byte of some data.

    Parameters
    ----------
    model : bytes, optional
        A healthy file of the same camera: what the header lacks is taken from it.
    preview : bytes, optional
        A small JPEG of the same picture, shown where the picture is lost.

    Raises
    ------
    ValueError
        If nothing of it can be read; says why.
    """
    header, said = mended(read_header(data, start), read_header(model) if model else None)
    if header.kind != "baseline":
        return _by_library(data[start:], header, said)
    if header.scan is None:
        header.scan = header.ended
    across = max(c.across for c in header.components)
    down = max(c.down for c in header.components)
    if len(header.components) == 1:
        across = down = 1
    row, rows = -(-header.width // (8 * across)), -(-header.height // (8 * down))
    placed = runs_of(data, header, row, row * rows)
    if not placed:
        raise ValueError("no part of its pixels can be decoded")
    canvas = _assembled(placed, header, row, rows)
    planes = [
        np.clip(part, -128, 127).reshape(rows, row, *part.shape[1:]).swapaxes(1, 2).reshape(rows * part.shape[1], -1)
        for part in canvas.parts
    ]
    size = (row * 8 * across, rows * 8 * down)
    full = [planes[0], *(_as_large(p, size) for p in planes[1:])]
    stored = _to_rgb(full)[: header.height, : header.width]
    lost = np.kron(~canvas.known.reshape(rows, row), np.ones((8 * down, 8 * across), bool))
    lost = lost[: header.height, : header.width]
    stored = _filled(np.ascontiguousarray(stored), lost, preview)
    steps = tuple(header.steps[header.components[0].steps].tolist())
    return Found(stored, lost, tuple(said), header.icc, steps=steps)


def _assembled(placed: list[Placed], header: Header, row: int, rows: int) -> _Canvas:
    units, canvas, faults = row * rows, None, list[int]()
    for each in placed:
        parts = blocks_of(each.run, header)
        if canvas is None:
            canvas = _Canvas([np.zeros((units, *p.shape[1:]), np.float32) for p in parts], np.zeros(units, bool), row)
        begins_dark = each.first > 0 and not header.restart
        pieces = _pieces(canvas, parts, each, rigid=bool(header.restart))
        for first, last, place in pieces:
            if place > 0 and (not header.restart or not canvas.known[place - 1]):
                faults.append(place)
            _put(canvas, [p[first:last] for p in parts], place, begins_dark or first > 0)
        if pieces and not each.run.sound and not header.restart:  # it goes on for a while before it makes no sense
            first, last, place = pieces[-1]
            _mark_doubtful(canvas, place + last - first)
    assert canvas is not None
    for place in faults:
        _mark_doubtful(canvas, place)
    return canvas


def _pieces(
    canvas: _Canvas, parts: list[NDArray[np.float32]], placed: Placed, rigid: bool
) -> list[tuple[int, int, int]]:
    """Parts of a run (first unit, last, place in the picture), split where units are missing or too many inside it."""
    count, units = len(parts[0]), len(canvas.known)
    at_start, at_end = placed.sure and placed.first == 0, placed.sure and placed.first + count == units
    place = placed.first if placed.sure else _fitting_place(canvas, parts[0], placed.first)
    lacking = placed.following - count - place if at_start and placed.following is not None else None
    breaks = [] if rigid else breaks_of(parts, canvas.row, place, lacking, placed.following == units)
    shift = 0 if at_start or not at_end else -sum(b.missing for b in breaks)
    out, first = [], 0
    for each in [*breaks, Break(count, 0)]:
        start = place + first + shift
        last = min(each.at, units - place - shift)
        if start >= 0 and last > first:
            out.append((first, last, start))
        first, shift = each.at, shift + each.missing
    return out


def _fitting_place(canvas: _Canvas, luma: NDArray[np.float32], about: int) -> int:
    """Where the upper edges of a run's first units fit best to the units above, near where they are thought to be."""
    row, units = canvas.row, len(canvas.known)
    head = min(len(luma), row)
    best, place = np.inf, about
    for first in range(max(about - row, 0), min(about + row, units - len(luma)) + 1):
        above = np.arange(first - row, first - row + head)
        there = (above >= 0) & (above < units)
        there[there] = canvas.known[above[there]]
        if there.sum() < min(head, 8):
            continue
        steps = luma[:head][there][:, 0] - canvas.parts[0][above[there]][:, -1]
        steps -= np.median(steps)
        cost = float(np.mean(np.abs(steps))) * (1 + 2 / there.sum() ** 0.5)
        if cost < best:
            best, place = cost, first
    return place


def _put(canvas: _Canvas, parts: list[NDArray[np.float32]], place: int, lit_anew: bool) -> None:
    """Put units at their place; their light, which is counted from the unit before, is taken from what is above."""
    row, units = canvas.row, len(canvas.known)
    count = len(parts[0])
    if lit_anew:
        head = np.arange(min(count, row))
        above, beside = _known_above(canvas, place + head), place - 1
        there = above >= 0
        for own, whole in zip(parts, canvas.parts, strict=True):
            if there.sum() >= 4:
                lower, upper = own[head[there]], whole[above[there]]
                slope = (lower[:, 1] - lower[:, 0] + upper[:, -1] - upper[:, -2]) / 2
                own -= np.median(np.mean(lower[:, 0] - upper[:, -1] - slope, axis=1))
            elif beside >= 0 and canvas.known[beside]:
                own -= np.mean(own[0][:, 0] - whole[beside][:, -1])
            else:
                own -= np.mean(own)
        low, high = np.percentile(parts[0][::7], [RARE, 100 - RARE])
        parts[0] -= min(max(high - 127, 0), low + 128) if low > -128 else min(low + 128, 0)  # between black and white
    to = slice(place, min(place + count, units))
    for own, whole in zip(parts, canvas.parts, strict=True):
        whole[to] = own[: to.stop - to.start]
    canvas.known[to] = True


def _known_above(canvas: _Canvas, places: NDArray[np.int64]) -> NDArray[np.int64]:
    """The next known unit above each place, a few rows up at most; -1 for none."""
    found = np.full(len(places), -1)
    for rows in range(1, ROWS_UP + 1):
        above = places - rows * canvas.row
        there = (above >= 0) & (found < 0)
        there[there] = canvas.known[above[there]]
        found[there] = above[there]
    return found


def _mark_doubtful(canvas: _Canvas, place: int) -> None:
    """Mark units before and behind a fault as lost, as far as most fit neither the one before nor that above."""
    row, units = canvas.row, len(canvas.known)
    before = _misfits(canvas, np.arange(max(place - ROWS_UP * row, 1), place))[::-1]
    behind = _misfits(canvas, np.arange(max(place, 1), min(place + row, units)))
    canvas.known[place - _bad_stretch(before) : place + _bad_stretch(behind)] = False


def _misfits(canvas: _Canvas, places: NDArray[np.int64]) -> NDArray[np.bool_]:
    misfits = np.zeros(len(places), bool)
    for part in canvas.parts if len(places) else []:
        own = part[places]
        beside = np.abs(np.mean(own[:, :, 0] - part[places - 1][:, :, -1], axis=1))
        above = np.abs(np.mean(own[:, 0] - part[places - canvas.row][:, -1], axis=1))
        misfits |= np.minimum(beside, np.where(places >= canvas.row, above, np.inf)) > FITS
    return misfits & canvas.known[places]


def _bad_stretch(misfits: NDArray[np.bool_]) -> int:
    """How many there are from the first on, so that as many as can be of them misfit, and as few as can be do not."""
    gained = np.cumsum(np.where(misfits, 1.0, -FAIR))
    return int(np.argmax(gained)) + 1 if len(gained) and gained.max() > 0 else 0


def _as_large(plane: NDArray[np.float32], size: tuple[int, int]) -> NDArray[np.float32]:
    """Colour at the size of luma; between its pixels as the JPEG library does, which has them in the middle."""
    if (plane.shape[1], plane.shape[0]) == size:
        return plane
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR))


def _to_rgb(planes: list[NDArray[np.float32]]) -> NDArray[np.uint8]:
    """As JFIF 1.02 has it."""
    luma = np.rint(planes[0]) + 128
    if len(planes) == 1:
        return np.clip(luma, 0, 255).astype(np.uint8)
    blue, red = np.rint(planes[1]), np.rint(planes[2])
    rgb = np.stack([luma + 1.402 * red, luma - 0.344136 * blue - 0.714136 * red, luma + 1.772 * blue], axis=-1)
    return np.clip(np.rint(rgb), 0, 255).astype(np.uint8)


def _filled(stored: NDArray[np.uint8], lost: NDArray[np.bool_], preview: bytes | None) -> NDArray[np.uint8]:
    """The picture with its preview, or mid grey, where it is lost."""
    small = None
    if preview:
        try:
            small = np.asarray(Image.open(io.BytesIO(preview)).convert("RGB" if stored.ndim == 3 else "L"))
        except (OSError, ValueError):
            small = None
    if small is None:
        stored[lost] = 128
    else:
        large = cv2.resize(small, (stored.shape[1], stored.shape[0]), interpolation=cv2.INTER_CUBIC)
        stored[lost] = large[lost]
    return stored


def _by_library(data: bytes, header: Header, said: list[str]) -> Found:
    """A progressive JPEG, as far as the JPEG library gets; what its first pass did not reach is grey and lost."""
    before = ImageFile.LOAD_TRUNCATED_IMAGES
    ImageFile.LOAD_TRUNCATED_IMAGES = True
    try:
        with Image.open(io.BytesIO(data)) as picture:
            picture.load()
            stored = np.array(picture.convert("RGB") if picture.mode not in ("RGB", "L") else picture)
    except Exception as error:
        raise ValueError("no part of its pixels can be decoded") from error
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before
    flat = np.ptp(stored.reshape(len(stored), -1), axis=1) == 0
    whole = np.flatnonzero(~flat)
    lost = np.zeros(stored.shape[:2], bool)
    lost[whole[-1] + 1 if len(whole) else 0 :] = True
    return Found(
        stored, lost, (*said, "It was written in passes: where later ones are lost, it is coarse."), header.icc
    )
