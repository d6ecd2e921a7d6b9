"""A whole mechanism placed on its card: turned by quarters, mirrored left to right, shifted.

A recipe is always built as if it stood upright on its own card; a turned one is built for the card laid the other way round.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from lexipod.assembly import CardFrame, Cue, Handle, Joint, Need, Part
from lexipod.assembly.joints import Arc, Path, Segment
from lexipod.assembly.model import Piece
from lexipod.building.fold_placing import mirror_folding, mirror_inside, quarter_pose, shift_folding, turn_folding
from lexipod.design import Mechanism
from lexipod.geometry.frames import Array

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Placing:
    """How one mechanism lies on a panel of ``width_mm`` by ``height_mm``, whose lower left corner is ``origin`` on the card."""

    turn: int
    mirror: bool
    shift: Point
    width_mm: float
    height_mm: float
    fold: str = "left"
    origin: Point = (0.0, 0.0)

    @classmethod
    def of(cls, mechanism: Mechanism, card: CardFrame) -> Placing:
        """The placing of a mechanism of a design."""
        x0, y0, x1, y1 = card.front_box
        return cls(mechanism.turned, mechanism.mirror, mechanism.shift, x1 - x0, y1 - y0, card.fold, (x0, y0))

    @property
    def own_size(self) -> Point:
        """Width and height of the card as the recipe sees it."""
        return (self.width_mm, self.height_mm) if self.turn % 180 == 0 else (self.height_mm, self.width_mm)

    def piece(self, piece: Piece) -> Piece:
        """The piece where it lies on the card."""
        if piece.folding is not None and piece.folding.kind == "inside":
            gutter = self.height_mm if self.fold == "left" else self.width_mm
            return mirror_inside(piece, gutter, fold=self.fold) if self.mirror else piece
        if self.turn:
            piece = move_piece(piece, self._turned)
        if self.mirror:
            piece = mirror_piece(piece, self.width_mm)
        moved = (self.shift[0] + self.origin[0], self.shift[1] + self.origin[1])
        return move_piece(piece, (*moved, 0.0)) if moved != (0.0, 0.0) else piece

    def region(self, region: Any, *, shifts: bool = True) -> Any:
        """A region of the recipe's card on the real card; a whole sheet does not shift with its mechanism."""
        if self.turn:
            region = move_region(region, self._turned)
        if self.mirror:
            region = flip_region(region, self.width_mm)
        x, y = self.shift if shifts else (0.0, 0.0)
        moved = (x + self.origin[0], y + self.origin[1])
        return move_region(region, (*moved, 0.0)) if moved != (0.0, 0.0) else region

    @property
    def _turned(self) -> tuple[float, float, float]:
        return quarter_pose(self.turn, self.width_mm, self.height_mm)


def move_region(region: Any, pose: tuple[float, float, float]) -> Any:
    """A region moved rigidly."""
    return shapely.transform(region, lambda xy: _exact(pose, xy))


def _exact(pose: tuple[float, float, float], points: Any) -> Array:
    """Points moved by a pose; quarter turns are exact."""
    x, y, turn = pose
    cos, sin = round(math.cos(turn), 15), round(math.sin(turn), 15)
    p = np.asarray(points, dtype=float)
    return np.column_stack([cos * p[:, 0] - sin * p[:, 1] + x, sin * p[:, 0] + cos * p[:, 1] + y])


def _directions(pose: tuple[float, float, float]) -> Callable[[Point], Point]:
    def turned(direction: Point) -> Point:
        x, y = _exact((0.0, 0.0, pose[2]), [direction])[0]
        return float(x), float(y)

    return turned


