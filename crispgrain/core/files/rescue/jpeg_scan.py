"""The pixels of a damaged JPEG: read in runs between faults, each brought back to its place and its light."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from .huffman import Layout, Run, code_table, coefficients, decoded, words_of
from .jpeg_header import Header

TRIED = 48  # units that must make sense for reading to be taken up again, and then at least so many rows of them
ROWS = 2
FAR = 1 << 17  # bits looked through after a fault for where reading can be taken up
AT_ONCE = 64  # bits between runs that are one: an error was only noticed there
HOLE = 64  # bytes alike in a row: of a cluster that was wiped


@dataclass(frozen=True)
class Placed:
    """A run and the number of its first unit in the picture.

    ``sure`` says that its place is known and not estimated; ``following`` is the place of what follows at once.
    """

    run: Run
    first: int
    sure: bool
    following: int | None = None


def layout_of(header: Header) -> Layout:
    """The blocks of a unit in the order of the scan."""
    blocks = []
    for component in header.components:
        dc, ac = (
            code_table(*header.codes[kind, number], dc=kind == 0)
            for kind, number in enumerate(header.chosen[component.id])
        )
        count = component.across * component.down if len(header.components) > 1 else 1
        blocks += [(component.id, dc, ac, int(header.steps[component.steps][0]))] * count
    return Layout(tuple(blocks))


def unstuffed(scan: bytes) -> bytes:
    """A scan without the zeros that follow each FF (T.81, B.1.1.5)."""
    return scan.replace(b"\xff\x00", b"\xff")


def scan_end(data: bytes, start: int) -> tuple[int, bool]:
    """Where the scan ends, and whether that is the end of the picture: the last EOI, as damage may look like others."""
    end = data.rfind(b"\xff\xd9", start)
    if end < 0:
        return len(data), False
    # What follows the picture begins with a start of its own (previews), or is nothing of it.
    first = re.compile(b"\xff\xd9(?=\xff\xd8|$)").search(data, start)
    return (first.start() if first else end), True


def runs_of(data: bytes, header: Header, row: int, units: int) -> list[Placed]:
    """All that can be read of a scan, and where it belongs, estimated if it cannot be known."""
    assert header.scan is not None
    layout = layout_of(header)
    end, whole = scan_end(data, header.scan)
    scan = data[header.scan : end]
    if not scan:
        return []
    if header.restart:
        return _between_restarts(scan, layout, header.restart, units)
    return _placed(_runs(unstuffed(scan), layout, row, units), units, whole)


def _between_restarts(scan: bytes, layout: Layout, interval: int, units: int) -> list[Placed]:
    """Each piece between two restart markers; their numbers, which count to 8, tell when some are missing."""
    placed, first, at = [], 0, 0
    marks = [m.start() for m in re.finditer(rb"\xff[\xd0-\xd7]", scan)]
    for number, mark in enumerate([*marks, len(scan)]):
        piece = unstuffed(scan[at:mark])
        run = decoded(words_of(piece), 8 * len(piece), layout, 0, min(interval, units - first))
        if len(run):
            placed.append(Placed(run, first, True))
        if mark == len(scan):
            break
        counted = scan[mark + 1] - 0xD0
        ahead = (counted - first // interval) % 8
        # A number that is one or two behind is a marker made by damage.
        if ahead < 6 or number == 0:
            first += interval * (ahead + 1)
        at = mark + 2
        if first >= units:
            break
    return placed


def _holes(scan: bytes) -> list[tuple[int, int]]:
    """Where bytes are alike for long, in bits: what was wiped."""
    pattern = re.compile(rb"(?s)(\x00{%d,}|\xff{%d,})" % (HOLE, HOLE))
    return [(8 * m.start(), 8 * m.end()) for m in pattern.finditer(scan)]


def _runs(scan: bytes, layout: Layout, row: int, units: int) -> list[Run]:
    """Runs of a scan without restarts, up to its end."""
    words, end = words_of(scan), 8 * len(scan)
    whole = decoded(words, end, layout, 0, units)
    if whole.sound and len(whole) == units and end - whole.starts[-1] < 16:
        return [whole]
    holes, runs, bit = _holes(scan), list[Run](), 0
    limit = units + units // 8  # damage may make more of them than there were
    while bit < end and sum(map(len, runs)) < limit:
        hole = next((h for h in holes if h[0] >= bit), None)
        until = hole[0] if hole else end
        run = decoded(words, until, layout, bit, limit)
        if run.sound or not bit or len(run) > ROWS * row:  # less may be anything
            runs.append(run)
        at = run.starts[-1] + 1 if not run.sound else until
        if run.sound and hole is not None:
            at = hole[1]
        elif run.sound:
            break
        taken_up = _taken_up(words, end, layout, at)
        if taken_up is None:
            break
        bit = taken_up
    return runs


def _taken_up(words: memoryview, end: int, layout: Layout, at: int) -> int | None:
    """The first bit from ``at`` on from which reading makes sense for long enough, or to the end."""
    for bit in range(at, min(end, at + FAR)):
        run = decoded(words, end, layout, bit, TRIED)
        if len(run) == TRIED or (run.sound and len(run) > 1):
            return bit
    return None


def _placed(runs: list[Run], units: int, whole: bool) -> list[Placed]:
    """The first run starts the picture and the last ends it, if its end is there; others by the bits between them."""
    if not runs:
        return []
    bits = sum(r.starts[-1] - r.starts[0] for r in runs)
    each = bits / max(sum(map(len, runs)), 1)
    placed = []
    for n, run in enumerate(runs):
        if run.starts[0] == 0:
            placed.append(Placed(run, 0, True))
        elif n == len(runs) - 1 and whole and run.sound:
            placed.append(Placed(run, units - len(run), True, units))
        else:
            before = placed[-1] if placed else None
            gap = run.starts[0] - (before.run.starts[-1] if before else 0)
            first = (before.first + len(before.run) if before else 0) + round(gap / each)
            placed.append(Placed(run, max(0, min(first, units - len(run))), False))
    if len(runs) == 1 and whole and runs[0].sound:
        placed = [replace(placed[0], following=units)]
    for n, (one, other) in enumerate(pairwise(placed)):
        if other.sure and other.run.starts[0] - one.run.starts[-1] < AT_ONCE:
            placed[n] = replace(one, following=other.first)
    return placed


def blocks_of(run: Run, header: Header) -> list[NDArray[np.float32]]:
    """Pixels of each component (units x rows x columns) of a run, 0 for mid grey of the first block's mean."""
    single = len(header.components) == 1
    shapes = [(1, 1) if single else (c.down, c.across) for c in header.components]
    stored = coefficients(run, sum(d * a for d, a in shapes))
    out, at = [], 0
    for component, (down, across) in zip(header.components, shapes, strict=True):
        part = stored[:, at : at + down * across] * header.steps[component.steps].astype(np.float32)
        at += down * across
        pixels = scipy.fft.idctn(part.reshape(-1, 8, 8), axes=(1, 2), norm="ortho", overwrite_x=True)
        tiles = pixels.reshape(len(run), down, across, 8, 8).swapaxes(2, 3)
        out.append(np.ascontiguousarray(tiles.reshape(len(run), 8 * down, 8 * across)))
    return out
