"""What the travel ribbon shows: gaps over the travel against what they need, and the events on the way."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lexipod.assembly import Covered, Driven, Guided, Shown, Steady
from lexipod.checks.cover import covered_profile, free_opening, seen_share
from lexipod.checks.examination import Examination
from lexipod.checks.forces import JAM_MARGIN, guide_friction, guided_lengths, play_of, pressure_angles
from lexipod.checks.pictures import HIDDEN_SHARE, SHOWN_SHARE, turns_far
from lexipod.checks.seen import seen_items, sight_of
from lexipod.checks.tilting import rests_upright
from lexipod.geometry.frames import Array
from lexipod.mechanics import least_guide_mm

CIRCLES = 13
SHOWN_MM = 3.0
"""Pairs that stay further apart than this are no rows: the ribbon shows what could get into the way."""


NEAR_END = 0.08
"""So much of the travel counts as being at rest, or at the end, where a row shows it."""
TIGHT = 1.25
"""Less than so many times what is needed is little to spare."""


@dataclass(frozen=True, eq=False)
class RibbonRow:
    """One requirement over the travel: ``values`` ``(n,)`` against ``needed``; ``kind`` gap, stop, joint, cover, guide, share, circle,
    play, push or reading.

    Of a share it may be ``asked`` that nothing is seen at rest, and that all of it is at the ``end``, or at one ``halt`` on the way. Of play
    (how far something wags) and push (how askew it is pushed) at most ``needed`` is allowed, of the others at least; a reading only tells.
    """

    label: str
    kind: str
    parts: tuple[str, ...]
    travel: Array
    values: Array
    needed: float
    unit: str
    rule: str
    asked: tuple[bool, Literal["", "end", "halt"]] = (False, "")

    @property
    def trouble(self) -> NDArray[np.bool_]:
        """Where the requirement is not met, ``(n,)`` of bool."""
        if self.kind == "reading":
            return np.zeros(len(self.values), dtype=bool)
        if self.kind == "share" and any(self.asked):
            return self._not_as_asked
        if self.kind in ("stop", "joint", "share", "circle"):
            return self.values < -1e-6
        if self.kind in ("play", "push"):
            return self.values > self.needed + 1e-6
        return self.values < self.needed - 1e-6

    @property
    def _not_as_asked(self) -> NDArray[np.bool_]:
        """Where what is to be hidden at rest is seen, from there on the way until it is shown on purpose; and the end, where something of it
        is covered that is to be shown there, or that was shown nowhere."""
        hides, shows = self.asked
        near = max(1, round(NEAR_END * len(self.values)))
        out = np.zeros(len(self.values), dtype=bool)
        if hides and self.values[0] > HIDDEN_SHARE:
            out[:near] = self.values[:near] > HIDDEN_SHARE
        if shows and (self.values[-1] if shows == "end" else self.values.max()) < SHOWN_SHARE:
            out[-near:] = True
        return out

    @property
    def is_tight(self) -> bool:
        """Whether its requirement is met, but with little to spare."""
        if self.needed <= 0 or self.trouble.any():
            return False
        if self.kind in ("play", "push"):
            return self.least > self.needed / TIGHT
        return self.kind in ("gap", "cover", "guide") and self.least < TIGHT * self.needed

    @property
    def least(self) -> float:
        """The worst value: the least, or the greatest where at most ``needed`` is allowed."""
        return float(self.values.max() if self.kind in ("play", "push") else self.values.min())

    @property
    def greatest(self) -> float:
        """The greatest value that was measured; where two parts are too far apart to be compared there is none (``inf``)."""
        measured = self.values[np.isfinite(self.values)]
        return float(np.abs(measured).max()) if measured.size else np.inf


@dataclass(frozen=True, slots=True)
class RibbonEvent:
    """A moment of the travel. ``kind``: rest, end, stop-rest, stop-end, hidden-ends, revealed, detent, settles, flat."""

    kind: str
    travel: float
    label: str
    by: str = ""


def ribbon_rows(examination: Examination, mechanism: str) -> tuple[RibbonRow, ...]:
    """The rows of one mechanism: pairs that come near, then hiding, guiding and revealing."""
    assembly, travel = examination.assembly, examination.track(mechanism).travel
    rows = []
    for c in examination.clearances:
        if c.mechanism == mechanism and (c.minimum_mm < SHOWN_MM or c.kind != "gap"):
            names = " – ".join(assembly.part_name(p) for p in sorted((c.a, c.b), key=lambda p: p not in assembly.moving))
            kind = c.kind
            rows.append(RibbonRow(names, kind, (c.a, c.b), travel, c.profile, c.needed_mm, "mm", "clearance"))
    for need in assembly.needs:
        if need.mechanism != mechanism:
            continue
        if isinstance(need, Covered):
            values = np.broadcast_to(covered_profile(examination, need), travel.shape)
            rows.append(RibbonRow(f"{need.what} hidden", "cover", (need.part, *need.by), travel, values, need.lap_mm, "mm", "slot-hidden"))
        elif isinstance(need, Guided):
            inside, _ = guided_lengths(examination, need)
            needed = JAM_MARGIN * least_guide_mm(guide_friction(examination, need), need.offset_mm)
            rows.append(RibbonRow(f"{assembly.part_name(need.part)} guided", "guide", (need.part, *need.guides), travel, inside, needed, "mm", "jam"))
        elif isinstance(need, Steady):
            wag, _ = play_of(examination, need)
            rows.append(RibbonRow(f"{need.what} wags", "play", (need.part,), travel, wag, need.most_mm, "mm", "wobble"))
        elif isinstance(need, Driven):
            angles = pressure_angles(examination, need)
            rows.append(RibbonRow(f"push on {need.what}", "push", (assembly.find_joint(need.joint).a,), travel, angles, need.most_deg, "deg", "push"))
        elif isinstance(need, Shown):
            share = seen_share(examination, need)
            rows.append(RibbonRow(f"{need.what} seen", "share", (need.part,), travel, share, 1.0, "share", "reveal-end"))
            if need.opens:
                circles = _free_circles(examination, need)
                rows.append(RibbonRow("largest free circle", "circle", (need.part,), travel, circles, float(circles.max()), "mm", "reveal-end"))
    return (*rows, *picture_rows(examination, mechanism))


def picture_rows(examination: Examination, mechanism: str) -> Iterator[RibbonRow]:
    """A row for each item that is asked to be hidden or shown: the share of it that is seen."""
    for item in seen_items(examination):
        if item.is_asked:
            told = sight_of(examination, item, mechanism)
            shows: Literal["", "end", "halt"] = "" if not (item.show_at_end or item.show_at_halt) else "end"
            if shows and (not item.show_at_end or turns_far(examination, mechanism)):
                shows = "halt"
            asked = (item.hide_at_rest, shows)
            rule = "picture-hidden" if item.hide_at_rest else "picture-shown"
            yield RibbonRow(f"{item.named.removeprefix('the ')} seen", "share", (item.on,), told.travel, told.share, 1.0, "share", rule, asked)


def _free_circles(examination: Examination, need: Shown) -> Array:
    """Diameter (mm) of the largest free circle over the travel, ``(n,)``; measured at some positions, drawn straight between."""
    travel = examination.track(need.mechanism).travel
    picks = np.unique(np.linspace(0, len(travel) - 1, min(len(travel), CIRCLES)).round().astype(int))
    circles = [free_opening(examination, need, float(travel[k]))[1] for k in picks]
    return np.interp(np.arange(len(travel)), picks, circles)


def ribbon_events(examination: Examination, mechanism: str) -> tuple[RibbonEvent, ...]:
    """Rest, end, stops, and when the surprise begins to show and is free."""
    drive = examination.assembly.drive_of(mechanism)
    if drive is None:
        return ()
    free = examination.free_range(mechanism)
    events = [RibbonEvent("rest", drive.rest, "rest"), RibbonEvent("end", drive.end, "end")]
    events += [RibbonEvent("detent", at, f"{k + 1}") for k, at in enumerate(drive.detents)]
    if drive.by == "gravity":
        rests = rests_upright(examination, drive)
        if rests != (drive.rest, drive.end):  # else friction holds it wherever it is
            events += [RibbonEvent("settles", at, "rests upright") for at in sorted(set(rests))]
    for stop in (free.low, free.high):
        if stop.cause != "none" and not drive.endless:
            names = [examination.assembly.part_name(p) for p in stop.parts]
            by = f", where the {names[0]} meets the {names[1]}" if len(names) == 2 and stop.is_physical else ""
            events.append(RibbonEvent(f"stop-{stop.side}", stop.at, "stop" if stop.is_physical else stop.cause, by))
    travel = examination.track(mechanism).travel
    for need in examination.assembly.needs:
        if isinstance(need, Shown) and need.mechanism == mechanism:
            share = seen_share(examination, need)
            if need.closes:
                if (share < 0.998).any():
                    events.append(RibbonEvent("hidden-ends", float(travel[int(np.argmax(share < 0.998))]), "begins to close"))
                if (share < 0.002).any():
                    events.append(RibbonEvent("revealed", float(travel[int(np.argmax(share < 0.002))]), "all closed"))
                continue
            if (share > 0.002).any():
                events.append(RibbonEvent("hidden-ends", float(travel[int(np.argmax(share > 0.002))]), "begins to show"))
            if (share > 0.998).any():
                events.append(RibbonEvent("revealed", float(travel[int(np.argmax(share > 0.998))]), "all shown"))
    return tuple(sorted(events, key=lambda e: e.travel))
