"""Items as text: ``decoration on m1.picture front 20x12mm at 3x-4mm layers 1``; ``none`` takes one off.

The place of an item is that of its middle, seen from the middle of the part that carries it. A greeting's size is the height of its
capitals: ``greeting on card.frame front 6mm saying "Fog lifts" along arc radius 40mm``.
"""

from __future__ import annotations

import itertools
import shlex
from collections.abc import Iterable, Iterator
from typing import Any, get_args

import msgspec
import numpy as np
from numpy.typing import ArrayLike

from lexipod.assembly import Part
from lexipod.catalog import Catalog
from lexipod.design import Item, ItemKind
from lexipod.errors import LexipodError, ParameterError, quoted
from lexipod.pictures.fonts import find_font
from lexipod.units import parse_quantity

EXAMPLE = "decoration on card.frame front 20x12mm at 3x-4mm layers 1"
WORDS = (
    "at",
    "layers",
    "of",
    "turned",
    "from",
    "share",
    "saying",
    "in",
    "along",
    "radius",
    "align",
    "coloured",
    "hidden",
    "shown",
    "shown-at-a-halt",
    "round",
    "across",
)
"""What may follow kind, part and size, in any order."""
QUOTED = ("saying", "from", "in")
"""What follows these is taken as it is, also where it is one of the words."""
LENGTHS, TEXTS, FLAGS = (
    ("width", "height", "x", "y", "radius", "border"),
    ("text", "font", "align", "along", "colour", "face", "on", "across"),
    ("hide_at_rest", "show_at_end", "show_at_halt"),
)
ASKED = dict(zip(("hidden", "shown", "shown-at-a-halt"), FLAGS, strict=True))
"""What is asked of an item, as it is written, and its field."""
FIELDS = ("at", "layers", "turn", *LENGTHS, *TEXTS, *FLAGS)
"""What can be set of an item on its own (``item.a1.turn=30``)."""


def parse_item(item_id: str, text: str, catalog: Catalog) -> Item | None:
    """The item that a text describes; None for ``none``. ``ParameterError`` shows how it is written."""
    path = f"item.{item_id}"
    if text.strip().lower() == "none":
        return None
    try:
        words = shlex.split(text)
    except ValueError as error:
        raise ParameterError(path, f"{quoted(text)} is not an item ({error})") from error
    kinds = get_args(ItemKind)
    if len(words) < 4 or words[0] not in kinds or words[1] != "on":
        raise ParameterError(path, f"{quoted(text)} is not an item; write it like “{EXAMPLE}”, with {', '.join(kinds)}, or “none”")
    kind, on, rest = words[0], words[2], words[3:]
    face = rest.pop(0) if rest and rest[0] in ("front", "back") else "front"
    try:
        said = _said(rest)
        values = _values(kind, said, catalog)
        return Item(item_id, kind, on, face, **values)  # type: ignore[arg-type]
    except (LexipodError, ValueError) as error:
        raise ParameterError(path, str(error)) from error


def _said(words: list[str]) -> dict[str, str]:
    """The words after kind and part, each with what follows it; the size is under an empty name."""
    said: dict[str, list[str]] = {"": []}
    name = ""
    for word in words:
        if word in WORDS and (name not in QUOTED or said[name]):
            if word in said:
                raise ValueError(f"“{word}” is said twice")
            if word == "round":
                name = ""
                said["round"] = []
                continue
            name = word
            said[name] = []
        else:
            said[name].append(word)
    return {k: " ".join(v) for k, v in said.items()}


def _values(kind: str, said: dict[str, str], catalog: Catalog) -> dict[str, Any]:
    values: dict[str, Any] = {"layers": int(said["layers"]) if said.get("layers") else 1 if kind in ("pad", "glide", "picture", "greeting") else 0}
    size = said[""]
    if kind == "mat":
        values["border"] = parse_quantity(size, "length")
    elif kind == "greeting":
        values["height"] = parse_quantity(size, "length")
    elif "round" in said:
        values |= {"width": parse_quantity(size, "length"), "height": parse_quantity(size, "length"), "round": True}
    elif size:
        sides: Any = parse_quantity(size, "point")
        values["width"], values["height"] = sides
    elif "share" not in said:
        raise ValueError("the size is missing; write it like 20x12mm")
    if said.get("at"):
        values["at"] = parse_quantity(said["at"], "point")
    if said.get("of"):
        values["stock"] = catalog.find_id("foams" if kind in ("pad", "glide") else "stocks", said["of"])
    if said.get("turned"):
        values["turn"] = parse_quantity(said["turned"], "angle")
    if said.get("share"):
        share = tuple(float(parse_quantity(v, "number")) for v in said["share"].split())  # type: ignore[arg-type]
        if len(share) != 4:
            raise ValueError("a share is four numbers: left, bottom, right, top")
        values["share"] = share
    if said.get("radius"):
        values["radius"] = parse_quantity(said["radius"], "length")
    for word, field in (
        ("from", "source"),
        ("saying", "text"),
        ("in", "font"),
        ("along", "along"),
        ("align", "align"),
        ("coloured", "colour"),
        ("across", "across"),
    ):
        if said.get(word):
            values[field] = _checked(field, said[word].replace("\\n", "\n") if field == "text" else said[word])
    if values.get("font"):
        find_font(values["font"])
    return values | {field: True for word, field in ASKED.items() if word in said}


