"""Drags as generators: one function from press to release, over plain pointer values, tested without a window."""

from __future__ import annotations

import math
from collections.abc import Callable, Generator
from dataclasses import dataclass

import numpy as np

from lexipod.app.state.session import Session
from lexipod.assembly import Handle
from lexipod.design import Design, number_of
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import Array, apply_pose
from lexipod.motion import Track
from lexipod.recipes import Parameter
from lexipod.recipes.registry import find_recipe
from lexipod.units import MM_PER_INCH
from lexipod.units.quantities import Value

Drag = Generator[None, "Pointer | None", None]
Refused = Callable[[str], None]


def ignore(_: str) -> None:
    """Nobody wants to know why."""


@dataclass(frozen=True, slots=True)
class Pointer:
    """Where the pointer is on the card (mm), and whether fine steps are wanted. None instead of a pointer cancels."""

    x: float
    y: float
    fine: bool = False


def ruler_step(design: Design, *, fine: bool) -> float:
    """The step on which dragged measures fall: the maker's ruler, or a tenth of a millimetre when fine."""
    if fine:
        return 0.1
    return 0.5 if design.ways.units == "mm" else MM_PER_INCH / min(design.ways.denominator, 16)


def find_value(design: Design, mechanism_id: str, name: str) -> Value:
    """The value of a handle's parameter; ``shift`` is the place of the whole mechanism, ``pivot.x`` half of a place."""
    if name.startswith("item."):
        item = design.find_item(name.split(".")[1])
        return item.at if item is not None else (0.0, 0.0)
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    values: dict[str, Value] = {**mechanism.parameters, "shift": mechanism.shift}
    return number_of(values, name) if "." in name else values[name]


def value_at(design: Design, handle: Handle) -> Value:
    """The value of what a handle moves; a cue that has no place of its own yet is where it is seen."""
    if handle.parameter.startswith("cue."):
        return design.cues.get(handle.mechanism, handle.at)
    return find_value(design, handle.mechanism, handle.parameter)


def parameter_of(design: Design, mechanism_id: str, name: str) -> Parameter | None:
    """The parameter behind a handle; None for the place of the whole mechanism."""
    mechanism = design.find_mechanism(mechanism_id)
    base = name.partition(".")[0]
    return None if base in ("shift", "item", "cue") or mechanism is None else find_recipe(mechanism.recipe).find_parameter(base)


def snapped(design: Design, handle: Handle, value: float, *, fine: bool) -> float:
    """A value on the ruler's marks (or whole degrees) and within its parameter's limits."""
    parameter = parameter_of(design, handle.mechanism, handle.parameter)
    is_angle = parameter is not None and parameter.kind == "angle"
    step = (0.1 if fine else 1.0) if is_angle else ruler_step(design, fine=fine)
    value = round(value / step) * step
    low, high = (parameter.minimum, parameter.maximum) if parameter else (-600.0, 600.0)
    return round(min(high, max(low, value)), 6)


def nudged(session: Session, handle: Handle, change: float, *, fine: bool) -> float:
    """The value of a handle's parameter after ``change``, on the ruler's marks and within its limits."""
    value = value_at(session.design, handle)
    assert not isinstance(value, tuple)
    return snapped(session.design, handle, float(value) + change, fine=fine)


def set_parameter(session: Session, handle: Handle, value: Value, *, refused: Refused = ignore) -> None:
    """One edit of a handle's parameter; what cannot be accepted changes nothing, and ``refused`` is told why."""
    changed = _changed(session, handle, value, refused)
    if changed is not None:
        session.edit(changed, text=handle.label)


def _changed(session: Session, handle: Handle, value: Value, refused: Refused) -> Design | None:
    try:
        return change_design(session.design, session.catalog, {handle.parameter: value}, mechanism=handle.mechanism, by_hand=True)
    except LexipodError as error:
        refused(str(error))
        return None


