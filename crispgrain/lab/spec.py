"""What a lab takes, as it could publish it."""

from __future__ import annotations

import json
from pathlib import Path

from attrs import frozen

from crispgrain.session.json_file import load_json

HERE = Path(__file__).parent
SPEC = "specification of a lab"


@frozen
class Spec:
    """Formats by Pillow's names in lower case, profiles by description, sizes in mm, upright."""

    name: str
    formats: tuple[str, ...]
    profiles: tuple[str, ...]
    bits: tuple[int, ...]
    sizes: tuple[tuple[float, float], ...]
    ppi: tuple[float, float]  # least and most
    bleed: float  # mm on each side
    megabytes: float


def load_spec(path: Path | None = None) -> Spec:
    """The specification of a file, or of the made-up lab that comes with the program.

    Raises
    ------
    ShotError
        If it cannot be read, or does not keep to ``spec.schema.json``; says where.
    """
    data = load_json(path or HERE / "spec.json", json.loads((HERE / "spec.schema.json").read_text("utf-8")), SPEC)
    return Spec(
        data["name"], tuple(data["formats"]), tuple(data["profiles"]), tuple(data["bits"]),
        tuple((width, height) for width, height in data["sizes_mm"]), tuple(data["ppi"]), data["bleed_mm"],
        data["megabytes"],
    )  # fmt: skip
