"""Ways to bring shots in: dialogs, dropped files, the demo roll; and where treatments are kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMimeData, QObject, QSettings, QTimer
from PySide6.QtWidgets import QFileDialog, QWidget

from crispgrain.core.errors import ShotError
from crispgrain.core.files import PICTURE_SUFFIXES, RAW_SUFFIXES, find_shots
from crispgrain.demo.roll import write_roll
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.preferences import SIDECARS
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.paths import demo_folder
from crispgrain.session.roll_file import SUFFIX
from crispgrain.session.session import Session
from crispgrain.session.watch import FolderWatch, gone_or_changed

WATCHED = 700  # ms between two looks into a watched folder
MAKING = "Making the demo roll …"
MINDED = 2500  # ms between two looks at the files that are open


class Opening(QObject):
    """Asks for files and folders and puts them on the roll; what cannot be opened is said on the bottom line."""

    def __init__(
        self, session: Session, background: Background, status: StatusLine, settings: QSettings, window: QWidget
    ) -> None:
        super().__init__(window)
        self._session, self._background, self._status = session, background, status
        self._settings, self._window = settings, window
        self.watching: FolderWatch | None = None
        self._busy = self._demo_awaited = False
        self._how_far = MAKING
        self._looking = QTimer(self)
        self._looking.setInterval(WATCHED)
        self._looking.timeout.connect(self._look)
        self._minding = QTimer(self)
        self._minding.setInterval(MINDED)
        self._minding.timeout.connect(self._mind)
        self._minding.start()

    def open_paths(self, paths: list[Path]) -> None:
        """Open files and folders."""
        files, problems = find_shots(paths)
        new = self._session.open(files)
        roll = self._session.roll
        both = len({frozenset((id, twin.id)) for id in new if (twin := roll.twin(id)) is not None})
        if problems:
            self._status.say(" ".join(str(p) for p in problems))
        elif both and not roll.listing.stacked:
            many = "1 shot is" if both == 1 else f"{both} shots are"
            self._status.say(f"{many} there as RAW and as finished picture: Marks, Stack lists the RAW alone.")

    def ask_files(self) -> None:
        kinds = " ".join(f"*{s} *{s.upper()}" for s in sorted(RAW_SUFFIXES | PICTURE_SUFFIXES))
        filters = f"Photographs ({kinds});;All files (*)"
        names, _ = QFileDialog.getOpenFileNames(self._window, "Open shots", "", filters)
        self.open_paths([Path(n) for n in names])

    def ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, "Open a folder of shots")
        if name:
            self.open_paths([Path(name)])

    def ask_open_roll(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a roll", "", f"Rolls (*{SUFFIX})")
        if name:
            try:
                self._session.open_roll(Path(name))
            except ShotError as error:
                self._status.say(str(error))

    def ask_save_roll(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the roll", f"evening{SUFFIX}", f"Rolls (*{SUFFIX})")
        if name:
            path = Path(name if name.endswith(SUFFIX) else f"{name}{SUFFIX}")
            try:
                self._session.save_roll(path)
                self._status.say(f"Roll kept as {path.name}.")
            except ShotError as error:
                self._status.say(str(error))

    def ask_watch(self) -> None:
        """Watch a folder for new shots; the command again ends it."""
        if self.watching is not None:
            self.watch(None)
            return
        name = QFileDialog.getExistingDirectory(self._window, "Watch a folder for new shots")
        if name:
            self.watch(Path(name))

    def watch(self, folder: Path | None) -> None:
        """Put what comes into a folder on the roll, once it is complete; None ends it."""
        self.watching = FolderWatch(folder) if folder is not None else None
        self._status.say(f"Watching {folder} for new shots." if folder else "No folder is watched any more.")
        (self._looking.start if folder is not None else self._looking.stop)()

    def _look(self) -> None:
        watching = self.watching
        if watching is None or self._busy:
            return
        self._busy = True

        def over(found: object) -> None:
            self._busy = False
            if isinstance(found, list) and found and self.watching is watching:
                self._session.open(found)
                names = found[0].name if len(found) == 1 else f"{len(found)} shots"
                self._status.say(f"New from {watching.folder.name}: {names}.")

        self._background.submit(Urgency.OPENING, watching.look, over, over)

    def _mind(self) -> None:
        """Notice files that are gone, back, or others than they were; and keep how they are looked at."""
        self._session.keep_view()
        roll = self._session.roll
        shots = [(s.id, s.path, s.stamp) for s in roll.shots.values() if s.stamp is not None]

        def found(answer: tuple[list[int], list[int]]) -> None:
            gone, changed = ({id for id in ids if id in roll.shots} for ids in answer)
            back = {shot.id for shot in roll.shots.values() if shot.lost} - gone
            for ids, do, words in (
                ({id for id in gone if not roll[id].lost}, roll.lose, "no longer there"),
                (back, roll.forget, "there again"),
                (changed - back, roll.forget, "not the file it was, and read anew"),
            ):
                if ids:
                    first, more = roll[min(ids)].path.name, f" and {len(ids) - 1} more" if len(ids) > 1 else ""
                    for id in ids:
                        do(id)
                    self._status.say(f"{first}{more}: {words}.")

        if shots:
            self._background.submit(Urgency.METERING, lambda: gone_or_changed(shots), found)

    def ask_sidecar_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self._window, "Folder for treatments")
        if name:
            self.set_sidecar_folder(Path(name))

    def set_sidecar_folder(self, folder: Path | None) -> None:
        """Where treatments are kept from now on; None is beside each shot. Remembered for the next start."""
        self._session.roll.sidecars = folder
        self._settings.setValue(SIDECARS, str(folder) if folder else "")
        self._status.say(f"Treatments are kept in {folder}." if folder else "Treatments are kept beside the shots.")

    def prepare_demo(self) -> None:
        """On the very first start, make the demo roll in the background."""
        if not demo_folder().exists():
            self._background.submit(Urgency.METERING, self._make_demo, lambda _: None)

    def open_demo(self, over: Callable[[], object]) -> None:
        """Write what is missing of the demo roll, then open it."""
        self._status.say(self._how_far)
        self._demo_awaited = True

        def failed(error: Exception) -> None:
            self._demo_awaited = False
            over()
            self._status.say(f"The demo roll could not be made: {error}")

        def done(paths: list[Path]) -> None:
            self._demo_awaited, self._how_far = False, MAKING
            over()
            self._status.say("")
            self.open_paths(paths)

        self._background.submit(Urgency.OPENING, self._make_demo, done, failed)

    def _make_demo(self) -> list[Path]:
        """Outside the window's thread; how far it is, is said if somebody waits for it."""

        def tell(words: str) -> None:
            self._how_far = words
            if self._demo_awaited:
                self._status.say(words)

        def report(number: int, total: int, name: str) -> None:
            words = f"Making the demo roll, {number + 1} of {total}: {name} …"
            self._background.in_window(lambda: tell(words))

        return write_roll(demo_folder(), report)


def local_paths(data: QMimeData) -> list[Path]:
    """The files that are being dropped."""
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
