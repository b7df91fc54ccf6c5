"""Every public function of the restoration library shows how it is used, and what it shows is so."""

import ast
import doctest
import importlib
import pkgutil
from pathlib import Path

import numpy as np
import pytest

import crispgrain.restoration

MODULES = [m.name for m in pkgutil.iter_modules(crispgrain.restoration.__path__)]


def public_functions(name: str) -> list[ast.FunctionDef]:
    path = Path(crispgrain.restoration.__path__[0]) / f"{name}.py"
    body = ast.parse(path.read_text(encoding="utf-8")).body
    return [node for node in body if isinstance(node, ast.FunctionDef) and not node.name.startswith("_")]


@pytest.mark.parametrize("name", MODULES)
def test_examples_hold(name):
    module = importlib.import_module(f"crispgrain.restoration.{name}")
    failed, _ = doctest.testmod(module, extraglobs={"np": np}, optionflags=doctest.NORMALIZE_WHITESPACE)
    assert failed == 0


@pytest.mark.parametrize("name", MODULES)
def test_every_public_function_has_one(name):
    bare = [f.name for f in public_functions(name) if ">>>" not in (ast.get_docstring(f) or "")]
    assert bare == []
