"""The command line: the same jobs as the window, without one."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

from crispgrain import __version__, presets
from crispgrain.cancel import Cancelled
from crispgrain.cli.batch import run_queue
from crispgrain.core.colour.icc import PROFILE_NAMES
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files import OutputFormat, find_shots
from crispgrain.core.masks import LinearGradient
from crispgrain.core.meter.words import all_words
from crispgrain.core.model import Parameter, Role, Stage
from crispgrain.core.registry import MODELS, models_of
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.whole import export, result_name
from crispgrain.core.shot import Shot, open_shot, saved_treatment
from crispgrain.core.stages.print.file import output_settings
from crispgrain.core.treatment import Treatment
from crispgrain.session.changes import with_settings
from crispgrain.session.rules import first_match, load_rules

COMMANDS = ("run", "meter", "models", "demo")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit code: 0 all went well, 1 a file failed, 2 a wrong call."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    if not given or (given[0] not in COMMANDS and Path(given[0]).exists()):
        from crispgrain.desktop.app import run_window

        return run_window([Path(a) for a in given])
    if given[0] not in COMMANDS and not given[0].startswith("-"):
        return _fail(f"“{given[0]}” is no command ({', '.join(COMMANDS)}) and no file", 2)
    options = _parser().parse_args(given)
    try:
        return options.job(options)
    except (TreatmentError, ShotError) as error:
        return _fail(str(error), 2)
    except (KeyboardInterrupt, Cancelled):
        return _fail("stopped", 130)
    except BrokenPipeError:
        return 1


def _fail(words: str, code: int) -> int:
    print(f"crispgrain: {words}", file=sys.stderr)
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="crispgrain", description="Removes noise, recovers sharpness and enlarges photographs, offline.",
        epilog="Without a command, the window opens: crispgrain [FILES...]",
    )  # fmt: skip
    parser.add_argument("--version", action="version", version=f"Crisp Grain {__version__}")
    jobs = parser.add_subparsers(required=True, metavar="COMMAND")

    run = jobs.add_parser("run", help="treat files and write the results to a folder")
    run.set_defaults(job=run_files)
    run.add_argument("files", nargs="+", type=Path, metavar="FILES", help="shots, or folders of shots")
    run.add_argument("--out", required=True, type=Path, metavar="DIR", help="folder for the results")
    base = run.add_mutually_exclusive_group()
    base.add_argument("--treatment", type=Path, metavar="T.json", help="treatment to use; else the shot's own")
    base.add_argument("--preset", metavar="NAME", help="preset to put on each shot's own treatment")
    base.add_argument("--rules", type=Path, metavar="R.json", help="rules that say which preset each shot gets")
    run.add_argument("--dry-run", action="store_true", help="say what would be written, and write nothing")
    run.add_argument(
        "--set", action="append", default=[], metavar="STAGE.FIELD=VALUE", dest="settings",
        help="change one setting, e.g. denoise.model=wavelet or crop.angle=1.5; names: crispgrain models",
    )  # fmt: skip
    run.add_argument(
        "--zone", action="append", default=[], metavar="STAGE:X,Y:X,Y", dest="zones",
        help="treat a part: all of it behind the first point, nothing beyond the second, in percent of width and "
        "height; its settings are zone-1.FIELD, of the next one zone-2.FIELD",
    )  # fmt: skip
    run.add_argument("--only", metavar="STAGE,STAGE", help="switch every other stage off")
    run.add_argument("--format", choices=list(OutputFormat))
    run.add_argument("--bits", choices=("8", "16"))
    run.add_argument("--profile", choices=PROFILE_NAMES)
    run.add_argument("--ppi", type=float, metavar="N")
    run.add_argument("--jobs", type=int, default=1, metavar="N", help="shots rendered at once, in processes (1)")
    run.add_argument(
        "--resume", action="store_true", help="go on with what an ended call left in --out; files as given"
    )
    run.add_argument("--replace", action="store_true", help="write over results of the same name")
    size = run.add_mutually_exclusive_group()
    for by in ("long-side", "width", "height"):
        size.add_argument(f"--{by}", type=int, metavar="PX")
    size.add_argument("--factor", type=float, metavar="F")

    meter = jobs.add_parser("meter", help="measure files and say what was found")
    meter.set_defaults(job=meter_files)
    meter.add_argument("files", nargs="+", type=Path, metavar="FILES")
    meter.add_argument("--json", action="store_true")

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
    return parser


def _treatment(options: argparse.Namespace, path: Path, shot: Shot | None = None) -> Treatment:
    """The treatment of a file: given, or kept for it, or metered; then changed as asked.

    A stage that would be off for the ``shot`` is on if one of its settings is given.
    """
    treatment = _base(options, path, shot)
    for by in ("long_side", "width", "height", "factor"):
        wish = getattr(options, by)
        if wish is not None:
            field = "factor" if by == "factor" else "pixels"
            treatment = treatment.set("enlarge.on", True).set("enlarge.by", by.replace("_", "-"))
            treatment = treatment.set(f"enlarge.{field}", wish)
    for wish in options.zones:
        treatment = _with_zone(treatment, wish)
    settings = {}
    for setting in options.settings:
        name, equals, value = setting.partition("=")
        if not equals:
            raise TreatmentError(f"--set takes STAGE.FIELD=VALUE, not “{setting}”")
        settings[name] = value
    treatment = with_settings(treatment, settings, shot)
    if options.only:
        wanted = [s.strip() for s in options.only.split(",")]
        unknown = [s for s in wanted if s not in list(Stage)]
        if unknown:
            raise TreatmentError(f"--only names stages ({', '.join(Stage)}), not “{unknown[0]}”")
        treatment = treatment.only(Stage(s) for s in wanted)
    for field in ("format", "bits", "profile", "ppi"):
        if getattr(options, field) is not None:
            treatment = treatment.set(f"print.{field}", getattr(options, field))
    return treatment


def _with_zone(treatment: Treatment, wish: str) -> Treatment:
    """A treatment with one more zone, from ``STAGE:X,Y:X,Y``."""
    stage, *points = wish.split(":")
    try:
        start, end = ((float(x) / 100, float(y) / 100) for x, y in (point.split(",") for point in points))
        mask = LinearGradient(start, end)
    except ValueError:
        raise TreatmentError(f"--zone takes STAGE:X,Y:X,Y, not “{wish}”") from None
    if stage not in list(Stage) or not models_of(Stage(stage), Role.ZONE):
        zoned = ", ".join(s for s in Stage if models_of(s, Role.ZONE))
        raise TreatmentError(f"--zone is for {zoned}, not “{stage}”")
    return treatment.with_zone(Stage(stage), mask)[0]


def _base(options: argparse.Namespace, path: Path, shot: Shot | None) -> Treatment:
    if options.treatment:
        return Treatment.load(options.treatment)
    kept = (saved_treatment(path, options.sidecars) if options.sidecars else None) or saved_treatment(path)
    own = kept or Treatment()
    name = options.preset
    if options.rules and shot is not None:
        size = shot.source.size
        rule = first_match(load_rules(options.rules), path, shot.source.facts, size.megapixels)
        name = rule.preset if rule is not None else None
        said = f"preset {rule.preset} ({rule.words})" if rule is not None else "no rule fits"
        print(f"{path.name}: {said}", file=sys.stderr)
    if not name:
        return own
    preset = presets.load(name)
    return own.synced_from(preset, preset.stages, per_shot=True)


def _opened(paths: list[Path]) -> Iterator[Shot | ShotError]:
    files, problems = find_shots(paths)
    yield from problems
    for path in files:
        try:
            yield open_shot(path)
        except ShotError as error:
            yield error


def run_files(options: argparse.Namespace) -> int:
    """``crispgrain run``: the rest goes on when one file fails."""
    from crispgrain.desktop.base.preferences import sidecar_folder

    options.sidecars = sidecar_folder()
    if options.rules:
        for rule in load_rules(options.rules):
            presets.load(rule.preset)  # one that is not there is a wrong call
    _treatment(options, Path("-"))  # a wrong call fails before any work is done
    if options.jobs > 1 or options.resume:
        return run_queue(options, _opened(options.files), partial(_treatment, options))
    done, failed = 0, 0
    for shot in _opened(options.files):
        try:
            if isinstance(shot, ShotError):
                raise shot
            pipeline = shot.pipeline(_treatment(options, shot.path, shot))
            for remark in (*shot.source.facts.remarks, *pipeline.resolved.remarks):
                print(f"{shot.path.name}: {remark}", file=sys.stderr)
            if options.dry_run:
                settings = output_settings(pipeline.resolved[Stage.PRINT].values)
                print(options.out / result_name(shot.path, pipeline.resolved, settings))
                done += 1
                continue
            written = export(pipeline, options.out, replace=options.replace, report=_bar(shot.path.name))
            print(written)
            done += 1
        except (ShotError, TreatmentError) as error:
            failed += 1
            _fail(str(error) if isinstance(error, ShotError) else f"{shot.path.name}: {error}", 1)
        except MemoryError:
            failed += 1
            _fail(f"{shot.path.name}: there is not enough memory for this result", 1)
    if failed:
        _fail(f"{failed} of {done + failed} failed", 1)
    return 1 if failed else 0


def _bar(name: str) -> Callable[[Progress], None] | None:
    """A progress bar on a terminal, nothing elsewhere."""
    if not sys.stderr.isatty():
        return None

    def show(progress: Progress) -> None:
        filled = round(24 * progress.done / progress.total)
        bar = "█" * filled + "·" * (24 - filled)
        end = "\r" if progress.done < progress.total else "\r\033[K"
        print(f"{name}  {bar}  {progress.words}\033[K", end=end, file=sys.stderr, flush=True)

    return show


def meter_files(options: argparse.Namespace) -> int:
    """``crispgrain meter``: one paragraph, or one JSON object, per file."""
    found, failed = [], 0
    for shot in _opened(options.files):
        if isinstance(shot, ShotError):
            failed += 1
            _fail(str(shot), 1)
        elif options.json:
            found.append({"file": str(shot.path), **shot.reading.as_json()})
        else:
            print(_reading_words(shot))
    if options.json:
        print(json.dumps(found, indent=2))
    return 1 if failed else 0


def _reading_words(shot: Shot) -> str:
    noise, facts = shot.reading.noise, shot.source.facts
    title = [shot.path.name, *([facts.camera] if facts.camera else []), *([f"ISO {facts.iso}"] if facts.iso else [])]
    lines = [", ".join(title), *all_words(shot.reading)]
    if noise.a is not None and noise.b is not None:
        each = ", ".join(f"{c} {a:.3g} x + {b:.3g}" for c, a, b in zip("RGB", noise.a, noise.b, strict=True))
        lines.append(f"sensor variance by signal x: {each}")
    return "\n  ".join(lines + list(facts.remarks))


def _parameter_json(stage: Stage, p: Parameter) -> dict[str, object]:
    limits: dict[str, object] = {"choices": list(p.choices)} if p.choices else {"text": True}
    if p.is_number:
        limits = {"range": [p.minimum, p.maximum]}
    return {
        "setting": f"{stage}.{p.id}", "name": p.name, "help": p.help, "default": p.default, "unit": p.unit, **limits
    }  # fmt: skip


def list_models(options: argparse.Namespace) -> int:
    """``crispgrain models``."""
    if options.json:
        listed = [
            {
                "stage": m.stage.value, "id": m.id, "name": m.name, "purpose": m.purpose,
                "parameters": [_parameter_json(m.stage, p) for p in m.parameters],
            }
            for m in MODELS
        ]  # fmt: skip
        print(json.dumps(listed, indent=2, ensure_ascii=False))
        return 0
    for stage in Stage:
        print(f"{stage.label}    {stage}.on = metered, on, off")
        for m in (m for m in MODELS if m.stage is stage):
            trouble = f" Cannot be used here: {m.unavailable()}" if m.unavailable() else ""
            name = stage.value
            if m.may_be(Role.EVERYWHERE):
                print(f"  {stage}.model={m.id}    {m.name}. {m.purpose}{trouble}")
            else:
                name = m.id if m.may_be(Role.SHAPE) else "zone-1"
                print(f"  {name}    {m.name}. {m.purpose}{trouble}")
            for p in m.parameters:
                limits = " | ".join(p.choices) if p.choices else "text"
                if p.is_number:
                    limits = f"{p.minimum:g} to {p.maximum:g} {p.unit}".rstrip()
                print(f"      {name}.{p.id}    {limits}; {p.help}")
    return 0


def demo_roll(options: argparse.Namespace) -> int:
    """``crispgrain demo``: write the roll, then open it unless asked not to."""
    from crispgrain.demo.roll import write_roll
    from crispgrain.paths import demo_folder

    def report(number: int, total: int, name: str) -> None:
        print(f"Making the demo roll, {number + 1} of {total}: {name}", file=sys.stderr)

    if options.shoot:
        from crispgrain.demo.shoot import shoot

        try:
            shoot(options.shoot, options.every, options.shots, lambda path: print(path, flush=True))
        except OSError as error:
            raise ShotError(options.shoot, f"no shot can be written there ({error.strerror})") from error
        return 0
    folder = options.out or demo_folder()
    try:
        paths = write_roll(folder, report)
    except OSError as error:
        raise ShotError(folder, f"the demo roll cannot be written ({error.strerror})") from error
    if options.no_window:
        print(folder)
        return 0
    from crispgrain.desktop.app import run_window

    return run_window(paths)
