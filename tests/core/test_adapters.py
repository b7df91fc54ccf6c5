"""Models are thin: what they compute stands in restoration, as plain functions."""

import ast
from pathlib import Path

import pytest

from crispgrain.core import stages

MOST = 30  # lines of an adapter's functions, without docstrings
MODELS = [f for f in Path(stages.__file__).parent.glob("*/*.py") if "Model(" in f.read_text(encoding="utf-8")]


def lines_of_functions(code: str) -> int:
    count = 0
    for node in ast.parse(code).body:
        if isinstance(node, ast.FunctionDef):
            doc = node.body[0] if ast.get_docstring(node) else None
            own = node.end_lineno - node.lineno + 1
            count += own - (doc.end_lineno - doc.lineno + 1 if doc is not None else 0)
    return count


@pytest.mark.parametrize("path", sorted(MODELS), ids=lambda path: f"{path.parent.name}/{path.name}")
def test_a_model_is_an_adapter_of_a_page_at_most(path):
    assert lines_of_functions(path.read_text(encoding="utf-8")) <= MOST
