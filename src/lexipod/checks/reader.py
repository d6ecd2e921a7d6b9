"""What tells the reader how to move it: seen at rest, upright, on the part that it was put on.

Reason: a card that is not moved is a card that nobody understood. Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import shapely

from lexipod.assembly import Cue, Part
from lexipod.assembly.cues import cue_outline
from lexipod.checks.examination import Examination, middle_of
from lexipod.checks.finding import Finding

SEEN_SHARE = 0.98


def cue_region(examination: Examination, cue: Cue) -> Any:
    """The region that the cue takes on the card with everything at rest."""
    part = examination.assembly.by_id[cue.part]
    return examination.place(part, shapely.Polygon(cue_outline(cue)))[0]


def _lying_over(examination: Examination, part: Part) -> list[Part]:
    return [p for p in examination.assembly.parts if p.level > part.level and not examination.is_clear(p)]


def seen_at_rest(examination: Examination, part: Part) -> Any:
    """What is seen of a part's front with everything at rest, in the card's frame."""
    over = [examination.regions(p.id)[0] for p in _lying_over(examination, part)]
    return shapely.difference(examination.regions(part.id)[0], shapely.union_all(over))


def check_cues(examination: Examination) -> Iterator[Finding]:
    """Every drive has its cue, or none on purpose; it is seen at rest."""
    assembly = examination.assembly
    for cue in assembly.cues:
        if cue.kind == "none":
            continue
        part, region = assembly.by_id[cue.part], cue_region(examination, cue)
        own = examination.regions(part.id)[0]
        on_it = float(shapely.intersection(region, own).area / region.area)
        over = [p.id for p in _lying_over(examination, part) if shapely.intersects(examination.regions(p.id)[0], region)]
        hidden = float(shapely.intersection(region, shapely.unary_union([examination.regions(p)[0] for p in over])).area / region.area)
        seen = max(0.0, min(on_it, 1.0 - hidden))
        if seen >= SEEN_SHARE:
            continue
        names = " and ".join(assembly.part_name(p) for p in over) or "edge of the paper"
        message = (
            f"{100 * seen:.0f} % of the {cue.kind} on the {part.name} are seen at rest; the rest is lost under the {names}. "
            "Put it where it is seen, make it a word, or make room."
        )
        yield Finding(
            "cue",
            "warn",
            cue.mechanism,
            (cue.part, *over),
            "The reader's cue is not seen at rest",
            message,
            round(seen, 4),
            SEEN_SHARE,
            unit="share",
            where=middle_of(region),
        )
