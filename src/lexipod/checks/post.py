"""The closed card in the post: its mass, how even its thickness is, and which letter class takes it.

Source: mass is area times grammage (the definition of grammage, ISO 536); classes are dated data of the catalog, and the carrier's
current rules decide. Densities of foam and the mass of brads are values from memory.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lexipod.assembly import Assembly
from lexipod.blanks import find_blanks
from lexipod.catalog import Catalog
from lexipod.catalog.post import Carrier, LetterClass
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.checks.height_map import map_heights
from lexipod.checks.outline import thickness_mm
from lexipod.closing.card import close_card

FOAM_G_CM3 = 0.12
BRAD_G = 0.35
MAGNET_G_CM3 = 7.5
ENVELOPE_G_M2 = 100.0
ENVELOPE_AREA = 2.3
"""Paper of an envelope against one of its faces: two faces, the flap and the laps (from memory)."""
ENVELOPE_MM = 0.3
"""What the envelope adds to the thickness: two plies and a flap."""
STIFF_MM = 1.5


@dataclass(frozen=True, slots=True)
class Mass:
    """Mass in g of paper and film, foam, fasteners, and the envelope."""

    paper_g: float
    foam_g: float
    fasteners_g: float
    envelope_g: float

    @property
    def total_g(self) -> float:
        return self.paper_g + self.foam_g + self.fasteners_g + self.envelope_g


def find_mass(assembly: Assembly, catalog: Catalog) -> Mass:
    """Mass of the finished card with what closes it, in its envelope."""
    paper = foam = 0.0
    for blank in find_blanks(assembly):
        area = blank.region.area * blank.plies * blank.quantity
        if blank.stock in catalog.foams:
            foam += area * catalog.foams[blank.stock].thickness_mm / 1000.0 * FOAM_G_CM3
        elif blank.stock in catalog.stocks:
            paper += area * catalog.stocks[blank.stock].grammage / 1e6
    metal = BRAD_G * sum(p.quantity for p in assembly.parts if p.role == "fastener")
    metal += sum(p.quantity * catalog.weights[p.stock].mass_g for p in assembly.parts if p.bought and p.stock in catalog.weights)
    closing, closure = close_card(assembly), assembly.closure
    if closing is not None:  # each of the two pages has its own
        metal += 2 * len(closing.magnets) * math.pi / 4 * closure.magnet**2 * closure.magnet_thickness / 1000.0 * MAGNET_G_CM3
    size = assembly.card.envelope_mm
    return Mass(paper, foam, metal, 0.0 if size is None else size[0] * size[1] * ENVELOPE_AREA * ENVELOPE_G_M2 / 1e6)


@dataclass(frozen=True, slots=True)
class Posted:
    """What a carrier sees: the envelope's longer and shorter side, thickness, mass, by how much the thickness differs from place to
    place, and whether it bends."""

    long_mm: float
    short_mm: float
    thickness_mm: float
    mass_g: float
    uneven_mm: float
    is_stiff: bool

    @property
    def aspect(self) -> float:
        return self.long_mm / self.short_mm


@dataclass(frozen=True, slots=True)
class LetterRow:
    """How a carrier takes it: the smallest class that does (None: none does), why not a smaller one, and what else to know."""

    carrier: Carrier
    letter: LetterClass | None
    refused: tuple[str, ...]
    notes: tuple[str, ...]


def find_posted(examination: Examination) -> Posted | None:
    """The card in its envelope; None for a card without one."""
    return examination.once("posted", lambda: _find_posted(examination))


def _find_posted(examination: Examination) -> Posted | None:
    size = examination.assembly.card.envelope_mm
    if size is None:
        return None
    mass = find_mass(examination.assembly, examination.catalog)
    thick = thickness_mm(examination)
    heights = map_heights(examination, cell_mm=2.0)
    there = heights.top[heights.top > 0]
    uneven = max(0.0, thick - float(np.percentile(there, 10))) if there.size else 0.0
    solid = heights.solid[heights.solid > 0]
    stiff = bool(solid.size and np.percentile(solid, 75) > STIFF_MM)
    return Posted(max(size), min(size), thick + ENVELOPE_MM, mass.total_g, uneven, stiff)


def find_letter_rows(examination: Examination) -> tuple[LetterRow, ...]:
    """For every carrier of the catalog the smallest class that takes the card."""
    posted = find_posted(examination)
    if posted is None:
        return ()
    return tuple(_row(examination, carrier, posted) for carrier in examination.catalog.carriers.values())


def _row(examination: Examination, carrier: Carrier, posted: Posted) -> LetterRow:
    refused: list[str] = []
    for letter in carrier.classes:
        reasons = refusals(examination, letter, posted)
        if not reasons:
            notes = []
            if letter.uneven and (posted.uneven_mm > letter.uneven_by_mm or posted.is_stiff):
                notes.append(letter.uneven)
            if letter.aspect is not None and letter.aspect_note and not _is_within(posted.aspect, letter.aspect):
                notes.append(letter.aspect_note)
            return LetterRow(carrier, letter, tuple(refused), tuple(notes))
        refused.append(f"{letter.name}: {reasons[0]}")
    return LetterRow(carrier, None, tuple(refused), ())


def refusals(examination: Examination, letter: LetterClass, posted: Posted) -> list[str]:
    """Why a class does not take it; empty when it does."""
    found = []
    for what, value, (low, high) in (
        ("long", posted.long_mm, letter.long_mm),
        ("wide", posted.short_mm, letter.short_mm),
        ("thick", posted.thickness_mm, letter.thickness_mm),
    ):
        show = examination.style.thickness if what == "thick" else examination.style.length
        if value > high + 1e-6:
            found.append(f"{show(value)} {what}, at most {show(high)}")
        elif value < low - 1e-6:
            found.append(f"{show(value)} {what}, at least {show(low)}")
    if posted.mass_g > letter.grams + 1e-6:
        found.append(f"{posted.mass_g:.0f} g, at most {letter.grams:g} g")
    if letter.aspect is not None and not letter.aspect_note and not _is_within(posted.aspect, letter.aspect):
        found.append(f"its sides are as {posted.aspect:.2f} to 1; from {letter.aspect[0]:g} to {letter.aspect[1]:g} goes by machine")
    return found


def _is_within(value: float, span: tuple[float, float]) -> bool:
    return span[0] - 1e-9 <= value <= span[1] + 1e-9


def check_post(examination: Examination) -> Iterator[Finding]:
    """The maker's own carrier takes it as a letter, and says what costs more."""
    carrier = examination.catalog.carriers.get(examination.ways.carrier)
    posted = find_posted(examination) if carrier is not None else None
    if carrier is None or posted is None:
        return
    row = _row(examination, carrier, posted)
    advice = f"As of {carrier.dated}, {carrier.source}; check with your post office."
    if row.letter is None:
        title = f"No letter class of {carrier.name} takes it"
        yield Finding("post", "warn", "card", ("card.front",), title, f"{row.refused[-1]}. {advice}", 0.0, 1.0, unit="class")
    elif row.refused or row.notes:
        why = [f"not as {row.refused[-1]}"] if row.refused else []
        why += list(row.notes)
        text = "; ".join(why)
        yield Finding(
            "post",
            "note",
            "card",
            ("card.front",),
            f"In {carrier.name} it goes as {row.letter.name}",
            f"{text[:1].upper()}{text[1:]}. {advice}",
            1.0,
            1.0,
            unit="class",
        )


__all__ = ["LetterRow", "Mass", "Posted", "check_post", "find_letter_rows", "find_mass", "find_posted", "refusals"]
