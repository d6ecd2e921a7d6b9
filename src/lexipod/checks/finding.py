"""Findings and remedies as plain values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from lexipod.units.quantities import Value

Severity = Literal["block", "warn", "note"]
SEVERITIES: tuple[Severity, ...] = ("block", "warn", "note")


@dataclass(frozen=True, slots=True)
class Remedy:
    """A change that was tried. ``cures`` is False when it only makes the finding smaller; ``remaining`` says what is left.

    ``mechanism`` is None when ``set`` concerns the card (``card=…``, ``envelope=…``). It ``keeps`` what the maker wished and fits the rest;
    ``changes`` then tell each measure from what to what. What it ``gives_up`` are names of measures that she decided.
    """

    label: str
    set: dict[str, Value]
    mechanism: str | None = None
    cures: bool = True
    remaining: str = ""
    keeps: bool = False
    changes: tuple[str, ...] = ()
    gives_up: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing measured against what is required. ``at_most`` tells a limit from above; ``where`` is in the card's frame.

    ``also_at`` holds the travels of other mechanisms for which it was found; ``cut_short`` tells that there was no time to look for all its
    cures, ``limit`` how much of the maker's wish can be kept in words, ``most`` the measures in figures, ``because`` the rules that leave
    no more room.
    """

    rule: str
    severity: Severity
    mechanism: str
    parts: tuple[str, ...]
    title: str
    message: str
    measured: float
    required: float
    unit: str = "mm"
    at_most: bool = False
    travel: float | None = None
    where: tuple[float, float] | None = None
    need: str = ""
    also_at: tuple[tuple[str, float], ...] = ()
    remedies: tuple[Remedy, ...] = field(default=())
    cut_short: bool = False
    limit: str = ""
    most: tuple[tuple[str, float], ...] = ()
    because: tuple[str, ...] = ()

    @property
    def key(self) -> tuple[str, str, tuple[str, ...], str]:
        """What makes it the same finding in a changed design."""
        return (self.rule, self.mechanism, self.parts, self.need)

    @property
    def missing(self) -> float:
        """By how much the measured value falls short of the required one (above 0)."""
        return self.measured - self.required if self.at_most else self.required - self.measured


def sort_findings(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Worst first; the order within a severity is that of the checks."""
    return tuple(sorted(findings, key=lambda f: SEVERITIES.index(f.severity)))


def verdict_of(findings: Iterable[Finding]) -> str:
    """``blocked`` when something blocks, ``tight`` when something warns, else ``free``."""
    severities = {f.severity for f in findings}
    return "blocked" if "block" in severities else "tight" if "warn" in severities else "free"
