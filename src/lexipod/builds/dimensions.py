"""Errors of making: every dimension of a build with the standard deviation that hands, tools and paper give it.

Measures are cut or placed by eye, holes are punched beside their marks, paper and foam differ in thickness from pack to pack, and paper
grows across its grain when the air is damp.
Source: calipers of paper differ by 5 to 8 % and foam by 10 to 15 % (from memory of data sheets; taken as two standard deviations);
hygroexpansion 0.10 to 0.25 % across and 0.02 to 0.06 % along the grain for 10 % relative humidity (ISO 8226-1, from memory). The errors
of hands are our own judgement, about half of the gap that moving edges are given by each way of cutting; nobody measured them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely

from lexipod.assembly import Assembly, Joint
from lexipod.building import build_as_cut, build_assembly
from lexipod.catalog import Catalog
from lexipod.design import Cutting, Design, Ways, number_of
from lexipod.design.ways import USUAL_CUT_MM
from lexipod.geometry.frames import Array, apply_pose
from lexipod.motion.flat.laying import lay_down
from lexipod.recipes import Parameter, find_recipe

ACROSS_GRAIN = 0.0015 / 10
ALONG_GRAIN = 0.0004 / 10
"""Growth of paper for one per cent of relative humidity."""


@dataclass(frozen=True, slots=True)
class Accuracy:
    """Standard deviations of what hands and tools do: a cut edge, a place found by eye and a punched hole (mm), an angle (degrees), a
    counted ply none; paper and foam as a share of their thickness. ``reason`` says whose they are."""

    cut_mm: float
    place_mm: float
    angle_deg: float
    reason: str
    hole_mm: float = 0.0
    caliper_share: float = 0.0
    foam_share: float = 0.0
    biases: tuple[tuple[str, float], ...] = ()
    opening_mm: float = 0.0

    def bias(self, kind: str) -> float:
        """What a kind of work is off on average (mm, for foam and paper a share)."""
        return next((value for name, value in self.biases if name == kind), 0.0)


ACCURACIES: Mapping[Cutting, Accuracy] = {
    "hand": Accuracy(USUAL_CUT_MM["hand"], 0.4, 0.6, "knife and ruler, glued by eye", 0.3, 0.03, 0.06),
    "trimmer": Accuracy(USUAL_CUT_MM["trimmer"], 0.35, 0.5, "a trimmer's stop, glued by eye", 0.3, 0.03, 0.06),
    "die": Accuracy(USUAL_CUT_MM["die"], 0.3, 0.4, "steel dies, glued by eye", 0.1, 0.03, 0.06),
    "plotter": Accuracy(USUAL_CUT_MM["plotter"], 0.25, 0.3, "a cutting plotter, glued on its drawn places", 0.1, 0.03, 0.06),
}
"""By the maker's way of cutting."""


def accuracy_of(ways: Ways) -> Accuracy:
    """The usual errors of a maker's way of cutting, with her own where she measured them and wants them used."""
    usual = ACCURACIES[ways.cutting]
    if not ways.errors:
        return usual
    own = {name: spread for name, _, spread in ways.errors}
    return Accuracy(
        own.get("cut", usual.cut_mm),
        own.get("place", usual.place_mm),
        usual.angle_deg,
        f"{usual.reason}, as you measured them",
        own.get("hole", usual.hole_mm),
        own.get("paper", usual.caliper_share),
        own.get("foam", usual.foam_share),
        tuple((name, bias) for name, bias, _ in ways.errors),
        own.get("opening", 0.0),
    )


@dataclass(frozen=True, slots=True)
class Dimension:
    """One thing that can be off, on average by a ``bias`` and by a standard deviation: a ``measure`` of a mechanism, the place of a ``hole`` along
    x or y, the ``caliper`` of a paper, the thickness of a ``foam`` (both as a share), or ``humidity`` (% relative)."""

    name: str
    sigma: float
    kind: Literal["measure", "hole", "caliper", "foam", "humidity"]
    subject: str = ""
    axis: int = 0
    bias: float = 0.0