def move_piece(piece: Piece, pose: tuple[float, float, float]) -> Piece:
    """The piece moved rigidly in the card: homes change, and what is given in the frame of one of the card's own parts."""
    own = {part.id for part in piece.parts}
    turned = _directions(pose)
    turn_deg = math.degrees(pose[2])

    def point(p: Point) -> Point:
        x, y = _exact(pose, [p])[0]
        return float(x), float(y)

    def in_frame(part: str, p: Point) -> Point:
        return p if part in own else point(p)

    def path(joint: Joint) -> Path | None:
        old = joint.path_b
        if old is None or joint.b in own:
            return old
        if isinstance(old, Segment):
            return Segment(point(old.start), point(old.end), old.zero_mm)
        return Arc(point(old.centre), old.radius_mm, old.start_deg + turn_deg, old.end_deg + turn_deg)

    arcs = {j.id for j in piece.joints if isinstance(j.path_b, Arc) and j.b not in own}
    folding = piece.folding
    if folding is not None:
        is_shift = pose[2] == 0 and folding.kind == "face"
        folding = shift_folding(folding, pose[:2]) if is_shift else turn_folding(folding, pose)
    return replace(
        piece,
        folding=folding,
        parts=tuple(replace(p, home=_home(pose, p)) for p in piece.parts),
        joints=tuple(replace(j, at_a=in_frame(j.a, j.at_a), at_b=in_frame(j.b, j.at_b), path_b=path(j)) for j in piece.joints),
        drives=tuple(
            replace(d, rest=d.rest + turn_deg, end=d.end + turn_deg, home=d.home + turn_deg) if d.joint in arcs else d for d in piece.drives
        ),
        zones=tuple(z if z.part in own else replace(z, polygon=_exact(pose, z.polygon)) for z in piece.zones),
        needs=tuple(_moved_need(n, pose, own) for n in piece.needs),
        handles=tuple(_moved_handle(h, point, turned) for h in piece.handles),
        cues=tuple(c if c.part in own else _moved_cue(c, point, turned) for c in piece.cues),
        openings={part: tuple(move_region(r, pose) for r in regions) for part, regions in piece.openings.items()},
    )


def _home(pose: tuple[float, float, float], part: Part) -> tuple[float, float, float]:
    (x, y), turn = _exact(pose, [part.home[:2]])[0], pose[2] + part.home[2]
    return float(x), float(y), float(turn)


def _moved_need(need: Any, pose: tuple[float, float, float], own: set[str]) -> Need:
    changes: dict[str, Any] = {}
    if getattr(need, "part", "") not in own:
        for name in ("region", "outer", "grip"):
            if hasattr(need, name):
                changes[name] = move_region(getattr(need, name), pose)
        if hasattr(need, "others"):
            changes["others"] = tuple(move_region(r, pose) for r in need.others)
    if hasattr(need, "opening") and getattr(need, "cover", "") not in own:
        changes["opening"] = move_region(need.opening, pose)
    if hasattr(need, "place"):
        changes["place"] = move_region(need.place, pose)
    for name in ("across", "along"):
        if hasattr(need, name):
            changes[name] = _directions(pose)(getattr(need, name))
    if getattr(need, "about", None) is not None:
        x, y = _exact(pose, [need.about])[0]
        changes["about"] = (float(x), float(y))
    moved: Need = replace(need, **changes)
    return moved


def _moved_handle(handle: Handle, point: Callable[[Point], Point], turned: Callable[[Point], Point]) -> Handle:
    return replace(
        handle,
        at=point(handle.at),
        direction=turned(handle.direction),
        span=(point(handle.span[0]), point(handle.span[1])),
        cross=turned(handle.cross) if handle.cross else None,
        about=point(handle.about) if handle.about else None,
    )


def _moved_cue(cue: Cue, point: Callable[[Point], Point], turned: Callable[[Point], Point]) -> Cue:
    return replace(cue, at=point(cue.at), direction=turned(cue.direction), about=point(cue.about) if cue.about else None)


# ---- mirror -----------------------------------------------------------------------------------------------------------


def mirror_piece(piece: Piece, width_mm: float) -> Piece:
    """The piece reflected at the card's vertical middle line; poses stay proper, outlines are reflected in their frames.

    What is given in the frame of one of the card's own parts is reflected at the middle line itself.
    """
    own = {part.id for part in piece.parts}

    def about(part: str) -> float:
        return 0.0 if part in own else width_mm

    paths = {j.id: j.path_b for j in piece.joints}
    return replace(
        piece,
        folding=None if piece.folding is None else mirror_folding(piece.folding, width_mm),
        parts=tuple(_part(p, width_mm) for p in piece.parts),
        joints=tuple(_joint(j, about(j.a), about(j.b)) for j in piece.joints),
        drives=tuple(_mirror_drive(d, paths.get(d.joint)) for d in piece.drives),
        zones=tuple(replace(z, polygon=_ring(z.polygon, about(z.part))) for z in piece.zones),
        needs=tuple(_need(n, about, width_mm) for n in piece.needs),
        handles=tuple(_handle(h, width_mm) for h in piece.handles),
        cues=tuple(_cue(c, about(c.part)) for c in piece.cues),
        openings={part: tuple(flip_region(r, width_mm) for r in regions) for part, regions in piece.openings.items()},
        seams=tuple(replace(s, line=s.line and _flipped_line(s.line)) for s in piece.seams),
    )


