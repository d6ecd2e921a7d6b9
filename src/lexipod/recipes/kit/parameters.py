"""What a recipe is made of: parameters, levers, and the site it is built on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from lexipod.assembly import CardFrame
from lexipod.assembly.model import Piece
from lexipod.catalog import Catalog, Stock
from lexipod.design import Ways
from lexipod.errors import CardTooSmall, ChoiceError, ParameterError, quoted
from lexipod.recipes.kit.sheets import Sheet, Stand
from lexipod.units.lengths import MM_PER_INCH, format_length
from lexipod.units.quantities import Value

Kind = Literal["length", "point", "angle", "count", "number", "choice", "flag"]
Verb = Literal["slide", "rise", "swing", "turn", "open", "spin", "part", "cover"]
VERBS: dict[Verb, str] = {
    "slide": "slides aside",
    "rise": "rises",
    "swing": "swings",
    "turn": "turns to the next picture",
    "open": "opens like an eye",
    "spin": "spins freely",
    "part": "parts in two",
    "cover": "is covered and bared",
}
"""What a maker may want to happen, in her words."""
Values = dict[str, Value]
MOST = 1e12
"""No measure is larger; what is no number at all fails this as well."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """One decision: its kind, limits (mm, degrees or a count), the words for it, and the group it is shown in."""

    name: str
    label: str
    kind: Kind
    meaning: str
    group: str
    minimum: float = 0.0
    maximum: float = 1000.0
    choices: tuple[str, ...] = ()

    @property
    def unit(self) -> str:
        return {"length": "mm", "point": "mm", "angle": "deg"}.get(self.kind, "")

    def accept(self, value: Value, *, path: str, bounded: bool = True) -> Value:
        """The value in this parameter's own type; ``ParameterError`` says what is allowed. Unless it is ``bounded``, a measure may lie
        outside its limits, as one that was cut beside its mark does."""
        if self.kind == "choice":
            if value not in self.choices:
                raise ParameterError(path, f"{quoted(value)} is not one of {', '.join(self.choices)}")
            return value
        if self.kind == "flag":
            if not isinstance(value, bool):
                raise ParameterError(path, f"{quoted(value)} is neither yes nor no")
            return value
        if self.kind == "point":
            if not isinstance(value, tuple) or len(value) != 2:
                raise ParameterError(path, f"{quoted(value)} is not a place; it has two measures, from the left and from the bottom")
            x, y = (self._number(v, path=f"{path}.{axis}", bounded=bounded) for v, axis in zip(value, "xy", strict=True))
            return (x, y)
        return self._number(value, path=path, bounded=bounded)

    def _number(self, value: Value, *, path: str, bounded: bool) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float) or not -MOST <= value <= MOST:
            raise ParameterError(path, f"{quoted(value)} is not a number")
        if bounded and not self.minimum <= value <= self.maximum:
            raise ParameterError(path, f"{self.show(value)} is out of range; allowed is {self.show(self.minimum)} to {self.show(self.maximum)}")
        if self.kind == "count":
            if value != int(value):
                raise ParameterError(path, f"{value:g} is not a whole number")
            return int(value)
        return float(value)

    def show(self, value: float) -> str:
        """A value of this kind in words."""
        if self.kind in ("length", "point"):
            return format_length(value, decimals=2)
        return f"{value:g}°" if self.kind == "angle" else f"{value:g}"


@dataclass(frozen=True, slots=True)
class Lever:
    """A change to try against a finding. ``gains`` say how much each parameter changes for one mm (or one count) of the
    lever; ``choose`` sets parameters outright instead. ``label`` may use ``{by}`` (how far) or ``{n}`` (how many)."""

    label: str
    gains: dict[str, float] = field(default_factory=dict)
    choose: Values = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Site:
    """The card and the materials at hand, as a recipe sees them."""

    card: CardFrame
    catalog: Catalog
    ways: Ways
    stand: Stand | None = None

    @property
    def heights(self) -> Stand:
        """The heights that all mechanisms of the card agreed on."""
        assert self.stand is not None, "heights are known once all mechanisms have asked for their sheets"
        return self.stand

    @property
    def card_mm(self) -> float:
        """Thickness of the card's own panels, on which everything stands."""
        return self.card.caliper_mm * ((2 if self.card.base == "folded" else 1) + (2 if self.card.inner_mm is not None else 0))

    def length(self, value_mm: float) -> str:
        """A measure in the maker's own unit."""
        return self.ways.style().length(value_mm)

    @property
    def stock(self) -> Stock:
        return self.catalog.stocks[self.card.stock]

    @property
    def grid_mm(self) -> float:
        """Marks of the maker's ruler, on which sizes are chosen: half a millimetre, or the finest fraction from 1/16 in up."""
        return 0.5 if self.ways.units == "mm" else MM_PER_INCH / min(self.ways.denominator, 16)

    def nice(self, length_mm: float) -> float:
        """The nearest mark of the maker's ruler, one at least."""
        return max(1, round(length_mm / self.grid_mm)) * self.grid_mm

    @property
    def needed_gap_mm(self) -> float:
        return self.ways.needed_gap_mm()


