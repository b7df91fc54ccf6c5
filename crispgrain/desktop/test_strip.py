"""The test strip: one patch rendered by several candidates, side by side, to choose from."""

from __future__ import annotations

import time
from dataclasses import dataclass

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QToolButton, QVBoxLayout, QWidget

from crispgrain.core.files.source import RawSource
from crispgrain.core.geometry import Rect
from crispgrain.core.model import Domain, Stage
from crispgrain.core.registry import models_of
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import CancelToken, Pipeline
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment, resolve

from .background import Background, Urgency
from .layer import to_image
from .theme import current_theme

MOST = 8
FRAME = QSize(156, 156)
LADDER = {Stage.DENOISE: ("luminance", (50.0, 150.0)), Stage.SHARPEN: ("strength", (40.0, 100.0))}


@dataclass(frozen=True)
class Candidate:
    """One way to treat the shot, and its label."""

    label: str
    treatment: Treatment
    merge: str = ""


def candidates(stage: Stage, shot: Shot, treatment: Treatment) -> list[Candidate]:
    """Off, every model of the stage at its strengths now, and weaker and stronger versions of the present one."""
    is_mosaic = isinstance(shot.source, RawSource)
    found: list[Candidate] = []
    if stage in (Stage.DENOISE, Stage.SHARPEN):
        found.append(Candidate("off", treatment.set(f"{stage}.on", False)))
    resolved = resolve(treatment, shot.source, shot.reading)[stage]
    lit = treatment.set(f"{stage}.on", True) if stage is not Stage.DEVELOP else treatment
    for model in models_of(stage):
        if is_mosaic or model.domain is Domain.PICTURE:
            found.append(Candidate(model.name, lit.set(f"{stage}.model", model.id)))
    if stage in LADDER:
        field, strengths = LADDER[stage]
        for strength in strengths:
            varied = lit.set(f"{stage}.model", resolved.model.id).set(f"{stage}.{field}", strength)
            found.append(Candidate(f"{resolved.model.name} {strength:.0f} %", varied))
    return found[:MOST]


class _Frame(QWidget):
    """One candidate's picture with its label."""

    adopted = Signal(object)

    def __init__(self, candidate: Candidate) -> None:
        super().__init__()
        self.candidate = candidate
        self.image: QImage | None = None
        self.seconds = 0.0
        self.problem = ""
        self.setFixedSize(FRAME.width(), FRAME.height() + 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(f"Click to adopt: {candidate.label}")
        self.setAccessibleName(candidate.label)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.adopted.emit(self.candidate)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.adopted.emit(self.candidate)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme = current_theme()
        painter = QPainter(self)
        area = QRect(0, 0, FRAME.width(), FRAME.height())
        painter.fillRect(area, QColor("#777777"))
        painter.setPen(QColor(theme.ink))
        if self.image is not None:
            scale = max(1, min(FRAME.width() // self.image.width(), FRAME.height() // self.image.height()))
            size = self.image.size() * scale
            place = QRect(
                (FRAME.width() - size.width()) // 2, (FRAME.height() - size.height()) // 2, size.width(), size.height()
            )
            painter.setClipRect(area)
            painter.drawImage(place, self.image)
            painter.setClipping(False)
        else:
            painter.setPen(QColor("#f2f2f2"))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, self.problem or "rendering …")
        painter.setPen(QColor(theme.ink))
        time_words = f"{self.seconds:.1f} s" if self.image is not None else ""
        room = QRect(2, FRAME.height() + 3, FRAME.width() - 4, 20)
        time_width = painter.fontMetrics().horizontalAdvance(time_words) + 6
        label = painter.fontMetrics().elidedText(
            self.candidate.label, Qt.TextElideMode.ElideRight, room.width() - time_width
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft, label)
        painter.setPen(QColor(theme.faint_ink))
        painter.drawText(room, Qt.AlignmentFlag.AlignRight, time_words)
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(QColor(theme.accent), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))

    def enterEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.update()

    def leaveEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.update()


class TestStrip(QWidget):
    """Candidates of a stage on one patch. Click one to adopt it."""

    __test__ = False  # not a test case, whatever its name looks like to a test runner
    adopted = Signal(object)  # Candidate
    closed = Signal()
    patch_wanted = Signal()

    def __init__(self, background: Background, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._background = background
        self._cancel = CancelToken()
        self.frames: list[_Frame] = []
        self.heading = QLabel()
        again = QToolButton()
        again.setText("Choose another patch")
        again.clicked.connect(self.patch_wanted)
        close = QToolButton()
        close.setText("Close")
        close.clicked.connect(self.close_strip)
        top = QHBoxLayout()
        top.addWidget(self.heading)
        top.addStretch()
        top.addWidget(again)
        top.addWidget(close)
        self._row = QHBoxLayout()
        self._row.setSpacing(10)
        self._row.setContentsMargins(0, 0, 0, 0)
        inside = QWidget()
        inside.setLayout(self._row)
        scroll = QScrollArea()
        scroll.setWidget(inside)
        scroll.setWidgetResizable(True)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(6)
        layout.addLayout(top)
        layout.addWidget(scroll)
        self.setFixedHeight(FRAME.height() + 24 + 66)
        self.hide()

    def run(self, stage: Stage, shot: Shot, treatment: Treatment, patch: Rect) -> None:
        """Render the candidates of a stage on a patch, given in pixels of the source."""
        self._cancel.cancel()
        self._cancel = cancel = CancelToken()
        while self._row.count():
            item = self._row.takeAt(0)
            if item is not None and (old := item.widget()) is not None:
                old.deleteLater()
        self.heading.setText(f"{stage.label} on {patch.width} × {patch.height} pixels: click the one to keep")
        self.frames = []
        cache = TileCache(200_000_000)
        for candidate in candidates(stage, shot, treatment):
            frame = _Frame(candidate)
            frame.adopted.connect(self.adopted)
            self._row.addWidget(frame)
            self.frames.append(frame)
            self._start(frame, shot, patch, cache, cancel)
        self._row.addStretch()
        self.show()

    def _start(self, frame: _Frame, shot: Shot, patch: Rect, cache: TileCache, cancel: CancelToken) -> None:
        def job() -> tuple[QImage, float]:
            started = time.monotonic()
            resolved = resolve(frame.candidate.treatment, shot.source, shot.reading)
            pipeline = Pipeline(shot.source, shot.reading, resolved, cache)
            fx, fy = pipeline.size.width / shot.source.size.width, pipeline.size.height / shot.source.size.height
            scaled = Rect(
                int(patch.top * fy), int(patch.left * fx), max(1, int(patch.height * fy)), max(1, int(patch.width * fx))
            )
            image = to_image(pipeline.untiled(scaled.intersect(pipeline.size.rect), cancel=cancel))
            return image, time.monotonic() - started

        def done(answer: tuple[QImage, float]) -> None:
            frame.image, frame.seconds = answer
            frame.update()

        def failed(error: Exception) -> None:
            frame.problem = str(error) or type(error).__name__
            frame.update()

        self._background.submit(Urgency.STRIP, job, done, failed, cancel)

    def close_strip(self) -> None:
        self._cancel.cancel()
        self.hide()
        self.closed.emit()
