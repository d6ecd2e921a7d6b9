"""Items as text: ``decoration on m1.picture front 20x12mm at 3x-4mm layers 1``; ``none`` takes one off.

The place of an item is that of its middle, seen from the middle of the part that carries it.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable, Iterator
from typing import Any, get_args

import numpy as np
from numpy.typing import ArrayLike

from lexipod.assembly import Part
from lexipod.catalog import Catalog
from lexipod.design import Item
from lexipod.design.model import ItemKind
from lexipod.errors import LexipodError, ParameterError, quoted
from lexipod.units import parse_quantity

_TEXT = re.compile(
    r"(?P<kind>\w+)\s+on\s+(?P<on>\S+)(?:\s+(?P<face>front|back))?\s+(?P<round>round\s+)?(?P<size>[^a-z].*?|\S+)"
    r"(?:\s+at\s+(?P<at>.+?))?(?:\s+layers\s+(?P<layers>\d+))?(?:\s+of\s+(?P<stock>\S+))?"
)


EXAMPLE = "decoration on card.frame front 20x12mm at 3x-4mm layers 1"


def parse_item(item_id: str, text: str, catalog: Catalog) -> Item | None:
    """The item that a text describes; None for ``none``. ``ParameterError`` shows how it is written."""
    path = f"item.{item_id}"
    if text.strip().lower() == "none":
        return None
    match = _TEXT.fullmatch(text.strip())
    if match is None or match["kind"] not in get_args(ItemKind):
        raise ParameterError(path, f"{quoted(text)} is not an item; write it like “{EXAMPLE}”, with {', '.join(get_args(ItemKind))}, or “none”")
    try:
        size = match["size"]
        if match["round"]:
            across = parse_quantity(size, "length")
            assert isinstance(across, float)
            width = height = across
        else:
            sides = parse_quantity(size, "point")
            assert isinstance(sides, tuple)
            width, height = sides
        at = parse_quantity(match["at"], "point") if match["at"] else (0.0, 0.0)
        assert isinstance(at, tuple)
        layers = int(match["layers"]) if match["layers"] else 1 if match["kind"] in ("pad", "glide") else 0
        table = "foams" if match["kind"] in ("pad", "glide") else "stocks"
        stock = catalog.find_id(table, match["stock"]) if match["stock"] else ""
        face: Any = match["face"] or "front"
        kind: Any = match["kind"]
        return Item(item_id, kind, match["on"], face, (at[0], at[1]), width, height, bool(match["round"]), layers, stock)
    except (LexipodError, ValueError) as error:
        raise ParameterError(path, str(error)) from error


def format_item(item: Item) -> str:
    """The text of an item; reads back to the same item."""
    size = f"round {_mm(item.width)}mm" if item.round else f"{_mm(item.width)}x{_mm(item.height)}mm"
    at = f" at {_mm(item.at[0])}x{_mm(item.at[1])}mm" if item.at != (0.0, 0.0) else ""
    usual = 1 if item.kind in ("pad", "glide") else 0
    layers = f" layers {item.layers}" if item.layers != usual else ""
    stock = f" of {item.stock}" if item.stock else ""
    return f"{item.kind} on {item.on} {item.face} {size}{at}{layers}{stock}"


def _mm(value: float) -> str:
    return f"{value:.6f}".rstrip("0").rstrip(".") if value else "0"


def free_item_ids(items: Iterable[Item], letter: str) -> Iterator[str]:
    """Ids that no item has yet: a letter and a number."""
    taken = {i.id for i in items}
    return (f"{letter}{k}" for k in itertools.count(1) if f"{letter}{k}" not in taken)


def place_on(carrier: Part, spot: ArrayLike) -> tuple[float, float]:
    """A spot of a part's frame as the place of an item: seen from the middle of the part, to a hundredth."""
    low, high = carrier.box
    x, y = np.asarray(spot) - (low + high) / 2
    return round(float(x), 2), round(float(y), 2)
