"""The catalog: the tables that ship with the program, and the user's own on top."""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any, TypeVar

import platformdirs

from lexipod.catalog.post import Carrier, Friction, read_carrier, read_friction
from lexipod.catalog.punches import Punch
from lexipod.catalog.sizes import Foam, Size
from lexipod.catalog.stocks import Brad, Machine, Stock, Weight, grammage_from_basis_weight
from lexipod.errors import ChoiceError, FileError, LexipodError, MeasureError
from lexipod.units.lengths import parse_length
from lexipod.units.reading import read_ordinary

T = TypeVar("T")
TABLES = ("cards", "envelopes", "sheets", "stocks", "foams", "brads", "carriers", "frictions", "machines", "weights", "punches")
OWN_LISTS = ("punches",)
"""Tables that say what the maker owns: a list of her own stands instead of the shipped one."""
_OWN_SIZE = re.compile(r"(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)mm")
_LARGEST_BYTES = 1_000_000
_LONGEST_LINE = 1000
_DEEPEST = 6


@dataclass(frozen=True, slots=True)
class Catalog:
    """All tables, by id. Ids are namespaced (``na.a2``, ``iso.a6``, ``na.env.a2``)."""

    cards: dict[str, Size] = field(default_factory=dict)
    envelopes: dict[str, Size] = field(default_factory=dict)
    sheets: dict[str, Size] = field(default_factory=dict)
    stocks: dict[str, Stock] = field(default_factory=dict)
    foams: dict[str, Foam] = field(default_factory=dict)
    brads: dict[str, Brad] = field(default_factory=dict)
    carriers: dict[str, Carrier] = field(default_factory=dict)
    frictions: dict[str, Friction] = field(default_factory=dict)
    machines: dict[str, Machine] = field(default_factory=dict)
    weights: dict[str, Weight] = field(default_factory=dict)
    punches: dict[str, Punch] = field(default_factory=dict)

    def find_envelope(self, key: str) -> Size:
        """The envelope of that id, or one of the maker's own size (``130x180mm``); ``KeyError`` where it is neither."""
        own = _OWN_SIZE.fullmatch(key)
        return Size(key, "own envelope", *_sorted(float(own[1]), float(own[2]))) if own else self.envelopes[key]

    def find_id(self, table: str, name: str) -> str:
        """The id that ``name`` means: a full id, or its last part where only one entry ends so.

        Raises ``ChoiceError`` with the choices when there is none, or when two namespaces share the name.
        """
        entries: dict[str, Any] = getattr(self, table)
        wanted = name.strip().lower()
        if wanted in entries:
            return wanted
        short = sorted(key for key in entries if key.rsplit(".", 1)[-1] == wanted)
        if len(short) == 1:
            return short[0]
        raise ChoiceError(table.removesuffix("s"), name, short or sorted(entries))


def _sorted(a: float, b: float) -> tuple[float, float]:
    return (a, b) if a <= b else (b, a)


def _length(value: Any) -> float:
    return parse_length(value, default_unit=None) if isinstance(value, str) else float(value)


def _size(key: str, row: dict[str, Any]) -> Size:
    return Size(key, row.pop("name"), _length(row.pop("width")), _length(row.pop("height")), tuple(row.pop("envelopes", ())), **row)


def _foam(key: str, row: dict[str, Any]) -> Foam:
    return Foam(key, row.pop("name"), _length(row.pop("thickness")), **row)


def _stock(key: str, row: dict[str, Any]) -> Stock:
    if "pounds" in row:
        row["grammage"] = grammage_from_basis_weight(float(row.pop("pounds")), row.pop("grade"))
    return Stock(key, row.pop("name"), float(row.pop("grammage")), _length(row.pop("caliper")), **row)


def _brad(key: str, row: dict[str, Any]) -> Brad:
    name = row.pop("name")
    return Brad(key, name, **{f"{field_name}_mm": _length(value) for field_name, value in row.items()})


def _machine(key: str, row: dict[str, Any]) -> Machine:
    return Machine(key, row.pop("name"), _length(row.pop("width")), _length(row.pop("most")), **row)


def _weight(key: str, row: dict[str, Any]) -> Weight:
    return Weight(key, row.pop("name"), _length(row.pop("diameter")), _length(row.pop("thickness")), float(row.pop("mass")), **row)


def _punch(key: str, row: dict[str, Any]) -> Punch:
    return Punch(key, row.pop("name"), row.pop("shape"), _length(row.pop("width")), _length(row.pop("height")), **row)


_READERS: dict[str, Callable[[str, dict[str, Any]], Any]] = {
    "cards": _size,
    "envelopes": _size,
    "sheets": _size,
    "stocks": _stock,
    "foams": _foam,
    "brads": _brad,
    "carriers": read_carrier,
    "frictions": read_friction,
    "machines": _machine,
    "weights": _weight,
    "punches": _punch,
}


