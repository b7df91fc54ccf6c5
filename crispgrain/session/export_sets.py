"""Export sets: named ways of writing a file, several of which make several files of each shot."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from attrs import field, frozen

from crispgrain.core.atomic import atomic_write
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.model import Stage
from crispgrain.core.render import naming
from crispgrain.core.treatment import Treatment
from crispgrain.paths import export_sets_file

from .json_file import load_json

SHIPPED = Path(__file__).with_name("export_sets.json")
SCHEMA = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Export sets",
    "type": "array",
    "items": {
        "type": "object",
        "required": ["name", "settings"],
        "additionalProperties": False,
        "properties": {
            "name": {"type": "string", "minLength": 1},
            "folder": {"type": "string", "description": "within the folder of the results"},
            "names": {"type": "string", "description": "template of file names"},
            "settings": {
                "type": "object",
                "propertyNames": {"pattern": "^(print|enlarge)\\."},
                "additionalProperties": {"type": ["string", "number"]},
            },
        },
    },
}


@frozen
class ExportSet:
    """A way of writing a file: settings of Print and Enlarge, a folder within that of the results, and names."""

    name: str
    settings: Mapping[str, str | float] = field(factory=dict)
    folder: str = ""
    names: str = naming.TEMPLATE

    def of(self, treatment: Treatment) -> Treatment:
        """A shot's treatment as this set writes it.

        Raises
        ------
        TreatmentError
            If a setting is none, or does not take its value.
        """
        for name, value in self.settings.items():
            treatment = treatment.set(name, value)
        sized = any(name.startswith(f"{Stage.ENLARGE}.") for name in self.settings)
        return treatment.set(f"{Stage.ENLARGE}.on", True) if sized else treatment

    def within(self, folder: Path) -> Path:
        """Where its files go; never outside of ``folder``."""
        parts = [part for part in Path(self.folder).parts if part not in ("..", "/", ".")]
        return folder.joinpath(*parts)


def saved() -> list[ExportSet]:
    """One's own, then those that ship, unless one of that name was saved.

    Raises
    ------
    ShotError
        If the file of one's own cannot be read; says where it is wrong.
    """
    own = load(export_sets_file()) if export_sets_file().exists() else []
    names = {known.name for known in own}
    return [*own, *(known for known in load(SHIPPED) if known.name not in names)]


def load(path: Path) -> list[ExportSet]:
    """The sets of a file; ShotError as :func:`saved`."""
    found = []
    for data in load_json(path, SCHEMA, "file of export sets"):
        one = ExportSet(data["name"], data["settings"], data.get("folder", ""), data.get("names", naming.TEMPLATE))
        try:
            naming.check(one.names)
            one.of(Treatment())
        except TreatmentError as error:
            raise ShotError(path, f"export set “{one.name}”: {error}") from error
        found.append(one)
    return found


def save(sets: Iterable[ExportSet]) -> None:
    """Keep one's own sets, all of them."""
    data: list[dict[str, Any]] = [
        {"name": one.name, "folder": one.folder, "names": one.names, "settings": dict(one.settings)} for one in sets
    ]
    text = json.dumps(data, indent=2, ensure_ascii=False)
    atomic_write(export_sets_file(), lambda path: path.write_text(text, encoding="utf-8"))


def named(names: str) -> list[ExportSet]:
    """Sets by their names, with commas between them.

    Raises
    ------
    TreatmentError
        If there is none of a name; says which there are.
    """
    known = {one.name.lower(): one for one in saved()}
    wanted = [name.strip().lower() for name in names.split(",") if name.strip()]
    for name in wanted:
        if name not in known:
            there = ", ".join(one.name for one in known.values())
            raise TreatmentError(f"there is no export set “{name}”; there are {there}")
    if not wanted:
        raise TreatmentError("no export set is named")
    return [known[name] for name in wanted]
