"""Needs of mechanisms that fold: what must hold at some opening or on the way, stated by a recipe, judged by checks.

Regions are Shapely geometries in the frame of the panel's sheet. Travels are degrees of the drive.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lexipod.assembly.bounds import Bound


@dataclass(frozen=True, eq=False)
class SeenAt:
    """Looked at from the front at ``at``: ``region`` of ``panel`` is ``hidden`` by the panels ``by`` with ``lap_mm`` to spare, or lies
    free of them all."""

    id: str
    mechanism: str
    panel: str
    region: Any
    at: float
    hidden: bool
    by: tuple[str, ...]
    lap_mm: float
    what: str


@dataclass(frozen=True, eq=False)
class LapsAt:
    """At ``at``, ``region`` of ``panel`` still laps panel ``over`` by ``lap_mm``: else it comes back on the wrong side and catches."""

    id: str
    mechanism: str
    panel: str
    region: Any
    over: str
    at: float
    lap_mm: float
    what: str


@dataclass(frozen=True, slots=True)
class KeepsOff:
    """Panels ``a`` and ``b`` keep ``gap_mm`` apart in space from ``since`` to ``until`` (degrees of the drive)."""

    id: str
    mechanism: str
    a: str
    b: str
    gap_mm: float
    since: float
    until: float
    what: str


@dataclass(frozen=True, slots=True)
class SpinsFree:
    """The panel turns freely about its thread with ``gap_mm`` to the panels ``within``, from ``since`` to ``until``."""

    id: str
    mechanism: str
    panel: str
    within: tuple[str, ...]
    gap_mm: float
    since: float
    until: float
    what: str


@dataclass(frozen=True, eq=False)
class GlueFlap:
    """``region`` of ``panel`` is where it is glued: at least ``width_mm`` wide, and no score runs through it."""

    id: str
    mechanism: str
    panel: str
    region: Any
    width_mm: float
    what: str


@dataclass(frozen=True, slots=True)
class Opens:
    """The drive must really get from rest to end; ``most_deg`` may be missing."""

    id: str
    mechanism: str
    most_deg: float = 0.0


FoldNeed = SeenAt | LapsAt | KeepsOff | SpinsFree | GlueFlap | Opens | Bound