def read_tables(text: str, source: object) -> dict[str, dict[str, Any]]:
    """Catalog entries of one TOML text; ``FileError`` names the entry at fault."""
    if any(len(line) > _LONGEST_LINE for line in text.splitlines()):
        raise FileError(source, f"has a line of more than {_LONGEST_LINE} characters; a catalog needs none")
    try:
        raw = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise FileError(source, f"is not readable as TOML ({error})") from error
    out: dict[str, dict[str, Any]] = {}
    for table, rows in raw.items():
        if table not in _READERS or not isinstance(rows, dict):
            raise FileError(source, f"unknown table; use one of {', '.join(TABLES)}", place=table)
        out[table] = {}
        try:
            entries = _entries(rows)
        except MeasureError as error:
            raise FileError(source, str(error), place=table) from error
        for key, row in entries:
            place = f"{table}.{key}"
            try:
                out[table][key] = _READERS[table](key, dict(row))
            except KeyError as error:
                raise FileError(source, f"the field {error} is missing", place=place) from error
            except (TypeError, ValueError, MeasureError, LexipodError) as error:
                raise FileError(source, str(error), place=place) from error
    return out


def _entries(rows: dict[str, Any], prefix: str = "") -> list[tuple[str, dict[str, Any]]]:
    if prefix.count(".") > _DEEPEST:
        raise MeasureError(prefix, "the name of a catalog entry; it has at most a few parts, like na.env.a2")
    found: list[tuple[str, dict[str, Any]]] = []
    for key, row in rows.items():
        if not isinstance(row, dict):
            raise MeasureError(f"{prefix}{key}", 'a catalog entry; write [table."id"] with name = … below it')
        if "name" in row:
            found.append((prefix + key, row))
        else:
            found += _entries(row, f"{prefix}{key}.")
    return found


def user_catalog_folder() -> Path:
    """Where the user's own tables lie; any ``*.toml`` in it is read, in the order of the names."""
    return Path(platformdirs.user_config_dir("lexipod", appauthor=False)) / "catalog"


def keep_punches(punches: Iterable[Punch], folder: Path | None = None) -> None:
    """Writes the maker's own list of punches, which stands instead of the shipped one; ``FileError`` where it cannot be written."""
    target = (folder or user_catalog_folder()) / "punches.toml"
    lines = ["# The punches and dies that you own."]
    for punch in punches:
        lines += ["", f"[punches.{_quoted(punch.id)}]", f"name = {_quoted(punch.name)}", f"shape = {_quoted(punch.shape)}"]
        lines += [f'width = "{punch.width_mm:.4f} mm"', f'height = "{punch.height_mm:.4f} mm"']
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        fresh = target.with_suffix(".new")
        fresh.write_text("\n".join(lines) + "\n", encoding="utf-8")
        fresh.replace(target)
    except OSError as error:
        raise FileError(target, f"cannot be written ({error})") from error
    _load_cached.cache_clear()


def _quoted(text: str) -> str:
    """A text as a basic string of TOML, whose escapes are those of JSON."""
    return json.dumps(text, ensure_ascii=False)


def load_catalog(folder: Path | None = None) -> Catalog:
    """The shipped tables with the user's entries (from ``folder``, else the usual place) on top."""
    return _load_cached(folder or user_catalog_folder())


@cache
def _load_cached(folder: Path) -> Catalog:
    merged: dict[str, dict[str, Any]] = {table: {} for table in TABLES}
    listed: set[str] = set()
    shipped = resources.files("lexipod.catalog") / "data"
    texts: list[tuple[object, str]] = [
        (entry.name, entry.read_text(encoding="utf-8")) for entry in sorted(shipped.iterdir(), key=lambda e: e.name) if entry.name.endswith(".toml")
    ]
    for path in sorted(folder.glob("*.toml")) if folder.is_dir() else []:
        try:
            texts.append((path, read_ordinary(path, _LARGEST_BYTES, "a catalog").decode("utf-8")))
        except (OSError, UnicodeDecodeError) as error:
            raise FileError(path, f"cannot be read ({error})") from error
    for source, text in texts:
        for table, rows in read_tables(text, source).items():
            begins = table in OWN_LISTS and isinstance(source, Path) and table not in listed
            merged[table] = rows if begins else merged[table] | rows
            listed |= {table} if begins else set()
    book = Catalog(**merged)
    for card in book.cards.values():
        for envelope in card.envelopes:
            if envelope not in book.envelopes:
                raise FileError("catalog", f"names an envelope that is not there: {envelope}", place=f"cards.{card.id}")
    return book
