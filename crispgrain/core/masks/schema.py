"""Masks as JSON, and back."""

from __future__ import annotations

import base64
import binascii
from typing import Any

from ..errors import TreatmentError
from .composite import Composite, How, Part, Shape
from .found import Found, Kind
from .gradients import Lasso, LinearGradient, Oval
from .lost import Lost
from .picture import Picture
from .rough import Rough
from .specks import Specks
from .strokes import Brush, Stroke

POINT = {"type": "array", "items": {"type": "number", "minimum": -1, "maximum": 2}, "minItems": 2, "maxItems": 2}
SHARE = {"type": "number", "minimum": 0, "maximum": 1}
PERCENT = {"type": "number", "minimum": 0, "maximum": 100}
STROKE: dict[str, Any] = {
    "type": "object",
    "properties": {
        "points": {"type": "array", "items": POINT, "minItems": 1},
        "radius": {"type": "number", "exclusiveMinimum": 0, "maximum": 1},
        "feather": SHARE,
        "opacity": {"type": "number", "minimum": 0.01, "maximum": 1},
        "flow": {"type": "number", "minimum": 0.01, "maximum": 1},
        "out": {"type": "boolean"},
    },
    "required": ["points", "radius"],
    "additionalProperties": False,
}
STROKES = {"type": "array", "items": STROKE}


def _object(shapes: list[str], required: dict[str, Any], optional: dict[str, Any] | None = None) -> dict[str, Any]:
    combined = {"how": {"enum": [how.value for how in How]}, "inverted": {"type": "boolean"}}
    return {
        "type": "object",
        "properties": {"shape": {"enum": shapes}, **required, **(optional or {}), **combined},
        "required": ["shape", *required],
        "additionalProperties": False,
    }


LEAVES: list[dict[str, Any]] = [
    _object(["linear-gradient"], {"start": POINT, "end": POINT}),
    _object(["ellipse", "rectangle"], {"start": POINT, "end": POINT}, {"feather": SHARE}),
    _object(["lasso"], {"points": {"type": "array", "items": POINT, "minItems": 3}}, {"feather": SHARE}),
    _object(["brush"], {"strokes": STROKES}, {"follow": SHARE}),
    _object(["rough"], {"strokes": STROKES}, {"softness": PERCENT}),
    _object(["dust"], {}, {"sensitivity": PERCENT, "largest": {"type": "number", "minimum": 0.0005, "maximum": 0.05}}),
    _object(["lost"], {}),
    _object(["picture"], {"data": {"type": "string"}}),
    _object(
        [kind.value for kind in Kind],
        {},
        {
            "sensitivity": PERCENT, "softness": PERCENT, "low": SHARE, "high": SHARE,
            "colour": {"type": "array", "items": SHARE, "minItems": 3, "maxItems": 3},
        },
    ),
]  # fmt: skip
WIDTH = {"type": "number", "minimum": -0.5, "maximum": 0.5}
SCHEMA: dict[str, Any] = {
    "description": "Points are shares of the source's width and height, radii and widths of its longer side.",
    "oneOf": [
        *LEAVES,
        _object(
            ["parts"],
            {"parts": {"type": "array", "items": {"oneOf": LEAVES}}},
            {"grow": WIDTH, "feather": WIDTH, "strength": SHARE, "rest": SHARE, "hair": {**SHARE, "maximum": 0.1}},
        ),
    ],
}


def mask_from_json(data: dict[str, Any]) -> Shape:
    """A mask that follows the schema.

    Raises
    ------
    TreatmentError
        If its points are one, or its picture is none.
    """
    try:
        if data["shape"] != "parts":
            return _leaf(data)
        parts = [
            Part(_leaf(p), How(p.get("how", How.ADD.value)), bool(p.get("inverted", False))) for p in data["parts"]
        ]
        numbers = {k: float(data[k]) for k in ("grow", "feather", "strength", "rest", "hair") if k in data}
        return Composite(tuple(parts), bool(data.get("inverted", False)), **numbers)
    except (ValueError, binascii.Error) as error:
        raise TreatmentError(f"not a treatment: {error}") from None


def _leaf(data: dict[str, Any]) -> Shape:
    shape = str(data["shape"])
    if shape == "linear-gradient":
        return LinearGradient(_point(data["start"]), _point(data["end"]))
    if shape in ("ellipse", "rectangle"):
        feather = float(data.get("feather", Oval.feather))
        return Oval(_point(data["start"]), _point(data["end"]), feather, shape == "rectangle")
    if shape == "lasso":
        return Lasso(tuple(_point(p) for p in data["points"]), float(data.get("feather", Lasso.feather)))
    if shape in ("brush", "rough"):
        strokes = tuple(_stroke(s) for s in data["strokes"])
        if shape == "brush":
            return Brush(strokes, float(data.get("follow", 0.0)))
        return Rough(strokes, float(data.get("softness", Rough.softness)))
    if shape == "picture":
        base64.b64decode(data["data"], validate=True)
        return Picture(data["data"])
    if shape == "lost":
        return Lost()
    if shape == "dust":
        return Specks(**{k: float(data[k]) for k in ("sensitivity", "largest") if k in data})
    numbers = {k: float(data[k]) for k in ("sensitivity", "softness", "low", "high") if k in data}
    red, green, blue = (float(v) for v in data.get("colour", Found.colour))
    return Found(Kind(shape), **numbers, colour=(red, green, blue))


def _stroke(data: dict[str, Any]) -> Stroke:
    numbers = {k: float(data[k]) for k in ("feather", "opacity", "flow") if k in data}
    points = tuple(_point(p) for p in data["points"])
    return Stroke(points, float(data["radius"]), **numbers, out=bool(data.get("out", False)))


def _point(pair: list[float]) -> tuple[float, float]:
    return float(pair[0]), float(pair[1])
