"""What can be said on the command line."""

from __future__ import annotations

import argparse
from pathlib import Path

import shtab

from crispgrain import __version__
from crispgrain.core.colour.icc import PROFILES, Intent
from crispgrain.core.files import OutputFormat
from crispgrain.core.files.metadata import Kept
from crispgrain.core.masks import Kind
from crispgrain.core.render import naming
from crispgrain.core.stages.develop.crop_shape import QUARTERS, RATIOS
from crispgrain.core.stages.enlarge.size import SCREENS
from crispgrain.core.stages.print.file import LIKE_SOURCE
from crispgrain.core.stages.print.paper import FILL, FIT

from .carve import carve_files
from .demo import demo_roll
from .edit import edit_files
from .lab import ask_lab
from .listing import list_models, meter_files
from .proof import proof_files
from .run import run_files
from .sheet import make_sheet


def make_parser() -> argparse.ArgumentParser:
    """The parser of all commands; each sets ``job``, a function of the options that returns the exit code."""
    parser = argparse.ArgumentParser(
        prog="crispgrain", description="Removes noise, recovers sharpness and enlarges photographs, offline.",
        epilog="Without a command, the window opens: crispgrain [FILES...]",
    )  # fmt: skip
    parser.add_argument("--version", action="version", version=f"Crisp Grain {__version__}")
    jobs = parser.add_subparsers(required=True, metavar="COMMAND")

    run = jobs.add_parser("run", help="treat files and write the results to a folder")
    run.set_defaults(job=run_files, stop=False)
    run.add_argument("files", nargs="+", type=Path, metavar="FILES", help="shots, or folders of shots")
    run.add_argument("--out", required=True, type=Path, metavar="DIR", help="folder for the results")
    base = _treatment_arguments(run)
    base.add_argument("--rules", type=Path, metavar="R.json", help="rules that say which preset each shot gets")
    run.add_argument(
        "--rescue", action="store_true", help="write what is left of damaged files, too; says how much is lost"
    )
    run.add_argument("--dry-run", action="store_true", help="say what would be written, and write nothing")
    run.add_argument(
        "--set", action="append", default=[], metavar="STAGE.FIELD=VALUE", dest="settings",
        help="change one setting, e.g. denoise.model=wavelet or crop.angle=1.5; names: crispgrain models",
    )  # fmt: skip
    run.add_argument(
        "--zone", action="append", default=[], metavar="STAGE:WHERE", dest="zones",
        help="treat a part: X,Y:X,Y for all of it behind the first point, nothing beyond the second, in percent of "
        "width and height; subject, background, in-focus, sky, faces, eyes, skin, light or detail for what is found; "
        "or a grey picture; its settings are zone-1.FIELD, of the next one zone-2.FIELD",
    )  # fmt: skip
    run.add_argument("--only", metavar="STAGE,STAGE", help="switch every other stage off")
    run.add_argument(
        "--format", choices=[*OutputFormat, LIKE_SOURCE], help="source: as each shot is, in depth and profile, too"
    )
    run.add_argument("--bits", choices=("8", "16"))
    run.add_argument("--profile", choices=tuple(PROFILES))
    run.add_argument("--icc", metavar="FILE", help="a profile of your own: RGB, grey or CMYK")
    run.add_argument("--intent", choices=tuple(Intent), help="how colours that the profile has not are replaced")
    run.add_argument("--no-bpc", action="store_true", help="do not compensate for the profile's black point")
    run.add_argument("--metadata", choices=tuple(Kept), help="reduced: neither where it was, nor whose camera it was")
    run.add_argument("--ppi", type=float, metavar="N")
    run.add_argument("--jobs", type=int, default=1, metavar="N", help="shots rendered at once, in processes (1)")
    run.add_argument(
        "--resume", action="store_true", help="go on with what an ended call left in --out; files as given"
    )
    run.add_argument("--scheduler", metavar="ADDRESS", help="render on a Dask cluster, e.g. tcp://studio:8786")
    run.add_argument("--memory", type=float, metavar="GB", help="most that all processes take (half of the machine)")
    run.add_argument("--flat", dest="deep", action="store_false", help="do not look into folders inside folders")
    run.add_argument(
        "--name", default=naming.TEMPLATE, metavar="TEMPLATE",
        help=f"names of results, without suffix, of {', '.join(f'{{{f}}}' for f in naming.FIELDS)} ({naming.TEMPLATE})",
    )  # fmt: skip
    run.add_argument(
        "--folder", default="", metavar="TEMPLATE", help="folders within --out, of the same fields: {date}/{camera}"
    )
    run.add_argument("--checksums", action="store_true", help="write the SHA-256 of all results into SHA256SUMS")
    run.add_argument("--sets", metavar="NAME,NAME", help="write each shot once for each of these export sets")
    run.add_argument("--progress", choices=("bar", "json"), default="bar", help="json: one JSON object a line")
    run.add_argument("--report", type=Path, metavar="FILE", help="write what became of each shot, as .csv or .json")
    end = run.add_mutually_exclusive_group()
    end.add_argument("--keep-going", dest="stop", action="store_false", help="go on when one shot fails (the default)")
    end.add_argument("--stop", action="store_true", help="end when one shot fails")
    run.add_argument("--replace", action="store_true", help="write over results of the same name")
    size = run.add_mutually_exclusive_group()
    for by in ("long-side", "width", "height"):
        size.add_argument(f"--{by}", type=int, metavar="PX")
    size.add_argument("--factor", type=float, metavar="F")
    size.add_argument("--megapixels", type=float, metavar="MP")
    size.add_argument("--screen", choices=tuple(SCREENS), help="fits into a screen of so many pixels")
    size.add_argument(
        "--print", metavar="PAPER", dest="paper", help="size and shape for a paper: a3, 40x60cm, 8x10in, 250x380mm …"
    )
    run.add_argument("--fit", choices=(FILL, FIT), help="cut to the paper's ratio (fill), or leave it whole")
    run.add_argument("--bleed", metavar="LENGTH", help="printed beyond the edge of the paper, e.g. 3mm")
    run.add_argument("--border", metavar="LENGTH", help="white within the edge of the paper, e.g. 2cm")
    run.add_argument(
        "--crop", metavar="RATIO|X,Y,W,H", help=f"a ratio ({', '.join(RATIOS)}, as-shot), or px of the source"
    )
    run.add_argument(
        "--lens", action="store_true", help="undo what is known of the lens: bent lines, fringes, dark corners"
    )
    run.add_argument(
        "--cut-out", choices=[k.value for k in Kind], help="leave only what is found, the rest transparent"
    )
    run.add_argument("--straighten", metavar="DEG|auto", help="degrees clockwise, or what is found to be level")
    run.add_argument("--turn", choices=QUARTERS, help="degrees clockwise")
    run.add_argument("--mirror", action="store_true", help="let left and right change places")

    edit = jobs.add_parser("edit", help="treat what another program hands over, and hand it back")
    edit.set_defaults(job=edit_files)
    edit.add_argument(
        "files", nargs="+", type=Path, metavar="FILES", help="RAW and finished, originals or working copies"
    )
    edit.add_argument("--in-place", action="store_true", help="write over finished pictures: they are working copies")
    _treatment_arguments(edit)
    edit.add_argument("--no-window", action="store_true", help="write back at once; so does --treatment or --preset")
    edit.add_argument("--json", action="store_true", help="print what was written as JSON")

    meter = jobs.add_parser("meter", help="measure files and say what was found")
    meter.set_defaults(job=meter_files)
    meter.add_argument("files", nargs="+", type=Path, metavar="FILES")
    meter.add_argument("--json", action="store_true")

    proof = jobs.add_parser("proof", help="say which colours of files a profile has not")
    proof.set_defaults(job=proof_files)
    proof.add_argument("files", nargs="+", type=Path, metavar="FILES", help="shots as they are treated, or results")
    proof.add_argument("--icc", required=True, type=Path, metavar="FILE")
    proof.add_argument("--json", action="store_true")

    carve = jobs.add_parser("carve", help="take the pictures out of a card's image or any other data")
    carve.set_defaults(job=carve_files)
    carve.add_argument("files", nargs="+", type=Path, metavar="FILES")
    carve.add_argument("--out", required=True, type=Path, metavar="DIR", help="folder for the pictures")

    lab = jobs.add_parser("lab", help="let a simulated print lab take files, or say why not")
    lab.set_defaults(job=ask_lab)
    lab.add_argument("files", nargs="+", type=Path, metavar="FILES")
    lab.add_argument("--spec", type=Path, metavar="SPEC.json", help="what the lab takes; else that of a made-up one")
    lab.add_argument("--json", action="store_true")

    sheet = jobs.add_parser("sheet", help="put shots on the pages of a PDF, at true size or as a contact sheet")
    sheet.set_defaults(
        job=make_sheet, crop=None, straighten=None, lens=False, cut_out=None, turn=None, mirror=False, border=None
    )
    sheet.add_argument("files", nargs="+", type=Path, metavar="FILES", help="shots, as they are treated")
    sheet.add_argument("--out", required=True, type=Path, metavar="SHEET.pdf")
    kind = sheet.add_mutually_exclusive_group(required=True)
    kind.add_argument("--print", metavar="PAPER", dest="paper", help="size of each print: 10x15cm, a6, 8x10in …")
    kind.add_argument("--contact", metavar="COLUMNSxROWS", help="small pictures with their names")
    sheet.add_argument("--sheet", default="a4", metavar="PAPER", help="what the pages are of (a4)")
    sheet.add_argument("--fit", choices=(FILL, FIT), help="cut to the paper's ratio (fill), or leave it whole")
    sheet.add_argument("--bleed", metavar="LENGTH", help="printed beyond the edge of each print")
    sheet.add_argument("--margin", default="8mm", metavar="LENGTH", help="left free at the edges of the sheet (8mm)")
    sheet.add_argument("--gap", default="8mm", metavar="LENGTH", help="between two prints (8mm)")
    sheet.add_argument("--no-marks", action="store_true", help="no lines that say where to cut")
    sheet.add_argument("--replace", action="store_true", help="write over a file of that name")

    models = jobs.add_parser("models", help="list the models of each stage and their settings")
    models.set_defaults(job=list_models)
    models.add_argument("--json", action="store_true")

    demo = jobs.add_parser("demo", help="write the demo roll and open it")
    demo.set_defaults(job=demo_roll)
    demo.add_argument("--out", type=Path, metavar="DIR", help="folder for the roll")
    demo.add_argument(
        "--shoot", type=Path, metavar="DIR", help="play a camera on a cable: new shots appear in a folder"
    )
    demo.add_argument("--every", type=float, default=5.0, metavar="S", help="seconds between two shots (5)")
    demo.add_argument("--shots", type=int, metavar="N", help="how many; without end if not given")
    demo.add_argument("--no-window", action="store_true", help="only write the roll")
    completion = jobs.add_parser("completion", help="print what makes a shell complete these commands")
    completion.set_defaults(job=lambda options: print(shtab.complete(make_parser(), options.shell)) or 0)
    completion.add_argument("shell", choices=("bash", "zsh", "tcsh"))
    return parser


def _treatment_arguments(parser: argparse.ArgumentParser) -> argparse._MutuallyExclusiveGroup:
    base = parser.add_mutually_exclusive_group()
    base.add_argument("--treatment", type=Path, metavar="T.json", help="treatment to use; else the shot's own")
    base.add_argument("--preset", metavar="NAME", help="preset to put on each shot's own treatment")
    return base
