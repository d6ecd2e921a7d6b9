"""The maker's own error for each way of making, from the measures that she took.

Errors of one way are taken as normal with unknown bias and spread. What is usual stands for some measures that were never taken: little is learned
from few measures, all from many. Source: the normal model with the conjugate normal-inverse-gamma prior (K. P. Murphy, Conjugate Bayesian
analysis of the Gaussian distribution, 2007, equations 85 to 103; A. Gelman et al., Bayesian Data Analysis, section 3.3), from memory and checked
against simulation.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from lexipod.builds.dimensions import ACCURACIES, Accuracy
from lexipod.design import Cutting, MeasureKind
from lexipod.records.makes import Make, Measure
from lexipod.units import UnitStyle

PRIOR_MEAN_OF = 3.0
"""So many measures without bias does the usual stand for."""
PRIOR_SPREAD_OF = 5.0
"""So many measures of the usual spread."""
LEVEL = 0.95
ENOUGH = 5
"""From so many measures on, one's own error is proposed for use."""


@dataclass(frozen=True, slots=True)
class Learned:
    """What is known of the errors of one way (mm, for foam and paper a share): bias and spread with their 95 % intervals, and between what the
    next one will lie."""

    kind: MeasureKind
    way: str
    count: int
    usual: float
    bias: float
    bias95: tuple[float, float]
    spread: float
    spread95: tuple[float, float]
    next95: tuple[float, float]

    @property
    def is_enough(self) -> bool:
        return self.count >= ENOUGH


def usual_spread(kind: MeasureKind, accuracy: Accuracy) -> float:
    """The standard deviation that is taken while nothing was measured."""
    return {
        "cut": accuracy.cut_mm,
        "opening": accuracy.cut_mm,
        "place": accuracy.place_mm,
        "hole": accuracy.hole_mm,
        "foam": accuracy.foam_share,
        "paper": accuracy.caliper_share,
    }[kind]


def learn(errors: Sequence[float], usual: float, *, kind: MeasureKind = "cut", way: str = "hand") -> Learned:
    """Bias and spread of some errors, shrunk to no bias and the ``usual`` spread. ``ValueError`` for a spread that is not above 0.

    >>> found = learn([], 0.25); found.bias, round(found.spread, 3)
    (0.0, 0.25)
    """
    if not usual > 0:
        raise ValueError("the usual spread is above 0")
    from scipy.special import chdtri, stdtrit

    e = np.asarray(errors, dtype=float)
    if not np.isfinite(e).all():
        raise ValueError("an error is a number")
    n = len(e)
    mean = float(e.mean()) if n else 0.0
    scatter = float(((e - mean) ** 2).sum()) if n else 0.0
    kappa = PRIOR_MEAN_OF + n
    nu = PRIOR_SPREAD_OF + n
    bias = n * mean / kappa
    twice_beta = PRIOR_SPREAD_OF * usual**2 + scatter + PRIOR_MEAN_OF * n * mean**2 / kappa
    spread = math.sqrt(twice_beta / nu)
    t = float(stdtrit(nu, 0.5 + LEVEL / 2))
    half = t * spread / math.sqrt(kappa)
    low, high = (float(chdtri(nu, 1 - q)) for q in (0.5 + LEVEL / 2, 0.5 - LEVEL / 2))
    ahead = t * spread * math.sqrt(1 + 1 / kappa)
    return Learned(
        kind,
        way,
        n,
        usual,
        bias,
        (bias - half, bias + half),
        spread,
        (math.sqrt(twice_beta / low), math.sqrt(twice_beta / high)),
        (bias - ahead, bias + ahead),
    )


def measures_of(makes: Iterable[Make]) -> dict[tuple[MeasureKind, str], list[Measure]]:
    """All measures by kind and way, the earliest first; without slips of the pen."""
    found: dict[tuple[MeasureKind, str], list[Measure]] = {}
    for make in sorted(makes, key=lambda m: m.began):
        for measure in (m for m in make.measures if not m.is_slip):
            found.setdefault((measure.kind, measure.way), []).append(measure)
    return found


def learn_all(makes: Iterable[Make]) -> list[Learned]:
    """What is known of each kind and way that was measured."""
    out = []
    for (kind, way), rows in sorted(measures_of(makes).items()):
        accuracy = ACCURACIES.get(way, ACCURACIES["hand"])  # type: ignore[call-overload]
        out.append(learn([m.error for m in rows], usual_spread(kind, accuracy), kind=kind, way=way))
    return out


def off_text(off: float, kind: str, style: UnitStyle) -> str:
    """So much off, with its sign, in the maker's unit; foam and paper in per cent.

    >>> off_text(0.127, "cut", UnitStyle("in")), off_text(-0.127, "cut", UnitStyle("mm")), off_text(0.03, "foam", UnitStyle("in"))
    ('+0.005 in', '-0.13 mm', '+3.0 %')
    """
    sign = "-" if off < 0 else "+"
    return f"{sign}{abs(off) * 100:.1f} %" if kind in ("foam", "paper") else f"{sign}{style.thickness(abs(off))}"


def learned_text(row: Learned, style: UnitStyle) -> str:
    """What is known of one way, in a sentence."""
    bias, low, high = (off_text(v, row.kind, style) for v in (row.bias, *row.bias95))
    spread, usual = (off_text(v, row.kind, style)[1:] for v in (row.spread, row.usual))
    ahead = " to ".join(off_text(v, row.kind, style) for v in row.next95)
    few = "" if row.is_enough else ", too few to be used"
    measures = f"{row.count} measure{'' if row.count == 1 else 's'}{few}"
    off = f"off by {bias} on average ({low} to {high}), scattering by {spread} (usually {usual})"
    return f"{row.kind} by {row.way}: {measures}; {off}; the next one {ahead}"


def own_errors(learned: Iterable[Learned], cutting: Cutting) -> tuple[tuple[MeasureKind, float, float], ...]:
    """Kind, bias and spread for one way of cutting, of what was measured often enough, as ``Ways.errors`` holds them."""
    return tuple((row.kind, round(row.bias, 4), round(row.spread, 4)) for row in learned if row.way == cutting and row.is_enough)
