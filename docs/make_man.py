"""Make the manual page anew: ``pip install argparse-manpage``, then ``.venv/bin/python docs/make_man.py``."""

from __future__ import annotations

from pathlib import Path

from argparse_manpage.manpage import Manpage

from crispgrain.cli.parser import make_parser

TARGET = Path(__file__).parent.parent / "packaging" / "crispgrain.1"


def main() -> None:
    parser = make_parser()
    parser.man_short_description = "remove noise, recover sharpness and enlarge photographs"
    page = Manpage(parser, format="single-commands-section")
    page.date, page.manual = "", "Crisp Grain"
    TARGET.write_text(str(page), encoding="utf-8")


if __name__ == "__main__":
    main()
