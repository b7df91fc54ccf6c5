"""Documents that are made from the code say what the code says."""

import argparse
import json
from pathlib import Path

from crispgrain.cli.parser import make_parser
from crispgrain.core.treatment_schema import schema

ROOT = Path(__file__).parent.parent


def test_the_manual_page_has_every_command_and_option():
    page = (ROOT / "packaging" / "crispgrain.1").read_text(encoding="utf-8").replace("\\-", "-")
    (commands,) = [a for a in make_parser()._actions if isinstance(a, argparse._SubParsersAction)]
    for name, parser in commands.choices.items():
        assert f"crispgrain {name}" in page
        for option in (o for action in parser._actions for o in action.option_strings if o not in ("-h", "--help")):
            assert option in page, f"make docs/make_man.py's page anew: {name} {option}"


def test_the_schema_in_the_documents_is_that_of_the_code():
    assert json.loads((ROOT / "docs" / "treatment.schema.json").read_text(encoding="utf-8")) == schema()
