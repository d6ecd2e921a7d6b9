"""Quick measures that a maker can take while building, each with what it was designed as."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_openings, lying_square, measure_blank
from lexipod.planning.model import Asked

LEAST_MM = 3.0


def asked_of(assembly: Assembly, blank: Blank, kinds: Sequence[str]) -> tuple[Asked, ...]:
    """What can be measured on a blank, of some kinds: its own width (“cut”), an opening (“opening”), from hole to hole (“hole”), its thickness
    (“paper”, “foam”); only on what moves, guides or is laminated, since these decide how it runs."""
    lying = lying_square(blank)
    guided = {j.b for j in assembly.joints if j.kind in ("slot", "slide")} | {j.b for j in assembly.joints if j.kind == "pin"}
    matters = set(blank.panels) & (set(assembly.moving) | guided)
    found: list[Asked] = []
    if "cut" in kinds and set(blank.panels) & set(assembly.moving):
        measure = measure_blank(lying)
        size = measure.diameter_mm or min(lying.size_mm)
        if size > LEAST_MM:
            word = "diameter" if measure.diameter_mm else "narrow side"
            found.append(Asked(f"{blank.id}.width", f"{word} of the {blank.name}", round(float(size), 3), "cut", blank.id))
    if matters:
        found += _of_openings(assembly, blank, lying, kinds)
    if "paper" in kinds and blank.plies > 1:
        part = next((assembly.by_id[p] for p in blank.panels if p in assembly.by_id), None)
        if part is not None:
            found.append(Asked(f"{blank.id}.thickness", f"thickness of the {blank.name}", round(part.thickness_mm, 3), "paper", blank.id))
    return tuple(found)


def _of_openings(assembly: Assembly, blank: Blank, lying: Blank, kinds: Sequence[str]) -> list[Asked]:
    openings = find_openings(lying, assembly)
    found = []
    if "opening" in kinds:
        slots = [o for o in openings if o.kind in ("slot", "window") and o.diameter_mm is None]
        for k, slot in enumerate(slots[:2], 1):
            size = min(slot.width_mm, slot.height_mm)
            found.append(
                Asked(f"{blank.id}.slot-{k}", f"width of the {slot.name or slot.kind} in the {blank.name}", round(size, 3), "opening", blank.id)
            )
    holes = [o for o in openings if o.kind == "hole"]
    if "hole" in kinds and len(holes) > 1:
        a, b = holes[0], holes[-1]
        found.append(Asked(f"{blank.id}.holes", f"from hole to hole in the {blank.name}", round(_apart(a.centre, b.centre), 3), "hole", blank.id))
    return found


def _apart(a: Any, b: Any) -> float:
    return float(((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2) ** 0.5)
