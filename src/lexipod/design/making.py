"""How a card is built: what the maker wants otherwise than the plan says by itself."""

from __future__ import annotations

from typing import Literal

import msgspec

MOST_STEPS = 2000


class Making(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``order`` are steps by id in the order that the maker likes, as far as what must come before allows it; ``minutes`` what she says that a
    step takes (for one card). A batch is built ``by`` step (each step for all cards) or by card."""

    order: tuple[str, ...] = ()
    minutes: dict[str, float] = {}
    by: Literal["step", "card"] = "step"

    def __post_init__(self) -> None:
        if len(self.order) > MOST_STEPS or len(self.minutes) > MOST_STEPS:
            raise ValueError(f"a plan has at most {MOST_STEPS} steps")
        if len(set(self.order)) != len(self.order):
            raise ValueError("the order of making names a step twice")
        if not all(0 <= value <= 600 for value in self.minutes.values()):
            raise ValueError("a step takes 0 to 600 minutes")
