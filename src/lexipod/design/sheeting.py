"""How the pieces of a card are laid on sheets: what is bought and set by hand, and where pieces were put."""

from __future__ import annotations

from typing import Literal

import msgspec

from lexipod.design.items import LARGEST_MM

MOST_COPIES = 200
MOST_PLACED = 20_000


class Placed(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """Where one piece lies: which ``blank`` of which ``copy`` of the card, and which of those it is cut ``number`` times for; on which sheet
    of its stock, the lower left corner of its box as it is turned (mm), whether it is locked there, and which sheet or off-cut of the
    catalog that is."""

    blank: str
    copy: int
    number: int
    sheet: int
    x: float
    y: float
    turn: Literal[0, 90, 180, 270] = 0
    locked: bool = False
    on: str = ""

    def __post_init__(self) -> None:
        if not (1 <= self.copy <= MOST_COPIES and 1 <= self.number <= 10_000 and 0 <= self.sheet < MOST_PLACED):
            raise ValueError("a placed piece names a copy, a number and a sheet that can be")
        if not (-LARGEST_MM * 10 <= self.x <= LARGEST_MM * 10 and -LARGEST_MM * 10 <= self.y <= LARGEST_MM * 10):
            raise ValueError("a placed piece lies within ten metres")


class Lap(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part cut in two that lap: across its width or its height, the middle of the lap ``at`` so far from its left or its lower edge, in its
    own frame; ``over`` is how long both lie on each other."""

    along: Literal["width", "height"]
    at: float
    over: float = 12.7

    def __post_init__(self) -> None:
        if not (0 < self.at <= LARGEST_MM and 3 <= self.over <= 100):
            raise ValueError("a lap lies on its piece and is 3 to 100 mm long")


class Sheeting(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``copies`` of the card; cut ``straight`` from edge to edge or ``free`` along each outline; ``gap`` between pieces and empty ``margin`` of
    each sheet (None: what suits the way of cutting). ``sheets`` says which sheet of the catalog a stock is bought in (where nothing is said, a
    larger one is taken for what that does not hold), ``grain`` whether pieces keep to it, ``instead`` which other
    stock a blank is cut from, ``laps`` which parts are cut in two. With two ``colours`` of each stock the blanks in ``second`` are cut
    from the other colour, the other way round on every second card. ``placed`` is where pieces were put, for pieces whose shapes are
    ``made_for``.
    """

    copies: int = 1
    cuts: Literal["straight", "free"] = "straight"
    gap: float | None = None
    margin: float | None = None
    sheets: dict[str, str] = {}
    uses_offcuts: bool = True
    grain: Literal["where it can", "always", "free"] = "where it can"
    instead: dict[str, str] = {}
    laps: dict[str, Lap] = {}
    colours: tuple[str, ...] = ()
    second: tuple[str, ...] = ()
    placed: tuple[Placed, ...] = ()
    made_for: str = ""

    def __post_init__(self) -> None:
        if not 1 <= self.copies <= MOST_COPIES:
            raise ValueError(f"copies must be 1 to {MOST_COPIES}; for more, lay {MOST_COPIES // 2} and cut these sheets as often as it takes")
        for name, value in (("gap", self.gap), ("margin", self.margin)):
            if value is not None and not 0 <= value <= 100:
                raise ValueError(f"{name} of the sheets must be 0 to 100 mm, not {value:g}")
        if len(self.placed) > MOST_PLACED:
            raise ValueError(f"at most {MOST_PLACED} pieces are placed")
        if len(self.colours) not in (0, 2):
            raise ValueError("a batch has one colour, or two")
        if max(len(self.sheets), len(self.instead), len(self.laps), len(self.second)) > 1000:
            raise ValueError("too many settings of sheets")

    @property
    def gap_mm(self) -> float:
        """The gap between pieces: none where a trimmer cuts both at once."""
        return self.gap if self.gap is not None else (0.0 if self.cuts == "straight" else 2.0)

    @property
    def margin_mm(self) -> float:
        """The empty margin of each sheet."""
        return self.margin if self.margin is not None else (0.0 if self.cuts == "straight" else 3.0)
