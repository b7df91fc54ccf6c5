"""Gives new shots the presets that rules name, once enough is known of them."""

from __future__ import annotations

from collections.abc import Sequence

from crispgrain import presets
from crispgrain.core.errors import ShotError, TreatmentError

from .rules import Rule, first_match
from .session import Session
from .shots import ShotId


class Ruling:
    """Asks the rules once for each shot that came onto the roll without a treatment."""

    def __init__(self, session: Session, rules: Sequence[Rule] = (), on: bool = False) -> None:
        self._session = session
        self.rules, self.on = list(rules), on
        session.roll.changed.connect(self._met)

    def _met(self, id: ShotId) -> None:
        """If a new shot has been measured, it gets what the rules say, as a step to undo."""
        shot = self._session.roll.shots.get(id)
        if shot is None or not shot.new or shot.reading is None:
            return
        shot.new = False
        if self.on and not shot.treatment.stages:
            self.apply([id])

    def apply(self, ids: Sequence[ShotId]) -> int:
        """Put presets on shots as the rules say, whatever they had; how many a rule fits."""
        fitting = 0
        for id in ids:
            shot = self._session.roll[id]
            rule = first_match(self.rules, shot.path, shot.facts, shot.megapixels)
            if rule is None:
                continue
            try:
                preset = presets.load(rule.preset)
            except (TreatmentError, ShotError) as error:
                self._session.problem.emit(f"{shot.path.name}: {error}")
                continue
            fitting += 1
            shot.why = f"“{rule.preset}” by rule: {rule.words}"
            self._session.put_preset(preset, [id], f"Rule: {rule.preset}")
        return fitting
