"""Make the pictures in docs/screenshots anew, from the demo roll: ``.venv/bin/python docs/make_screenshots.py``."""

from __future__ import annotations

import contextlib
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from crispgrain import presets
from crispgrain.core.marks import Mark
from crispgrain.core.masks import Found, Kind, Lost
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import write_roll
from crispgrain.desktop.app import make_app
from crispgrain.desktop.export.export_dialog import ExportDialog
from crispgrain.desktop.several.rules_dialog import RulesDialog
from crispgrain.desktop.window.window import Window
from crispgrain.geometry import Rect
from crispgrain.orders.job import JobState
from crispgrain.paths import demo_folder
from crispgrain.session import export_sets
from crispgrain.session.comparing import Arrangement, Look
from crispgrain.session.rules import Rule
from crispgrain.session.shots import State
from crispgrain.simulation.print_profile import print_profile

TARGET = Path(__file__).with_name("screenshots")


def main() -> None:
    app = make_app()

    def wait(until: Callable[[], bool], seconds: float = 600) -> None:
        end = time.monotonic() + seconds
        while not until() and time.monotonic() < end:
            app.processEvents()
            time.sleep(0.01)

    def save(widget: QWidget, name: str) -> None:
        wait(lambda: False, 0.3)
        widget.grab().save(str(TARGET / f"{name}.png"))

    window = Window()
    window.show()
    save(window, "empty")
    shots = write_roll(demo_folder())
    for pattern in ("*.treatment.json", "*.xmp"):
        for sidecar in demo_folder().glob(pattern):
            sidecar.unlink()
    window.open_paths(shots)
    wait(lambda: all(e.state is not State.WAITING for e in window.session.roll.shots.values()))

    def rendered() -> bool:
        return (
            window.session.shot is not None and window.display.renderer.idle and not window.display.renderer._wanted()
        )

    for id, mark in ((1, Mark.KEEP), (3, Mark.KEEP), (5, Mark.REJECT), (6, Mark.LOOK_AGAIN)):
        window.session.mark(mark, [id])
    window.session.select([1, 2, 3])
    window.contact.set_wide(True)
    save(window, "roll")
    window.contact.set_wide(False)
    window.line_up_view.spot.setCurrentIndex(1)
    window.session.select([1, 2, 4, 6])
    window.line_up.start()
    wait(lambda: len(window.line_up._rows) == 4)
    save(window, "line-up")
    window.line_up.close()
    window.session.choose(2)
    wait(rendered)
    save(window, "easel")
    window.easel.set_zoom(1.0)
    window.session.viewport.look_at(1880, 2140)
    wait(rendered)
    save(window, "hundred-percent")
    window.strip_flow.run(Rect(2060, 2010, 150, 150))
    wait(lambda: all(f.image is not None for f in window.strip.frames))
    wait(rendered)
    save(window, "test-strip")
    window.strip.ladder.click()
    window.strip_flow.run(Rect(2080, 1900, 110, 300))
    wait(lambda: all(f.rung is not None for f in window.strip.frames))
    wait(rendered)
    save(window, "ladder")
    window.strip.close_strip()
    window.session.comparing.set_look(Look.RESIDUAL)
    wait(rendered)
    wait(lambda: bool(window.status.words.text()), 20)
    save(window, "residual")
    window.session.comparing.set_look(Look.PICTURE)
    window.session.choose([p.name for p in shots].index("dial-0802-missed-focus.dng"))
    window.session.comparing.set_arrangement(Arrangement.ACROSS)
    window.easel.set_loupe(True)
    window.session.choose_stage(Stage.SHARPEN)
    wait(rendered)
    for x in (600, 601):  # over the name plate
        QTest.mouseMove(window.easel, QPoint(x, 545))
    wait(rendered)
    save(window, "loupe")
    window.easel.set_loupe(False)
    window.session.comparing.set_arrangement(Arrangement.DIVIDER)
    window.session.choose([p.name for p in shots].index("dial-0801-shaken.dng"))
    wait(rendered)
    window.change_setting("sharpen.model", "shake")
    window.easel.set_zoom(1.0)
    wait(rendered)
    wait(lambda: window.controls.rows["path"].picture.kernel is not None, 60)
    save(window, "shake")
    window.session.choose_stage(Stage.DENOISE)
    window.session.choose(2)
    wait(rendered)
    night = Rule("Night series, high ISO", camera="Field Two", iso_from=3200, iso_to=12800)
    pocket = Rule("Old compact camera", kind="picture", below_megapixels=3)
    names = [presets.name_in(path) for path in presets.saved()]
    rules = RulesDialog([night, pocket], True, names, list(window.session.roll.shots.values()), window)
    rules.show()
    save(rules, "rules")
    rules.close()
    with tempfile.TemporaryDirectory(prefix="catalogue-") as folder:
        window.export_flow.queue.show()
        quick = Treatment().only([Stage.DEVELOP])
        listed = [window.session.roll[id] for id in window.session.roll.listed]
        window.exporter.add([(shot.id, shot.path, quick, Path(folder), "") for shot in listed])
        wait(lambda: sum(job.state is JobState.DONE for job in window.exporter.queue.jobs) >= 3)
        wait(lambda: False, 0.5)
        save(window, "queue")
        window.exporter.stop()
        wait(lambda: not window.exporter.queue.left)
    window.middle.setCurrentIndex(1)
    window.session.select([2])
    catalogue = Path("/home/marlowe/Pictures/catalogue")
    dialog = ExportDialog(window.session.pipeline, 3, catalogue, window, sets=export_sets.saved())
    dialog.show()
    save(dialog, "export")
    dialog.close()
    window.session.choose([p.name for p in shots].index("orrery-card-fault.jpg"))
    window.session.rescue()
    wait(rendered)
    window.session.choose_stage(Stage.DEVELOP)
    treatment, zone = window.session.treatment.with_zone(Stage.DEVELOP, Lost(), "fill")
    window.session.change_treatment(treatment, "A zone")
    window.session.choose_operation(zone)
    wait(rendered)
    save(window, "damaged")
    window.session.choose([p.name for p in shots].index("store-room.jpg"))
    wait(rendered)
    window.session.choose_operation("view")
    window.session.change_settings({"view.direction": 20.0, "view.pitch": -20.0}, "A view")
    wait(rendered)
    save(window, "all-round")
    window.session.choose(2)
    wait(rendered)
    window.session.choose_stage(Stage.DEVELOP)
    window.easel.set_zoom(None)
    treatment, zone = window.session.treatment.with_zone(Stage.DEVELOP, Found(Kind.SUBJECT))
    window.session.change_treatment(treatment.set(f"{zone}.exposure", 0.5).set("crop.angle", 1.5), "A zone")
    window.session.choose_operation(zone)
    window.session.comparing.set_look(Look.MASK)
    wait(lambda: False, 20)
    wait(rendered)
    save(window, "zone")
    window.session.comparing.set_look(Look.PICTURE)
    window.session.change_treatment(Treatment().set("print.paper", "30x40cm").set("print.border", 15.0), "A print")
    window.session.choose_stage(Stage.PRINT)
    wait(rendered)
    save(window, "print")
    with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
        Path("matt-paper.icc").write_bytes(print_profile("CMYK"))
        window.change_setting("print.icc", "matt-paper.icc")
        window.session.comparing.set_look(Look.PAPER_PROOF)
        wait(rendered)
        wait(lambda: "gamut" in window.status.words.text(), 20)
        save(window, "proof")
    window.session.comparing.set_look(Look.PICTURE)
    window.session.change_treatment(Treatment(), "Follow the meter")
    window.looking.toggle_dim()
    window.session.comparing.set_arrangement(Arrangement.SIDE_BY_SIDE)
    window.easel.set_zoom(2.0)
    wait(rendered)
    save(window, "dim-room")
    window.looking.toggle_dim()
    window.close()


if __name__ == "__main__":
    main()
