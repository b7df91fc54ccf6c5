"""What is open and what is done with it: the shot on the easel, its treatment, undo, selection, how it is looked at."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from attrs import evolve
from psygnal import Signal

from crispgrain.core.errors import TreatmentError
from crispgrain.core.marks import Mark
from crispgrain.core.model import Stage, Value
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import FIXED, Treatment, sidecar_path
from crispgrain.store import Store

from .changes import carried, with_setting, with_settings
from .comparing import VIEW_TILE, Comparing, Comparison
from .history import History, Step, Treatments
from .keeper import Keeper
from .remembered import recall, remembered
from .roll import Roll
from .roll_file import load_roll, save_roll
from .shots import OpenShot, ShotId
from .sync import Part, synced
from .viewport import Viewport

VIEW = "view"  # name of what is kept of how the roll is looked at


class Session:
    """Everything that a window shows and a command changes. Knows no window; its signals say what has changed.

    The only place where treatments change: each change is a step to undo, and is written beside its shot.
    """

    current_changed = Signal()  # another shot is on the easel
    treatment_changed = Signal(int)  # id of a shot
    operation_changed = Signal()  # another stage, or another operation of it, is open
    selection_changed = Signal()
    tried = Signal()  # something is only looked at, or no longer
    problem = Signal(str)

    def __init__(self, store: Store, sidecars: Path | None = None) -> None:
        self.store, self.cache = store, TileCache(kept=store)
        self.roll = Roll()
        self.roll.sidecars = sidecars
        self.history = History(self._put)
        self.viewport, self.comparing = Viewport(), Comparing()
        self.keeper = Keeper()
        self.current: ShotId | None = None
        self.selection: list[ShotId] = []
        self.together = False
        self.copied: Treatment | None = None
        self.trial: Treatment | None = None  # looked at in place of the treatment, without changing it
        self.remembers = True  # what is open, for the next start
        self.stage = Stage.DENOISE
        self.operation = Stage.DENOISE.value  # of the stage: the one everywhere, a zone or the crop
        self._pipeline: Pipeline | None = None
        self._kept_view: dict[str, object] = {}
        self._next_place: tuple[float, float] | None = None
        self.roll.problem.connect(self.problem.emit)
        self.keeper.problem.connect(self.problem.emit)

    def close(self) -> None:
        self.keep_view()
        self.keeper.close()
        self.store.close()

    # ---- which shots -------------------------------------------------------------
    def open(self, paths: Iterable[Path]) -> list[ShotId]:
        """Put files on the roll; the first one on the easel if there is none. Returns the ids of those that are new."""
        self.keeper.settle()  # a shot just taken off may come back, and its newest treatment with it
        new = self.roll.open(paths)
        if new:
            if self.current is None:
                self.choose(new[0])
            self._remember()
        return new

    def open_roll(self, path: Path) -> None:
        """Open a kept roll in place of the present one; what is no longer there is said. Raises ShotError."""
        paths, on_easel = load_roll(path)
        there = [p for p in paths if p.exists()]
        self.take_off(list(self.roll.shots))
        new = self.open(there)
        found = next((s.id for s in self.roll.shots.values() if s.path == on_easel), None)
        if found is not None:
            self.choose(found)
        elif new:
            self.choose(new[0])
        if len(there) < len(paths):
            self.problem.emit(f"{len(paths) - len(there)} of {len(paths)} shots of {path.name} are no longer there.")

    def save_roll(self, path: Path) -> None:
        """Keep which shots are open; raises ShotError."""
        on_easel = self.on_easel
        save_roll([s.path for s in self.roll.shots.values()], on_easel.path if on_easel is not None else None, path)

    def take_off(self, ids: Iterable[ShotId]) -> None:
        """Let go of shots; their files stay. If that on the easel is among them, the next one takes its place."""
        gone, listed = set(ids), self.roll.listed
        here = listed.index(self.current) if self.current in listed else 0
        following = [id for id in (*listed[here:], *listed[:here][::-1], *self.roll.shots) if id not in gone]
        self.roll.take_off(gone)
        if self.current in gone:
            self.current = self._pipeline = None
            if following:
                self.choose(following[0])
            else:
                self.current_changed.emit()
        self.select([id for id in self.selection if id not in gone])
        self._remember()

    def reopen(self) -> bool:
        """Open what was open at the end of last time, as far as it is still there; whether there is anything."""
        paths, current = self.store.open_roll()
        there = [path for path in paths if path.exists()]
        if self.current is None and there:
            for id in self.roll.open(there):
                self.roll[id].new = False
            found = next((s.id for s in self.roll.shots.values() if s.path == current), self.roll.listed[0])
            self.choose(found)
            recall(self, self.store.state(VIEW) or {})
        return bool(there)

    def keep_view(self) -> None:
        """Keep how the roll is looked at for the next start, if that has changed; called now and then."""
        view = remembered(self)
        if self.remembers and self.roll.shots and view != self._kept_view:
            self._kept_view = view
            self.store.keep_state(VIEW, view)

    def _remember(self) -> None:
        if not self.remembers:
            return
        on_easel = self.on_easel
        paths = [self.roll[id].path for id in self.roll.shots]
        self.store.keep_open_roll(paths, on_easel.path if on_easel is not None else None)

    def choose(self, id: ShotId, keep_selection: bool = False) -> None:
        """Put a shot on the easel; it is selected alone, unless the others are to stay selected."""
        if not keep_selection:
            self.select([id])
        if id != self.current:
            self.current, self._pipeline, self.trial = id, None, None
            self._leave_missing_zone(self.treatment)
            self.current_changed.emit()
            on_easel = self.on_easel
            if self.remembers:
                self.store.keep_on_easel(on_easel.path if on_easel is not None else None)

    def step(self, by: int, selected_only: bool = False) -> None:
        """Put the next or previous shot on the easel, or of those selected, which all stay selected."""
        listed = self.roll.listed
        if self.current not in listed:
            return
        here = listed.index(self.current)
        ahead = listed[here + 1 :] if by > 0 else listed[:here][::-1]
        found = [id for id in ahead if not selected_only or id in self.selection]
        if found:
            self.choose(found[0], keep_selection=selected_only)

    @property
    def neighbours(self) -> list[OpenShot]:
        """The shots listed after and before the one on the easel."""
        listed = self.roll.listed
        if self.current not in listed:
            return []
        here = listed.index(self.current)
        return [self.roll[id] for id in (*listed[here + 1 : here + 2], *listed[max(here - 1, 0) : here])]

    def select(self, ids: Iterable[ShotId]) -> None:
        wanted = list(ids)
        if wanted != self.selection:
            self.selection = wanted
            self.selection_changed.emit()

    @property
    def chosen(self) -> list[ShotId]:
        """The shots that a command for several is meant for: those selected, else the one on the easel."""
        return self.selection or ([self.current] if self.current is not None else [])

    # ---- the shot on the easel -----------------------------------------------------
    @property
    def on_easel(self) -> OpenShot | None:
        return self.roll.shots.get(self.current) if self.current is not None else None

    @property
    def shot(self) -> Shot | None:
        """Its pixels and reading, once they are there."""
        return self.on_easel.shot if self.on_easel is not None else None

    @property
    def treatment(self) -> Treatment:
        return self.on_easel.treatment if self.on_easel is not None else Treatment()

    @property
    def pipeline(self) -> Pipeline | None:
        """The shot under its whole treatment; None before it is in memory.

        Raises
        ------
        TreatmentError
            If the treatment asks for what there is not.
        """
        shot = self.shot
        if shot is None:
            return None
        known = self._pipeline
        if known is None or known.source is not shot.source or known.reading is not shot.reading:
            self._pipeline = shot.pipeline(self.treatment, self.cache, VIEW_TILE)
        return self._pipeline

    def look_at_next(self, point: tuple[float, float]) -> None:
        """Look at a point of the source of the shot on the easel once it is in memory."""
        self._next_place = point

    def take_place(self) -> None:
        """Go to where was asked for: called when the shot is in memory."""
        pipeline, point, self._next_place = self.pipeline, self._next_place, None
        if pipeline is not None and point is not None:
            x, y = pipeline.steps[-1].after.to_source.inverse(*point)  # type: ignore[arg-type]
            self.viewport.place(pipeline.size)
            self.viewport.look_at(float(x), float(y))

    def compared(self, treatment: Treatment | None = None) -> Comparison | None:
        """The two views to show, perhaps under another treatment; raises as :attr:`pipeline`."""
        shot = self.shot
        if shot is None:
            return None
        return self.comparing.compare(shot, treatment or self.treatment, self.stage, self.cache, self.operation)

    def choose_stage(self, stage: Stage) -> None:
        self.stage, self.operation = stage, stage.value
        self.operation_changed.emit()

    def _leave_missing_zone(self, treatment: Treatment) -> None:
        """Open what is everywhere if the zone that is open was undone, or another shot has none of that name."""
        if self.operation not in FIXED and treatment.find(self.operation) is None:
            self.operation = self.stage.value

    def choose_operation(self, id: str) -> None:
        self.operation = id
        self.operation_changed.emit()

    # ---- treatments ----------------------------------------------------------------
    def change(self, treatments: Treatments, words: str, merge: str = "") -> None:
        """Give shots other treatments, as one step to undo; those that are as they were are left out.

        Changes in a row with the same ``merge`` are undone as one.
        """
        own = {id: self.roll[id].treatment for id in treatments}
        kept = {id: evolve(t, mark=own[id].mark, rescue=own[id].rescue) for id, t in treatments.items()}
        self._do(kept, words, merge)

    def mark(self, mark: Mark, ids: Iterable[ShotId] | None = None) -> None:
        """Mark shots, those chosen if none are named; the same mark on all of them once more takes it away."""
        wanted = list(ids) if ids is not None else self.chosen
        if all(self.roll[id].treatment.mark is mark for id in wanted):
            mark = Mark.NONE
        self._do({id: evolve(self.roll[id].treatment, mark=mark) for id in wanted}, f"Mark: {mark or 'none'}")

    def rescue(self, ids: Iterable[ShotId] | None = None) -> None:
        """Open what is left of damaged shots, those chosen if none are named; once more leaves them as they were."""
        wanted = list(ids) if ids is not None else self.chosen
        on = not all(self.roll[id].treatment.rescue for id in wanted)
        self._do({id: evolve(self.roll[id].treatment, rescue=on) for id in wanted}, "What is left of damaged files")

    def _do(self, treatments: Treatments, words: str, merge: str = "") -> None:
        after = {id: t for id, t in treatments.items() if t != self.roll[id].treatment}
        if after:
            before = {id: self.roll[id].treatment for id in after}
            self.history.do(Step(words, before, after, merge))

    def change_treatment(self, treatment: Treatment, words: str, merge: str = "") -> None:
        """Give the shot on the easel another treatment; while shots are treated together, change the others alike."""
        if self.current is None:
            return
        others = [id for id in self.selection if id != self.current] if self.together else []
        before = self.treatment
        changed = {id: carried(before, treatment, self.roll[id].treatment) for id in others}
        words = f"{words}, on {len(others) + 1} shots" if others else words
        self.change({**changed, self.current: treatment}, words, merge)

    def treat_together(self, on: bool) -> None:
        """Whether changes of the shot on the easel go to all that are selected."""
        self.together = on
        self.selection_changed.emit()

    def change_setting(self, name: str, value: object) -> None:
        """Change one setting of the shot on the easel; ``id.*`` returns all of an operation to the meter."""
        if self.shot is None:
            return
        try:
            operation, field = self.treatment.addressed(name)
            changed = with_setting(self.treatment, name, value, self.shot)
        except TreatmentError as error:
            self.problem.emit(str(error))
            return
        self.change_treatment(changed, f"{operation.stage.label}: {field}", name if isinstance(value, float) else "")

    def change_settings(self, values: Mapping[str, Value], words: str) -> None:
        """Change several settings of the shot on the easel in one step; raises TreatmentError."""
        if self.shot is None:
            return
        self.change_treatment(with_settings(self.treatment, values, self.shot), words)

    def synced(self, ids: Iterable[ShotId], parts: Iterable[Part]) -> dict[ShotId, Treatment]:
        """What shots would become, as far as they would change, with parts of the treatment of that on the easel."""
        pipeline, wanted = self.pipeline, list(parts)
        resolved = pipeline.resolved if pipeline is not None else None
        others = {id: self.roll[id].treatment for id in ids if id != self.current}
        after = {id: synced(own, self.treatment, wanted, resolved) for id, own in others.items()}
        return {id: treatment for id, treatment in after.items() if treatment != others[id]}

    def sync(self, ids: Iterable[ShotId], parts: Iterable[Part]) -> int:
        """Put parts of the treatment of the shot on the easel on others, in one step; how many have changed."""
        changed = self.synced(ids, parts)
        self.change(dict(changed), f"Sync to {len(changed)} shots")
        return len(changed)

    def copy_treatment(self) -> None:
        """Keep the treatment of the shot on the easel to be pasted, without what belongs to it alone."""
        self.copied = self.treatment.part(list(Stage), "")

    def paste_treatment(self, stages: Iterable[Stage] = tuple(Stage)) -> int:
        """Put stages of what was copied on the chosen shots, as one step; returns how many."""
        copied = self.copied
        if copied is None:
            return 0
        ids, wanted = self.chosen, list(stages)
        self.change({id: self.roll[id].treatment.synced_from(copied, wanted) for id in ids}, "Treatment pasted")
        return len(ids)

    def try_preset(self, preset: Treatment | None) -> None:
        """Look at the shot on the easel with a preset on it, changing nothing; None ends that."""
        wanted = self.treatment.synced_from(preset, preset.stages, True) if preset is not None else None
        if wanted != self.trial:
            self.trial = wanted
            self.tried.emit()

    def put_preset(self, preset: Treatment, ids: Iterable[ShotId], name: str) -> None:
        """Put all stages of a preset on shots."""
        self.change({id: self.roll[id].treatment.synced_from(preset, preset.stages, True) for id in ids}, name)

    def _put(self, treatments: Treatments) -> None:
        for id, treatment in treatments.items():
            if id not in self.roll.shots:
                continue  # taken off the roll since
            shot = self.roll[id]
            if treatment.mark is not shot.treatment.mark:
                self.keeper.rate(shot.path, treatment.mark.rating, self.roll.sidecars)
            anew = treatment.rescue is not shot.treatment.rescue
            shot.treatment = treatment
            self.roll.set_state(id, shot.settled_state)
            self.keeper.keep(sidecar_path(shot.path, self.roll.sidecars), treatment)
            if id == self.current:
                self._pipeline = None
                self._leave_missing_zone(treatment)
            self.treatment_changed.emit(id)
            if anew:
                self.roll.forget(id)
