"""Lists of operations that a DNG asks its reader for, taken apart.

References
----------
Adobe DNG specification 1.4, chapter 7, "Opcode List Processing". The order of the head's fields is from memory.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

HEAD = struct.Struct(">IIII")  # opcode, version of the specification, flags, bytes that follow
OPTIONAL = 1  # flag of an operation that a reader need not know


def entries(data: bytes) -> Iterator[tuple[int, bool, bytes]]:
    """Number of each operation, whether it may be left out, and its parameters.

    Raises
    ------
    struct.error
        If the list is cut short.

    Examples
    --------
    >>> list(entries(bytes.fromhex("00000001 00000009 01030000 00000001 00000002 abcd")))
    [(9, True, b'\\xab\\xcd')]
    """
    if not data:
        return
    (count,) = struct.unpack_from(">I", data)
    place = 4
    for _ in range(count):
        opcode, _, flags, length = HEAD.unpack_from(data, place)
        place += HEAD.size
        if place + length > len(data):
            raise struct.error("the list ends within an operation")
        yield opcode, bool(flags & OPTIONAL), data[place : place + length]
        place += length
