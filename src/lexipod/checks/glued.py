"""Is there paper where it is glued?

A joint that only the model knows holds nothing: two pieces that are glued to each other must lie on each other, by more than a spot of glue.
Source: what is glued has an area (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import shapely

from lexipod.assembly import Folding, Joint, Panel, Part
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.checks.fold_items import STANDS_UP_MM, UNDER_MM2, find_stuck, glued_over

TOUCHING_MM = 0.3
"""Parts that lie so near each other touch: nothing of any thickness fits between them."""
LEAST_GLUE_MM2 = 4.0
"""A drop of glue takes up so much."""


def check_glued(examination: Examination) -> Iterator[Finding]:
    """Of two pieces that touch and are glued, how much lies on each other where they are laid down."""
    assembly = examination.assembly
    one_piece = {frozenset((seam.a, seam.b)) for seam in assembly.seams}
    for joint in assembly.joints:
        a, b = assembly.by_id[joint.a], assembly.by_id[joint.b]
        if not _is_glued(joint, a, b) or frozenset((a.id, b.id)) in one_piece:
            continue
        x, y = shapely.get_coordinates(a.region_at_home.representative_point())[0]
        yield from _unheld(examination, a, b, shapely.intersection(a.region_at_home, b.region_at_home), (float(x), float(y)))
    for folding in assembly.foldings:
        for stuck in find_stuck(examination, folding):
            if stuck.low_mm == 0.0:  # what lies on the panel itself; both are in its sheet's frame
                yield from _unheld(examination, stuck.piece, stuck.carrier, shapely.intersection(stuck.piece.region, stuck.carrier.region), None)
        yield from _held_apart(examination, folding)


def _held_apart(examination: Examination, folding: Folding) -> Iterator[Finding]:
    """What is thicker than another ply and lies between two faces that are glued to each other; a thin piece is glued on first, and the
    other onto it."""
    tops = {s.piece.item: s.top_mm for s in find_stuck(examination, folding)}  # the topmost of an item comes last
    for joint in folding.joints:
        piece = folding.by_id[joint.a]
        on_its_foam = folding.by_id[joint.b].item == piece.item
        if joint.kind != "fixed" or on_its_foam or tops.get(piece.item, 0.0) <= STANDS_UP_MM:
            continue
        for _, other, area in glued_over(folding, joint):
            over, under = (examination.assembly.part_name(p) for p in (other, joint.b))
            message = (
                f"{examination.style.area(area)} of it lies where the {over} is glued on the {under}, and it is "
                f"{examination.style.length(tops[piece.item])} thick: it holds the two apart. Move it clear of the glue, or use thin paper."
            )
            title = f"The {piece.name} lies between two glued faces"
            parts, need = (piece.id, other), f"between {piece.item} {other}"
            yield Finding("glued", "block", folding.mechanism, parts, title, message, round(area, 2), UNDER_MM2, "mm2", at_most=True, need=need)


def _unheld(examination: Examination, a: Part | Panel, b: Part | Panel, shared: Any, where: tuple[float, float] | None) -> Iterator[Finding]:
    """Two pieces that are glued to each other and share too little; ``where`` is on the card."""
    style, area = examination.style, float(shared.area)
    if area >= LEAST_GLUE_MM2:
        return
    message = (
        f"The {a.name} is to be glued on the {b.name}, but only {style.area(area)} of it lies on that: nothing holds it. "
        "Make the one longer, or set the other where it is covered."
    )
    title = f"The {a.name} has nothing to be glued on"
    yield Finding("glued", "block", a.mechanism, (a.id, b.id), title, message, round(area, 2), LEAST_GLUE_MM2, "mm2", where=where)


def _is_glued(joint: Joint, a: Part, b: Part) -> bool:
    """Whether glue holds two pieces that lie on each other; brads hold by their legs, and what is glued over a gap is held by flaps."""
    if joint.kind != "fixed" or not (a.quantity and b.quantity) or "fastener" in (a.role, b.role) or a.bought or b.bought:
        return False
    return min(abs(a.z_mm - b.top_mm), abs(b.z_mm - a.top_mm)) < TOUCHING_MM
