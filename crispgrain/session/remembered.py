"""How a roll is looked at (selection, order, what is listed, zoom and place), as plain data for the next start."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from crispgrain.core.marks import Mark
from crispgrain.core.model import Stage

from .listing import Listing, Order

if TYPE_CHECKING:
    from .session import Session


def remembered(session: Session) -> dict[str, Any]:
    """What is worth finding again."""
    listing, viewport, roll = session.roll.listing, session.viewport, session.roll
    x, y = viewport.centre
    return {
        "selection": [str(roll[id].path) for id in session.selection if id in roll.shots],
        "order": listing.order.value, "descending": listing.descending, "text": listing.text,
        "marks": sorted(mark.value for mark in listing.marks) if listing.marks is not None else None,
        "folded": listing.folded, "stacked": listing.stacked, "stage": session.stage.value,
        "fitted": viewport.fitted, "scale": viewport.scale,
        "centre": [x / viewport.size.width, y / viewport.size.height],
    }  # fmt: skip


def recall(session: Session, data: dict[str, Any]) -> None:
    """Put it back on a roll that was opened again; what does not fit any more is left as it is."""
    try:
        marks = frozenset(Mark(mark) for mark in data["marks"]) if data["marks"] is not None else None
        listing = Listing(
            Order(data["order"]), data["descending"], data["text"], marks, data["folded"], data["stacked"]
        )
        stage, (x, y) = Stage(data["stage"]), data["centre"]
        paths = {Path(path) for path in data["selection"]}
        scale = float(data["scale"])
    except (KeyError, ValueError, TypeError):
        return
    session.roll.arrange(listing)
    session.select([id for id, shot in session.roll.shots.items() if shot.path in paths])
    session.choose_stage(stage)
    session.viewport.restore(None if data.get("fitted") else scale, (float(x), float(y)))