@dataclass(frozen=True, slots=True)
class Asked:
    """What follows from the parameters and can be asked for instead. ``parameter`` has its words and limits; ``read`` gives it;
    ``answer(site, values, wanted)`` gives values with which it is as wanted, or raises ``ParameterError`` that says how much of it can be."""

    parameter: Parameter
    read: Callable[[Values], float]
    answer: Callable[[Site, Values, float], Values]


@dataclass(frozen=True, slots=True)
class Advice:
    """A sentence of trade knowledge for a ``step`` of making (its kind), where it is about a ``part`` whose id begins so (empty: about any)."""

    step: str
    says: str
    part: str = ""


@dataclass(frozen=True, slots=True)
class Recipe:
    """One mechanism of the trade.

    ``size(site, kept)`` gives a value for every parameter, keeping those in ``kept``; it raises ``CardTooSmall`` when
    nothing would fit. ``sheets(site, values)`` says what it asks of the shared panel and frame. ``build(site, id, values)``
    gives the pieces; it never raises for values within their limits. ``verbs`` are what it makes happen. ``shaping`` names the
    choices that are kept when its measures are sized anew, ``asks`` what follows and can be asked for. It ``makes`` the card
    itself, or stands on its face, or inside across the fold (then ``along`` is the parameter that places it along the gutter); and it
    stays flat, or ``folds``. Of one that is better joined ``in_hand`` what is glued to the part that
    is moved comes to the card as one; ``advice`` is said in its plan.
    """

    id: str
    name: str
    does: str
    parameters: tuple[Parameter, ...]
    size: Callable[[Site, Values], Values]
    sheets: Callable[[Site, Values], tuple[Sheet, ...]]
    build: Callable[[Site, str, Values], Piece]
    levers: dict[str, tuple[Lever, ...]]
    smallest_mm: tuple[float, float] = (0.0, 0.0)
    verbs: tuple[Verb, ...] = ()
    shaping: tuple[str, ...] = ()
    makes: Literal["face", "inside", "card"] = "face"
    folds: bool = False
    asks: tuple[Asked, ...] = ()
    along: str = ""
    in_hand: bool = False
    advice: tuple[Advice, ...] = ()

    def find_asked(self, name: str) -> Asked | None:
        """What of that name can be asked for, or None."""
        return next((a for a in self.asks if a.parameter.name == name), None)

    def find_parameter(self, name: str) -> Parameter:
        """The parameter of that name; ``ChoiceError`` lists what there is."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        raise ChoiceError(f"parameter of {self.id}", name, [p.name for p in self.parameters])

    def refuse(self, site: Site, reason: str) -> CardTooSmall:
        """The error for a card on which this mechanism cannot stand."""
        width, height = (format_length(v) for v in (site.card.width_mm, site.card.height_mm))
        fits = " × ".join(format_length(v) for v in self.smallest_mm)
        article = "an" if self.name[0] in "aeiou" else "a"
        return CardTooSmall(f"{article} {self.name} does not fit a card of {width} × {height}: {reason}; from about {fits} it fits")
