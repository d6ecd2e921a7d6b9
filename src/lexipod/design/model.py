"""The design as frozen values. A bad value cannot be built: each class checks its own fields."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import msgspec

from lexipod.design.items import LARGEST_MM, Item
from lexipod.design.making import Making
from lexipod.design.sheeting import Sheeting
from lexipod.design.ways import Ways

FORMAT: Literal["lexipod/5"] = "lexipod/5"
LARGEST_NUMBER = 1e9
MOST_NAMES = 200
Value = float | int | str | bool | tuple[float, float]
Quarter = Literal[0, 90, 180, 270]


def _check_length(name: str, value: float | None, *, above: float = 0.0) -> None:
    if value is not None and not above < value <= LARGEST_MM:
        raise ValueError(f"{name} must be above {above:g} and at most {LARGEST_MM:g} mm, not {value:g}")


class Card(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The base: its size by id, or ``size`` “free” with ``width`` and ``height`` in mm as it lies upright.

    The front of a folded card may be ``front_less`` narrower than its back at the free edge; an ``inner`` card stands back from the outer
    edges by that much (None: there is none). ``corners`` are rounded or clipped by that much; a ``hole`` of that diameter lies ``hole_from``
    below the top edge (0: as suits it).
    """

    size: str = "na.a2"
    orientation: Literal["portrait", "landscape"] = "portrait"
    fold: Literal["left", "top"] = "left"
    base: Literal["folded", "panel", "tag", "page", "gate"] = "folded"
    stock: str = "card-300"
    width: float | None = None
    height: float | None = None
    front_less: float = 0.0
    inner: float | None = None
    corners: float = 0.0
    corner_cut: Literal["round", "clipped"] = "round"
    hole: float = 0.0
    hole_from: float = 0.0

    def __post_init__(self) -> None:
        _check_length("width", self.width)
        _check_length("height", self.height)
        for name, value, top in (("front_less", self.front_less, 150), ("inner", self.inner or 0.0, 100), ("corners", self.corners, 60)):
            if not 0 <= value <= top:
                raise ValueError(f"{name} of a card must be 0 to {top} mm, not {value:g}")
        for name, value, top in (("hole", self.hole, 30), ("hole_from", self.hole_from, 100)):
            if not 0 <= value <= top:
                raise ValueError(f"{name} of a card must be 0 to {top} mm, not {value:g}")
        if self.base != "folded" and (self.front_less or self.inner is not None):
            raise ValueError("only a folded card has a narrower front or an inner card")
        given = [v is not None for v in (self.width, self.height)]
        if not (all(given) if self.size == "free" else not any(given)):
            raise ValueError("a free size has width and height, and only a free size has them")


