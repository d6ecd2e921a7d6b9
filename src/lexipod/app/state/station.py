"""A station of the maker's work, and what the middle of the window shows there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Sight:
    """What is seen of the card: its ``envelope`` round it as it is posted; ``measures`` on it; edges that are ``hidden``; the ``section``
    line; a ``ghost`` of what moves at the end of its travel; what folds ``standing``; how much of the height the ``ribbon`` may take (a
    share, 0 for none); whether the ``templates`` lie there instead; ``marks`` on the places that stand in the way; whether ``pictures`` are
    taken in hand; whether it is ``plain``, the card alone as it is read. ``center`` names what lies in the middle instead of the card
    (“plan”, “log”, “table”). ``aside_px`` is how much farther than usual the card's own measures
    stand off."""

    envelope: bool = False
    measures: bool = True
    hidden: bool = True
    section: bool = False
    ghost: bool = False
    standing: bool = False
    ribbon: float = 0.0
    templates: bool = False
    marks: bool = False
    aside_px: float = 0.0
    pictures: bool = False
    plain: bool = False
    center: str = ""


@dataclass(frozen=True, slots=True)
class Station:
    """One step of the work: its name, a sentence of help, what is ``seen``, what makes its ``panel``, and whether a card on which nothing
    moves yet is asked here what should happen (``chooses``)."""

    id: str
    title: str
    help: str = ""
    seen: Sight = Sight()
    panel: Callable[..., Any] | None = None
    chooses: bool = False
    counts_pieces: bool = False
