"""Cures for what is seen of pictures and greetings: turned, put on the other face, moved or made smaller."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
import shapely

from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Remedy
from lexipod.checks.seen import seen_at, target_of
from lexipod.checks.surfaces import glimpses
from lexipod.cures.clinic import MOST_REMEDIES, Clinic, Ranked
from lexipod.design import Item
from lexipod.editing.change import change_design
from lexipod.editing.items import format_item, free_item_ids
from lexipod.errors import LexipodError
from lexipod.pictures import box_of, laid_outline
from lexipod.units.quantities import Value

SHRINKS = (0.85, 0.7, 0.55, 0.4, 0.3)
LEAST_MM = 2.0
GRID = 9
Attempt = tuple[str, dict[str, Value]]


def find_picture_remedies(clinic: Clinic, finding: Finding) -> Iterator[Ranked]:
    """What makes an item seen as it is meant, each tried by the checks."""
    item = clinic.design.find_item(finding.need)
    if item is None or not finding.rule.startswith("picture"):
        return
    examination = clinic.examine(clinic.design)
    if finding.rule == "picture-back":
        twin = msgspec.structs.replace(
            item, id=next(free_item_ids(clinic.design.items, "twin")), face="back", hide_at_rest=False, show_at_end=False, show_at_halt=False
        )
        yield (0, 0.0), Remedy(f"Put a twin of {item.named} on its back", {f"item.{twin.id}": format_item(twin)}, None)
        return
    done: set[str] = set()
    for order, (label, settings) in enumerate(_attempts(examination, item, finding)):
        if len(done) >= MOST_REMEDIES or not clinic.is_current():
            return
        kind = label.split(" ", 1)[0]
        if kind in done:
            continue
        named = {f"item.{item.id}.{name}": value for name, value in settings.items()}
        try:
            changed = change_design(clinic.design, clinic.catalog, named)
        except LexipodError:
            continue
        if clinic.missing(changed, finding)[0] > 0:
            continue
        trial = clinic.judge(changed, finding)
        if trial.is_cured and not trial.new_block and not trial.new_warnings:
            done.add(kind)
            yield (0, order / 100), Remedy(label, named, None)


def _attempts(examination: Examination, item: Item, finding: Finding) -> Iterator[Attempt]:
    name = item.named
    if finding.rule == "picture-upright":
        turned = (item.turn - _turned_at(examination, item, finding) + 180.0) % 360.0 - 180.0
        yield f"Turn {name} the right way up", {"turn": round(turned, 3) + 0.0}
        return
    if finding.rule == "picture-face":
        yield f"Put {name} on the {'front' if item.face == 'back' else 'back'}", {"face": "front" if item.face == "back" else "back"}
        return
    for spot in _spots(examination, item, finding):
        yield f"Move {name} to where it is {'hidden' if finding.rule == 'picture-hidden' else 'seen whole'}", {"at": spot}
    for scale in SHRINKS:
        size = _size(examination, item, scale)
        yield f"Make {name} smaller, {100 * scale:.0f} % of its size", size
        for spot in _spots(examination, item, finding)[:3]:
            yield f"Shrink and move {name}, to {100 * scale:.0f} %", {**size, "at": spot}


def _turned_at(examination: Examination, item: Item, finding: Finding) -> float:
    if finding.travel is None:
        return 180.0
    return seen_at(examination, item, finding.mechanism, finding.travel).turned_deg


def _size(examination: Examination, item: Item, scale: float) -> dict[str, Value]:
    if item.kind == "greeting":
        return {"height": round(max(0.5, item.height * scale), 2)}
    carrier = examination.assembly.carriers[item.on]
    box = box_of(item, carrier.outline)
    size: dict[str, Value] = {"width": round(max(1.0, box.width * scale), 2)}
    return size if item.proportion or item.round else size | {"height": round(max(1.0, box.height * scale), 2)}


def _spots(examination: Examination, item: Item, finding: Finding) -> list[tuple[float, float]]:
    """Places on the same part at which the item would be hidden at rest and shown where it was best shown, the nearest first."""
    carrier = examination.assembly.carriers[item.on]
    region = _wanted_region(examination, item, finding)
    if region.is_empty:
        return []
    middle = (carrier.outline.min(axis=0) + carrier.outline.max(axis=0)) / 2
    here = np.asarray(box_of(item, carrier.outline).middle)
    shape = laid_outline(item, carrier.outline)
    left, bottom, right, top = region.bounds
    x, y = np.meshgrid(np.linspace(left, right, GRID), np.linspace(bottom, top, GRID))
    spots = np.column_stack([x.ravel(), y.ravel()])
    circle = shapely.get_coordinates(shapely.maximum_inscribed_circle(region, tolerance=0.5))[0]
    spots = np.vstack([circle, spots[np.argsort(np.linalg.norm(spots - here, axis=1))]])
    region = region.buffer(0.2)
    fits = [s for s in spots if region.contains(shapely.transform(shape, lambda xy, s=s: xy + (s - here)))]
    chosen = fits or [circle]
    return [(round(float(s[0] - middle[0]), 2), round(float(s[1] - middle[1]), 2)) for s in chosen[:MOST_REMEDIES]]


def _wanted_region(examination: Examination, item: Item, finding: Finding) -> Any:
    """Where on its part the item may lie: what is covered at rest (if it is to be hidden), and what is seen at another halt."""
    target = target_of(examination, item)
    face = "back" if item.face == "back" else "front"
    rows = [g for g in glimpses(examination) if (g.on, g.face) == (target.on.partition(":")[0], face)]
    carrier = examination.assembly.carriers[item.on]
    region: Any = carrier.region
    if item.hide_at_rest:
        drives = {d.mechanism: d.rest for d in examination.assembly.all_drives}
        seen = [g.region for g in rows if abs(g.travel - drives.get(g.mechanism, 0.0)) < 1e-6]
        region = shapely.difference(region, shapely.union_all(seen).buffer(0.1)) if seen else region
    if item.show_at_end or item.show_at_halt or finding.rule == "picture-shown":
        shown = [g.region for g in rows if finding.travel is None or abs(g.travel - finding.travel) < 1e-6 or finding.rule == "picture-hidden"]
        region = shapely.intersection(region, shapely.union_all(shown)) if shown else region
    pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon" and p.area > LEAST_MM**2]
    return max(pieces, key=lambda p: p.area) if pieces else shapely.Polygon()


__all__ = ["find_picture_remedies"]
