"""The closed card at rest: inside its outline, inside its envelope.

Reason: an envelope is a flat tube; what goes in must have a girth that the tube can take. The girth of a card is the length
of the convex hull round its section, so the room that is wanted grows with thickness by itself.
Source: girth of a convex section (elementary geometry); the allowance is the maker's own.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly.card_frame import card_region
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.closing.stacked import spread_of, standing_mm
from lexipod.geometry.frames import Array, apply_pose
from lexipod.geometry.space import apply_frame


def _at_rest(examination: Examination) -> dict[str, Array]:
    """Vertices of every part in the card's frame with every mechanism at rest."""
    return {p.id: apply_pose(examination.poses(p.id)[0], p.vertices) for p in examination.assembly.parts}


def check_outline(examination: Examination) -> Iterator[Finding]:
    """At rest nothing stands out of the card that is not meant to; what spins freely is looked at all the way round."""
    card = examination.assembly.card
    endless = {d.mechanism for d in examination.drives if d.endless}
    silhouette = card_region(card, (0.0, 0.0, card.width_mm, card.height_mm))
    shut = {d.part.id: d.region for d in examination.assembly.on_doors}
    for part in examination.assembly.parts:
        if part.stands_out or (part.mechanism == "card" and not part.item):
            continue
        poses = examination.poses(part.id)
        corners = apply_pose(poses if part.mechanism in endless else poses[:1], part.outline)
        if part.id in shut:
            corners = shapely.get_coordinates(shut[part.id])[None]
        past = np.max(np.concatenate([-corners, corners - (card.width_mm, card.height_mm)], axis=2), axis=2)
        if card.corners_mm > 0:
            past = np.maximum(past, shapely.distance(silhouette, shapely.points(corners)))
        worst = np.unravel_index(int(np.argmax(past)), past.shape)
        over, tip = float(past[worst]), corners[worst]
        if over <= 1e-6:
            continue
        when = "On its way round" if part.mechanism in endless else "At rest"
        message = f"{when} it stands {examination.style.length(over)} out of the closed card."
        yield Finding(
            "outline",
            "block",
            part.mechanism,
            (part.id,),
            f"The {part.name} stands out of the card",
            message,
            round(over, 4),
            0.0,
            at_most=True,
            where=(round(float(tip[0]), 4), round(float(tip[1]), 4)),
        )


def flat_size(examination: Examination) -> tuple[float, float]:
    """Width and height (mm) of the flattest envelope that takes the card at rest: half the girths of its two sections."""
    boxes = _boxes(examination)
    sizes = []
    for axis in (0, 1):
        corners = [(x, z) for low, high, bottom, top in boxes for x in (low[axis], high[axis]) for z in (bottom, top)]
        sizes.append(float(shapely.convex_hull(shapely.MultiPoint(np.array(corners))).length / 2))
    return sizes[0], sizes[1]


def _boxes(examination: Examination) -> list[tuple[Array, Array, float, float]]:
    """Lower left and upper right corner of everything at rest, and from which height to which it lies."""
    assembly, vertices = examination.assembly, _at_rest(examination)
    fronts = {p.id: p.z_mm for p in assembly.parts if p.id == "card.front"}
    lift = spread_of(assembly, {f.mechanism: examination.stack_heights(f) for f in assembly.foldings})
    boxes = []
    for p in (p for p in assembly.parts if p.id not in assembly.open_doors):
        up = lift if p.id != "card.back" else 0.0
        boxes.append((vertices[p.id].min(axis=0), vertices[p.id].max(axis=0), p.z_mm + up, p.top_mm + up))
    for folding in assembly.foldings:
        track = examination.fold_at(folding.mechanism, np.array([folding.posted_at]))
        base = fronts.get("card.front", 0.0) + lift + standing_mm(assembly, folding) if folding.kind == "face" else 0.0
        for panel in folding.panels:
            corners = apply_frame(track.frames[panel.id][0], panel.corners)[:, :2]
            low, high = examination.stack_heights(folding)[panel.id]
            if track.reached[0]:
                boxes.append((corners.min(axis=0), corners.max(axis=0), base + low, base + high))
        if folding.wrapped_mm:  # a band of its own lies over both faces
            top = max(box[3] for box in boxes)
            boxes.append((boxes[-1][0], boxes[-1][1], top, top + folding.wrapped_mm))
    if assembly.gates:  # shut, they lie on the highest place
        top = max([*(box[3] for box in boxes), *(d.face_mm for d in assembly.on_doors)])
        boxes.append((np.zeros(2), np.array([assembly.card.width_mm, assembly.card.height_mm]), top, top + assembly.shut_doors_mm))
        boxes += [(*np.array(d.region.bounds).reshape(2, 2), top - d.high_mm, top - d.low_mm) for d in assembly.on_doors if d.inside]
    if examination.closing is not None:
        boxes += [(np.array(low), np.array(high), bottom, top) for low, high, bottom, top in examination.closing.boxes]
    return boxes


def thickness_mm(examination: Examination) -> float:
    """The thickest place of the card at rest."""
    return max((top for _, _, _, top in _boxes(examination)), default=0.0)


def envelope_room(examination: Examination, envelope_mm: tuple[float, float]) -> float:
    """What the envelope leaves to spare at the tighter of its two measures, the card laid the better way round."""
    width, height = flat_size(examination)
    return max(min(e[0] - width, e[1] - height) for e in (envelope_mm, envelope_mm[::-1]))


def check_envelope(examination: Examination) -> Iterator[Finding]:
    """The card at rest, with all that stands out, goes into its envelope."""
    card = examination.assembly.card
    if card.envelope_mm is None or card.envelope is None:
        if card.base in ("folded", "panel"):
            needs = " × ".join(examination.style.length(v) for v in flat_size(examination))
            message = f"It needs {needs} flat; none of the catalog takes it. Choose one, or add your own to the catalog."
            yield Finding("envelope", "note", "card", ("card.front",), "It has no envelope", message, 0.0, 0.0)
        return
    room, wanted = envelope_room(examination, card.envelope_mm), examination.ways.envelope_allowance
    if room >= wanted - 1e-6:
        return
    width, height = flat_size(examination)
    length = examination.style.length
    name = examination.catalog.find_envelope(card.envelope).name
    thick = thickness_mm(examination)
    severity: Severity = "block" if room < 0 else "warn"
    title = f"It does not go into the {name}" if room < 0 else f"It goes into the {name} only tightly"
    message = (
        f"With its thickness of {length(thick)} and all that stands out the card needs {length(width)} × {length(height)}; "
        f"the envelope is {length(card.envelope_mm[0])} × {length(card.envelope_mm[1])}."
    )
    owner = next((d.mechanism for d in examination.assembly.all_drives), "card")
    yield Finding("envelope", severity, owner, ("card.front",), title, message, round(room, 4), wanted)
