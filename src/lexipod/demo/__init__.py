"""The demo collection: cards of a made-up small museum of tides, weather and old instruments on an invented coast.

Every name in it is invented, every picture drawn for it.
"""

from __future__ import annotations

from importlib import resources

from lexipod.design import Design
from lexipod.design.files import parse_design

COLLECTION = (
    "fog-lifts",
    "seal-pup",
    "keepers-chest",
    "last-ferry",
    "mast-lantern",
    "glass-rises",
    "mussel-bank",
    "dome-opens",
    "weather-box",
    "tide-brings",
    "wind-wheel",
    "way-home",
    "pilot-waves",
    "five-tides",
    "strand-turns",
    "whale-rises",
    "petrel-turns",
    "storm-lantern",
    "kite-mole",
    "four-lights",
    "two-shores",
    "ebb-flood",
    "comet-inside",
)
"""The cards in the order in which they hang in the shop."""


def demo_names() -> tuple[str, ...]:
    """The cards of the collection, in the order in which they are shown."""
    return COLLECTION


def load_demo(name: str) -> Design:
    """One card of the collection; ``KeyError`` for an unknown name."""
    if name not in demo_names():
        raise KeyError(name)
    return parse_design((resources.files("lexipod.demo") / f"{name}.lexipod").read_bytes(), source=f"demo {name}")
