"""The menus, with their keys."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu

from crispgrain.core.marks import Mark
from crispgrain.core.networks import providers, runtime
from crispgrain.core.render.mask_view import COLOURS
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.base.actions import add_action, add_switch
from crispgrain.desktop.easel.guides import Guides
from crispgrain.desktop.several.match_flow import MatchFlow
from crispgrain.session.comparing import Arrangement, Look
from crispgrain.session.session import Session

from .about import show_about

if TYPE_CHECKING:
    from .window import Window

LEFT = "Open what is left of damaged shots"


@dataclass(frozen=True)
class Menus:
    """What the window needs to reach again: actions that want a shot, and the list of presets."""

    need_shot: tuple[QAction, ...]
    export: QAction
    sync: QAction
    presets: QMenu
    takes: QMenu

    def enable(self, ready: bool) -> None:
        for action in self.need_shot:
            action.setEnabled(ready)
        self.presets.setEnabled(ready)
        self.takes.setEnabled(ready)


def _reset(session: Session) -> None:
    session.change_treatment(Treatment(), "Follow the meter in every stage")


def build_menus(window: Window) -> Menus:
    """Fill the window's menu bar."""
    bar = window.menuBar()
    shots = bar.addMenu("&Shots")
    add_action(shots, "Open files …", window.opening.ask_files, QKeySequence.StandardKey.Open)
    add_action(shots, "Open folder …", window.opening.ask_folder, "Ctrl+Shift+O")
    add_action(shots, "Open the demo roll", window.open_demo)
    shots.addSeparator()
    add_action(shots, "Open a roll …", window.opening.ask_open_roll)
    add_action(shots, "Save the roll …", window.opening.ask_save_roll)
    add_action(shots, "Watch a folder …, or no longer", window.opening.ask_watch)
    shots.addSeparator()
    export = add_action(shots, "Export …", window.export_flow.ask, "Ctrl+E")
    export_all = add_action(shots, "Export all …", partial(window.export_flow.ask, True))
    add_action(shots, "Sheet of prints …", window.export_flow.sheet.ask, QKeySequence.StandardKey.Print)
    add_action(shots, "What is being written", window.export_flow.queue.show, "Ctrl+J")
    shots.addSeparator()
    add_action(shots, LEFT, window.session.rescue)
    add_action(shots, "Keep treatments in a folder …", window.opening.ask_sidecar_folder)
    add_action(shots, "Keep treatments beside the shots", partial(window.opening.set_sidecar_folder, None))
    add_action(shots, "Settings …", window.looking.ask_settings, QKeySequence.StandardKey.Preferences)
    shots.addSeparator()
    add_action(shots, "Quit", window.close, QKeySequence.StandardKey.Quit)

    treatment = bar.addMenu("&Treatment")
    history = window.session.history
    undo = add_action(treatment, "Undo", history.undo, QKeySequence.StandardKey.Undo)
    redo = add_action(treatment, "Redo", history.redo, QKeySequence.StandardKey.Redo)

    def show_history() -> None:
        for action, words, step in ((undo, "Undo", history.next_undo), (redo, "Redo", history.next_redo)):
            action.setText(f"{words} {step}".rstrip())
            action.setEnabled(bool(step))

    history.changed.connect(show_history)
    show_history()
    treatment.addSeparator()
    copy = add_action(treatment, "Copy treatment", window.session.copy_treatment)
    paste = add_action(treatment, "Paste treatment on selected shots", window.several.paste)
    add_action(treatment, "Paste some stages …", window.several.ask_paste)
    sync = add_action(treatment, "Sync to selected shots …", window.several.ask_sync, "Ctrl+Shift+Y")
    match = MatchFlow(window.session, window.background, window.status, window.line_up.start, window)
    matching = add_action(treatment, "Match selected shots in light and colour", match.start)
    save_preset = add_action(treatment, "Save as preset …", window.several.ask_preset)
    presets = treatment.addMenu("Apply preset")
    presets.aboutToHide.connect(partial(window.session.try_preset, None))
    add_action(treatment, "Import presets …", window.several.ask_import)
    add_action(treatment, "Export a preset …", window.several.ask_export)
    add_action(treatment, "Rules for new shots …", window.several.ask_rules)
    by_rules = add_action(treatment, "Apply the rules to selected shots", window.several.apply_rules)
    keep = add_action(treatment, "Keep as a take …", window.takes.ask_keep)
    takes = treatment.addMenu("Takes of this shot")
    treatment.addSeparator()
    reset = add_action(treatment, "Follow the meter in every stage", partial(_reset, window.session))

    networks = treatment.addMenu("Networks run on")
    choices = QActionGroup(networks)
    for provider in providers.present():
        action = add_action(networks, providers.words(provider), partial(window.looking.set_provider, provider))
        action.setCheckable(True)
        action.setChecked(provider == runtime.provider())
        choices.addAction(action)

    marks = bar.addMenu("&Marks")
    for mark, keys in ((Mark.KEEP, "K"), (Mark.LOOK_AGAIN, "A"), (Mark.REJECT, "N")):
        add_action(marks, mark.capitalize(), partial(window.session.mark, mark), keys)
    marks.addSeparator()
    stack = add_switch(marks, "Stack RAW and finished of one name", window.contact.bar.set_stacked)
    window.session.roll.arranged.connect(lambda: stack.setChecked(window.session.roll.listing.stacked))
    add_action(marks, "Take off the roll", lambda: window.session.take_off(window.session.chosen))

    view = bar.addMenu("&View")
    add_action(view, "Whole roll and back", lambda: window.contact.set_wide(not window.contact.wide), "W")
    for words, by, selected_only, keys in (
        ("Next shot", 1, False, "PgDown"), ("Previous shot", -1, False, "PgUp"),
        ("Next selected shot", 1, True, "Alt+PgDown"), ("Previous selected shot", -1, True, "Alt+PgUp"),
    ):  # fmt: skip
        add_action(view, words, partial(window.session.step, by, selected_only), keys)
    view.addSeparator()
    for words, scale, keys in (
        ("Whole picture", None, "0"), ("100 %", 1.0, "1"), ("200 %", 2.0, "2"), ("400 %", 4.0, "4")
    ):  # fmt: skip
        add_action(view, words, partial(window.easel.set_zoom, scale), keys)
    print_view = add_action(view, "Size of the print …", window.looking.ask_print_view, "P")
    view.addSeparator()
    for arrangement, keys in zip(Arrangement, ("D", "Shift+D", "B", "Shift+B", "R"), strict=True):
        add_action(view, arrangement.value, partial(window.session.comparing.set_arrangement, arrangement), keys)
    view.addSeparator()
    add_switch(view, "Chosen stage against the one before", window.session.comparing.set_stage_alone, "C")
    looks = QActionGroup(view)
    for look in Look:
        action = add_action(view, look.value, partial(window.session.comparing.set_look, look))
        action.setCheckable(True)
        action.setChecked(look is Look.PICTURE)
        looks.addAction(action)
    _add_mask_colours(view.addMenu("Colour over the mask"), window)
    lines = QActionGroup(view)
    for guides in Guides:
        action = add_action(view, guides.value, partial(window.looking.show_guides, guides))
        action.setCheckable(True)
        action.setChecked(guides is Guides.NONE)
        lines.addAction(action)
    view.addSeparator()
    add_switch(view, "Loupe at the pointer", window.easel.set_loupe, "L")
    view.addSeparator()
    add_action(view, "Next surround (grey, white, black)", window.looking.next_surround, "G")
    add_action(view, "Dim room", window.looking.toggle_dim, "Ctrl+D")
    view.addSeparator()
    beside = add_action(view, "Lay another picture beside …", window.outside.ask)
    add_action(view, "Take that picture away", window.outside.take_away)
    camera_noise = add_action(view, "Noise of this camera …", window.looking.show_camera_noise)
    line_up = add_action(view, "Line-up of the selected shots", window.line_up.start, "U")
    add_action(view, "Test strip", window.start_strip, "T")

    add_action(bar.addMenu("&Help"), "About Crisp Grain and its keys", partial(show_about, window))
    return Menus(
        (
            export,
            export_all,
            copy,
            paste,
            sync,
            matching,
            save_preset,
            keep,
            print_view,
            reset,
            line_up,
            camera_noise,
            by_rules,
            beside,
        ),
        export,
        sync,
        presets,
        takes,
    )


def _add_mask_colours(menu: QMenu, window: Window) -> None:
    colours = QActionGroup(menu)
    for words, colour in {"What stands out": None, **{name.capitalize(): c for name, c in COLOURS.items()}}.items():
        action = add_action(menu, words, partial(window.session.comparing.set_mask_colour, colour))
        action.setCheckable(True)
        action.setChecked(colour is None)
        colours.addAction(action)
