"""The log carried elsewhere: one backup file with photographs, JSON, and CSV."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from lexipod.records.makes import PLAIN, Make
from lexipod.records.shelf import Thing, put_things, things
from lexipod.records.store import LogError, Store

FORMAT = "lexipod-log/1"
LARGEST_BYTES = 2_000_000_000
MOST_FILES = 100_000
CSV_FIELDS = (*(f for f in PLAIN if f != "design"), "where")
ENDINGS = (".zip", ".json", ".csv")


@dataclass(frozen=True, slots=True)
class Brought:
    """How much an import brought: new makes, such as were there already, photographs."""

    new: int
    known: int
    photographs: int = 0


def export_bytes(store: Store, ending: str) -> bytes:
    """The whole log by the file's ending: ``.zip`` (all of it with photographs), ``.json``, ``.csv`` (a row a make)."""
    if ending == ".csv":
        return _csv(store.makes())
    data = _json(store)
    if ending == ".json":
        return data
    if ending != ".zip":
        raise LogError(f"{ending or 'a name without ending'} is no way to carry a log; use one of {', '.join(ENDINGS)}")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        pack.writestr(zipfile.ZipInfo("log.json"), data)
        for name in sorted({p.name for m in store.makes() for p in m.photographs}):
            path = store.photographs / name
            if path.is_file():
                pack.writestr(zipfile.ZipInfo(f"photographs/{name}"), path.read_bytes())
    return out.getvalue()


def _json(store: Store) -> bytes:
    plain = {"format": FORMAT, "makes": [msgspec.to_builtins(m) for m in store.makes()], "shelf": [msgspec.to_builtins(t) for t in things(store)]}
    return (json.dumps(plain, indent=1, ensure_ascii=False) + "\n").encode()


def _csv(makes: list[Make]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*CSV_FIELDS, "measures"])
    for make in makes:
        measures = "; ".join(f"{m.name}: {m.designed:g} -> {m.measured:g}" for m in make.measures)
        writer.writerow([*(getattr(make, name) for name in CSV_FIELDS), measures])
    return out.getvalue().encode()


def import_file(store: Store, path: Path) -> Brought:
    """Makes of another log: such as are there already stay as they are. All of it or nothing; ``LogError`` says what is wrong with the file."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise LogError(f"{path}: cannot be read ({error.strerror})") from error
    if path.suffix.lower() == ".csv":
        return _bring(store, _from_csv(path, data), [], {})
    pictures: dict[str, bytes] = {}
    if zipfile.is_zipfile(io.BytesIO(data)):
        data, pictures = _unpacked(path, data)
    try:
        plain = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise LogError(f"{path}: is no log that can be read ({error})") from error
    if not isinstance(plain, dict) or not str(plain.get("format", "")).startswith("lexipod-log/"):
        raise LogError(f"{path}: is no log of Lexipod; it should begin with the format {FORMAT}")
    if plain["format"] != FORMAT:
        raise LogError(f"{path}: was written by a newer Lexipod ({plain['format']}; this one reads {FORMAT}); update to import it")
    try:
        makes = msgspec.convert(plain.get("makes", []), list[Make])
        shelf = msgspec.convert(plain.get("shelf", []), list[Thing])
    except (msgspec.ValidationError, ValueError) as error:
        raise LogError(f"{path}: a make in it is damaged ({error}); nothing was imported") from error
    return _bring(store, makes, shelf, pictures)


def _unpacked(path: Path, data: bytes) -> tuple[bytes, dict[str, bytes]]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            infos = pack.infolist()
            if len(infos) > MOST_FILES or sum(i.file_size for i in infos) > LARGEST_BYTES:
                raise LogError(f"{path}: holds more than a log can; nothing was imported")
            names = {i.filename for i in infos}
            if "log.json" not in names:
                raise LogError(f"{path}: is no backup of a log, there is no log.json in it")
            pictures = {n.removeprefix("photographs/"): pack.read(n) for n in names if n.startswith("photographs/") and "/" not in n[12:] and n[12:]}
            return pack.read("log.json"), pictures
    except (zipfile.BadZipFile, OSError, EOFError) as error:
        raise LogError(f"{path}: the backup is damaged ({error}); nothing was imported") from error


def _from_csv(path: Path, data: bytes) -> list[Make]:
    try:
        rows = list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))
        out = []
        for row in rows:
            values: dict[str, Any] = {k: v for k, v in row.items() if k in CSV_FIELDS and v}
            values |= {"copies": int(values.get("copies", 1)), **{k: float(values.get(k, 0.0)) for k in ("minutes", "waits")}}
            out.append(Make(**values))
    except (UnicodeDecodeError, csv.Error, TypeError, ValueError) as error:
        raise LogError(f"{path}: a row is no make ({error}); nothing was imported") from error
    return out


def _bring(store: Store, makes: list[Make], shelf: list[Thing], pictures: dict[str, bytes]) -> Brought:
    known = {m.id for m in store.makes()}
    wanted = {p.name for m in makes for p in m.photographs}
    brought = 0
    try:
        for name, data in pictures.items():
            if name in wanted and name.endswith(".jpg") and not (store.photographs / name).exists():
                store.photographs.mkdir(parents=True, exist_ok=True)
                (store.photographs / name).write_bytes(data)
                brought += 1
    except OSError as error:
        raise LogError(f"{store.photographs}: photographs cannot be kept ({error.strerror}); nothing was imported") from error
    fresh = [m for m in makes if m.id not in known]
    with store.changing():
        store.add_all(fresh)
        there = {t.id for t in things(store)}
        put_things(store, [t for t in shelf if t.id not in there])
    return Brought(len(fresh), len(makes) - len(fresh), brought)
