"""What rubs on what, and how much it takes to move a mechanism.

Reasons: friction depends on the pair of materials and on wax or powder; a mechanism that takes more force than a finger likes is tight
even where nothing touches.
Source: coefficients from the tables of the catalog; the force by the principle of virtual work (any text on mechanics): the force at the
grip times its way is the friction of every part times the way that it slides. That every moving part is pressed as a plain strip is
(so that it takes the maker's own ``push_force``) is our own judgement: the figure is a rough one.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Assembly, Drive, Part
from lexipod.catalog import Catalog
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.design import Ways
from lexipod.geometry.frames import Array, apply_pose

MOST_EFFORT_N = 5.0
"""More than this is no pleasure to pull (our own judgement)."""
SLIPS = {"wax": "waxed", "powder": "powdered"}


def material_of(catalog: Catalog, part: Part) -> str:
    """“film”, “foam”, “liner” (of a pad that glides), “metal” or “paper”."""
    if part.glides and part.role == "spacer":
        return "liner"
    if part.stock in catalog.foams:
        return "foam"
    if part.stock in catalog.brads or part.stock in catalog.weights:
        return "metal"
    stock = catalog.stocks.get(part.stock)
    return "film" if stock is not None and stock.clear else "paper"


def friction_between(catalog: Catalog, ways: Ways, a: Part, b: Part) -> float:
    """The coefficient of static friction of two parts, with the maker's wax or powder on it where that is less."""
    kinds = tuple(sorted((material_of(catalog, a), material_of(catalog, b))))
    row = catalog.frictions.get("-".join(kinds))
    if kinds == ("paper", "paper") or row is None:
        plain = catalog.frictions["liner-paper"].friction if "liner" in kinds else ways.friction
    else:
        plain = row.friction
    slip = catalog.frictions.get(SLIPS.get(ways.slip, ""))
    return plain if slip is None else min(plain, slip.friction)


def rubs_on(assembly: Assembly, part: Part) -> Part | None:
    """The nearest sheet of another body that lies under a part or over it at home."""
    bodies, best = assembly.bodies, None
    for other in assembly.parts:
        if bodies[other.id] == bodies[part.id] or other.role == "spacer" or not shapely.intersects(part.region_at_home, other.region_at_home):
            continue
        gap = max(part.z_mm - other.top_mm, other.z_mm - part.top_mm)
        if gap >= -1e-6 and (best is None or gap < best[0]):
            best = (gap, other)
    return None if best is None else best[1]


def friction_of(assembly: Assembly, catalog: Catalog, ways: Ways, part: Part) -> float:
    """The coefficient of friction of a part on what it rubs on, wax or powder counted."""
    under = rubs_on(assembly, part)
    return ways.friction if under is None else friction_between(catalog, ways, part, under)


def effort_profile(examination: Examination, mechanism: str) -> Array:
    """Force at the grip in N over the travel, ``(n,)``, roughly; 0 where it is not reached."""
    return examination.once(("effort", mechanism), lambda: _effort(examination, mechanism))


def _effort(examination: Examination, mechanism: str) -> Array:
    assembly, ways = examination.assembly, examination.ways
    track, drive = examination.track(mechanism), assembly.drive_of(mechanism)
    assert drive is not None
    bodies: dict[str, list[Part]] = {}
    for part_id in track.poses:
        bodies.setdefault(assembly.bodies[part_id], []).append(assembly.by_id[part_id])
    lost = np.zeros(len(track.travel))
    for parts in bodies.values():
        sheets = [p for p in parts if p.role not in ("fastener", "spacer")]
        if not sheets:
            continue
        widest = max(sheets, key=lambda p: p.region.area)
        mu = friction_of(assembly, examination.catalog, ways, widest)
        middle = np.asarray(widest.region.centroid.coords[0])
        spread = np.sqrt(widest.region.area / np.pi) / 2
        poses = examination.poses(widest.id)
        way = np.gradient(apply_pose(poses, middle[None])[:, 0], track.travel, axis=0)
        turn = np.gradient(poses[:, 2], track.travel)
        lost += ways.push_force * mu / ways.friction * np.hypot(np.linalg.norm(way, axis=1), spread * turn)
    if drive.unit == "deg":
        lost = lost / grip_radius_per_degree(examination, drive)
    return np.where(track.reached, np.abs(lost), 0.0)


def grip_radius_per_degree(examination: Examination, drive: Drive) -> float:
    """How far (mm) the outermost point of what is turned goes for a degree."""
    part = examination.assembly.by_id[drive.part]
    joint = examination.assembly.find_joint(drive.joint)
    about = np.asarray(joint.at_a if joint.a == part.id else joint.at_b)
    return float(np.linalg.norm(part.outline - about, axis=1).max() * np.pi / 180)


def check_effort(examination: Examination) -> Iterator[Finding]:
    """Moving it takes no more than a finger likes to give."""
    for drive in examination.drives:
        if drive.by != "hand":
            continue
        effort = effort_profile(examination, drive.mechanism)
        k = int(np.argmax(effort))
        measured = float(effort[k])
        if measured <= MOST_EFFORT_N + 1e-6:
            continue
        part = examination.assembly.by_id[drive.part]
        helps = "" if examination.ways.slip != "plain" else " Wax or powder on what rubs halves it."
        message = (
            f"At its heaviest the {part.name} takes about {measured:.1f} N, roughly reckoned; up to {MOST_EFFORT_N:.0f} N it moves with "
            f"pleasure.{helps}"
        )
        yield Finding(
            "effort",
            "warn",
            drive.mechanism,
            (part.id,),
            f"It takes much force to move the {part.name}",
            message,
            round(measured, 3),
            MOST_EFFORT_N,
            unit="N",
            at_most=True,
            travel=float(examination.track(drive.mechanism).travel[k]),
        )