class Mechanism(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One mechanism on the card: recipe, parameters, and how it lies as a whole: turned counter-clockwise by quarters,
    then mirrored left to right, then shifted (mm to the right and up). Of the parameters those that the maker set by hand are ``decided``,
    the latest first, and those ``pinned`` are left alone by fitting and by the first cures."""

    id: str
    recipe: str
    parameters: dict[str, float | int | str | bool | tuple[float, float]] = {}
    mirror: bool = False
    turned: Quarter = 0
    shift: tuple[float, float] = (0.0, 0.0)
    decided: tuple[str, ...] = ()
    pinned: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        for told, names in (("decided", self.decided), ("pinned", self.pinned)):
            if len(names) > MOST_NAMES or len(set(names)) != len(names):
                raise ValueError(f"{told} names at most {MOST_NAMES} measures, each once")
        if not (1 <= len(self.id) <= 24 and self.id.isascii() and self.id.isalnum() and self.id != "card"):
            raise ValueError("a mechanism's id is 1 to 24 letters and digits, and not “card”")
        for name, value in (*self.parameters.items(), ("shift", self.shift)):
            numbers = [v for v in (value if isinstance(value, tuple) else (value,)) if isinstance(v, int | float)]
            if not all(-LARGEST_NUMBER <= v <= LARGEST_NUMBER for v in numbers):
                raise ValueError(f"{name} must be a finite number of a sensible size")
        if not all(-LARGEST_MM <= v <= LARGEST_MM for v in self.shift):
            raise ValueError(f"shift must be at most {LARGEST_MM:g} mm each way")


class Closure(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What keeps the card shut. ``width`` is that of band or seal strip or the depth of the hem, ``at`` the height of its middle (for a
    hem: of its lower magnets), ``lap`` how far its ends lap; 0 for what suits the card. Magnets are discs."""

    kind: Literal["none", "band", "hem", "seal"] = "none"
    width: float = 0.0
    at: float = 0.0
    lap: float = 0.0
    magnet: float = 8.0
    magnet_thickness: float = 1.0

    def __post_init__(self) -> None:
        for name, value, top in (("width", self.width, 200), ("at", self.at, 600), ("lap", self.lap, 100)):
            if not 0 <= value <= top:
                raise ValueError(f"{name} of the closure must be 0 to {top}, not {value:g}")
        for name, value, top in (("magnet", self.magnet, 30), ("magnet_thickness", self.magnet_thickness, 5)):
            if not 0.5 <= value <= top:
                raise ValueError(f"{name} of the closure must be 0.5 to {top}, not {value:g}")


class Design(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Everything that was decided about one card. ``envelope`` is an id, or None for the card's usual one;
    ``corners`` gives the radius (mm) to which the corners of some parts are rounded, ``cues`` where on the card the cue of a mechanism is
    put (mm from its lower left corner, as it lies at home) if not where the recipe puts it, ``foam_style`` how sheets are laid on foam: on strips
    along their edges, on single pads there, or on a sheet of foam cut to shape; ``sheeting`` how its pieces are laid on sheets, ``making`` how it
    is built."""

    format: Literal["lexipod/5"] = FORMAT
    title: str = "Untitled card"
    story: str = ""
    card: Card = Card()
    envelope: str | None = None
    closure: Literal["none"] | Closure = "none"
    mechanisms: tuple[Mechanism, ...] = ()
    items: tuple[Item, ...] = ()
    corners: dict[str, float] = {}
    cues: dict[str, tuple[float, float]] = {}
    foam_style: Literal["strips", "pads", "sheet"] = "strips"
    ways: Ways = Ways()
    sheeting: Sheeting = Sheeting()
    making: Making = Making()

    def __post_init__(self) -> None:
        if not all(_is_text(words) for words in (self.title, self.story)):
            raise ValueError("title and story must be text in UTF-8")
        if len(self.title) > 200 or len(self.story) > 5000:
            raise ValueError("a title has at most 200 characters, a story at most 5000")
        if len(self.mechanisms) > 40:
            raise ValueError("a card holds at most 40 mechanisms")
        ids = [m.id for m in self.mechanisms]
        if len(set(ids)) != len(ids):
            raise ValueError("two mechanisms have the same id")
        if len(self.items) > 400 or len({i.id for i in self.items}) != len(self.items):
            raise ValueError("a card holds at most 400 items, each with its own id")
        if len(self.cues) > 40 or not all(-LARGEST_MM <= v <= LARGEST_MM for at in self.cues.values() for v in at):
            raise ValueError(f"a cue lies at most {LARGEST_MM:g} mm from the card's corner, and a mechanism has one")
        if len(self.corners) > 200 or not all(0 < r <= 100 for r in self.corners.values()):
            raise ValueError("corners are rounded by more than 0 and at most 100 mm")

    @property
    def closing(self) -> Closure:
        """What keeps it shut, also where that is nothing."""
        return Closure() if self.closure == "none" else self.closure

    def with_parameters(self, mechanism_id: str, changes: dict[str, Value]) -> Design:
        """The design with some parameters of one mechanism replaced; ``pivot.x`` and ``pivot.y`` name one half of a point."""
        changed = tuple(
            msgspec.structs.replace(m, parameters=merged_values(m.parameters, changes)) if m.id == mechanism_id else m for m in self.mechanisms
        )
        return msgspec.structs.replace(self, mechanisms=changed)

    def with_decided(self, mechanism_id: str, names: Iterable[str]) -> Design:
        """The design in which these measures of a mechanism are what the maker decided last."""
        first = tuple(dict.fromkeys(names))
        changed = tuple(
            msgspec.structs.replace(m, decided=(*first, *(n for n in m.decided if n not in first))) if m.id == mechanism_id else m
            for m in self.mechanisms
        )
        return self if changed == self.mechanisms else msgspec.structs.replace(self, mechanisms=changed)

    def with_pinned(self, mechanism_id: str, name: str, *, on: bool) -> Design:
        """The design with a measure of a mechanism pinned, or let go."""
        changed = tuple(
            msgspec.structs.replace(m, pinned=tuple(sorted({*m.pinned, name} if on else {*m.pinned} - {name}))) if m.id == mechanism_id else m
            for m in self.mechanisms
        )
        return msgspec.structs.replace(self, mechanisms=changed)

    def find_item(self, item_id: str) -> Item | None:
        """The item of that id, or None."""
        return next((i for i in self.items if i.id == item_id), None)

    def find_mechanism(self, mechanism_id: str) -> Mechanism | None:
        """The mechanism of that id, or None."""
        return next((m for m in self.mechanisms if m.id == mechanism_id), None)


def _is_text(words: str) -> bool:
    """Whether words can be written to a file (an argument with broken bytes cannot)."""
    return not any("\ud800" <= letter <= "\udfff" for letter in words)


def merged_values(values: dict[str, Value], changes: dict[str, Value]) -> dict[str, Value]:
    """The values with some replaced; names like ``pivot.x`` replace one half of a point.

    >>> merged_values({"pivot": (3.0, 4.0)}, {"pivot.y": 5.0})
    {'pivot': (3.0, 5.0)}
    """
    merged = dict(values)
    for name, value in changes.items():
        base, dot, axis = name.partition(".")
        point = merged.get(base)
        if dot and isinstance(point, tuple) and isinstance(value, int | float):
            merged[base] = (float(value), point[1]) if axis == "x" else (point[0], float(value))
        else:
            merged[name] = value
    return merged


def number_of(values: dict[str, Value], name: str) -> float:
    """A value as a number; ``pivot.x`` and ``pivot.y`` give one half of a point."""
    base, dot, axis = name.partition(".")
    value = values[base]
    if dot and isinstance(value, tuple):
        return float(value[0 if axis == "x" else 1])
    assert not isinstance(value, tuple)
    return float(value)
