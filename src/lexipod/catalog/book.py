"""The catalog: the tables that ship with the program, and the user's own on top."""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Any, TypeVar

import platformdirs
import shapely

from lexipod.catalog.making import Adhesive, Caution, Minutes
from lexipod.catalog.post import Carrier, Friction, read_carrier, read_friction
from lexipod.catalog.punches import Punch
from lexipod.catalog.sizes import Foam, Offcut, Price, Size
from lexipod.catalog.stocks import Blade, Brad, Machine, Printer, Stock, Weight, grammage_from_basis_weight
from lexipod.errors import ChoiceError, FileError, LexipodError, MeasureError
from lexipod.units.lengths import parse_length
from lexipod.units.reading import read_ordinary

T = TypeVar("T")
TABLES = (
    "cards",
    "envelopes",
    "sheets",
    "stocks",
    "foams",
    "brads",
    "carriers",
    "frictions",
    "machines",
    "weights",
    "punches",
    "blades",
    "printers",
    "offcuts",
    "prices",
    "minutes",
    "adhesives",
    "cautions",
)
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
    blades: dict[str, Blade] = field(default_factory=dict)
    printers: dict[str, Printer] = field(default_factory=dict)
    offcuts: dict[str, Offcut] = field(default_factory=dict)
    prices: dict[str, Price] = field(default_factory=dict)
    minutes: dict[str, Minutes] = field(default_factory=dict)
    adhesives: dict[str, Adhesive] = field(default_factory=dict)
    cautions: dict[str, Caution] = field(default_factory=dict)

    def blade_for(self, stock: str) -> Blade:
        """How the knife is set for a stock: its own setting, or the usual one."""
        return self.blades.get(stock) or self.blades.get("usual") or Blade("usual", "usual setting")

    def kind_of(self, stock: str) -> str:
        """What a stock is: “foam”, “film” or “paper”."""
        if stock in self.foams:
            return "foam"
        return "film" if stock in self.stocks and self.stocks[stock].clear else "paper"

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
    lengths: dict[str, Any] = {f"{name}_mm": _length(row.pop(name)) for name in ("length", "least") if name in row}
    return Machine(key, row.pop("name"), _length(row.pop("width")), _length(row.pop("most")), **lengths, **row)


def _weight(key: str, row: dict[str, Any]) -> Weight:
    return Weight(key, row.pop("name"), _length(row.pop("diameter")), _length(row.pop("thickness")), float(row.pop("mass")), **row)


def _punch(key: str, row: dict[str, Any]) -> Punch:
    return Punch(key, row.pop("name"), row.pop("shape"), _length(row.pop("width")), _length(row.pop("height")), **row)


def _blade(key: str, row: dict[str, Any]) -> Blade:
    lengths: dict[str, Any] = {f"{name}_mm": _length(row.pop(name)) for name in ("offset", "overcut") if name in row}
    return Blade(key, row.pop("name"), **lengths, **row)


def _printer(key: str, row: dict[str, Any]) -> Printer:
    return Printer(key, row.pop("name"), _length(row.pop("across", 100.0)), _length(row.pop("up", 100.0)), **row)


def _offcut(key: str, row: dict[str, Any]) -> Offcut:
    if "outline" in row:
        outline = tuple((_length(x), _length(y)) for x, y in row.pop("outline"))
    else:
        width, height = _length(row.pop("width")), _length(row.pop("height"))
        outline = ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))
    region = shapely.Polygon(outline) if len(outline) > 2 else None
    if region is None or not region.is_valid or region.area < 1.0:
        raise ValueError(f"{key}: its outline crosses itself or holds no area; give its corners in order, round it once")
    return Offcut(key, row.pop("name"), row.pop("stock"), outline, **row)


def _price(key: str, row: dict[str, Any]) -> Price:
    return Price(key, row.pop("name"), float(row.pop("each")), **row)


def _minutes(key: str, row: dict[str, Any]) -> Minutes:
    return Minutes(key, row.pop("name"), float(row.pop("each")), **row)


def _adhesive(key: str, row: dict[str, Any]) -> Adhesive:
    return Adhesive(key, row.pop("name"), row.pop("kind"), **row)


def _caution(key: str, row: dict[str, Any]) -> Caution:
    return Caution(key, row.pop("name"), tuple(row.pop("when")), **row)


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
    "blades": _blade,
    "printers": _printer,
    "offcuts": _offcut,
    "prices": _price,
    "minutes": _minutes,
    "adhesives": _adhesive,
    "cautions": _caution,
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
    rows = {p.id: {"name": p.name, "shape": p.shape, "width": f"{p.width_mm:.4f} mm", "height": f"{p.height_mm:.4f} mm"} for p in punches}
    keep_own("punches", rows, "The punches and dies that you own.", folder)


def keep_own(table: str, rows: Mapping[str, Mapping[str, Any]], told: str, folder: Path | None = None) -> None:
    """Writes the maker's own entries of one table to a file of its own; ``FileError`` where it cannot be written. What else stands there is
    replaced."""
    target = (folder or user_catalog_folder()) / f"{table}.toml"
    lines = [f"# {told}"]
    for key, row in rows.items():
        lines += ["", f"[{table}.{_quoted(key)}]", *(f"{name} = {_toml(value)}" for name, value in row.items())]
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        fresh = target.with_suffix(".new")
        fresh.write_text("\n".join(lines) + "\n", encoding="utf-8")
        fresh.replace(target)
    except OSError as error:
        raise FileError(target, f"cannot be written ({error})") from error


def keep_offcuts(offcuts: Iterable[Offcut], folder: Path | None = None) -> None:
    """Writes the off-cuts that are on the shelf."""
    rows = {
        o.id: {"name": o.name, "stock": o.stock, "count": o.count, "colour": o.colour, "outline": [[round(x, 4), round(y, 4)] for x, y in o.outline]}
        for o in offcuts
    }
    keep_own("offcuts", rows, "Off-cuts that are worth keeping.", folder)


def keep_printer(printer: Printer, folder: Path | None = None) -> None:
    """Writes what a printer makes of a ruler, beside the printers that are known."""
    known = load_catalog(folder).printers | {printer.id: printer}
    rows = {p.id: {"name": p.name, "across": p.across_mm, "up": p.up_mm} for p in known.values()}
    keep_own("printers", rows, "What your printers make of a ruler of 100 mm.", folder)


def _toml(value: Any) -> str:
    """A value of a TOML entry: text, number, or points."""
    return _quoted(value) if isinstance(value, str) else json.dumps(value)


def _quoted(text: str) -> str:
    """A text as a basic string of TOML, whose escapes are those of JSON."""
    return json.dumps(text, ensure_ascii=False)


def load_catalog(folder: Path | None = None) -> Catalog:
    """The shipped tables with the user's entries (from ``folder``, else the usual place) on top, as they are now: a process that has been
    here for long sees what another has written since."""
    folder = folder or user_catalog_folder()
    return _load_cached(folder, tuple(_stamp(path) for path in sorted(folder.glob("*.toml"))) if folder.is_dir() else ())


def _stamp(path: Path) -> tuple[str, int, int]:
    """What tells whether a file is still the same."""
    try:
        known = path.stat()
    except OSError:
        return path.name, 0, 0  # what is wrong with it is told when it is read
    return path.name, known.st_mtime_ns, known.st_size


@lru_cache(maxsize=8)
def _load_cached(folder: Path, _: tuple[tuple[str, int, int], ...]) -> Catalog:
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
