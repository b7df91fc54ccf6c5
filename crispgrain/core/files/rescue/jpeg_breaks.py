"""Faults that went unnoticed while a JPEG was read: from there on units are shifted, or too light or dark."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

MOST = 12  # breaks in a run
CLEAR = 30.0  # variance between edges, in squares of 8-bit steps, that a row of units has to disagree by
LIT = 3.0  # 8-bit steps that light has to be off by
EXPLAINED_BY_LIGHT = 0.6
EXPLAINED = 0.4  # of it, that may be left when a break is the reason
LEAST = 4  # units behind a break that can be compared
SAME = 0.5  # of a step of light upwards: how much the step sideways may differ from it


@dataclass(frozen=True)
class Break:
    """From a unit on, so many are missing before it (fewer than none: there are too many)."""

    at: int
    missing: int


@dataclass(frozen=True)
class _Edges:
    """Edges of units, all components: upper and lower (units x pixels), and the step from the unit before."""

    upper: NDArray[np.float32]
    lower: NDArray[np.float32]
    aside: NDArray[np.float32]


def breaks_of(
    parts: list[NDArray[np.float32]], row: int, place: int = 0, lacking: int | None = None, all_there: bool = True
) -> list[Break]:
    """Where in a run of units (each component: units x rows x columns) the picture breaks.

    In a picture ``row`` units wide the upper edge of each unit goes on from the lower edge of that ``row`` before it,
    all through the run; only over the first row behind a break it does not, but does for another distance, or with
    another light. ``place`` is that of the first unit in the picture; ``lacking`` is how many units are missing in all,
    where that is known; unless ``all_there`` they may be missing behind the run, too.
    """
    edges = _Edges(
        np.concatenate([p[:, 0] for p in parts], axis=1),
        np.concatenate([p[:, -1] for p in parts], axis=1),
        np.concatenate([[0], np.mean(parts[0][1:, :, 0] - parts[0][:-1, :, -1], axis=1)]).astype(np.float32),
    )
    count, found = len(edges.upper), list[Break]()
    if count < 2 * row:
        return []
    apart = np.full(count, 0, np.float64)  # how much each unit disagrees with that above it
    apart[row:] = np.mean((edges.upper[row:] - edges.lower[:-row]) ** 2, axis=1)
    if lacking:
        if only := _best_break(edges, row, range(1, count), apart, [lacking]):
            return [only]
        several = _shifted(edges, row, apart)
        if sum(b.missing for b in several) == lacking:
            return several
        # About a row is missing, or more: nothing lies above what follows it, but the end tells how much it is.
        return [Break(int(np.argmax(_mean_ahead(apart, row))), lacking)] if all_there else []
    # Textures pass for shifts, so these are looked for only where units are known to be missing.
    for _ in range(MOST):
        best = _best_break(edges, row, range(1, count), apart, [0], [b.at for b in found], place)
        if best is None:
            break
        found.append(best)
    return sorted(found, key=lambda b: b.at)


def _shifted(edges: _Edges, row: int, apart: NDArray[np.float64]) -> list[Break]:
    """Breaks where units disagree most with those above."""
    count, found = len(apart), list[Break]()
    open_places = np.ones(count, bool)
    for _ in range(MOST):
        windows = _mean_ahead(np.where(open_places, apart, 0), row)
        peak = int(np.argmax(windows))
        if windows[peak] < CLEAR:
            break
        near = range(max(peak - row // 2, 1), min(peak + row // 2 + 1, count))
        best = _best_break(edges, row, near, apart, range(-row + 1, row - 1))
        if best is not None:
            found.append(best)
            open_places[max(best.at - 2, 0) : best.at + row] = False
        open_places[max(peak - row // 4, 0) : peak + row] = False
    return sorted(found, key=lambda b: b.at)


def _mean_ahead(values: NDArray[np.float64], row: int) -> NDArray[np.float64]:
    """Of each place and those after it, a row in all."""
    sums = np.concatenate([[0.0], np.cumsum(values)])
    ends = np.minimum(np.arange(len(values)) + row, len(values))
    return np.asarray((sums[ends] - sums[:-1]) / row)


def _best_break(
    edges: _Edges,
    row: int,
    near: range,
    apart: NDArray[np.float64],
    shifts: Sequence[int],
    known: Sequence[int] = (),
    place: int = 0,
) -> Break | None:
    """The break among some units that explains it best, if any does."""
    best_gain, best = 0.0, None
    for missing in shifts:
        ahead = row - max(missing, 0)  # units behind the break that lie below ones before it
        if ahead < (LEAST if len(shifts) == 1 else max(row // 2, LEAST)):
            continue
        starts = np.arange(max(near.start, row, row - missing), min(near.stop, len(edges.upper) - ahead))
        if not len(starts):
            continue
        light, after = _disagreement(edges, row, starts, ahead, missing)
        before = _mean_of(apart, starts, ahead)
        if missing == 0:  # an edge right across the picture looks like this, too, but not from the side
            lit = np.mean(light, axis=1)
            good = (np.abs(edges.aside[starts] - lit) < SAME * np.abs(lit) + 1) & (np.abs(lit) > LIT)
            good &= (after < EXPLAINED_BY_LIGHT * before) & ((starts + place) % row != 0)
            for each in known:
                good &= np.abs(starts - each) > row
        else:  # which light alone would not explain
            plain = _disagreement(edges, row, starts, ahead, 0)[1]
            good = (after < EXPLAINED * plain) & (plain > CLEAR / 2)
        gain = np.where(good, (before - after) * ahead / row, 0)
        n = int(np.argmax(gain))
        if gain[n] > best_gain:
            best_gain, best = float(gain[n]), Break(int(starts[n]), missing)
    return best


def _mean_of(values: NDArray, starts: NDArray[np.int64], ahead: int) -> NDArray[np.float64]:
    """Of so many values (N or N x pixels) from each start on."""
    first = int(starts[0])
    part = values[first : int(starts[-1]) + ahead]
    sums = np.concatenate([np.zeros((1, *part.shape[1:])), np.cumsum(part, axis=0, dtype=np.float64)])
    return np.asarray((sums[starts - first + ahead] - sums[starts - first]) / ahead)


def _disagreement(
    edges: _Edges, row: int, starts: NDArray[np.int64], ahead: int, missing: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean step from the units above, by pixel of the edge, and its variance, for a break at each of some starts."""
    units = np.arange(int(starts[0]), int(starts[-1]) + ahead)
    above = units + missing - row
    there = (above >= 0) & (above < len(edges.lower))
    steps = np.zeros((len(units), edges.upper.shape[1]), np.float32)
    steps[there] = edges.upper[units[there]] - edges.lower[above[there]]
    from_first = starts - starts[0]
    light = _mean_of(steps, from_first, ahead)
    square = _mean_of(np.mean(steps**2, axis=1), from_first, ahead)
    return light, square - np.mean(light**2, axis=1)
