"""How pieces are laid on sheets, changed by names and values."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.design.sheeting import Lap, Sheeting
from lexipod.errors import ChoiceError, LexipodError, ParameterError, quoted
from lexipod.units.quantities import Value, parse_quantity

NAMES = ("copies", "cuts", "gap", "margin", "grain", "offcuts", "colours", "second")
_LAP = re.compile(r"(width|height)@([^+]+)(?:\+(.+))?")
_CHOICES = {"cuts": ("straight", "free"), "grain": ("where it can", "always", "free")}


def change_sheeting(design: Design, catalog: Catalog, name: str, value: Value) -> Design:
    """One setting of the sheets: ``copies``, ``cuts``, ``gap`` and ``margin`` (“usual” for what suits the cutting), ``grain``, ``offcuts``, two
    ``colours`` and which pieces are ``second`` (with commas between), ``for.STOCK`` a sheet, ``instead.PIECE`` a stock, ``lap.PIECE`` as
    “width@120mm” (“none” takes any of these back)."""
    text = str(value).strip()
    owner, dot, key = name.partition(".")
    changes: dict[str, Any]
    if dot and owner in ("for", "instead", "lap"):
        changes = _keyed(design, catalog, owner, key, text)
    elif name == "copies":
        changes = {"copies": _count(text)}
    elif name in ("gap", "margin"):
        changes = {name: None if text in ("usual", "") else round(float(_length(name, value)), 6)}
    elif name in _CHOICES:
        if text not in _CHOICES[name]:
            raise ChoiceError(f"sheets.{name}", text, list(_CHOICES[name]))
        changes = {name: text}
    elif name == "offcuts":
        changes = {"uses_offcuts": bool(parse_quantity(text, "flag")) if not isinstance(value, bool) else value}
    elif name in ("colours", "second"):
        changes = {name: tuple(w.strip() for w in text.split(",") if w.strip() and w.strip() != "none")}
    else:
        raise ChoiceError("setting of the sheets", name, [*NAMES, "for.STOCK", "instead.PIECE", "lap.PIECE"])
    try:
        changed = msgspec.structs.replace(design.sheeting, **changes)
    except (TypeError, ValueError) as error:
        raise ParameterError(f"sheets.{name}", str(error)) from error
    return msgspec.structs.replace(design, sheeting=changed)


def _keyed(design: Design, catalog: Catalog, owner: str, key: str, text: str) -> dict[str, Any]:
    field = {"for": "sheets", "instead": "instead", "lap": "laps"}[owner]
    kept: dict[str, Any] = {k: v for k, v in getattr(design.sheeting, field).items() if k != key}
    if text in ("none", "usual", ""):
        return {field: kept}
    made: Any
    if owner == "for":
        if key not in catalog.stocks and key not in catalog.foams:
            raise ChoiceError("stock", key, [*catalog.stocks, *catalog.foams])
        made = catalog.find_id("sheets", text)
    elif owner == "instead":
        made = text if text in catalog.foams else catalog.find_id("stocks", text)
    else:
        made = parse_lap(text)
    return {field: kept | {key: made}}


def parse_lap(text: str) -> Lap:
    """Where a piece is cut in two.

    >>> parse_lap("width@120mm"), parse_lap("height@4in+1/2in")
    (Lap(along='width', at=120.0, over=12.7), Lap(along='height', at=101.6, over=12.7))
    """
    match = _LAP.fullmatch(text)
    if match is None:
        raise ParameterError("lap", f"{quoted(text)} is no lap; write it like width@120mm, or width@120mm+12mm with how long both lie on each other")
    along: Any = match[1]
    try:
        return Lap(along, float(_length("lap", match[2])), *((float(_length("lap", match[3])),) if match[3] else ()))
    except ValueError as error:
        raise ParameterError("lap", str(error)) from error


def _length(name: str, value: Value) -> float:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return float(value)
    try:
        return float(parse_quantity(str(value), "length"))  # type: ignore[arg-type]
    except LexipodError as error:
        raise ParameterError(f"sheets.{name}", str(error)) from error


def _count(text: str) -> int:
    if not re.fullmatch(r"\d{1,6}", text):
        raise ParameterError("sheets.copies", f"{quoted(text)} is no count")
    return int(text)


__all__ = ["Sheeting", "change_sheeting", "parse_lap"]
