"""From what is drawn, painted and chosen to the mask of a zone."""

from __future__ import annotations

from functools import partial

import numpy as np
from attrs import evolve
from PySide6.QtCore import QLineF, QObject
from PySide6.QtWidgets import QMenu

from crispgrain.core.masks import (
    Brush,
    Found,
    How,
    Kind,
    Lasso,
    LinearGradient,
    Lost,
    Mask,
    Oval,
    Rough,
    Specks,
    Stroke,
)
from crispgrain.core.model import Role, Shape, Stage
from crispgrain.core.registry import find_model
from crispgrain.core.stages.develop.fill import MODEL as FILL
from crispgrain.core.transform import Transform
from crispgrain.desktop.base.background import Background
from crispgrain.desktop.base.status_line import StatusLine
from crispgrain.desktop.easel.easel import Easel
from crispgrain.desktop.easel.hand import Points
from crispgrain.desktop.easel.pressure import Pressure
from crispgrain.desktop.sheet.control_sheet import ControlSheet
from crispgrain.desktop.sheet.zone_row import operation_name
from crispgrain.session.masking import as_parts, painted, with_part
from crispgrain.session.session import Session

from .drawn import moved_points
from .mask_pictures import MaskPictures, Put

DRAWN = {
    "Gradient …": (Shape.LINE, "Draw from where it is whole to where it ends. Esc leaves it."),
    "Ellipse …": (Shape.RECTANGLE, "Drag over the area. Esc leaves it."),
    "Rectangle …": (Shape.RECTANGLE, "Drag over the area. Esc leaves it."),
    "Lasso …": (Shape.PATH, "Draw around the area. Esc leaves it."),
    "Object …": (Shape.PATH, "Click on it, or draw over it. Esc leaves it."),
    "Colour …": (Shape.PATH, "Click on the colour. Esc leaves it."),
}
PAINTED: dict[str, Mask] = {"Brush …": Brush(), "Keep and drop …": Rough()}
HOWS = {How.ADD: "Add", How.SUBTRACT: "Take away", How.INTERSECT: "Limit to"}
LEAST_OPACITY = 0.01
CLICK = 0.01  # of the longer side, around a click on an object
NEAR = 3  # px of the source around a click, whose mean colour is taken


