"""The levels of a card that moves, from the back to the front. A recipe leaves out what it does not need."""

from __future__ import annotations

BACK, FRONT = 0, 1
"""The card's own two panels."""
UNDER = 2
"""Between card and panel: foam, legs of brads, pulls and sleeves."""
PANEL = 3
"""The sheet that carries the mechanisms: flat on the card as a mat, or raised on foam."""
BED, LOW, MID, HIGH, PEAK, CROWN = 4, 5, 6, 7, 8, 9
"""What lies or moves between panel and frame, from the panel up."""
FRAME = 10
"""The sheet in front, on foam."""
OVER, TOP, CREST, SUMMIT = 11, 12, 13, 14
"""What rides in front of the frame."""
BETWEEN = (BED, LOW, MID, HIGH, PEAK, CROWN)
"""All levels between panel and frame: foam under the frame takes room in every one of them."""


def others(level: int) -> tuple[int, ...]:
    """The levels between panel and frame besides one."""
    return tuple(other for other in BETWEEN if other != level)
