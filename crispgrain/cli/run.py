"""``crispgrain run``: one shot after the other, or several at once in worker processes."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from attrs import evolve, frozen

from crispgrain import presets
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files.checksums import write_sums
from crispgrain.core.render import naming
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.whole import export, result_name
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.orders.cluster import run_on_cluster
from crispgrain.orders.job import Job, JobState
from crispgrain.orders.journal import Journal
from crispgrain.orders.queue import OrderQueue
from crispgrain.orders.report import write_report
from crispgrain.paths import store_file
from crispgrain.session import export_sets
from crispgrain.session.rules import load_rules

from .opening import opened
from .telling import JsonTeller, Teller
from .treatments import treatment_of

JOURNAL = ".unfinished-orders.sqlite"  # in the folder of the results, while not all are there


def run_files(options: argparse.Namespace) -> int:
    """The rest goes on when one file fails, unless ``--stop`` was given; the exit code is 1 then."""
    from crispgrain.desktop.base.preferences import sidecar_folder

    options.sidecars = sidecar_folder()
    for template in (options.name, *(part for part in options.folder.split("/") if part.strip())):
        naming.check(template)
    if options.rules:
        for rule in load_rules(options.rules):
            presets.load(rule.preset)  # one that is not there is a wrong call
    treatment_of(options, Path("-"))  # a wrong call fails before any work is done
    tell = JsonTeller() if options.progress == "json" else Teller()
    if options.scheduler and not options.dry_run:
        _on_cluster(options, tell)
        return _ended(options, tell)
    in_workers = (options.jobs > 1 or options.resume or options.report) and not options.dry_run
    (_in_workers if in_workers else _one_by_one)(options, tell)
    return _ended(options, tell)


def _ended(options: argparse.Namespace, tell: Teller) -> int:
    if options.checksums and not options.dry_run:
        written = write_sums(options.out, tell.results)
        print(f"checksums: {written}", file=sys.stderr)
    return tell.end()


@frozen
class Wish:
    """A file to be written: of a shot, treated like this, with a name, in a folder."""

    shot: Shot
    treatment: Treatment
    pipeline: Pipeline
    folder: Path
    name: str


def _treated(
    options: argparse.Namespace, tell: Teller, known: frozenset[tuple[Path, Path, str]] = frozenset()
) -> Iterator[Wish]:
    """What is to be written, but for what is ``known`` (shot, folder and name) to be asked for already.

    What fails is told, and is the end after ``--stop``.
    """
    sets = export_sets.named(options.sets) if options.sets else [None]
    number = 0
    for shot in opened(options.files, options.deep, options.rescue):
        number += 1
        try:
            if isinstance(shot, ShotError):
                raise shot
            own = evolve(treatment_of(options, shot.path, shot), rescue=shot.source.lost is not None)
            cache = TileCache()  # what several sets have in common is computed once
            for one in sets:
                folder = options.out if one is None else one.within(options.out)
                treatment = own if one is None else one.of(own)
                pipeline = shot.pipeline(treatment, cache)
                name = result_name(pipeline, options.name if one is None else one.names, number)
                facts = shot.source.facts
                folder /= naming.folders(options.folder, shot.path, pipeline.resolved, facts, pipeline.size, number)
                if (shot.path.absolute(), folder.absolute(), naming.literal(name)) in known:
                    continue
                for remark in (*shot.source.facts.remarks, *pipeline.resolved.remarks):
                    tell.remark(shot.path, remark)
                yield Wish(shot, treatment, pipeline, folder, name)
        except (ShotError, TreatmentError) as error:
            path = error.path if isinstance(error, ShotError) else shot.path
            tell.failure(path, str(error) if isinstance(error, ShotError) else f"{path.name}: {error}")
        except MemoryError:
            tell.failure(shot.path, f"{shot.path.name}: there is not enough memory for this result")
        if tell.failed and options.stop:
            return


def _one_by_one(options: argparse.Namespace, tell: Teller) -> None:
    for wish in _treated(options, tell):
        shot, name = wish.shot, wish.name
        if options.dry_run:
            tell.result(shot.path, wish.folder / name)
            continue
        try:
            report = partial(tell.progress, shot.path)
            tell.result(shot.path, export(wish.pipeline, wish.folder, name, options.replace, report))
        except ShotError as error:
            tell.failure(shot.path, str(error))
        except MemoryError:
            tell.failure(shot.path, f"{shot.path.name}: there is not enough memory for this result")
        if tell.failed and options.stop:
            return


def _on_cluster(options: argparse.Namespace, tell: Teller) -> None:
    def done(shot: Path, result: Path | None, words: str) -> bool:
        if result is not None:
            tell.result(shot, result)
        else:
            tell.failure(shot, words)
        return not (tell.failed and options.stop)

    wishes = ((w.shot, w.treatment, w.folder.absolute(), w.name) for w in _treated(options, tell))
    run_on_cluster(options.scheduler, wishes, options.out.absolute(), options.replace, tell.progress, done)


def _in_workers(options: argparse.Namespace, tell: Teller) -> None:
    """With ``--resume``, files of which the journal of the folder knows are not asked for once more."""
    options.out.mkdir(parents=True, exist_ok=True)
    path = options.out / JOURNAL
    if not options.resume:
        path.unlink(missing_ok=True)
    journal = Journal(path)
    limit = options.memory * 1e9 if options.memory else None
    queue = OrderQueue(journal, store_file(), options.jobs, limit)

    def changed(job: Job) -> None:
        if job.state is JobState.DONE and job.result is not None:
            tell.result(job.path, job.result)
        elif job.state is JobState.FAILED:
            tell.failure(job.path, job.words)
            if options.stop:
                queue.cancel()

    queue.changed.connect(changed)
    queue.progress.connect(lambda job, progress: tell.progress(job.path, progress))
    queue.trouble.connect(tell.trouble)
    known = frozenset((job.path, job.folder, job.name) for job in journal.jobs())
    queue.go_on(journal.unfinished())
    try:
        for wish in _treated(options, tell, known):
            name = naming.literal(wish.name)
            queue.add([(wish.shot.path.absolute(), wish.treatment, wish.folder.absolute(), name, options.replace)])
            if tell.failed and options.stop:
                break
        queue.wait()
    finally:
        queue.close()  # what is left stays in the journal
    if options.report:
        write_report(journal.jobs(), options.report)
    journal.close()
    for rest in ("", "-wal", "-shm"):
        path.with_name(path.name + rest).unlink(missing_ok=True)
