"""Layers of what folds: whether paper can come to lie as it must in every flat state.

Reason: a sheet cannot lie between two faces that are glued to each other, go through a crease, or change its place among the layers
without going through one of them. Source: the conditions of flat folding (origami mathematics), with glue added.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lexipod.assembly import Assembly, Folding
from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding
from lexipod.motion import Tangle, lay_flat


def check_layers(examination: Examination) -> Iterator[Finding]:
    """The layers of every flat state can be reached, and nothing is glued in between."""
    for folding in examination.assembly.foldings:
        for state, layers in zip(folding.states, lay_flat(folding), strict=True):
            for tangle in layers.tangles:
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


__all__ = ["check_layers", "tangle_finding"]
