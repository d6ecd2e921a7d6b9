"""Designs and assemblies that tests share: sound ones, and some on the edge of what can be built."""

from __future__ import annotations

from functools import cache

import numpy as np

from lexipod.assembly import Assembly, CardFrame, Drive, Joint, Part
from lexipod.building import resolve_parameters, site_for
from lexipod.catalog import Catalog, load_catalog
from lexipod.design import Card, Design, Mechanism, Ways
from lexipod.geometry.shapes import rectangle
from lexipod.recipes import RECIPES, find_recipe

CATALOG: Catalog = load_catalog()
FOLDED = tuple(r.id for r in RECIPES.values() if r.folds)
FLAT = tuple(r.id for r in RECIPES.values() if not r.folds)


def slider(card: Card | None = None, *, ways: Ways | None = None, mirror: bool = False, **given) -> Design:
    """A strip slider sized for a card around the given parameters."""
    design = Design(card=card or Card(), ways=ways or Ways())
    values = resolve_parameters(find_recipe("strip-slider"), site_for(design, CATALOG), given)
    return Design(card=design.card, ways=design.ways, mechanisms=(Mechanism("m1", "strip-slider", values, mirror),))


def broken_slider(**changes) -> Design:
    """A sound slider of which some parameters were changed afterwards, as a maker would."""
    sound = slider(ways=Ways(units="mm"))
    return sound.with_parameters("m1", changes)


def frame(width: float = 200.0, height: float = 200.0) -> CardFrame:
    """A card frame without an envelope."""
    return CardFrame("free", "Free size", "portrait", width, height, "left", "panel", "card-300", 0.38, None, None)


def part(part_id: str, outline=None, *, home=(0.0, 0.0, 0.0), level: int = 1, role: str = "moving", mechanism: str = "m1", **more) -> Part:
    """A small part; a 2 x 2 square where no outline is given."""
    shape = rectangle(-1, -1, 1, 1) if outline is None else np.asarray(outline, dtype=float)
    return Part(part_id, part_id, mechanism, role, level, "card-300", 0.4, 0.4 * level, shape, home, **more)


def assembly(parts, joints, drive: Drive, *, size: float = 400.0, **more) -> Assembly:
    """Parts on a big panel."""
    ground = part("card.front", rectangle(0, 0, size, size), level=0, role="base", mechanism="card")
    return Assembly(frame(size, size), (ground, *parts), tuple(joints), (drive,), **more)


def crank_and_rocker(a=20.0, b=70.0, c=60.0, d=80.0, *, start_deg=60.0) -> Assembly:
    """A four-bar linkage on the panel, ground pins at (200, 200) and (200 + d, 200), laid down in its open branch."""
    ground = np.array([200.0, 200.0])
    t = np.radians(start_deg)
    p = ground + a * np.array([np.cos(t), np.sin(t)])
    q = _meeting(p, b, ground + [d, 0], c)
    turn = np.arctan2(*(q - p)[::-1])
    rocker = np.arctan2(*(q - ground - [d, 0])[::-1])
    parts = [part("crank", home=(*ground, t)), part("coupler", home=(*p, turn), level=2), part("rocker", home=(*(ground + [d, 0]), rocker), level=3)]
    joints = [
        Joint("j1", "pin", "crank", "card.front", (0, 0), tuple(ground)),
        Joint("j2", "pin", "coupler", "crank", (0, 0), (a, 0)),
        Joint("j3", "pin", "rocker", "coupler", (c, 0), (b, 0)),
        Joint("j4", "pin", "rocker", "card.front", (0, 0), (float(ground[0] + d), float(ground[1]))),
    ]
    return assembly(parts, joints, Drive("m1", "j1", "crank", "turn", 0.0, 300.0, start_deg))


def _meeting(p, r, q, s):
    """Upper meeting point of two circles."""
    d = np.asarray(q) - p
    length = np.hypot(*d)
    x = (length**2 + r**2 - s**2) / (2 * length)
    y = np.sqrt(r**2 - x**2)
    along = d / length
    return np.asarray(p) + x * along + y * np.array([-along[1], along[0]])


def card_with(recipe: str, card: Card | None = None, *, units: str = "mm", **given) -> Design:
    """A card with one mechanism, sized around the given settings (as text or values)."""
    texts = {k.replace("__", "."): (f"{v:.9g}" if isinstance(v, float) else str(v)) for k, v in given.items()}
    return _sized(recipe, card, units, tuple(texts.items()))


@cache
def _sized(recipe: str, card: Card | None, units: str, given: tuple) -> Design:
    """The same card for the same wishes: a design is a value, so tests may share it."""
    from lexipod.editing.change import new_design

    return new_design(recipe, CATALOG, card=card, ways=Ways(units=units), given=dict(given))


def moved(design: Design, steps: int = 25):
    """The card's assembly, and an examination of it at some positions."""
    from lexipod.building import build_assembly
    from lexipod.checks import Examination

    built = build_assembly(design, CATALOG)
    return built, Examination(built, CATALOG, design.ways, steps=steps)


@cache
def troubles_of_sound(recipe: str, given: tuple = ()) -> frozenset[str]:
    """The rules against which the card of a recipe has anything but notes, as it is sized; judged once for each."""
    from lexipod.checks import run_checks

    _, examination = moved(card_with(recipe, **dict(given)))
    return frozenset(f.rule for f in run_checks(examination) if f.severity != "note")
