"""Random operations on a session: whatever is done, roll, sidecars, store and undo stay consistent."""

import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from crispgrain.core.marks import Mark
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment, sidecar_path
from crispgrain.session.listing import Listing, Order
from crispgrain.session.session import Session
from crispgrain.session.sync import whole_stages
from crispgrain.store import Store

FILES = 6
numbers = st.integers(0, FILES - 1)
changes = st.sampled_from([
    ("denoise.luminance", 40.0), ("denoise.colour", 150.0), ("sharpen.on", False), ("crop.angle", 2.0),
    ("finish.amount", 3),
])  # fmt: skip
listings = st.builds(
    Listing, st.sampled_from(Order), st.booleans(), st.sampled_from(["", "1", "png", "zebra"]),
    st.sampled_from([None, frozenset({Mark.NONE}), frozenset({Mark.KEEP, Mark.REJECT})]), st.booleans(),
)  # fmt: skip


class Using(RuleBasedStateMachine):
    """A person at work, and what must be so whatever they do."""

    @initialize()
    def begin(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        base = Path(self.folder.name)
        self.files = [base / f"{n}.png" for n in range(FILES)]
        for path in self.files:
            path.write_bytes(b"never read here")
        self.session = Session(Store(base / "store.sqlite"))

    def teardown(self) -> None:
        if hasattr(self, "session"):
            self.session.close()
            self.folder.cleanup()

    @property
    def ids(self) -> list[int]:
        return list(self.session.roll.shots)

    def pick(self, places: list[int]) -> list[int]:
        ids = self.ids
        return sorted({ids[place % len(ids)] for place in places}) if ids else []

    @rule(places=st.lists(numbers, min_size=1))
    def open(self, places: list[int]) -> None:
        self.session.open([self.files[place] for place in places])

    @precondition(lambda self: self.ids)
    @rule(places=st.lists(numbers, min_size=1))
    def take_off(self, places: list[int]) -> None:
        self.session.take_off(self.pick(places))

    @precondition(lambda self: self.ids)
    @rule(place=numbers, keep=st.booleans())
    def choose(self, place: int, keep: bool) -> None:
        self.session.choose(self.pick([place])[0], keep)

    @precondition(lambda self: self.ids)
    @rule(places=st.lists(numbers))
    def select(self, places: list[int]) -> None:
        self.session.select(self.pick(places))

    @rule(by=st.sampled_from([-1, 1]), selected=st.booleans())
    def step(self, by: int, selected: bool) -> None:
        self.session.step(by, selected)

    @rule(mark=st.sampled_from(Mark))
    def mark(self, mark: Mark) -> None:
        self.session.mark(mark)

    @rule(change=changes, together=st.booleans())
    def change(self, change: tuple[str, object], together: bool) -> None:
        self.session.treat_together(together)
        self.session.change_treatment(self.session.treatment.set(*change), change[0], change[0])  # type: ignore[arg-type]

    @rule()
    def reset(self) -> None:
        self.session.change_treatment(Treatment(), "reset")

    @rule(stages=st.lists(st.sampled_from(Stage), unique=True), per_shot=st.booleans())
    def sync(self, stages: list[Stage], per_shot: bool) -> None:
        self.session.sync(self.session.selection, whole_stages(self.session.treatment, stages, per_shot))

    @rule()
    def copy_and_paste(self) -> None:
        self.session.copy_treatment()
        self.session.paste_treatment()

    @rule(listing=listings)
    def arrange(self, listing: Listing) -> None:
        self.session.roll.arrange(listing)

    @rule()
    def undo(self) -> None:
        self.session.history.undo()

    @rule()
    def redo(self) -> None:
        self.session.history.redo()

    @rule()
    def undo_and_redo_are_inverse(self) -> None:
        if self.session.history.next_undo:
            before = {id: shot.treatment for id, shot in self.session.roll.shots.items()}
            self.session.history.undo()
            self.session.history.redo()
            assert {id: shot.treatment for id, shot in self.session.roll.shots.items()} == before

    @rule()
    def close_and_reopen(self) -> None:
        shots = {shot.path: shot.treatment for shot in self.session.roll.shots.values()}
        on_easel = self.session.on_easel
        self.session.close()
        self.session = Session(Store(Path(self.folder.name) / "store.sqlite"))
        assert self.session.reopen() == bool(shots)
        assert {shot.path: shot.treatment for shot in self.session.roll.shots.values()} == shots
        if on_easel is not None:
            assert self.session.on_easel.path == on_easel.path

    @invariant()
    def everything_points_to_open_shots(self) -> None:
        if not hasattr(self, "session"):
            return
        session, ids = self.session, set(self.ids)
        assert set(session.roll.listed) <= ids
        assert set(session.selection) <= ids
        assert session.current in ids or (session.current is None and not ids)
        assert set(session.chosen) <= ids
        assert sorted(i for series in session.roll._series for i in series) == sorted(ids)

    @invariant()
    def every_file_is_there_still(self) -> None:
        if hasattr(self, "files"):
            assert all(path.read_bytes() == b"never read here" for path in self.files)


TestUsing = pytest.mark.slow(Using.TestCase)
TestUsing.settings = settings(
    max_examples=20, stateful_step_count=50, deadline=None, suppress_health_check=list(HealthCheck)
)


def test_what_is_kept_beside_a_shot_is_its_treatment(tmp_path):
    (tmp_path / "a.png").touch()
    session = Session(Store(tmp_path / "store.sqlite"))
    session.open([tmp_path / "a.png"])
    session.change_treatment(Treatment().set("finish.on", True), "on")
    session.mark(Mark.KEEP)
    session.close()
    assert Treatment.load(sidecar_path(tmp_path / "a.png")) == session.treatment