def find_dimensions(design: Design, accuracy: Accuracy) -> dict[str, float]:
    """Every decided measure that a build has an error in, with its standard deviation (mm or degrees)."""
    found: dict[str, float] = {}
    for mechanism in design.mechanisms:
        for parameter in find_recipe(mechanism.recipe).parameters:
            for name, sigma in _errors(parameter, accuracy):
                found[f"{mechanism.id}.{name}"] = sigma
    return found


def find_errors(design: Design, assembly: Assembly, catalog: Catalog, accuracy: Accuracy) -> tuple[Dimension, ...]:
    """Everything that a build has an error in."""
    found = [Dimension(name, sigma, "measure", name, bias=_bias(design, name, accuracy)) for name, sigma in find_dimensions(design, accuracy).items()]
    moving = set(assembly.moving)
    for joint in assembly.joints:
        if joint.kind == "pin" and accuracy.hole_mm > 0 and assembly.by_id[joint.a].id in moving:
            found += [Dimension(f"hole of {joint.a} on {joint.b} along {axis}", accuracy.hole_mm, "hole", joint.id, k) for k, axis in enumerate("xy")]
    papers = {p.stock for p in assembly.parts} & catalog.stocks.keys()
    foams = {p.stock for p in assembly.parts} & catalog.foams.keys()
    if accuracy.caliper_share > 0 and not assembly.foldings:
        found += [Dimension(f"caliper of {stock}", accuracy.caliper_share, "caliper", stock, bias=accuracy.bias("paper")) for stock in sorted(papers)]
    if accuracy.foam_share > 0 and not assembly.foldings:
        found += [Dimension(f"thickness of {foam}", accuracy.foam_share, "foam", foam, bias=accuracy.bias("foam")) for foam in sorted(foams)]
    if accuracy.caliper_share > 0 and assembly.drives:
        found.append(Dimension("humidity", design.ways.humidity / 2, "humidity"))
    return tuple(d for d in found if d.sigma > 0)


def _errors(parameter: Parameter, accuracy: Accuracy) -> list[tuple[str, float]]:
    if parameter.kind == "length":
        return [(parameter.name, (accuracy.opening_mm if is_opening(parameter.name) else 0.0) or accuracy.cut_mm)]
    if parameter.kind == "point":
        return [(f"{parameter.name}.x", accuracy.place_mm), (f"{parameter.name}.y", accuracy.place_mm)]
    return [(parameter.name, accuracy.angle_deg)] if parameter.kind == "angle" else []


def is_opening(name: str) -> bool:
    """Whether a measure is that of something cut out."""
    return any(word in name for word in ("slot", "window", "track", "notch", "opening", "hole"))


def _bias(design: Design, dimension: str, accuracy: Accuracy) -> float:
    """What a measure is off on average; places and angles have none."""
    owner, _, name = dimension.partition(".")
    mechanism = design.find_mechanism(owner)
    if not accuracy.biases or "." in name or mechanism is None or find_recipe(mechanism.recipe).find_parameter(name).kind != "length":
        return 0.0
    return accuracy.bias("opening" if is_opening(name) and accuracy.opening_mm else "cut")


def changed_measure(design: Design, dimension: str, error: float) -> tuple[Design, float] | None:
    """The design with one measure off, and that measure; None where it is left out or leaves its limits."""
    value, (low, high) = _measure_and_limits(design, dimension)
    if value == 0 or not low <= value + error <= high:
        return None
    mechanism_id, _, name = dimension.partition(".")
    return design.with_parameters(mechanism_id, {name: value + error}), value + error


def _measure_and_limits(design: Design, dimension: str) -> tuple[float, tuple[float, float]]:
    """A measure, and the least and greatest that it may be."""
    mechanism_id, _, name = dimension.partition(".")
    mechanism = design.find_mechanism(mechanism_id)
    assert mechanism is not None
    parameter = find_recipe(mechanism.recipe).find_parameter(name.partition(".")[0])
    return number_of(mechanism.parameters, name), (parameter.minimum, parameter.maximum)


