"""What is said of an element: attributes, style sheets in the file and its own style, with what it takes from its parents."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any
from xml.etree.ElementTree import Element

from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import number, tag_of


@dataclass(frozen=True)
class Style:
    """What children take from their parents, and what an element does with it."""

    fill: str = "black"
    stroke: str = "none"
    stroke_width: float = 1.0
    cap: str = "butt"
    join: str = "miter"
    miter: float = 4.0
    rule: str = "nonzero"
    dashes: tuple[float, ...] = ()
    dash_from: float = 0.0
    colour: str = "black"
    fill_opacity: float = 1.0
    stroke_opacity: float = 1.0
    opacity: float = 1.0
    font_size: float = 16.0
    anchor: str = "start"
    is_bold: bool = False
    is_hidden: bool = False


@dataclass
class Reading:
    """What is known while one file is read."""

    source: str
    ids: dict[str, Element]
    rules: list[tuple[str, dict[str, str]]]
    fine: float = 0.1
    box: tuple[float, float] = (1.0, 1.0)
    regions: list[tuple[Any, str]] = field(default_factory=list)
    told: dict[str, int] = field(default_factory=dict)
    walk: Callable[[Reading, Element, Array, Style, Any, int], None] | None = None
    tiles: int = 0
    seen: int = 0
    corners: int = 0

    def tell(self, what: str) -> None:
        """One thing that cannot be shown."""
        self.told[what] = self.told.get(what, 0) + 1


def css_rules(root: Element) -> list[tuple[str, dict[str, str]]]:
    """The plain rules of style sheets in the file: ``.name``, ``#name`` and ``tag``."""
    rules = []
    for sheet in (e for e in root.iter() if tag_of(e) == "style"):
        for names, body in re.findall(r"([^{}]+)\{([^{}]*)\}", re.sub(r"/\*.*?\*/", "", sheet.text or "", flags=re.DOTALL)):
            rules += [(name.strip(), _declarations(body)) for name in names.split(",")]
    return rules


def _declarations(text: str) -> dict[str, str]:
    pairs = (part.partition(":") for part in text.split(";") if ":" in part)
    return {name.strip(): value.strip().removesuffix("!important").strip() for name, _, value in pairs}


def properties(reading: Reading, element: Element) -> dict[str, str]:
    """What is said of an element: its attributes, over them the style sheets, over them its own style."""
    out = {str(k).rpartition("}")[2]: v for k, v in element.attrib.items()}
    classes = {f".{c}" for c in out.get("class", "").split()}
    for name, values in reading.rules:
        if name in classes or name in (f"#{out.get('id', '')}", tag_of(element)):
            out |= values
    return out | _declarations(out.get("style", ""))


def styled(reading: Reading, element: Element, style: Style) -> Style:
    """The style of an element, from that of its parent."""
    said = properties(reading, element)

    def share(name: str, usual: float) -> float:
        text = said.get(name, "")
        return max(0.0, min(1.0, number(text, usual, whole=1.0))) if text else usual

    colour = said.get("color", style.colour)
    size = number(said.get("font-size"), style.font_size, whole=style.font_size)
    for name in ("filter", "mask"):
        if said.get(name, "none") != "none":
            reading.tell(f"a {name} is left out")
    if any(said.get(n, "none") != "none" for n in ("marker-start", "marker-mid", "marker-end")):
        reading.tell("a marker is left out")
    return replace(
        style,
        fill=said.get("fill", style.fill),
        stroke=said.get("stroke", style.stroke),
        stroke_width=number(said.get("stroke-width"), style.stroke_width, whole=max(reading.box)),
        cap=said.get("stroke-linecap", style.cap),
        join=said.get("stroke-linejoin", style.join),
        dashes=_dashes(said["stroke-dasharray"], max(reading.box)) if "stroke-dasharray" in said else style.dashes,
        dash_from=number(said.get("stroke-dashoffset"), style.dash_from, whole=max(reading.box)),
        miter=number(said.get("stroke-miterlimit"), style.miter),
        rule=said.get("fill-rule", style.rule),
        colour=colour,
        fill_opacity=share("fill-opacity", style.fill_opacity),
        stroke_opacity=share("stroke-opacity", style.stroke_opacity),
        opacity=style.opacity * share("opacity", 1.0),
        font_size=size,
        anchor=said.get("text-anchor", style.anchor),
        is_bold=said.get("font-weight", "bold" if style.is_bold else "") in ("bold", "bolder", "600", "700", "800", "900"),
        is_hidden=said.get("display") == "none" or said.get("visibility", "hidden" if style.is_hidden else "") in ("hidden", "collapse"),
    )


def _dashes(text: str, whole: float) -> tuple[float, ...]:
    """Lengths of dash and gap in turn, an even number of them; none where the line is whole."""
    lengths = tuple(number(part, whole=whole) for part in text.replace(",", " ").split() if part != "none")
    if not lengths or min(lengths) < 0 or sum(lengths) <= 0:
        return ()
    return lengths * 2 if len(lengths) % 2 else lengths
