"""The same jobs on the machines of a Dask cluster: shots are its tasks, files lie on a shared folder.

Workers that are lost have their shots taken over by others. A result has its final name before its task begins, so
one that is rendered twice is written over itself. `docs/cluster.md` says how a cluster is started.
"""

from __future__ import annotations

import contextlib
import threading
import uuid
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from crispgrain.cancel import CancelToken
from crispgrain.core.atomic import sweep
from crispgrain.core.errors import ShotError
from crispgrain.core.render.naming import literal
from crispgrain.core.render.progress import Progress
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.store.sensors import known_defects
from crispgrain.threads import cores, limit_workers

from .worker import CANCELLED, PROGRESS, TARGET, WRITTEN, LastShot, answer

LOST = 3  # workers that may be lost over one shot before the shot is held to be the reason
FOUND_WITHIN = 10  # s; a scheduler that takes longer to answer is none
CALLED_OFF = ".called-off-"  # a file in the folder of the results, looked for before every tile


def run_on_cluster(
    address: str, shots: Iterable[tuple[Shot, Treatment, Path, str]], folder: Path, replace: bool,
    report: Callable[[Path, Progress], None], done: Callable[[Path, Path | None, str], bool],
) -> None:  # fmt: skip
    """Render shots with treatments to folders and names, on a cluster whose scheduler is at an address.

    ``folder`` is one that all its machines can write to; those of the results are within it.
    ``done`` is told the shot, the file or None, and what went wrong; if it answers False, what is left is called off.

    Raises
    ------
    ShotError
        If there is no cluster, or ``distributed`` is not installed.
    """
    try:
        from distributed import Client, as_completed
    except ImportError as error:
        raise ShotError(address, "for a cluster, install crispgrain[cluster]") from error
    topic, taken = f"crispgrain-{uuid.uuid4().hex}", set[Path]()
    stop = folder / f"{CALLED_OFF}{topic}"
    folder.mkdir(parents=True, exist_ok=True)
    try:
        client = Client(address, timeout=FOUND_WITHIN, set_as_default=False)
    except (OSError, ValueError) as error:
        raise ShotError(address, f"there is no scheduler ({error})") from error
    with client:
        client.subscribe_topic(topic, lambda event: report(Path(event[1]["shot"]), Progress(**event[1]["progress"])))
        tasks = {}
        try:
            for shot, treatment, into, name in shots:
                final = _free(into / name, taken, replace)
                wish = {
                    "path": str(shot.path.absolute()), "treatment": treatment.as_json(), "folder": str(into),
                    "name": literal(final.name), "replace": True, "reading": shot.reading.as_json(),
                    "defects": known_defects(shot.source),
                }  # fmt: skip
                tasks[client.submit(render, wish, str(stop), topic, pure=False, retries=0)] = shot.path
            for task in as_completed(tasks, loop=client.loop):
                path = tasks[task]
                if not done(path, *_outcome(task, path)):
                    break
        except BaseException:
            with contextlib.suppress(OSError):
                stop.touch()
            raise
        finally:
            left = [task for task in tasks if not task.done()]
            if left:
                stop.touch()
                client.cancel(left)
                for task in left:  # those running end at their next tile
                    with contextlib.suppress(Exception):
                        task.result(timeout=30)
            with contextlib.suppress(Exception):
                for into in {folder, *(path.parent for path in taken)}:
                    client.run(sweep, into)
            stop.unlink(missing_ok=True)


def _outcome(task: Any, path: Path) -> tuple[Path | None, str]:
    """The file a task has written, or None, and what went wrong.

    It waits for one whose worker was lost between its end and its answer: the cluster gives that to another.
    """
    try:
        word, more = task.result()
    except Exception as error:  # whatever became of a worker
        return None, f"{path.name}: {'called off' if task.cancelled() else error}"
    return Path(more) if word == WRITTEN else None, more


def render(wish: dict[str, Any], stop: str, topic: str) -> tuple[str, str]:
    """One shot, in a worker of the cluster."""
    from distributed import get_worker

    worker = get_worker()
    limit_workers(max(1, cores() // worker.state.nthreads))
    cancel = CancelToken()
    over = threading.Event()

    def mind() -> None:
        while not over.wait(0.5):
            if Path(stop).exists():
                cancel.cancel()

    def say(message: tuple[str, Any]) -> None:
        word, more = message
        if word == PROGRESS:
            told = {"done": more.done, "total": more.total, "seconds_left": more.seconds_left}
            worker.log_event(topic, {"shot": wish["path"], "progress": told})
        elif word == TARGET and Path(stop).exists():
            cancel.cancel()

    minder = threading.Thread(target=mind, daemon=True)
    minder.start()
    try:
        word, more = answer(wish, say, cancel, LastShot())
    finally:
        over.set()
    return word, "called off" if word == CANCELLED else more


def _free(wanted: Path, taken: set[Path], replace: bool) -> Path:
    """A name that no file has, unless it may be written over, and no other shot of this call gets."""
    path, number = wanted, 1
    while path in taken or (path.exists() and not replace):
        number += 1
        path = wanted.with_name(f"{wanted.stem}-{number}{wanted.suffix}")
    taken.add(path)
    return path
