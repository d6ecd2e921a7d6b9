"""Documented JSON answers to what is asked before anything is cut: zones, heights, post, other sizes, wishes, versions."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely

from lexipod.checks import Examination, find_catch_points
from lexipod.checks.foam import count_foam, find_foam_needs, share_of_less
from lexipod.checks.height_map import map_heights
from lexipod.checks.post import find_letter_rows, find_mass, find_posted
from lexipod.checks.zones import find_overhangs, find_zone
from lexipod.cli.answers import check_json, point_list
from lexipod.fitting import Converted, Proposal
from lexipod.fitting.comparing import Comparison, Difference


def catches_json(examination: Examination) -> list[dict[str, Any]]:
    """The worst catch point of every two parts that pass each other's border."""
    return [
        {
            "part": c.part,
            "other": c.other,
            "mechanism": c.mechanism,
            "travel": c.travel,
            "where": list(c.where),
            "held": [None if math.isinf(h) else round(h, 4) for h in (c.h_part_mm, c.h_other_mm)],
            "sag": None if math.isinf(c.sag_mm) else round(c.sag_mm, 4),
            "gap": round(c.gap_mm, 4),
            "also_at": {name: round(travel, 4) for name, travel in c.also_at},
            "how": c.how,
        }
        for c in find_catch_points(examination)
    ]


def zones_json(examination: Examination) -> dict[str, Any]:
    """Free zones of every sheet, how far things on moving parts may overhang, foam by kind and what it needs, heights, catch points."""
    assembly = examination.assembly
    sheets = [p for p in assembly.parts if p.role in ("base", "cover", "moving", "decoration") and p.id != "card.back"]
    zones = []
    for part in sheets:
        for face, use in (("front", "glue"), ("front", "flat"), ("front", "foam"), ("back", "glue")):
            zone = find_zone(examination, part.id, face, use)  # type: ignore[arg-type]
            polygons = [p for p in shapely.get_parts(zone.free) if p.geom_type == "Polygon" and p.area > 0.01]
            rings = [[point_list(np.asarray(r.coords)[:-1]) for r in (p.exterior, *p.interiors)] for p in polygons]
            zones.append(
                {
                    "part": part.id,
                    "face": face,
                    "use": use,
                    "height": round(zone.height_mm, 4),
                    "area": round(zone.area_mm2, 2),
                    "passing": list(zone.passing),
                    "polygons": rings,
                }
            )
    heights = map_heights(examination)
    moving = set(assembly.moving)
    return {
        "format": "lexipod-zones/1",
        "zones": zones,
        "overhangs": [{"part": p.id, **find_overhangs(examination, p.id)} for p in sheets if p.id in moving and p.role in ("moving", "decoration")],
        "foam": [
            {"foam": c.foam, "layers": c.layers, "pieces": c.pieces, "area": round(c.area_mm2, 1), "by_maker": c.by_maker}
            for c in count_foam(examination)
        ],
        "foam_needs": [
            {
                "sheet": n.sheet,
                "foam": n.foam_mm,
                "layers": n.layers,
                "needed": round(n.needed_mm, 4),
                "part": n.part,
                "share_of_less": share_of_less(examination, n.sheet),
            }
            for n in find_foam_needs(examination)
        ],
        "heights": {"thickest": round(heights.thickest_mm, 4), "at": list(heights.thickest_at)} if heights.top.size else None,
        "catch": catches_json(examination),
    }


def post_json(examination: Examination) -> dict[str, Any]:
    """Mass, thickness and the letter class of every carrier."""
    posted = find_posted(examination)
    if posted is None:
        return {"format": "lexipod-post/1", "posted": None, "carriers": []}
    mass = find_mass(examination.assembly, examination.catalog)
    return {
        "format": "lexipod-post/1",
        "posted": {
            "long": posted.long_mm,
            "short": posted.short_mm,
            "thickness": round(posted.thickness_mm, 3),
            "uneven": round(posted.uneven_mm, 3),
            "stiff": posted.is_stiff,
            "aspect": round(posted.aspect, 4),
        },
        "mass": {
            "paper": round(mass.paper_g, 2),
            "foam": round(mass.foam_g, 2),
            "fasteners": round(mass.fasteners_g, 2),
            "envelope": round(mass.envelope_g, 2),
            "total": round(mass.total_g, 2),
        },
        "carriers": [
            {
                "carrier": r.carrier.id,
                "name": r.carrier.name,
                "dated": r.carrier.dated,
                "class": None if r.letter is None else r.letter.name,
                "refused": list(r.refused),
                "notes": list(r.notes),
            }
            for r in find_letter_rows(examination)
        ],
    }


def converted_json(told: Converted) -> dict[str, Any]:
    """A design carried to another card: what changed, and what no longer fits."""
    return {
        "format": "lexipod-convert/1",
        "free": told.is_free,
        "changes": [{"mechanism": c.mechanism, "name": c.name, "old": c.old, "new": c.new, "how": c.how} for c in told.changes],
        "refused": told.refusals,
        "blocks": check_json(told.blocks)["findings"],
        "reason": told.reason,
    }


def proposals_json(found: tuple[Proposal, ...]) -> dict[str, Any]:
    """Ranked ways to show a picture."""
    return {
        "format": "lexipod-propose/1",
        "proposals": [
            {
                "recipe": p.recipe,
                "verdict": p.verdict,
                "thickness": round(p.thickness_mm, 3),
                "pieces": p.pieces,
                "reason": p.reason,
                "parameters": None if p.design is None else p.design.mechanisms[0].parameters,
            }
            for p in found
        ],
    }


def comparison_json(told: Comparison) -> dict[str, Any]:
    """Two versions side by side."""

    def rows(found: tuple[Difference, ...]) -> list[dict[str, str]]:
        return [{"subject": d.subject, "name": d.name, "first": d.first, "second": d.second} for d in found]

    return {
        "format": "lexipod-compare/1",
        "verdicts": list(told.verdicts),
        "decisions": rows(told.decisions),
        "gone": check_json(told.gone)["findings"],
        "new": check_json(told.new)["findings"],
        "changed": [{"title": b.title, "missing": [a.missing, b.missing]} for a, b in told.changed],
        "rows": [
            {"mechanism": r.mechanism, "label": r.label, "unit": r.unit, "needed": r.needed, "first": r.first, "second": r.second} for r in told.rows
        ],
        "cut": rows(told.cut),
        "totals": rows(told.totals),
    }
