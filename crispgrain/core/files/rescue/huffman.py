"""The entropy-coded part of a baseline JPEG (ITU-T T.81, annex F), read from any bit on, as far as it makes sense."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

ZIGZAG = (  # T.81, figure A.6: place in a block of each coefficient as it is stored
    0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21,
    28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54,
    47, 55, 62, 63,
)  # fmt: skip
WORD = 0xFFFFFFFF
BLACK_TO_WHITE = 2048 * 1.15  # what the mean of a block, times 8, may differ by in one picture; a little over
LONGEST_DC, LONGEST_AC = 11, 10  # bits of a coefficient (T.81, tables F.1 and F.2)

Table = list[int]  # by the next 16 bits: length of the code + 32 x bits that follow + 512 x zeros before; -1 for none


def code_table(counts: Sequence[int], symbols: Sequence[int], dc: bool) -> Table:
    """What each 16 bits begin with, of the codes of a DHT segment (T.81, annex C).

    Raises
    ------
    ValueError
        If there are more codes than lengths allow.

    Examples
    --------
    >>> table = code_table([1] + [0] * 15, [5], dc=True)  # the code 0 says that 5 bits follow
    >>> table[0x7FFF] & 31, table[0x7FFF] >> 5 & 15, table[0x8000]
    (1, 5, -1)
    """
    table, code, at = [-1] * 65536, 0, 0
    for length, count in enumerate(counts, 1):
        for symbol in symbols[at : at + count]:
            run, size = (0, symbol) if dc else (symbol >> 4, symbol & 15)
            known = size <= (LONGEST_DC if dc else LONGEST_AC) and (dc or size > 0 or run in (0, 15))
            first, last = code << (16 - length), (code + 1) << (16 - length)
            if last > 65536:
                raise ValueError("more codes than their lengths allow")
            table[first:last] = [length | size << 5 | run << 9 if known else -1] * (last - first)
            code += 1
        at += count
        code <<= 1
    return table


@dataclass(frozen=True)
class Layout:
    """How the blocks of a scan follow one another: component, codes of both kinds, step of the mean; once for each."""

    blocks: tuple[tuple[int, Table, Table, int], ...]


@dataclass(frozen=True)
class Run:
    """Units (MCU) that were read one after another.

    Attributes
    ----------
    starts : list of int
        The bit at which each unit starts, and that after the last.
    where, what : list of int
        Place of each coefficient that is not 0, 64 to a block, and its value. Means count from 0 at the first block.
    sound : bool
        Whether it ended because the data did, or what was asked for was there.
    """

    starts: list[int]
    where: list[int]
    what: list[int]
    sound: bool

    def __len__(self) -> int:
        return len(self.starts) - 1


def words_of(data: bytes) -> memoryview:
    """The 40 bits from each byte on, of a scan without stuffing."""
    padded = np.concatenate([np.frombuffer(data, np.uint8), np.zeros(8, np.uint8)]).astype(np.uint64)
    words = np.zeros(len(data) + 4, np.uint64)
    for n in range(5):
        words |= padded[n : n + len(words)] << np.uint64(8 * (4 - n))
    return memoryview(words)  # type: ignore[arg-type]


def decoded(words: memoryview, end: int, layout: Layout, start: int, limit: int) -> Run:
    """Read up to ``limit`` units from a bit on, until the data end at the bit ``end`` or make no sense.

    No sense make codes that do not exist, blocks of more than 64 coefficients, and means further apart than black and
    white.
    """
    starts, where, what = [start], list[int](), list[int]()
    means = {c: 0 for c, *_ in layout.blocks}
    lowest, highest = dict(means), dict(means)
    widest = {c: BLACK_TO_WHITE / step for c, _, _, step in layout.blocks}
    place, bit = 0, start
    for _ in range(limit):
        before = len(where)
        for component, dc, ac, _step in layout.blocks:
            word = words[bit >> 3] >> (8 - (bit & 7)) & WORD if bit < end else 0
            entry = dc[word >> 16]
            if entry < 0 or bit >= end:
                break
            length, size = entry & 31, entry >> 5 & 15
            bit += length + size
            if size:
                value = word >> (32 - length - size) & ((1 << size) - 1)
                means[component] += value if value >> (size - 1) else value - (1 << size) + 1
                mean = means[component]
                if mean < lowest[component]:
                    lowest[component] = mean
                elif mean > highest[component]:
                    highest[component] = mean
                if highest[component] - lowest[component] > widest[component]:
                    break
            if means[component]:
                where.append(place)
                what.append(means[component])
            at = 1
            while at < 64:
                if bit >= end:
                    break
                word = words[bit >> 3] >> (8 - (bit & 7)) & WORD
                entry = ac[word >> 16]
                if entry < 0:
                    break
                length, size = entry & 31, entry >> 5 & 15
                bit += length + size
                at += entry >> 9
                if not size:
                    if entry >> 9 == 15:
                        at += 1
                        continue
                    at = 100
                    break
                if at > 63:
                    at = 0
                    break
                value = word >> (32 - length - size) & ((1 << size) - 1)
                where.append(place + ZIGZAG[at])
                what.append(value if value >> (size - 1) else value - (1 << size) + 1)
                at += 1
            if at < 64:
                break
            place += 64
        else:
            if bit <= end:
                starts.append(bit)
                continue
        del where[before:], what[before:]
        return Run(starts, where, what, sound=bit >= end)
    return Run(starts, where, what, sound=True)


def coefficients(run: Run, blocks: int) -> NDArray[np.float32]:
    """Of the blocks of a run (units x blocks of each x 64), row by row."""
    out = np.zeros(len(run) * blocks * 64, np.float32)
    out[np.asarray(run.where, np.int64)] = np.asarray(run.what, np.float32)
    return out.reshape(len(run), blocks, 64)
