"""Where pictures go on pages, in mm from the upper left corner of the sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import TreatmentError

HAIR = 1e-6  # mm


@dataclass(frozen=True)
class Print:
    """A picture that is to be so wide and high on paper, in mm, ``bleed`` on each side of it included."""

    width: float
    height: float
    bleed: float = 0.0

    @property
    def turned(self) -> Print:
        return Print(self.height, self.width, self.bleed)


@dataclass(frozen=True)
class Place:
    """Where a picture lies on a page, bleed included; whether it was turned by a quarter."""

    index: int  # in the order given
    left: float
    top: float
    width: float
    height: float
    bleed: float
    turned: bool = False

    def around(self, width: int, height: int) -> Place:
        """The same place for a picture of a shape, in its middle and as large as it fits in."""
        scale = min(self.width / width, self.height / height)
        across, along = width * scale, height * scale
        left, top = self.left + (self.width - across) / 2, self.top + self.height - along
        return Place(self.index, left, top, across, along, self.bleed, self.turned)


def pages(prints: Sequence[Print], width: float, height: float, margin: float, gap: float) -> list[list[Place]]:
    """Pictures in rows, one after the other, a new page when one is full; each turned if it fits only then.

    Parameters
    ----------
    width, height : float
        Of the sheet.
    margin : float
        Left free at each edge of the sheet.
    gap : float
        Between two pictures.

    Raises
    ------
    TreatmentError
        If one is larger than what can be printed on, or a size is none.
    """
    room_x, room_y = width - 2 * margin, height - 2 * margin
    if min(room_x, room_y) <= 0:
        raise TreatmentError(f"a margin of {margin:g} mm leaves nothing of the sheet")
    done: list[list[Place]] = [[]]
    left = top = row = 0.0
    for index, wish in enumerate(prints):
        if min(wish.width, wish.height) <= 0:
            raise TreatmentError(f"picture {index + 1} has no size")
        fits = [p.width <= room_x + HAIR and p.height <= room_y + HAIR for p in (wish, wish.turned)]
        if not any(fits):
            raise TreatmentError(
                f"picture {index + 1} is {wish.width:.0f} × {wish.height:.0f} mm with bleed; the sheet has room for "
                f"{room_x:.0f} × {room_y:.0f} mm"
            )
        turned = not fits[0]
        one = wish.turned if turned else wish
        if left + one.width > room_x + HAIR:  # the next row
            left, top, row = 0.0, top + row + gap, 0.0
        if top + one.height > room_y + HAIR:  # the next page
            done.append([])
            left = top = row = 0.0
        done[-1].append(Place(index, margin + left, margin + top, one.width, one.height, one.bleed, turned))
        left, row = left + one.width + gap, max(row, one.height)
    return done


def cells(count: int, columns: int, rows: int, width: float, height: float, margin: float, gap: float,
          words: float) -> list[list[Place]]:  # fmt: skip
    """Frames of a contact sheet, row by row, each with ``words`` mm below it for its name; raises as :func:`pages`."""
    across = (width - 2 * margin - (columns - 1) * gap) / columns
    down = (height - 2 * margin - (rows - 1) * gap) / rows - words
    if min(across, down) <= 0:
        raise TreatmentError(f"{columns} × {rows} frames do not fit on {width:g} × {height:g} mm")
    out: list[list[Place]] = []
    for index in range(count):
        row, column = divmod(index % (columns * rows), columns)
        if not row and not column:
            out.append([])
        out[-1].append(
            Place(index, margin + column * (across + gap), margin + row * (down + words + gap), across, down, 0.0)
        )
    return out