def _checked(field: str, text: str) -> str:
    choices = {"along": ("line", "arc", "circle"), "align": ("left", "middle", "right"), "face": ("front", "back")}.get(field)
    if choices is not None and text not in choices:
        raise ValueError(f"{quoted(text)} is not one of {', '.join(choices)}")
    return text


def format_item(item: Item) -> str:
    """The text of an item; reads back to the same item, but for the outline of what is painted."""
    words = [item.kind, "on", item.on, item.face]
    if item.kind == "greeting":
        words.append(f"{_mm(item.height)}mm")
    elif item.kind == "mat":
        words.append(f"{_mm(item.border)}mm")
    elif item.share is None:
        words += ["round", f"{_mm(item.width)}mm"] if item.round else [f"{_mm(item.width)}x{_mm(item.height)}mm"]
    words += ["at", f"{_mm(item.at[0])}x{_mm(item.at[1])}mm"] if item.at != (0.0, 0.0) else []
    usual = 1 if item.kind in ("pad", "glide", "picture", "greeting") else 0
    words += ["layers", str(item.layers)] if item.layers != usual else []
    words += ["of", item.stock] if item.stock else []
    words += ["turned", _mm(item.turn)] if item.turn else []
    words += ["share", *(_mm(v) for v in item.share)] if item.share is not None else []
    words += ["from", shlex.quote(item.source)] if item.source else []
    words += ["saying", shlex.quote(item.text.replace("\n", "\\n"))] if item.text else []
    words += ["in", shlex.quote(item.font)] if item.font else []
    words += ["along", item.along, "radius", f"{_mm(item.radius)}mm"] if item.along != "line" else []
    words += ["align", item.align] if item.align != "middle" else []
    words += ["across", item.across] if item.across else []
    words += ["coloured", item.colour] if item.colour else []
    words += [word for word, field in ASKED.items() if getattr(item, field)]
    return " ".join(words)


def change_field(item: Item, field: str, value: Any, *, path: str) -> Item:
    """The item with one of its fields changed; text is read with its unit. Raises ``ParameterError``."""

    def read(kind: str) -> Any:
        return parse_quantity(value.strip(), kind) if isinstance(value, str) else value

    try:
        if field in ("x", "y"):
            number = float(read("length"))
            change: dict[str, Any] = {"at": (number, item.at[1]) if field == "x" else (item.at[0], number)}
        elif field == "at":
            change = {"at": read("point")}
        elif field in ("width", "height"):
            change = _resized(item, field, float(read("length")))
        elif field in ("radius", "border"):
            change = {field: float(read("length"))}
        elif field == "layers":
            change = {"layers": int(read("count"))}
        elif field == "turn":
            change = {"turn": float(read("angle"))}
        elif field in FLAGS:
            change = {field: bool(read("flag"))}
        elif field == "font" and value:
            find_font(str(value).strip())
            change = {"font": str(value).strip()}
        else:
            change = {field: _checked(field, str(value).replace("\\n", "\n") if field == "text" else str(value).strip())}
        if field == "on" and item.across:
            change["across"] = ""  # that was a panel beside the other one
        if item.share is not None and field in ("at", "x", "y", "width", "height"):
            change["share"] = None
        return msgspec.structs.replace(item, **change)
    except (LexipodError, ValueError) as error:
        raise ParameterError(path, str(error)) from error


def _resized(item: Item, field: str, number: float) -> dict[str, Any]:
    """Another width or height; what is round or has a proportion keeps it."""
    if item.round:
        return {"width": number, "height": number}
    if item.proportion and item.kind != "greeting":
        width, height = (number, number / item.proportion) if field == "width" else (number * item.proportion, number)
        return {"width": round(width, 4), "height": round(height, 4)}
    return {field: number}


def mirrored_item(item: Item) -> Item:
    """The item on its part mirrored from left to right: at the mirrored place, leaning the other way; what it shows is not mirrored."""
    x, y = item.at
    share = item.share
    if share is not None:
        share = (1.0 - share[2], share[1], 1.0 - share[0], share[3])
    return msgspec.structs.replace(item, at=(0.0 - x, y), turn=0.0 - item.turn, share=share)


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