def drag_handle(session: Session, handle: Handle, press: Pointer, *, refused: Refused = ignore) -> Drag:
    """Moves a decision: a measure along its direction, an angle round its middle, a place both ways. One undo step, or none where it ends
    as it began; why a place on the way cannot be is told to ``refused``."""
    session.hold()
    try:
        yield from _drag_held(session, handle, press, refused)
    finally:
        session.let_go(text=handle.label)


def _drag_held(session: Session, handle: Handle, press: Pointer, refused: Refused) -> Drag:
    before = session.design
    start = value_at(before, handle)
    turned = 0.0
    while (pointer := (yield)) is not None:
        if (pointer.x, pointer.y) == (press.x, press.y):
            session.show(before)
            continue
        dx, dy = pointer.x - press.x, pointer.y - press.y
        along = dx * handle.direction[0] + dy * handle.direction[1]
        if isinstance(start, tuple):
            assert handle.cross is not None
            up = dx * handle.cross[0] + dy * handle.cross[1]
            value: Value = (snapped(before, handle, start[0] + along, fine=pointer.fine), snapped(before, handle, start[1] + up, fine=pointer.fine))
        elif handle.about is not None:
            turned = _turned_deg(handle.about, press, pointer, turned)
            value = snapped(before, handle, float(start) + turned * handle.gain, fine=pointer.fine)
        else:
            value = snapped(before, handle, float(start) + along * handle.gain, fine=pointer.fine)
        changed = _changed(session, handle, value, refused)
        if changed is not None:
            session.show(changed)
    session.show(before)


def _turned_deg(about: tuple[float, float], press: Pointer, pointer: Pointer, before: float) -> float:
    """How far the pointer has gone round a middle since the press, without a jump past half a turn."""
    first, now = (math.atan2(p.y - about[1], p.x - about[0]) for p in (press, pointer))
    turned = math.degrees(now - first)
    return turned - 360.0 * round((turned - before) / 360.0)


def drag_part(track: Track, part: str, travel: float, press: Pointer, move: Callable[[float], None]) -> Drag:
    """Moves a mechanism by a point of one of its parts: the travel at which that point is nearest to the pointer, among those that are
    reached (some must be)."""
    poses, known = track.poses[part][track.reached], track.travel[track.reached]
    k = int(np.argmin(np.abs(known - travel)))
    inside = _inverse(poses[k], press)
    way = apply_pose(poses, inside[None, :])[:, 0]
    shift = np.array([press.x, press.y]) - _at(known, way, travel)
    start = travel
    while (pointer := (yield)) is not None:
        move(nearest_travel(known, way, np.array([pointer.x, pointer.y]) - shift))
    move(start)


def _inverse(pose: Array, pointer: Pointer) -> Array:
    cos, sin = np.cos(pose[2]), np.sin(pose[2])
    dx, dy = pointer.x - pose[0], pointer.y - pose[1]
    return np.array([cos * dx + sin * dy, -sin * dx + cos * dy])


def _at(travels: Array, way: Array, travel: float) -> Array:
    order = np.argsort(travels)
    return np.array([np.interp(travel, travels[order], way[order, axis]) for axis in (0, 1)])


def nearest_travel(travels: Array, way: Array, point: Array, *, near: float | None = None) -> float:
    """The travel at which a path ``(n, 2)`` at ``travels`` ``(n,)`` comes nearest to a point, between the positions too.

    Where the path crosses itself or comes back, the place next to the travel ``near`` is taken.
    """
    if len(travels) == 1:
        return float(travels[0])
    start, step = way[:-1], np.diff(way, axis=0)
    square = np.maximum(np.sum(step**2, axis=1), 1e-12)
    share = np.clip(np.sum((point - start) * step, axis=1) / square, 0.0, 1.0)
    gap = np.linalg.norm(start + share[:, None] * step - point, axis=1)
    if near is not None:
        span = max(float(np.ptp(travels)), 1e-9)
        gap = gap + np.abs(travels[:-1] - near) / span * float(np.ptp(way, axis=0).max()) * 0.3
    k = int(np.argmin(gap))
    return float(travels[k] + share[k] * (travels[k + 1] - travels[k]))
