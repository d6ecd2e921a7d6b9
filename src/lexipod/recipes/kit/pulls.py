"""What every mechanism with a pull has in common: how stiff it must be, where it is taken hold of, and how it tells the reader."""

from __future__ import annotations

from dataclasses import dataclass

from lexipod.assembly import Handle
from lexipod.mechanics import plies_against_buckling
from lexipod.recipes.kit.lay import Lay
from lexipod.recipes.kit.parameters import Lever, Site, Values

PUSH_MARGIN = 2.1
"""How much more a pull bears than it takes to push it back (the check wants twice as much)."""
CUE_LEVERS = (Lever("Say it with a word", choose={"cue": "word"}), Lever("Leave the cue out on purpose", choose={"cue": "none"}))
"""Against a cue that is not seen."""
Spot = tuple[float, float]


def lay_of(site: Site, values: Values, name: str = "exit") -> Lay:
    """The card laid along a pull that leaves it where ``exit`` (or another parameter) says."""
    return Lay(str(values[name]), site.card.width_mm, site.card.height_mm)


def plies_to_push(site: Site, *, width_mm: float, length_mm: float) -> int:
    """The least plies of a pull that can be pushed back by its end over a free length."""
    load, stock = PUSH_MARGIN * site.ways.push_force, site.stock
    return plies_against_buckling(load, stock.modulus_mpa, width_mm=width_mm, caliper_mm=stock.caliper_mm, length_mm=length_mm)


@dataclass(frozen=True, slots=True)
class HandleAlong:
    """Makes handles of a mechanism whose places are given along the pull."""

    mechanism: str
    lay: Lay

    def __call__(
        self, parameter: str, label: str, at: Spot, direction: Spot, gain: float, span: tuple[Spot, Spot], offset: float = 0.0, *stations: str
    ) -> Handle:
        """A handle as ``Handle`` has it; ``offset`` is how far its measure stands off, to the same side of what moves whichever way the
        pull leaves the card."""
        lay, sign = self.lay, -1.0 if self.lay.exit in ("right", "down") else 1.0
        line = (lay.point(*span[0]), lay.point(*span[1]))
        return Handle(self.mechanism, parameter, label, lay.point(*at), direction, gain, line, offset * sign, stations or ("mechanism",))
