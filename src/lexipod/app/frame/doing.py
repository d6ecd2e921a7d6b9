"""What the actions do to the design and to what is looked at."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QMessageBox

from lexipod import __version__
from lexipod.app.card.lens import NEARER
from lexipod.app.frame.hull import Hull
from lexipod.app.frame.keys_sheet import KeysSheet
from lexipod.app.frame.stations import READER, STATIONS, TABLE
from lexipod.app.look import DAY, NIGHT
from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.app.state.view_state import ViewState
from lexipod.building import build_assembly
from lexipod.checks import Remedy
from lexipod.design import Design
from lexipod.editing.change import add_mechanism, change_design
from lexipod.errors import LexipodError
from lexipod.recipes import find_recipe


class Doing(QObject):
    """The actions on the design, and those of looking."""

    def __init__(self, window: Hull, session: Session, desk: Desk, view: ViewState) -> None:
        self._before = "pictures"
        super().__init__(window)
        self.window, self.session, self.desk, self.view = window, session, desk, view

    # ---- the design ---------------------------------------------------------------------------------------------------

    def choose_mechanism(self) -> None:
        """The chooser, at the station Mechanism."""
        self.view.go_to("mechanism")
        self.window.chooser_wanted.emit()

    def put_on_card(self, recipe_id: str, turn: int) -> None:
        """One more mechanism on the card, sized for it."""
        design = self.session.design
        try:
            made = add_mechanism(design, recipe_id, self.session.catalog, given={"turned": str(turn)})
        except LexipodError as error:
            self.window.say(str(error))
            return
        self.session.edit(made, text=f"put {find_recipe(recipe_id).name} on the card")
        self.desk.use(made.mechanisms[-1].id)
        self.window.bench_wanted.emit()

    def take_proposal(self, made: Design) -> None:
        """A mechanism that was sized for a wish, put on the card."""
        design, wanted = self.session.design, made.mechanisms[0]
        taken = {m.id for m in design.mechanisms}
        name = next(f"m{k}" for k in range(1, 99) if f"m{k}" not in taken)
        both = msgspec.structs.replace(design, mechanisms=(*design.mechanisms, msgspec.structs.replace(wanted, id=name)))
        try:
            build_assembly(both, self.session.catalog)
        except LexipodError as error:
            self.window.say(str(error))
            return
        self.session.edit(both, text=f"put {find_recipe(wanted.recipe).name} on the card")
        self.desk.use(name)
        self.window.bench_wanted.emit()

    def undo(self) -> None:
        """Takes the last change back."""
        self.session.undo()

    def redo(self) -> None:
        """Makes it again."""
        self.session.redo()

    def apply_remedy(self, remedy: Remedy) -> None:
        """Applies a cure, undoable."""
        try:
            design = change_design(self.session.design, self.session.catalog, remedy.set, mechanism=remedy.mechanism)
        except LexipodError as error:
            self.window.say(str(error))
            return
        self.view.pick(())
        self.session.edit(design, text=f"“{remedy.label}”")

    def apply_first_cure(self) -> None:
        """The first cure of the worst finding."""
        judgement = self.desk.judgement
        remedies = [r for f in (judgement.findings if judgement and not self.desk.is_stale else ()) for r in f.remedies]
        if remedies:
            self.apply_remedy(remedies[0])
        else:
            self.window.say("There is no cure to apply just now.")

    def mirror(self) -> None:
        """Mirrors the current mechanism left to right."""
        current = self.session.design.find_mechanism(self.desk.current)
        if current is not None:
            changed = change_design(self.session.design, self.session.catalog, {"mirror": not current.mirror}, mechanism=current.id)
            self.session.edit(changed, text="mirror")

    def turn_mechanism(self) -> None:
        """Turns the current mechanism by a quarter."""
        self.window.mechanism_panel.turn_whole()

    def fit_mechanism(self) -> None:
        """Sizes the current mechanism round what is pinned."""
        self.view.go_to("mechanism")
        self.window.mechanism_panel.fit()

    def next_mechanism(self) -> None:
        """The next mechanism of the card."""
        ids = [m.id for m in self.session.design.mechanisms]
        if ids:
            self.desk.use(ids[(ids.index(self.desk.current) + 1) % len(ids)])

    def switch_units(self) -> None:
        """Inches to millimetres and back."""
        self.use_unit("mm" if self.session.design.ways.units == "in" else "in")

    def use_unit(self, unit: str) -> None:
        """Measures in “in” or “mm” from now on."""
        self.session.edit(change_design(self.session.design, self.session.catalog, {"units": unit}), text=f"measures in {unit}")
        self.window.title_wanted.emit()

    def go_to(self, station: str) -> None:
        """To a station."""
        self.view.go_to(station)

    def go_to_share(self, share: float | None, step: float = 0.0) -> None:
        """Moves the current mechanism to a share of its travel, or on by a step."""
        drive = self.desk.drive
        if drive is None:
            return
        span = drive.end - drive.rest
        now = (self.view.travel.get(drive.mechanism, drive.rest) - drive.rest) / span
        share = now + step if share is None else share
        self.view.set_travel(drive.mechanism, drive.rest + span * min(1.0, max(0.0, share)))

    def go_rest(self) -> None:
        """Everything at rest."""
        self.go_to_share(0.0)

    def go_end(self) -> None:
        """Pulled out."""
        self.go_to_share(1.0)

    def pull_on(self) -> None:
        """A little further."""
        self.go_to_share(None, 1 / 36)

    def push_back(self) -> None:
        """A little back."""
        self.go_to_share(None, -1 / 36)

    def to_halt(self, step: str) -> None:
        """The next place at which the reader halts, or the one before."""
        self.window.pictures_panel.to_halt(int(step))

    def switch_reader(self) -> None:
        """The card alone as the reader sees it, or back to work."""
        if self.view.station == READER.id:
            self.view.go_to(self._before)
        else:
            self._before = self.view.station
            self.view.go_to(READER.id)

    def sit_at_table(self) -> None:
        """One step at a time, for hands that are busy; or back to the plan."""
        if self.view.station == TABLE.id:
            self.leave_table()
        else:
            self.view.go_to(TABLE.id)

    def leave_table(self) -> None:
        """Back to the plan; the waits go on."""
        self.view.go_to("build")

    def show_page(self, page: str) -> None:
        """A page of the station Fit."""
        self.view.go_to("fit")
        self.window.fit_panel.turn_to(page)

    def keep_version(self) -> None:
        """Sets the present version aside."""
        self.window.fit_panel.versions.keep_version()
        self.window.say("This version is set aside; at Fit, under versions, it stands beside what you change.")

    def switch_theme(self) -> None:
        """Day to night and back."""
        self.window.theme_wanted.emit(NIGHT if self.window.theme is DAY else DAY)

    def switch_hidden(self) -> None:
        """Shows or leaves out hidden edges."""
        self.view.set_hidden(not self.view.shows_hidden)

    def turn_cut(self) -> None:
        """Cuts the other way."""
        self.view.turn_section()

    def come_nearer(self) -> None:
        """The card larger."""
        self.window.bench.come_nearer(NEARER)

    def go_farther(self) -> None:
        """The card smaller."""
        self.window.bench.come_nearer(1 / NEARER)

    def switch_glass(self) -> None:
        """A glass under the pointer, or none."""
        bench = self.window.bench
        on = not bench.card_view.magnifies
        bench.card_view.set_magnifier(on)
        bench.fold_view.set_magnifier(on)

    def show_whole(self) -> None:
        """The whole card, as large as it goes."""
        self.window.bench.show_whole()

    def show_keys(self) -> None:
        """The keys."""
        KeysSheet(self.window).open()

    def show_about(self) -> None:
        """What this is."""
        names = ", ".join(s.title for s in STATIONS)
        self._box(
            "About Lexipod",
            (
                f"<p><b>Lexipod {__version__}</b></p><p>A bench on which a moving card is worked out before anything is cut.</p>"
                f"<p>Stations: {names}.</p><p>Typefaces: Source Sans 3 and Source Serif 4 (SIL Open Font License).</p>"
                "<p>Blades cut: use a mat and a metal ruler, and cut away from the body. Small parts are not for young children.</p>"
            ),
        )

    def _box(self, title: str, text: str) -> None:
        box = QMessageBox(self.window)
        box.setWindowTitle(title)
        box.setTextFormat(Qt.TextFormat.RichText)
        box.setText(text)
        box.open()
