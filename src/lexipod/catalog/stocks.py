"""Papers, films and fasteners, and what a basis weight means."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lexipod.catalog.sizes import check_positive
from lexipod.errors import ChoiceError

GRAMS_PER_POUND = 453.59237
REAM_SHEETS = 500
SQUARE_METRES_PER_SQUARE_INCH = 0.0254**2

BASIS_SHEETS: dict[str, tuple[float, float]] = {
    "bond": (17, 22),
    "text": (25, 38),
    "cover": (20, 26),
    "index": (25.5, 30.5),
    "bristol": (22.5, 28.5),
    "tag": (24, 36),
    "blanks": (22, 28),
}
"""Basis sheet of each grade in inches: the sheet of which 500 weigh the basis weight."""


def grammage_from_basis_weight(pounds: float, grade: str) -> float:
    """g/m² of a paper whose 500 basis sheets weigh ``pounds``. “110 lb” says nothing without its grade.

    >>> round(grammage_from_basis_weight(110, "cover"), 2), round(grammage_from_basis_weight(110, "index"), 2)
    (297.45, 198.88)
    """
    if grade not in BASIS_SHEETS:
        raise ChoiceError("paper grade", grade, sorted(BASIS_SHEETS))
    check_positive("basis weight", pounds=pounds)
    width, height = BASIS_SHEETS[grade]
    return pounds * GRAMS_PER_POUND / (REAM_SHEETS * width * height * SQUARE_METRES_PER_SQUARE_INCH)


def basis_weight_from_grammage(grammage: float, grade: str) -> float:
    """Pounds for a grammage in g/m², the other way round."""
    return grammage / grammage_from_basis_weight(1.0, grade)


FILM = "acetate-10mil"
"""The clear film that is taken where nothing else was chosen."""


@dataclass(frozen=True, slots=True)
class Stock:
    """A paper, board or film. ``modulus_mpa`` is Young's modulus along the weaker direction, ``grain`` is
    “long” or “short” against the traded sheet, or “none”; ``friction`` is the static coefficient on its own kind."""

    id: str
    name: str
    grammage: float
    caliper_mm: float
    modulus_mpa: float = 2500.0
    friction: float = 0.5
    grain: str = "long"
    clear: bool = False

    def __post_init__(self) -> None:
        check_positive(self.id, grammage=self.grammage, caliper=self.caliper_mm, modulus=self.modulus_mpa, friction=self.friction)
        if self.grain not in ("long", "short", "none"):
            raise ValueError(f"{self.id}: grain must be long, short or none, not {self.grain}")


@dataclass(frozen=True, slots=True)
class Brad:
    """A two-legged fastener: flat head, two legs bent over behind, and the hole it wants."""

    id: str
    name: str
    head_mm: float
    head_thickness_mm: float
    leg_width_mm: float
    legs_thickness_mm: float
    hole_mm: float

    def __post_init__(self) -> None:
        check_positive(
            self.id,
            head=self.head_mm,
            head_thickness=self.head_thickness_mm,
            leg_width=self.leg_width_mm,
            legs_thickness=self.legs_thickness_mm,
            hole=self.hole_mm,
        )
        if self.hole_mm <= self.leg_width_mm:
            raise ValueError(f"{self.id}: the hole must be wider than the legs")


@dataclass(frozen=True, slots=True)
class Weight:
    """A round thing that is heavy enough to slide by itself: a washer or a coin. It is bought, not cut."""

    id: str
    name: str
    diameter_mm: float
    thickness_mm: float
    mass_g: float

    def __post_init__(self) -> None:
        check_positive(self.id, diameter=self.diameter_mm, thickness=self.thickness_mm, mass=self.mass_g)


MachineKind = Literal["die", "plotter", "trimmer"]


@dataclass(frozen=True, slots=True)
class Machine:
    """What cuts for the maker: the widest sheet that goes through (of a trimmer: its longest cut), and the thickest that it cuts. A plotter
    has a longest sheet (0: any), the least width of a web or slot that it cuts cleanly, and the numbers of the pens that hold the scoring
    tool and the knife."""

    id: str
    name: str
    width_mm: float
    most_mm: float
    kind: MachineKind = "die"
    length_mm: float = 0.0
    least_mm: float = 0.0
    score_pen: int = 1
    cut_pen: int = 2
    speed_mm_s: float = 100.0

    def __post_init__(self) -> None:
        check_positive(self.id, width=self.width_mm, most=self.most_mm, speed=self.speed_mm_s)
        if self.kind not in ("die", "plotter", "trimmer"):
            raise ValueError(f"{self.id}: kind must be die, plotter or trimmer, not {self.kind}")
        if not (1 <= self.score_pen <= 8 and 1 <= self.cut_pen <= 8):
            raise ValueError(f"{self.id}: pens are numbered 1 to 8")
        if not (0 <= self.length_mm < 1e5 and 0 <= self.least_mm < 100):
            raise ValueError(f"{self.id}: length and least width must be 0 or more")


@dataclass(frozen=True, slots=True)
class Blade:
    """How a plotter's knife is set for a stock: how far its tip trails behind its axis, how far a closed cut runs on past its start, the
    force in grams, the speed (0: the machine's), and how often each line is cut."""

    id: str
    name: str
    offset_mm: float = 0.25
    overcut_mm: float = 0.5
    force_g: int = 120
    speed_mm_s: float = 0.0
    passes: int = 1

    def __post_init__(self) -> None:
        if not (0 <= self.offset_mm <= 2 and 0 <= self.overcut_mm <= 10):
            raise ValueError(f"{self.id}: a blade trails by 0 to 2 mm and overcuts by 0 to 10 mm")
        if not (1 <= self.force_g <= 2000 and 0 <= self.speed_mm_s <= 2000 and 1 <= self.passes <= 5):
            raise ValueError(f"{self.id}: force is 1 to 2000 g, speed 0 to 2000 mm/s, passes 1 to 5")


@dataclass(frozen=True, slots=True)
class Printer:
    """What a printer makes of a ruler of 100 mm, across the page and up it, as measured on its check print."""

    id: str
    name: str
    across_mm: float = 100.0
    up_mm: float = 100.0

    def __post_init__(self) -> None:
        for measured in (self.across_mm, self.up_mm):
            if not 90 <= measured <= 110:
                raise ValueError(f"{self.id}: a ruler of 100 mm measures 90 to 110 mm, not {measured:g}; is the page printed at 100 %?")
