"""Fonts: those that the program ships, and those of the machine."""

from __future__ import annotations

import os
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib import resources
from pathlib import Path
from typing import Any

from lexipod.errors import ChoiceError, FileError

SHIPPED = {"sans": "SourceSans3_400Regular.ttf", "sans-bold": "SourceSans3_600SemiBold.ttf", "serif": "SourceSerif4_600SemiBold.ttf"}
"""Fonts that are always there, by the names under which they are asked for."""
USUAL = "serif"
LARGEST_BYTES = 60_000_000
FAMILY, STYLE, FULL = 1, 2, 4
MOST_SEARCHED = 3000


@dataclass(frozen=True, eq=False)
class Font:
    """One face, ready to be set."""

    name: str
    data: bytes

    @cached_property
    def face(self) -> Any:
        """The tables of the file; ``FileError`` for what is no font."""
        from io import BytesIO

        from fontTools.ttLib import TTFont, TTLibError

        try:
            return TTFont(BytesIO(self.data), lazy=True, fontNumber=0)
        except (TTLibError, ValueError, KeyError, OSError, AssertionError) as error:
            raise FileError(self.name, f"is no font that can be read ({type(error).__name__})") from error

    @cached_property
    def shaper(self) -> Any:
        """The same, for setting text."""
        import uharfbuzz

        return uharfbuzz.Font(uharfbuzz.Face(self.data))

    @cached_property
    def per_em(self) -> float:
        """Units of the outlines to an em."""
        return float(self.face["head"].unitsPerEm)

    @cached_property
    def cap_height(self) -> float:
        """Height of a capital in units of the outlines: that of its H, which is what a ruler measures, else what the file says."""
        number = self.shaper.get_nominal_glyph(ord("H"))
        extents = None if number is None else self.shaper.get_glyph_extents(number)
        if extents is not None and extents.y_bearing > 0:
            return float(extents.y_bearing)
        said = getattr(self.face["OS/2"], "sCapHeight", 0) if "OS/2" in self.face else 0
        return float(said) if said and said > 0 else 0.7 * self.per_em

    @cached_property
    def line_height(self) -> float:
        """From one line to the next, in units of the outlines."""
        head = self.face["hhea"]
        return float(head.ascent - head.descent + head.lineGap)


def font_folders() -> list[Path]:
    """Where fonts lie on this machine."""
    home = Path.home()
    shared = [Path(p) / "fonts" for p in os.environ.get("XDG_DATA_DIRS", "/usr/local/share:/usr/share").split(":") if p]
    own = Path(os.environ.get("XDG_DATA_HOME") or home / ".local" / "share") / "fonts"
    return [own, home / ".fonts", *shared]


@lru_cache(maxsize=1)
def system_fonts() -> dict[str, Path]:
    """The fonts of the machine by their full names (“Example Serif Bold”); what cannot be read is left out."""
    from fontTools.ttLib import TTFont

    found: dict[str, Path] = {}
    files = [p for folder in font_folders() if folder.is_dir() for p in sorted(folder.rglob("*")) if p.suffix.lower() in (".ttf", ".otf")]
    for path in files[:MOST_SEARCHED]:
        try:
            with TTFont(path, lazy=True) as face:
                name = face["name"].getDebugName(FULL) or face["name"].getDebugName(FAMILY)
        except Exception:  # a damaged font of the machine is nobody's concern here
            continue
        if name:
            found.setdefault(name, path)
    return found


def font_names() -> list[str]:
    """Every font that a greeting can be set in: the program's own first."""
    return [*SHIPPED, *sorted(system_fonts())]


@lru_cache(maxsize=16)
def find_font(name: str) -> Font:
    """The font of a name (empty for the usual one) or of a file; ``ChoiceError`` lists what there is, ``FileError`` says what is no font."""
    shipped = SHIPPED.get(name or USUAL)
    if shipped is not None:
        return Font(name or USUAL, (resources.files("lexipod.assets") / "fonts" / shipped).read_bytes())
    path = system_fonts().get(name)
    if path is None:
        raise ChoiceError("font", name, font_names()[:12])
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise FileError(path, f"is larger than a font can be ({LARGEST_BYTES // 1_000_000} MB)")
        font = Font(name, path.read_bytes())
    except OSError as error:
        raise FileError(path, f"cannot be read ({error})") from error
    assert font.face is not None
    return font


__all__ = ["SHIPPED", "USUAL", "Font", "find_font", "font_folders", "font_names", "system_fonts"]
