"""The levels of a card that moves, from the back to the front. A recipe leaves out what it does not need."""

from __future__ import annotations

BACK, FRONT = 0, 1
"""The card's own two panels."""
BEHIND, UNDER, NEAR = 1.5, 2, 2.5
"""Between card and panel: foam takes room in all three; legs of brads and pulls run in the middle one, with what is folded round them
behind it and before it, next to the panel."""
PANEL = 3
"""The sheet that carries the mechanisms: flat on the card as a mat, or raised on foam."""
BED, LOW, MID, HIGH, PEAK, CROWN = 4, 5, 6, 7, 8, 9
"""What lies or moves between panel and frame, from the panel up."""
LEGS, HEADS = 5.5, 7.5
"""Legs of brads on which what lies in the middle turns, under it, and their heads, over what they are fast in."""
FRAME = 10
"""The sheet in front, on foam."""
OVER, TOP, CREST, SUMMIT = 11, 12, 13, 14
"""What rides in front of the frame."""
BETWEEN = (BED, LOW, LEGS, MID, HIGH, HEADS, PEAK, CROWN)
"""All levels between panel and frame: foam under the frame takes room in every one of them."""


ALL = (BACK, FRONT, BEHIND, UNDER, NEAR, PANEL, *BETWEEN, FRAME, OVER, TOP, CREST, SUMMIT)


def between(low: float, high: float) -> tuple[float, ...]:
    """The levels strictly between two."""
    return tuple(level for level in ALL if low < level < high)


def others(level: int) -> tuple[float, ...]:
    """The levels between panel and frame besides one."""
    return tuple(other for other in BETWEEN if other != level)
