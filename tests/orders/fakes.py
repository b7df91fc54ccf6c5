"""Workers that go wrong in known ways, for the queue to get along with. A job's name says what is to happen."""

import os
import time
from pathlib import Path

from crispgrain.core.render.progress import Progress


def fake_work(line, threads, store) -> None:
    while True:
        try:
            wish = line.recv()
        except EOFError:
            return
        target = Path(wish["folder"]) / f"{Path(wish['path']).stem}.txt"
        line.send(("target", str(target)))
        line.send(("progress", Progress(1, 2, None)))
        name, tried = wish["name"], Path(wish["folder"]) / f"{Path(wish['path']).stem}.tried"
        first = not tried.exists()
        tried.touch()
        if name == "crash" or (name == "crash once" and first):
            os._exit(11)
        if name == "full once" and first:
            line.send(("full", f"{target.name}: no room"))
        elif name == "slow":
            while not line.poll(0.05):
                pass
            line.recv()
            line.send(("cancelled", ""))
        elif name == "deaf":
            time.sleep(60)
        elif name == "bad":
            line.send(("failed", f"{target.name}: broken"))
        else:
            target.write_text("done")
            line.send(("written", str(target)))
