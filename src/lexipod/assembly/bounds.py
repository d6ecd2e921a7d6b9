"""Measures against limits that formulas or the trade tell."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class Bound:
    """A measure against its limit that a formula tells: ``title`` and ``why`` are said when it is broken. ``note`` findings only tell; one
    without a ``unit`` is a matter of yes or no."""

    id: str
    mechanism: str
    rule: str
    parts: tuple[str, ...]
    measured: float
    required: float
    title: str
    why: str
    at_most: bool = False
    unit: str = "mm"
    severity: Literal["block", "warn", "note"] = "block"
