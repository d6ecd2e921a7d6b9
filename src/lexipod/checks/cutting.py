"""Whether each piece can be cut: in one piece, nowhere too narrow, and by what it is cut with.

Reason: measures that cut a sheet in two, or leave a bridge of a millimetre, give a list that nobody can cut from. Dies do not cut through
laminated heavy sheets, and a machine takes sheets of its own width only.
Source: common practice, no source; the least widths are judgements of our own.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lexipod.assembly import Blank
from lexipod.blanks import find_blanks
from lexipod.blanks.measures import lying_square
from lexipod.blanks.narrow import narrowest_mm
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity

LEAST_WIDTH_MM = {"hand": 1.5, "trimmer": 1.5, "die": 1.0, "plotter": 0.8}
HANGS_SHARE = 0.8
SAME_MM = 0.05
DIE_CUTS_MM = 0.6
"""What a die goes through where no machine is named: one heavy sheet."""


def _blanks(examination: Examination) -> tuple[Blank, ...]:
    return examination.once("blanks", lambda: find_blanks(examination.assembly))


def _on_card(examination: Examination, blank: Blank, spot: tuple[float, float]) -> tuple[float, float] | None:
    """A point of a blank on the card, by the panel it lies on."""
    for panel in blank.panels:
        part, to_blank = examination.assembly.by_id.get(panel), blank.laid.get(panel)
        if part is None or to_blank is None:
            continue
        at = np.linalg.solve(to_blank[:, :2], np.asarray(spot) - to_blank[:, 2])
        if part.region.distance(shapely.Point(at)) < 0.1:
            x, y, turn = part.home
            cos, sin = float(np.cos(turn)), float(np.sin(turn))
            return (round(cos * at[0] - sin * at[1] + x, 4), round(sin * at[0] + cos * at[1] + y, 4))
    return None


def check_in_one_piece(examination: Examination) -> Iterator[Finding]:
    """No blank falls apart where it is cut."""
    for blank in _blanks(examination):
        if not blank.apart:
            continue
        largest = max(blank.apart, key=lambda piece: shapely.Polygon(piece).area)
        width, height = (examination.style.length(float(v)) for v in np.ptp(largest, axis=0))
        count = len(blank.apart)
        many = "A piece" if count == 1 else f"{count} pieces"
        message = f"{many} of it, {'of' if count == 1 else 'the largest of'} {width} × {height}, would not hang together with the rest."
        lost = round(float(np.ptp(largest, axis=0).max()), 4)
        where = _on_card(examination, blank, (float(largest[:, 0].mean()), float(largest[:, 1].mean())))
        yield Finding(
            "one-piece", "block", blank.mechanism, blank.panels[:1], f"The {blank.name} falls apart", message, lost, 0.0, at_most=True, where=where
        )


def check_hangs(examination: Examination) -> Iterator[Finding]:
    """What is folded over hangs on the rest along most of its score."""
    parts = examination.assembly.by_id
    for blank in _blanks(examination):
        for crease in blank.creases if not blank.apart and blank.id != "card.sheet" else ():
            line, named = shapely.LineString([crease.start, crease.end]), crease.name.removesuffix(", second")
            twins = [c for c in blank.creases if c.name in (named, f"{named}, second")]
            ends = crease.panels if len(twins) == 1 else crease.panels[:1] if crease.name == named else crease.panels[1:]
            laid = [(parts[p], blank.laid[p]) for p in ends if p in parts and p in blank.laid]
            regions = [shapely.transform(p.region, lambda xy, to=to: xy @ to[:, :2].T + to[:, 2]) for p, to in laid]
            held = [shapely.intersection(line, r.boundary.buffer(SAME_MM)).length / line.length for r in regions]
            if not held or min(held) >= HANGS_SHARE:
                continue
            part = laid[int(np.argmin(held))][0]
            title = f"The {parts[crease.panels[1]].name if crease.panels[1] in parts else blank.name} hardly hangs on the {blank.name}"
            message = f"Only {100 * min(held):.0f} % of the score “{named}” lies along the {part.name}; beyond it there is nothing to fold."
            spot = line.interpolate(0.5, normalized=True)
            where = _on_card(examination, blank, (float(spot.x), float(spot.y)))
            share = round(min(held), 4)
            yield Finding("one-piece", "block", blank.mechanism, crease.panels, title, message, share, HANGS_SHARE, unit="share", where=where)


def check_narrow(examination: Examination) -> Iterator[Finding]:
    """Nowhere is a blank of paper narrower than it can be cut without tearing."""
    catalog, cutting = examination.catalog, examination.ways.cutting
    least = LEAST_WIDTH_MM[cutting]
    for blank in _blanks(examination):
        if blank.stock not in catalog.stocks or blank.apart or not blank.panels:
            continue
        found = narrowest_mm(blank, below_mm=least)
        if found is None:
            continue
        width, spot = found
        length = examination.style.length
        severity: Severity = "block" if width < least / 3 else "warn"
        message = f"At its narrowest place it is {length(width)} wide; what is cut by {cutting} tears below {length(least)}."
        yield Finding(
            "narrow",
            severity,
            blank.mechanism,
            blank.panels[:1],
            f"The {blank.name} is very narrow somewhere",
            message,
            round(width, 3),
            least,
            where=_on_card(examination, blank, spot),
        )


def check_cutter(examination: Examination) -> Iterator[Finding]:
    """What a die or a machine cuts is thin enough for it, and goes through."""
    catalog, ways = examination.catalog, examination.ways
    machine = catalog.machines.get(ways.machine)
    if ways.cutting not in ("die", "plotter") or (machine is None and ways.cutting != "die"):
        return
    most, name = (machine.most_mm, f"the {machine.name}") if machine else (DIE_CUTS_MM, "a die")
    length = examination.style.length
    for blank in _blanks(examination):
        stock = catalog.stocks.get(blank.stock)
        if stock is None:
            continue
        thick = stock.caliper_mm * blank.plies
        if thick > most + 1e-9:
            alone = stock.caliper_mm <= most
            cure = "Cut each ply by itself and laminate them then." if alone else "Cut it by hand."
            message = f"It is {length(thick)} thick; {name} cuts {length(most)}. {cure}"
            title = f"The {blank.name} is too thick for {name}"
            yield Finding("cutter", "warn", blank.mechanism, blank.panels[:1], title, message, round(thick, 4), most, at_most=True)
        across = min(lying_square(blank).size_mm)
        if machine is not None and across > machine.width_mm + 1e-6:
            message = f"It is {length(across)} wide at least; {name} takes {length(machine.width_mm)}. Cut it by hand, or in two parts that lap."
            title = f"The {blank.name} does not go through {name}"
            yield Finding("cutter", "warn", blank.mechanism, blank.panels[:1], title, message, round(across, 4), machine.width_mm, at_most=True)
