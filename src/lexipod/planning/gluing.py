"""Which glue for which pair of papers, and how long it waits."""

from __future__ import annotations

from lexipod.catalog import Adhesive, Catalog
from lexipod.design import Ways

LARGE_MM2 = 2500.0


def advise(catalog: Catalog, ways: Ways, stocks: tuple[str, ...], *, area_mm2: float, loaded: bool, aligned: bool) -> tuple[Adhesive, str]:
    """The adhesive for two papers and why: what holds film, what carries load, what can be shifted while it is placed, what does not warp. The
    maker's own wish goes first wherever it holds.

    Source: tape on film and coated stock, wet glue on what is loaded, solvent glue or tape on large areas (common practice, no source).
    Raises ``ValueError`` where the catalog has none.
    """
    shelf = [a for a in catalog.adhesives.values() if a.own]
    if not shelf:
        raise ValueError("the catalog has no adhesive")
    film = any(s in catalog.stocks and catalog.stocks[s].clear for s in stocks)
    large = area_mm2 > LARGE_MM2
    wished = catalog.adhesives.get(ways.adhesive)
    if wished is not None and (wished.film or not film):
        return wished, "as you like it"
    fit = [a for a in shelf if (a.film or not film) and a.kind != "dot"] or shelf
    if film:
        return max(fit, key=lambda a: (a.film, a.large)), "it holds film"
    if loaded:
        return max(fit, key=lambda a: (a.load, a.adjusts, -a.waits)), "it is pulled at"
    if large:
        return max(fit, key=lambda a: (a.large, -a.waits)), "a large area warps with wet glue"
    if aligned:
        return max(fit, key=lambda a: (a.adjusts, -a.waits)), "it can be shifted until it lies right"
    return min(fit, key=lambda a: (a.waits, not a.large)), "it holds at once"