def _mirror_drive(drive: Any, path: Path | None) -> Any:
    """Coordinates of slides stay; turns change their sense, angles on an arc are reflected at the vertical."""
    if drive.kind == "slide":
        return drive
    start = 180.0 if isinstance(path, Arc) else 0.0
    return replace(drive, rest=start - drive.rest, end=start - drive.end, home=start - drive.home, detents=tuple(start - d for d in drive.detents))


def flip_region(region: Any, width_mm: float) -> Any:
    """A region reflected at x = width / 2."""
    return shapely.transform(region, lambda xy: np.column_stack([width_mm - xy[:, 0], xy[:, 1]]))


def _ring(outline: Array, width_mm: float = 0.0) -> Array:
    return (outline * np.array([-1.0, 1.0]) + np.array([width_mm, 0.0]))[::-1]


_OTHER_SIDE: dict[str, Any] = {"left": "right", "right": "left"}


def _part(part: Part, width_mm: float) -> Part:
    x, y, turn = part.home
    return replace(
        part,
        outline=_ring(part.outline),
        holes=tuple(_ring(h) for h in part.holes),
        home=(width_mm - x, y, -turn),
        slits=tuple(_ring(line) for line in part.slits),
        scraps=tuple(_ring(scrap) for scrap in part.scraps),
        trims=tuple(replace(t, edge=_OTHER_SIDE.get(t.edge, t.edge)) for t in part.trims),
    )


def _joint(joint: Joint, about_a: float, about_b: float) -> Joint:
    return replace(
        joint,
        at_a=(about_a - joint.at_a[0], joint.at_a[1]),
        at_b=(about_b - joint.at_b[0], joint.at_b[1]),
        path_b=joint.path_b.mirrored(about_b) if joint.path_b else None,
    )


def _need(need: Any, about: Callable[[str], float], width_mm: float) -> Need:
    """Regions are in the named part's frame, directions and places in the card's."""
    changes: dict[str, Any] = {}
    in_part = about(getattr(need, "part", ""))
    for name in ("region", "outer", "grip"):
        if hasattr(need, name):
            changes[name] = flip_region(getattr(need, name), in_part)
    if hasattr(need, "opening"):
        changes["opening"] = flip_region(need.opening, about(getattr(need, "cover", "")))
    if hasattr(need, "others"):
        changes["others"] = tuple(flip_region(r, in_part) for r in need.others)
    if hasattr(need, "place"):
        changes["place"] = flip_region(need.place, width_mm)
    if hasattr(need, "at"):
        changes["at"] = (in_part - need.at[0], need.at[1])
    for name in ("across", "along"):
        if hasattr(need, name):
            x, y = getattr(need, name)
            changes[name] = (-x, y)
    if getattr(need, "about", None) is not None:
        x, y = need.about
        changes["about"] = (width_mm - x, y)
    moved: Need = replace(need, **changes)
    return moved


def _flipped_line(line: tuple[Point, Point]) -> tuple[Point, Point]:
    (x0, y0), (x1, y1) = line
    return (-x0, y0), (-x1, y1)


def _handle(handle: Handle, width_mm: float) -> Handle:
    def point(p: Point) -> Point:
        return (width_mm - p[0], p[1])

    return replace(
        handle,
        at=point(handle.at),
        direction=(-handle.direction[0], handle.direction[1]),
        span=(point(handle.span[0]), point(handle.span[1])),
        offset_mm=-handle.offset_mm,
        cross=(-handle.cross[0], handle.cross[1]) if handle.cross else None,
        about=point(handle.about) if handle.about else None,
        gain=-handle.gain if handle.about else handle.gain,
    )


def _cue(cue: Cue, about: float) -> Cue:
    return replace(
        cue,
        at=(about - cue.at[0], cue.at[1]),
        direction=(-cue.direction[0], cue.direction[1]),
        about=(about - cue.about[0], cue.about[1]) if cue.about else None,
    )
