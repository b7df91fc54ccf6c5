"""Commands that change how things are shown or run, not what is done to shots."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication

from crispgrain.core.files.source import RawSource
from crispgrain.core.meter.sensor import LEAST_SHOTS
from crispgrain.core.model import Stage
from crispgrain.core.networks import providers, runtime
from crispgrain.desktop.base import monitor
from crispgrain.desktop.base.preferences import THREADS, cache_gigabytes
from crispgrain.desktop.base.theme import BOOTH, DIM_ROOM, apply_theme, current_theme
from crispgrain.desktop.easel.guides import Guides
from crispgrain.desktop.easel.print_view import PrintViewDialog
from crispgrain.desktop.loading.noise_plot import NoiseDialog
from crispgrain.session.comparing import Arrangement
from crispgrain.session.session import Session
from crispgrain.store.sensors import sensors
from crispgrain.threads import cores, limit_workers

from .settings_dialog import GIGABYTE, PROVIDER, SettingsDialog

if TYPE_CHECKING:
    from .window import Window


def start_machine(session: Session, settings: QSettings) -> str:
    """Use of the machine what was chosen last; what went wrong, in words."""
    limit_workers(min(int(str(settings.value(THREADS, 0))), cores()))
    monitor.use(monitor.find(settings))
    session.cache.budget = int(cache_gigabytes(settings) * GIGABYTE)
    return runtime.use_provider(str(settings.value(PROVIDER, providers.PROCESSOR) or providers.PROCESSOR))


class Looking(QObject):
    """Size of the print, surround, theme, and what networks run on."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window

    def ask_print_view(self) -> None:
        """Show the result as large as its print will be."""
        window, pipeline = self._window, self._window.session.pipeline
        if pipeline is None:
            return
        ppi, size = float(pipeline.resolved[Stage.PRINT].values["ppi"]), pipeline.size
        words = f"{size.width / ppi * 2.54:.1f} × {size.height / ppi * 2.54:.1f} cm at {ppi:g} ppi"
        dialog = PrintViewDialog(window.settings, words, window)
        if dialog.exec():
            window.session.comparing.set_arrangement(Arrangement.RESULT)
            window.easel.set_zoom(dialog.scale(ppi))

    def show_camera_noise(self) -> None:
        """What all shots of a camera tell of its noise, by ISO."""
        window, shot = self._window, self._window.session.shot
        if shot is None:
            return
        facts = shot.source.facts
        known = sensors(window.session.store, facts.camera)
        if known:
            NoiseDialog(facts.camera, known, facts.iso or 0, window).exec()
        elif isinstance(shot.source, RawSource) and shot.source.noise_profile is not None:
            window.status.say(f"{shot.path.name} states the noise of its camera itself.")
        else:
            window.status.say(f"Not known yet: that takes {LEAST_SHOTS} RAW shots of a camera at one ISO.")

    def set_provider(self, provider: str) -> None:
        """What networks run on from now on; remembered for the next start."""
        window, trouble = self._window, runtime.use_provider(provider)
        window.settings.setValue(PROVIDER, runtime.provider())
        window.session.cache.clear()
        window.display.show_treated()
        window.status.say(trouble or f"Networks run on {providers.words(provider)}.")

    def ask_settings(self) -> None:
        """What the program uses of the machine, its folders and its keys."""
        window = self._window
        actions = [a for a in window.findChildren(QAction) if a.text()]
        SettingsDialog(window.session, window.settings, actions, window).exec()
        window.display.show_treated()

    def next_surround(self) -> None:
        self._window.easel.set_surround(self._window.easel.surround.next)

    def show_guides(self, guides: Guides) -> None:
        """Lay lines over the picture that help to place a crop."""
        self._window.easel.guides = guides
        self._window.easel.update()

    def toggle_dim(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, BOOTH if current_theme() is DIM_ROOM else DIM_ROOM)
