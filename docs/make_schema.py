"""Writes docs/treatment.schema.json anew from the models there are."""

import json
from pathlib import Path

from crispgrain.core.treatment_schema import schema

if __name__ == "__main__":
    target = Path(__file__).parent / "treatment.schema.json"
    target.write_text(json.dumps(schema(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
