"""The ``.lexipod`` file: JSON text of one design, read strictly and written in one piece."""

from __future__ import annotations

import errno
import inspect
import json
import os
import re
import tempfile
from pathlib import Path
from typing import Any

import msgspec

from lexipod.design.model import FORMAT, Design
from lexipod.errors import FileError
from lexipod.units.reading import read_ordinary

LARGEST_BYTES = 4_000_000
_PLACE = re.compile(r" - at `\$\.?(.*)`$")


def read_design(path: Path) -> Design:
    """The design in a file. ``FileError`` names the file, the path inside it, and what is wrong."""
    try:
        data = read_ordinary(path, LARGEST_BYTES, "a design")
    except FileNotFoundError as error:
        raise FileError(path, "there is no such file") from error
    except IsADirectoryError as error:
        raise FileError(path, "is a folder, not a design") from error
    except OSError as error:
        raise FileError(path, f"cannot be read ({_reason(error)})") from error
    return parse_design(data, source=path)


def parse_design(data: bytes, *, source: object = "design") -> Design:
    """The design in JSON bytes; ``source`` is named in errors."""
    version = _check_version(data, source)
    try:
        if version < int(FORMAT.rsplit("/", 1)[1]):
            data = upgraded(data)
        return msgspec.json.decode(data, type=Design)
    except msgspec.ValidationError as error:
        text = str(error)
        place = match[1] if (match := _PLACE.search(text)) else ""
        raise FileError(source, _PLACE.sub("", text), place=place) from error
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError, OverflowError) as error:
        raise FileError(source, f"is damaged or not a Lexipod design ({error})") from error


def upgraded(data: bytes) -> bytes:
    """A design of an earlier format in today's words; it means the same. From 1 to 2 settings were only added, each with its usual value;
    only the slats of a shutter had no tabs then. Up to 2 pictures were a list of their own; 4 added how pieces are laid on sheets, 5 how
    the card is built."""
    plain = msgspec.json.decode(data)
    if not isinstance(plain, dict):
        return data
    first = plain.get("format") == "lexipod/1"
    mechanisms = plain.get("mechanisms")
    for mechanism in mechanisms if first and isinstance(mechanisms, list) else ():
        values = mechanism.get("parameters") if isinstance(mechanism, dict) and mechanism.get("recipe") == "louvre" else None
        if isinstance(values, dict) and values:
            values.setdefault("tab_width", 0.0)
    art, items = plain.pop("art", None), plain.get("items")
    if isinstance(art, list) and art:
        if not isinstance(items, list | None) or not all(isinstance(a, dict) for a in art):
            raise msgspec.ValidationError("Expected `array` of pictures - at `$.art`")
        taken = {i.get("id") for i in items or () if isinstance(i, dict)}
        names = (f"art{k}" for k in range(1, len(art) + len(taken) + 2) if f"art{k}" not in taken)
        plain["items"] = [*(items or []), *(_picture(a, next(names)) for a in art)]
    return msgspec.json.encode(plain | {"format": FORMAT})


def _picture(art: dict[str, Any], name: str) -> dict[str, Any]:
    """A picture of the earlier list as an item."""
    known = {"on", "source", "left", "bottom", "right", "top", "turn"}
    on, _, face = str(art.get("on", "")).partition(":")
    share = [art.get("left", 0.0), art.get("bottom", 0.0), art.get("right", 1.0), art.get("top", 1.0)]
    rest = {k: v for k, v in art.items() if k not in known}
    made = {"id": name, "kind": "picture", "on": on, "face": face or "front", "share": share, "source": art.get("source", "")}
    return made | ({"turn": art["turn"]} if art.get("turn") else {}) | rest


def _check_version(data: bytes, source: object) -> int:
    """The number of the format that a design was written in; ``FileError`` for what is none, and for a newer one."""
    try:
        head = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        written = msgspec.json.decode(head.get("format", msgspec.Raw(b"null")))
    except (msgspec.DecodeError, msgspec.ValidationError, RecursionError, UnicodeDecodeError) as error:
        raise FileError(source, f"is damaged or not a Lexipod design ({error})") from error
    match = re.fullmatch(r"lexipod/(\d{1,6})", written) if isinstance(written, str) else None
    if match is None:
        raise FileError(source, f'is not a Lexipod design: it should begin with "format": "{FORMAT}"', place="format")
    if int(match[1]) > int(FORMAT.rsplit("/", 1)[1]):
        raise FileError(source, f"was written by a newer Lexipod ({written}; this one reads {FORMAT}); update to open it", place="format")
    return int(match[1])


def format_design(design: Design) -> bytes:
    """The bytes that are saved: indented, the same for the same design."""
    plain = msgspec.to_builtins(design)
    return (json.dumps(plain, indent=1, ensure_ascii=False, allow_nan=False) + "\n").encode("utf-8")


def write_design(design: Design, path: Path) -> None:
    """Saves in one piece: either the old or the new file is there, whatever happens meanwhile."""
    write_bytes_atomically(format_design(design), path)


def write_bytes_atomically(data: bytes, path: Path) -> None:
    """Writes to a temporary file beside ``path`` and moves it into place; ``FileError`` leaves the old file as it was."""
    path = Path(os.path.realpath(path))
    try:
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    except OSError as error:
        raise FileError(path, f"cannot be written ({_reason(error)}); nothing was changed") from error
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        os.chmod(name, mode)
        os.replace(name, path)
        _sync_folder(path.parent)
    except OSError as error:
        Path(name).unlink(missing_ok=True)
        raise FileError(path, f"cannot be written ({_reason(error)}); nothing was changed, save it elsewhere") from error
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _reason(error: OSError) -> str:
    known = {
        errno.ENOSPC: "the disk is full",
        errno.EACCES: "no permission",
        errno.EROFS: "the disk is read-only",
        errno.EPERM: "no permission",
        errno.ENOENT: "there is no such folder",
        errno.EISDIR: "it is a folder",
        errno.ENAMETOOLONG: "the name is too long",
        errno.EDQUOT: "your disk quota is used up",
    }
    return known.get(error.errno or 0, error.strerror or str(error))


def design_schema() -> dict[str, Any]:
    """The JSON Schema of the file, as it stands in ``docs/``."""
    schema = msgspec.json.schema(Design)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Lexipod design"
    for described in schema["$defs"].values():
        if "description" in described:  # versions of the library differ in whether they leave the indentation of the source
            described["description"] = inspect.cleandoc(described["description"])
    return schema
