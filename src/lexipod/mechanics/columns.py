"""Struts of card that are pushed by their end."""

from __future__ import annotations

import math


def euler_load_n(modulus_mpa: float, *, width_mm: float, thickness_mm: float, length_mm: float, factor: float = 1.0) -> float:
    """Load in N at which a flat strut buckles: ``pi^2 E I / (K l)^2`` with ``I = b t^3 / 12`` and ``K = factor``.

    Source: Euler's column, any handbook of strength of materials.

    >>> round(euler_load_n(3000, width_mm=40, thickness_mm=0.4, length_mm=60), 3)
    1.755
    """
    inertia = width_mm * thickness_mm**3 / 12
    return math.pi**2 * modulus_mpa * inertia / (factor * length_mm) ** 2


def tip_deflection_mm(force_n: float, modulus_mpa: float, *, width_mm: float, thickness_mm: float, length_mm: float) -> float:
    """How far the end of a tab gives way under a force across it: F l^3 / (3 E I), I = b t^3 / 12.

    Source: cantilever with an end load, any handbook of strength of materials.

    >>> round(tip_deflection_mm(1.0, 3000.0, width_mm=40.0, thickness_mm=0.4, length_mm=60.0), 2)
    112.5
    """
    return force_n * length_mm**3 / (3 * modulus_mpa * width_mm * thickness_mm**3 / 12)


def plies_against_buckling(load_n: float, modulus_mpa: float, *, width_mm: float, caliper_mm: float, length_mm: float, most: int = 6) -> int:
    """The least number of laminated plies that carry ``load_n``, at most ``most``."""
    for plies in range(1, most):
        if euler_load_n(modulus_mpa, width_mm=width_mm, thickness_mm=plies * caliper_mm, length_mm=length_mm) >= load_n:
            return plies
    return most
