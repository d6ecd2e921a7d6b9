"""How long the steps of making take, what things are glued with, and what is to be taken care of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

AdhesiveKind = Literal["wet", "tape", "solvent", "dot", "hot", "foam"]
MOST_MINUTES = 600.0


@dataclass(frozen=True, slots=True)
class Minutes:
    """What one kind of step takes a practised hand: ``setup`` once for a batch, ``each`` for one thing (both minutes)."""

    id: str
    name: str
    each: float
    setup: float = 0.0

    def __post_init__(self) -> None:
        for value in (self.each, self.setup):
            if not 0 <= value <= MOST_MINUTES:
                raise ValueError(f"{self.id}: minutes are 0 to {MOST_MINUTES:g}, not {value:g}")


@dataclass(frozen=True, slots=True)
class Adhesive:
    """One glue or tape: how many minutes it ``waits`` until what it holds may be moved, whether it ``adjusts``, since it can be shifted while
    fresh, and whether it holds ``film``, what is under ``load``, and a ``large`` area without warping it. Waits are the program's own guesses:
    nobody states any."""

    id: str
    name: str
    kind: AdhesiveKind
    waits: float = 0.0
    adjusts: bool = False
    film: bool = False
    load: bool = False
    large: bool = False
    note: str = ""
    own: bool = True

    def __post_init__(self) -> None:
        if self.kind not in get_args(AdhesiveKind):
            raise ValueError(f"{self.id}: the kind of an adhesive is one of {', '.join(get_args(AdhesiveKind))}")
        if not 0 <= self.waits <= MOST_MINUTES:
            raise ValueError(f"{self.id}: it waits 0 to {MOST_MINUTES:g} minutes, not {self.waits:g}")


@dataclass(frozen=True, slots=True)
class Caution:
    """What a tool or material asks for: ``name`` is what is said, ``when`` the tools and materials of a step for which it is said."""

    id: str
    name: str
    when: tuple[str, ...]

    def __post_init__(self) -> None:
        if not self.when:
            raise ValueError(f"{self.id}: a caution says when it is shown")
