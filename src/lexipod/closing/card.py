"""What keeps a card shut: from the maker's decision to the closing that it comes to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache

from lexipod.assembly import Assembly
from lexipod.closing.band import close_with_band
from lexipod.closing.hem import close_with_hem
from lexipod.closing.pieces import Closing
from lexipod.closing.seal import close_with_seal
from lexipod.closing.stacked import closed_thickness, stack_heights

CLOSINGS: Mapping[str, Callable[[Assembly, float], Closing]] = {"band": close_with_band, "hem": close_with_hem, "seal": close_with_seal}
"""What closes a card of some thickness, by the kind of closure."""


@lru_cache(maxsize=16)
def close_card(assembly: Assembly) -> Closing | None:
    """What the closure of a card comes to; None for none. Those of the last few assemblies are kept."""
    if assembly.closure.kind == "none":
        return None
    thick = closed_thickness(assembly, {f.mechanism: stack_heights(f) for f in assembly.foldings})
    return CLOSINGS[assembly.closure.kind](assembly, thick)


__all__ = ["CLOSINGS", "close_card"]
