"""Layers of what folds: whether paper can come to lie as it must in every flat state.

Reason: a sheet cannot lie between two faces that are glued to each other, go through a crease, or change its place among the layers
without going through one of them. Source: the conditions of flat folding (origami mathematics), with glue added.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np

from lexipod.assembly import Assembly, Folding
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.geometry.frames import Array
from lexipod.motion import Tangle, lay_flat, solve_folds


def check_layers(examination: Examination) -> Iterator[Finding]:
    """The layers of every flat state can be reached, and nothing is glued in between: of each state the first thing that contradicts."""
    for folding in examination.assembly.foldings:
        for state, layers in zip(folding.states, lay_flat(folding), strict=True):
            for tangle in layers.tangles[:1]:
                yield tangle_finding(examination.assembly, folding, state.name, state.at, tangle)


def tangle_finding(assembly: Assembly, folding: Folding, state: str, at: float, tangle: Tangle, *, beside: str = "") -> Finding:
    """What a tangle of layers says to the maker."""
    names = [assembly.part_name(p) for p in tangle.panels]
    title, message = TOLD[tangle.kind](names)
    return Finding(
        "layers",
        "block",
        folding.mechanism,
        tangle.panels,
        title,
        f"Lying flat ({state}) {message}",
        1.0,
        0.0,
        "",
        at_most=True,
        travel=at,
        need=f"beside {beside}" if beside else f"{state}.{tangle.kind}",
    )


def check_short_of_flat(examination: Examination) -> Iterator[Finding]:
    """What lies between its scores does not hold a strut away from flat.

    k layers between hinge planes s apart keep it asin(k t / s) from lying flat. Source: similar triangles; the limits are our own.
    """
    for folding in examination.assembly.foldings:
        heights = examination.stack_heights(folding)
        for panel, (a, b, span) in _struts(folding).items():
            lifted = abs(sum(heights[a]) - sum(heights[b])) / 2
            lean = math.degrees(math.asin(min(1.0, lifted / span)))
            if lean <= LEAN_DEG:
                continue
            name, length = folding.by_id[panel].name, examination.style.length
            yield Finding(
                "fold",
                "block" if lean > 2 * LEAN_DEG else "warn",
                folding.mechanism,
                (panel, a, b),
                f"The {name} does not come to lie flat",
                f"{length(lifted)} of paper lie between its two scores, which are {length(span)} apart: they hold it {lean:.0f}° off.",
                round(lean, 3),
                LEAN_DEG,
                "deg",
                at_most=True,
                travel=folding.posted_at,
                need=f"{panel}.flat",
            )


LEAN_DEG = 8.0
"""A strut that leans no more than this lies flat under a weight."""


def _struts(folding: Folding) -> dict[str, tuple[str, str, float]]:
    """Panels with two parallel creases, both pressed shut in the state that is posted: the panels at both sides, and how far apart the
    creases are (mm)."""
    track = solve_folds(folding, np.array([folding.posted_at]))
    up = {p.id: float(track.frames[p.id][0, 2, 2]) for p in folding.panels}
    ends: dict[str, list[tuple[str, Array]]] = {}
    for joint in (j for j in folding.joints if j.kind == "hinge" and j.at_a is not None and j.at_b is not None):
        if up[joint.a] * up[joint.b] < 0:
            ends.setdefault(joint.a, []).append((joint.b, np.asarray(joint.at_a)[:, :2]))
            ends.setdefault(joint.b, []).append((joint.a, np.asarray(joint.at_b)[:, :2]))
    found: dict[str, tuple[str, str, float]] = {}
    for panel, sides in ends.items():
        for (a, one), (b, two) in combinations(sides, 2):
            along = (one[1] - one[0]) / np.linalg.norm(one[1] - one[0])
            other = (two[1] - two[0]) / np.linalg.norm(two[1] - two[0])
            off = two[0] - one[0]
            span = abs(float(along[0] * off[1] - along[1] * off[0]))
            if abs(float(along[0] * other[1] - along[1] * other[0])) < 1e-6 and span > 1.0 and folding.rigid[a] != folding.rigid[b]:
                found[panel] = (a, b, span)
    return found


def _passes(names: Sequence[str]) -> tuple[str, str]:
    a, b = names
    return f"The {a} would have to go through the {b}", f"the {a} comes to lie on one side of the {b} and leaves on the other."


def _between(names: Sequence[str]) -> tuple[str, str]:
    c, a, b = names
    return f"The {c} lies between two glued faces", f"the {c} lies where the {a} and the {b} are glued to each other: it is glued in and cannot move."


def _through(names: Sequence[str]) -> tuple[str, str]:
    c, a, b = names
    return f"The {c} goes through a fold", f"the {c} lies across the fold between the {a} and the {b}, on the one's front and the other's back."


def _ring(names: Sequence[str]) -> tuple[str, str]:
    told = ", the ".join(names)
    return f"The {names[0]} cannot be laid flat", f"each of these would have to lie on the next one, and the last on the first: the {told}."


TOLD = {"passes": _passes, "between": _between, "through": _through, "ring": _ring}
"""Title and message of every kind of tangle, from the names of its panels."""


__all__ = ["check_layers", "check_short_of_flat", "tangle_finding"]
