"""Fills the easel: decides which parts to compute next, and says how far that is."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from crispgrain.cancel import CancelToken
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.progress import Progress
from crispgrain.core.render.views import Result, View, between, view_at
from crispgrain.desktop.base.background import Background, Urgency
from crispgrain.desktop.base.monitor import image_on_monitor
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement
from crispgrain.session.viewport import NO_BORDER
from crispgrain.threads import worker_count

from .easel import Easel
from .layer import Layer, Part, level_for, render_part, screen_image
from .marks import LOUPE_SCALE

SPOT = 64  # px of the result
RENDERING = "rendering"


class EaselRenderer(QObject):
    """Keeps just as many parts in the making as there are workers, always those that matter most now.

    Panning therefore cancels nothing and never computes a part twice; a change
    of treatment cancels what is under way. A small spot where one looks comes
    before all: an answer within a tenth of a second or a few.
    """

    progress = Signal(object)  # Progress, or None when all that is visible is there
    failed = Signal(str)

    def __init__(self, easel: Easel, background: Background, cache: TileCache) -> None:
        super().__init__()
        self.easel, self.cache = easel, cache
        self._background = background
        self._spot_under_way = False
        self._spots = Background(1)  # one that never has to wait for a part under way
        self._cancel = CancelToken()
        self._layers = {"source": easel.source, "outside": easel.outside, "result": easel.result}
        self._exact: tuple[View | None, ...] = (None, None, None)  # of source and result, and what is laid beside
        self._in_work: set[tuple[str, Part]] = set()
        self._done = 0
        self._started = 0.0
        self._stopped = False
        easel.view_changed.connect(self._view_changed)

    def show(
        self, source: View | None, result: View | None, overview: QImage | None, wait: bool = False,
        outside: View | None = None,
    ) -> None:  # fmt: skip
        """Put another shot, treatment or view on the easel; ``wait`` shows it without computing it yet."""
        easel = self.easel
        self._drop_work()
        self._done, self._stopped = 0, wait
        self._exact = (source, result, outside)
        easel.source.overview = image_on_monitor(overview) if overview is not None else None
        easel.result.overview = easel.source.overview if _plain(result) else None
        border = NO_BORDER
        if isinstance(result, Result):
            border, easel.result.paper = result.border, screen_image(result.paper()).pixelColor(0, 0)
        easel.keep_place(result.size if result is not None else None, border)
        self._choose_views()
        easel.unfinished = RENDERING if wait else ""
        easel.update()
        self._start_spot()
        self._pump()

    def _choose_views(self) -> None:
        """Show the views themselves, or from far away, approximations of them."""
        easel, (_, result, *_) = self.easel, self._exact
        scale = easel.viewport.scale_of(result.size) if result is not None else 1.0
        for layer, view in zip((easel.source, easel.result, easel.outside), self._exact, strict=True):
            ratio = between(view, result).stretch if view is not None and result is not None else 1.0
            wanted = view_at(view, scale * ratio) if view is not None else None
            if layer.key != (wanted.key if wanted is not None else None):
                self._drop_work()
            layer.set_view(wanted, layer.overview)

    def _drop_work(self) -> None:
        self._cancel.cancel()
        self._cancel = CancelToken()
        self._in_work.clear()
        self._spot_under_way = False

    def set_overview(self, image: QImage) -> None:
        """Put another small rendering under the parts."""
        image = image_on_monitor(image)
        self.easel.source.overview = image
        if _plain(self._exact[1]):
            self.easel.result.overview = image
        self.easel.update()
        self._pump()

    def stop(self) -> None:
        """Compute nothing more until the view or the treatment changes."""
        self._drop_work()
        self._stopped = True
        if self.easel.unfinished:
            self._say("stopped")
        self.progress.emit(None)

    def close(self) -> None:
        """Compute nothing ever again."""
        self._cancel.cancel()
        self._spots.close()

    @property
    def idle(self) -> bool:
        return not self._in_work

    def _view_changed(self) -> None:
        if self.easel.result.view is not None:
            self._stopped = False
            self._choose_views()
            self._pump()

    def _wanted(self) -> list[tuple[str, Part]]:
        """Parts still missing for what is on screen, most wanted first; some under way."""
        easel = self.easel
        visible, scale = easel.visible, easel.scale
        wanted: list[tuple[str, Part]] = []
        layers = self._layers
        if easel.comparing.arrangement is Arrangement.RESULT:
            layers = dict(reversed(layers.items()))
        loupe = easel.loupe_view
        if loupe.width and loupe.height:
            name = "source" if easel.flipped else "result"
            wanted += self._missing(name, layers[name], loupe, LOUPE_SCALE)
        for name, layer in layers.items():
            wanted += self._missing(name, layer, visible, scale)
        return list(dict.fromkeys(wanted))

    def _missing(self, name: str, layer: Layer, part: Rect, scale: float) -> list[tuple[str, Part]]:
        """Parts of a layer that a part of the result, shown at a scale, still lacks."""
        result = self.easel.result.view
        if layer.view is None or result is None:
            return []
        to_layer = between(result, layer.view)
        own, own_scale = to_layer.rect(part).intersect(layer.size.rect), scale / to_layer.stretch
        if name == "source" and layer.overview is not None and own_scale <= self._overview_scale(layer):
            return []  # the overview has pixels enough for this
        under_way = [part for work, part in self._in_work if work == name]
        return [(name, part) for part in layer.missing(own, own_scale, under_way)]

    @staticmethod
    def _overview_scale(layer: Layer) -> float:
        return layer.overview.width() / layer.size.width if layer.overview is not None else 0.0

    def _pump(self) -> None:
        if self._stopped:
            return
        easel = self.easel
        self._say(RENDERING if easel.result.missing(easel.visible, easel.scale) else "")
        wanted = self._wanted()
        if not self._in_work and not wanted:
            self._done = 0
            self.progress.emit(None)
            return
        if not self._done and not self._in_work:
            self._started = time.monotonic()
        workers = max(1, worker_count() - self._spot_under_way)  # a spot should not share its processor
        for item in wanted:
            if len(self._in_work) >= workers:
                break
            if item not in self._in_work:
                self._start(*item)
        self._report(len({*wanted, *self._in_work}))

    def _say(self, unfinished: str) -> None:
        if self.easel.unfinished != unfinished:
            self.easel.unfinished = unfinished
            self.easel.update()

    def _report(self, left: int) -> None:
        passed = time.monotonic() - self._started
        seconds = passed / self._done * left if self._done >= 2 else None
        self.progress.emit(Progress(self._done, self._done + left, seconds))

    def _start_spot(self) -> None:
        """Compute a small spot of a new result by itself, unless it is there or pixels are shown shrunk."""
        easel, layer = self.easel, self.easel.result
        view, cancel = layer.view, self._cancel
        if self._stopped or not isinstance(view, Result) or level_for(easel.scale):
            return
        spot = easel.looked_at(SPOT)
        coming = [part for _, part in self._missing("result", layer, easel.visible, easel.scale)]
        if all(view.pipeline.is_cached(part.rect) for part in coming if not part.rect.intersect(spot).empty):
            return

        def done(image: QImage) -> None:
            layer.spot = spot, image
            easel.update()
            over()

        def over(error: Exception | None = None) -> None:  # if it failed, so will its part, and that is said
            self._spot_under_way = False
            self._pump()

        self._spot_under_way = True
        self._spots.submit(Urgency.VISIBLE, lambda: screen_image(view.patch(spot, cancel=cancel)), done, over, cancel)

    def _start(self, name: str, part: Part) -> None:
        layer = self._layers[name]
        view, cancel = layer.view, self._cancel
        assert view is not None
        self._in_work.add((name, part))

        def done(image: QImage) -> None:
            self._in_work.discard((name, part))
            layer.put(part, image)
            self._done += 1
            self.easel.update()
            self._pump()

        def failed(error: Exception) -> None:
            self.stop()
            self.failed.emit(str(error) or type(error).__name__)

        self._background.submit(Urgency.VISIBLE, lambda: render_part(view, part, cancel), done, failed, cancel)


def _plain(view: View | None) -> bool:
    """Whether a view shows the picture as it is, so that a small rendering may stand for it."""
    return isinstance(view, Result) and view.proof is None