class MaskFlow(QObject):
    """Adds, changes and removes zones and the parts of their masks."""

    def __init__(
        self, session: Session, easel: Easel, controls: ControlSheet, status: StatusLine, background: Background
    ) -> None:
        super().__init__(easel)
        self.pictures = MaskPictures(session, easel, status, background)
        self._session, self._easel, self._controls, self._status = session, easel, controls, status
        self.panel = controls.masks
        self._stage = session.stage
        session.operation_changed.connect(self._follow_stage)
        self.pressure = Pressure(easel)
        self.ways, self.parts = QMenu(controls), QMenu(controls)
        self._fill(self.ways, self._new_zone)
        self.by_how = {how: QMenu(words, self.parts) for how, words in HOWS.items()}
        for how, menu in self.by_how.items():
            self._fill(menu, partial(self._new_part, how))
            self.parts.addMenu(menu)
        self.same_zone, self.same_part = QMenu("As in", self.ways), QMenu("As in", self.parts)
        for menu, all_of_it in ((self.same_zone, self.ways), (self.same_part, self.parts)):
            all_of_it.addMenu(menu)
        self.ways.aboutToShow.connect(lambda: self._fill_same(self.same_zone, self._new_zone))
        self.parts.aboutToShow.connect(lambda: self._fill_same(self.same_part, lambda mask: self._put(mask, "mask")))
        self.parts.addAction("Save as a grey picture …", self._save)
        controls.zones.add.setMenu(self.ways)
        self.panel.more.setMenu(self.parts)
        controls.zones.add_wanted.connect(self.add_zone)
        controls.zones.remove_wanted.connect(self.remove)
        self.panel.changed.connect(self._put)
        self.panel.paint_wanted.connect(self._paint)
        for row in self.panel.brush.values():
            row.changed.connect(lambda: self._paint(self.panel.paint.isChecked()))

    def _fill(self, menu: QMenu, put: Put) -> None:
        for kind in Kind:
            if kind is not Kind.COLOUR:
                menu.addAction(kind.label, partial(put, Found(kind)))
        menu.addAction("Dust and scratches", partial(put, Specks()))
        menu.addAction("What a damaged file lost", partial(put, Lost()))
        menu.addSeparator()
        for words in DRAWN:
            menu.addAction(words, partial(self._ask, words, put))
        for words, empty in PAINTED.items():
            menu.addAction(words, partial(self._begin_painting, put, empty))
        menu.addAction("Grey picture …", partial(self.pictures.ask, put))

    def _fill_same(self, menu: QMenu, put: Put) -> None:
        """List the other zones of this shot; the mask of one that is chosen is taken over."""
        menu.clear()
        for operation in self._session.treatment.operations:
            if operation.mask is not None and operation.id != self._session.operation:
                menu.addAction(f"{operation.stage.label}: {operation_name(operation.id)}", partial(put, operation.mask))
        menu.setEnabled(not menu.isEmpty())

    # ---- zones --------------------------------------------------------------------
    def add_zone(self) -> None:
        """Ask for a gradient of a new zone of the stage that is open."""
        self._ask("Gradient …", self._new_zone)

    def remove(self, id: str) -> None:
        session, stage = self._session, self._session.stage
        own = session.treatment.find(id)
        if own is not None and own.everywhere:
            session.change_treatment(session.treatment.put(evolve(own, mask=None)), f"{stage.label}: mask removed")
            return
        session.change_treatment(session.treatment.without(id), f"{stage.label}: {operation_name(id)} removed")
        session.choose_operation(stage.value)

    def show(self) -> None:
        """Show on the easel where the gradient of the zone that is open lies; nothing for anything else."""
        shot, to_source = self._session.shot, self._to_source()
        zone = self._session.treatment.find(self._session.operation)
        parts = as_parts(zone.mask).parts if zone is not None else ()
        mask = parts[0].shape if len(parts) == 1 else None
        if shot is None or to_source is None or not isinstance(mask, LinearGradient):
            self._easel.show_guide(None)
            return
        size = shot.source.size
        ends = [(x * size.width, y * size.height) for x, y in (mask.start, mask.end)]
        (x1, y1), (x2, y2) = moved_points(tuple(ends), to_source.inverse)
        self._easel.show_guide(QLineF(x1, y1, x2, y2))

    # ---- masks --------------------------------------------------------------------
    def _new_zone(self, mask: Mask) -> None:
        session = self._session
        open_one, _ = session.treatment.addressed(f"{session.operation}.on")
        cut = open_one.model and find_model(open_one.stage, open_one.model).may_be(Role.CUT)
        if cut or session.stage is Stage.ENLARGE:
            treatment, id = session.treatment.put(evolve(open_one, mask=mask)), open_one.id
        else:
            model = FILL.id if isinstance(mask, Specks | Lost) and session.stage is FILL.stage else None
            treatment, id = session.treatment.with_zone(session.stage, mask, model)
        self._status.say("")
        session.change_treatment(treatment, f"{session.stage.label}: {operation_name(id)}")
        session.choose_operation(id)

    def _new_part(self, how: How, shape: Mask) -> None:
        self._put(with_part(self._mask(), shape, how), "part of the mask")

    def _save(self) -> None:
        mask = self._mask()
        if mask is not None:
            self.pictures.ask_save(mask)

    def _mask(self) -> Mask | None:
        zone = self._session.treatment.find(self._session.operation)
        return zone.mask if zone is not None else None

    def _put(self, mask: Mask, words: str) -> None:
        session = self._session
        zone = session.treatment.find(session.operation)
        if zone is not None:
            session.change_treatment(
                session.treatment.put(evolve(zone, mask=mask)), f"{operation_name(zone.id)}: {words}"
            )

    # ---- drawing ------------------------------------------------------------------
    def _ask(self, words: str, put: Put) -> None:
        shape, hint = DRAWN[words]
        self._easel.hand.ask(shape, partial(self._take, words, put))
        self._status.say(hint)

    def _take(self, words: str, put: Put, points: Points) -> None:
        places = self._shares(points)
        self._status.say("")
        if not places:
            return
        try:
            if words == "Gradient …":
                put(LinearGradient(places[0], places[1]))
            elif words == "Lasso …":
                put(Lasso(tuple(places)))
            elif words == "Object …":
                put(Rough((Stroke(tuple(places), CLICK),)))
            elif words == "Colour …":
                put(Found(Kind.COLOUR, high=0.4, colour=self._colour_at(places[0])))
            else:
                put(Oval(places[0], places[2], square=words == "Rectangle …"))
        except ValueError as error:
            self._status.say(f"That could not be used: {error}.")

    def _colour_at(self, place: tuple[float, float]) -> tuple[float, float, float]:
        shot, pipeline = self._session.shot, self._session.pipeline
        if shot is None or pipeline is None:
            return Found.colour
        small = pipeline.ground.small
        y, x = int(place[1] * small.shape[0]), int(place[0] * small.shape[1])
        near = small[max(y - NEAR, 0) : y + NEAR + 1, max(x - NEAR, 0) : x + NEAR + 1].reshape(-1, 3)
        red, green, blue = (round(float(v), 4) for v in np.median(near, axis=0)) if len(near) else Found.colour
        return red, green, blue

    def _begin_painting(self, put: Put, empty: Mask) -> None:
        put(empty)
        self.panel.paint.setChecked(True)

    def _paint(self, on: bool) -> None:
        hand = self._easel.hand
        pipeline = self._session.pipeline
        if not on or pipeline is None:
            if hand.shape is Shape.PATH:
                hand.call_off()
            return
        longer = max(pipeline.source.size.width, pipeline.source.size.height)
        width = self.panel.brush["size"].field.value() / 100 * longer / pipeline.steps[-1].after.stretch
        hand.ask(Shape.PATH, self._take_stroke, width=width)

    def _follow_stage(self) -> None:
        """What was to be drawn for one stage is called off in another, which may have no zones."""
        if self._session.stage is not self._stage and self._easel.hand.shape is not None:
            self.leave()
            self._status.say("")
        self._stage = self._session.stage

    def leave(self) -> None:
        """Forget what was to be drawn or painted."""
        self.panel.paint.setChecked(False)
        self._easel.hand.call_off()

    def _take_stroke(self, points: Points) -> None:
        places, values = self._shares(points), {k: row.field.value() / 100 for k, row in self.panel.brush.items()}
        if places and self._mask() is not None:
            opacity = max(values["opacity"] * self.pressure.take(), LEAST_OPACITY)
            how = values["feather"], opacity, self._easel.hand.away, values["flow"]
            stroke = Stroke(tuple(places), values["size"] / 2, *how)
            mask, index = painted(self._mask(), self.panel.index, stroke)
            self._put(mask, "stroke")
            self.panel.parts.setCurrentIndex(index)
        self._paint(self.panel.paint.isChecked())

    # ---- places -------------------------------------------------------------------
    def _shares(self, points: Points) -> list[tuple[float, float]]:
        """Places in the result as shares of the source; those far beyond it are brought to its surroundings."""
        shot, to_source = self._session.shot, self._to_source()
        if shot is None or to_source is None or not points:
            return []
        size = shot.source.size
        moved = moved_points(points, to_source)
        shares = [(x / size.width, y / size.height) for x, y in moved]
        return [(round(min(max(x, -1.0), 2.0), 6), round(min(max(y, -1.0), 2.0), 6)) for x, y in shares]

    def _to_source(self) -> Transform | None:
        pipeline = self._session.pipeline
        return pipeline.steps[-1].after.to_source if pipeline is not None else None
