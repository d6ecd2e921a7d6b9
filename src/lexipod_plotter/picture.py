"""What was drawn, as SVG in millimetres."""

from __future__ import annotations

from lexipod_plotter.machine import Machine

COLOURS = {1: "#1f5a8a", 2: "#2b2a28"}
"""The scoring tool and the knife, as pens are usually set."""


def write_svg(machine: Machine, sheet: int = 1) -> str:
    """The lines of one sheet; the origin is at the lower left."""
    across, along = machine.area_mm
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{across:g}mm" height="{along:g}mm" viewBox="0 0 {across:g} {along:g}">',
        f'<g transform="matrix(1 0 0 -1 0 {along:g})" fill="none" stroke-width="0.2">',
    ]
    for line in machine.lines:
        if line.sheet == sheet and len(line.points) > 1:
            points = " ".join(f"{x:.4f},{y:.4f}" for x, y in line.points)
            out.append(f'<polyline data-pen="{line.pen}" stroke="{COLOURS.get(line.pen, "#77726a")}" points="{points}"/>')
    return "\n".join([*out, "</g>", "</svg>", ""])