def build_whole(design: Design, catalog: Catalog, errors: Sequence[tuple[Dimension, float]]) -> Assembly:
    """The assembly of one build with all its errors. A measure of nothing is left out, so it has none.

    Raises a ``LexipodError`` or ``ValueError`` where it cannot be put together.
    """
    made, packs = design, catalog
    holes: dict[str, Array] = {}
    humidity = 0.0
    for dimension, error in errors:
        if dimension.kind == "measure":
            mechanism, _, name = dimension.subject.partition(".")
            value = _measure_and_limits(made, dimension.subject)[0]
            made = made.with_parameters(mechanism, {name: value + error}) if value else made
        elif dimension.kind in ("caliper", "foam"):
            packs = _other_pack(packs, dimension, error)
        elif dimension.kind == "hole":
            holes[dimension.subject] = holes.get(dimension.subject, np.zeros(2)) + np.eye(2)[dimension.axis] * error
        else:
            humidity += error
    assembly = build_as_cut(made, packs) if made is not design else build_assembly(made, packs)
    assembly = _beside(assembly, holes) if holes else assembly
    return grown(assembly, packs, humidity) if humidity else assembly


def _other_pack(catalog: Catalog, dimension: Dimension, error: float) -> Catalog:
    """The catalog with one paper or foam thicker by a share."""
    if dimension.kind == "foam":
        foam = catalog.foams[dimension.subject]
        return replace(catalog, foams=catalog.foams | {foam.id: replace(foam, thickness_mm=foam.thickness_mm * (1 + error))})
    stock = catalog.stocks.get(dimension.subject)
    if stock is None:
        return catalog
    return replace(catalog, stocks=catalog.stocks | {stock.id: replace(stock, caliper_mm=stock.caliper_mm * (1 + error))})


def _beside(assembly: Assembly, errors: Mapping[str, Array]) -> Assembly:
    """Holes punched beside their marks, by ``errors`` ``(2,)`` of some joints, and all put together with them: a hole stays round its pin, so
    what it is in lies elsewhere. A part that is glued to others which have pins of their own is glued where its hole brings it."""
    for joint_id, shift in errors.items():
        assembly = _punched(assembly, assembly.find_joint(joint_id), shift)
    for mechanism in dict.fromkeys(assembly.by_id[assembly.find_joint(j).a].mechanism for j in errors):
        drive = assembly.drive_of(mechanism)
        assembly = assembly if drive is None else lay_down(assembly, drive)
    return assembly


def _punched(assembly: Assembly, joint: Joint, shift: Array) -> Assembly:
    """One hole beside its mark."""
    part, middle = assembly.by_id[joint.a], shapely.Point(joint.at_a)
    holes = tuple(h + shift if shapely.Polygon(h).contains(middle) else h for h in part.holes)
    body = assembly.bodies[part.id]
    others = [j for j in assembly.joints if j.id != joint.id and j.kind == "pin" and assembly.bodies[j.a] == body and j.b == joint.b]
    home = part.home
    if others and not any(j.a == part.id for j in others):
        x, y = apply_pose(home, [joint.at_a])[0] - apply_pose(home, [np.asarray(joint.at_a) + shift])[0]
        home = (home[0] + float(x), home[1] + float(y), home[2])
    moved = replace(joint, at_a=(joint.at_a[0] + float(shift[0]), joint.at_a[1] + float(shift[1])))
    return replace(
        assembly,
        parts=tuple(replace(p, holes=holes, home=home) if p.id == part.id else p for p in assembly.parts),
        joints=tuple(moved if j.id == joint.id else j for j in assembly.joints),
    )


def grown(assembly: Assembly, catalog: Catalog, humidity: float) -> Assembly:
    """What moves grown in damper air (% relative), against a card that lies the other way of the grain: across it from bottom to top,
    along it from left to right, about each part's own middle."""
    moving = set(assembly.moving)
    factor = np.array([1 + ALONG_GRAIN * humidity, 1 + ACROSS_GRAIN * humidity])
    parts = []
    for part in assembly.parts:
        stock = catalog.stocks.get(part.stock)
        if part.id in moving and stock is not None and not stock.clear and part.role != "fastener":
            middle = (part.box[0] + part.box[1]) / 2
            part = replace(part, outline=middle + (part.outline - middle) * factor, holes=tuple(middle + (h - middle) * factor for h in part.holes))
        parts.append(part)
    return replace(assembly, parts=tuple(parts))
