"""How much of a card's look a change takes: what is seen of it at rest, before and after."""

from __future__ import annotations

from typing import Any

import shapely

from lexipod.assembly import Assembly

UNSEEN = ("spacer", "fastener")


def change_of_look(before: Assembly, after: Assembly) -> float:
    """The area in which outlines of sheets, openings and panels differ, as a share of the card's area; each part counts for itself, so what is
    both moved and made smaller counts more than what is only moved a little."""
    area = before.card.width_mm * before.card.height_mm
    was, now = _outlines(before), _outlines(after)
    changed = 0.0
    for name in was.keys() | now.keys():
        one, other = was.get(name), now.get(name)
        if one is None or other is None:
            only: Any = other if one is None else one
            changed += float(only.area)
        elif not shapely.equals_exact(one, other, 1e-6):
            changed += float(shapely.symmetric_difference(one, other).area)
    return changed / area


def _outlines(assembly: Assembly) -> dict[str, Any]:
    """What is cut and may be seen: parts where they lie at rest, and panels in their sheets."""
    parts = {p.id: p.region_at_home for p in assembly.parts if p.role not in UNSEEN}
    return parts | {panel.id: panel.region for panel in assembly.panels.values() if panel.id not in parts}


__all__ = ["change_of_look"]
