"""What a lab takes, as it could publish it."""

from __future__ import annotations

import json
from importlib.resources import files
from pathlib import Path

import jsonschema
from attrs import frozen

from crispgrain.core.errors import TreatmentError

HERE = files("crispgrain.lab")


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
    TreatmentError
        If it cannot be read, or does not keep to ``spec.schema.json``; says where.
    """
    try:
        text = path.read_text(encoding="utf-8") if path is not None else (HERE / "spec.json").read_text("utf-8")
        data = json.loads(text)
        jsonschema.validate(data, json.loads((HERE / "spec.schema.json").read_text("utf-8")))
    except OSError as error:
        raise TreatmentError(f"{path}: {error.strerror}") from error
    except json.JSONDecodeError as error:
        raise TreatmentError(f"{path} is no JSON ({error})") from error
    except jsonschema.ValidationError as error:
        place = ".".join(str(step) for step in error.absolute_path) or "it"
        raise TreatmentError(f"{path} is no specification of a lab: {place}: {error.message}") from error
    return Spec(
        data["name"], tuple(data["formats"]), tuple(data["profiles"]), tuple(data["bits"]),
        tuple((width, height) for width, height in data["sizes_mm"]), tuple(data["ppi"]), data["bleed_mm"],
        data["megabytes"],
    )  # fmt: skip
