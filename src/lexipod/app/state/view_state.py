"""What is looked at: never saved, never undone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from lexipod.app.state.station import Station
from lexipod.checks import Finding
from lexipod.design import Design
from lexipod.drawing.edge import Axis
from lexipod.geometry.frames import Array


@dataclass(frozen=True, eq=False)
class Overlay:
    """A free zone to show: on which part, what is free of it and what is taken, each as polygons of rings in the part's frame."""

    part: str
    free: tuple[tuple[Array, ...], ...]
    taken: tuple[tuple[Array, ...], ...]


class ViewState(QObject):
    """Station, travel of each mechanism, picked parts and finding, section line, theme. ``kept`` is the version that was set
    aside to compare with, ``picked_item`` what of the pictures is in hand, ``lays`` whether the next press lays it,
    ``cut_line`` the line that is drawn on it."""

    station_changed = Signal(str)
    travel_changed = Signal()
    picked_changed = Signal()
    section_changed = Signal()
    hidden_changed = Signal()
    look_changed = Signal()
    overlay_changed = Signal()
    item_changed = Signal()

    def __init__(self, stations: Sequence[Station] = ()) -> None:
        super().__init__()
        self._stations = {s.id: s for s in stations}
        self.here = stations[0] if stations else Station("card", "Card")
        self.travel: dict[str, float] = {}
        self.linked: tuple[str, ...] = ()
        self.look = ""
        self.picked_parts: tuple[str, ...] = ()
        self.picked_place: tuple[float, float] | None = None
        self.section_axis: Axis = "y"
        self.section_share = 0.5
        self.shows_hidden = True
        self.overlay: Overlay | None = None
        self.preview: tuple[Array, ...] = ()
        self.kept: Design | None = None
        self.picked_item = ""
        self.lays = False
        self.cut_line: list[tuple[float, float]] | None = None

    @property
    def station(self) -> str:
        """The id of the station that is worked at."""
        return self.here.id

    def go_to(self, station: str) -> None:
        """Turns to a station."""
        if station != self.station:
            self.here = self._stations.get(station) or Station(station, station)
            self.station_changed.emit(station)

    def set_travel(self, mechanism: str, travel: float) -> None:
        """Moves a mechanism, and those that the same page opens."""
        if self.travel.get(mechanism) != travel:
            for moved in self.linked if mechanism in self.linked else (mechanism,):
                self.travel[moved] = travel
            self.travel_changed.emit()

    def look_at(self, look: str) -> None:
        """How a card that folds is looked at: “plan”, “standing” or “sheets”; empty for what suits the station."""
        if look != self.look:
            self.look = look
            self.look_changed.emit()

    def pick(self, parts: tuple[str, ...], place: tuple[float, float] | None = None) -> None:
        """Points at parts, and at a place on the card."""
        self.picked_parts, self.picked_place = parts, place
        self.picked_changed.emit()

    def pick_item(self, item: str) -> None:
        """Takes an item in hand, or none."""
        if item != self.picked_item:
            self.picked_item, self.lays, self.cut_line = item, False, None
            self.item_changed.emit()

    def set_laying(self, lays: bool) -> None:
        """Whether the next press on the card lays the item in hand where it is seen there."""
        if lays != self.lays:
            self.lays = lays
            self.item_changed.emit()

    def set_cutting(self, line: list[tuple[float, float]] | None) -> None:
        """The places of the card through which a line is being drawn, along which the picture in hand is to be cut; None for no line."""
        if line != self.cut_line:
            self.cut_line, self.lays = line, False
            self.item_changed.emit()

    def show_finding(self, finding: Finding) -> None:
        """Points at a finding and moves its own mechanism to the travel at which it happens."""
        if finding.travel is not None:
            self.set_travel(finding.mechanism, finding.travel)
        for other, travel in finding.also_at:
            self.set_travel(other, travel)
        self.pick(finding.parts, finding.where)

    def set_section(self, axis: Axis, share: float) -> None:
        """Moves the cut: ``share`` of the card's width (axis y) or height (axis x)."""
        self.section_axis, self.section_share = axis, min(1.0, max(0.0, share))
        self.section_changed.emit()

    def turn_section(self) -> None:
        """Cuts the other way, at the same share."""
        self.set_section("x" if self.section_axis == "y" else "y", self.section_share)

    def set_preview(self, rings: tuple[Array, ...]) -> None:
        """Outlines on the card (mm) that a cure under the pointer would give; none takes them away."""
        if rings is not self.preview and (rings or self.preview):
            self.preview = rings
            self.overlay_changed.emit()

    def set_overlay(self, overlay: Overlay | None) -> None:
        """Shows a free zone on the card, or none."""
        if overlay is not self.overlay:
            self.overlay = overlay
            self.overlay_changed.emit()

    def set_hidden(self, shows: bool) -> None:
        """Shows or leaves out hidden edges."""
        self.shows_hidden = shows
        self.hidden_changed.emit()
