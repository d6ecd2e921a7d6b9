"""The figure of a finding in a few characters: what is measured of what is wanted."""

from __future__ import annotations

from lexipod.checks.finding import Finding
from lexipod.checks.table import RULES
from lexipod.units import UnitStyle


def figure_of(finding: Finding, style: UnitStyle) -> str:
    """“0.2 of 0.5 mm”; empty where nothing is missing, or where it is so or not so and no figure tells more."""
    if not finding.unit:
        return ""
    if finding.measured < 0 and not finding.at_most:
        return f"{style.amount(-finding.measured, finding.unit)} {RULES[finding.rule].below}"
    if finding.unit == "mm":
        length = style.telling_apart(finding.measured, finding.required)
        measured, required = length(finding.measured), length(finding.required)
        for unit in (" mm", " in"):
            if measured.endswith(unit) and required.endswith(unit):
                measured = measured.removesuffix(unit)
    elif finding.unit == "stop":
        return "no stop"
    elif finding.unit == "deg":
        measured, required = f"{finding.measured:.1f}°", f"{finding.required:.1f}°"
    elif finding.unit == "mm2":
        measured, required = style.area(finding.measured), style.area(finding.required)
    else:
        measured, required = f"{finding.measured:.2f}", f"{finding.required:.2f} {finding.unit}"
    if finding.missing <= 0:
        return ""  # worth knowing, but nothing is missing
    return f"{measured}, at most {required}" if finding.at_most else f"{measured} of {required}"


__all__ = ["figure_of"]
