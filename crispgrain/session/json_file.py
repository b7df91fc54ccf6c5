"""Reading JSON of ours and holding it to its schema."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import jsonschema
from jsonschema.exceptions import best_match

from crispgrain.core.errors import ShotError


def load_json(path: Path, schema: dict[str, Any], what: str) -> Any:
    """What a file holds; ``what`` is the word for it in messages.

    Raises
    ------
    ShotError
        If the file cannot be read, is not JSON, or does not follow the schema (JSON Schema, draft 2020-12).
    """
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise ShotError(path, f"the {what} cannot be read ({error.strerror})") from error
    except ValueError as error:
        raise ShotError(path, f"no {what}: not JSON ({error})") from error
    problem = best_match(jsonschema.Draft202012Validator(schema).iter_errors(data))
    if problem is not None:
        where = "/".join(str(p) for p in problem.absolute_path) or "the top"
        raise ShotError(path, f"no {what}: at {where}, {problem.message}")
    return data
