"""Cues put where the maker wants them, and the handles by which they are taken hold of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from lexipod.assembly import Cue, Handle, Part
from lexipod.geometry.frames import apply_pose, invert_pose

Point = tuple[float, float]


def place_cues(cues: Sequence[Cue], places: Mapping[str, Point], parts: Sequence[Part]) -> tuple[Cue, ...]:
    """The cues, each of which has a place of its own moved there (in the card's frame, with its part at home). What turns about a point
    goes on turning the same way about it."""
    by_id = {p.id: p for p in parts}
    return tuple(_placed(cue, places[cue.mechanism], by_id[cue.part]) if cue.mechanism in places else cue for cue in cues)


def _placed(cue: Cue, place: Point, part: Part) -> Cue:
    x, y = apply_pose(invert_pose(part.home), [place])[0]
    if cue.about is None:
        return replace(cue, at=(float(x), float(y)))
    out, now = (cue.at[0] - cue.about[0], cue.at[1] - cue.about[1]), (float(x) - cue.about[0], float(y) - cue.about[1])
    sign = 1.0 if out[0] * cue.direction[1] - out[1] * cue.direction[0] > 0 else -1.0
    long = max((now[0] ** 2 + now[1] ** 2) ** 0.5, 1e-9)
    return replace(cue, at=(float(x), float(y)), direction=(-sign * now[1] / long, sign * now[0] / long))


def cue_handles(cues: Sequence[Cue], parts: Sequence[Part]) -> list[Handle]:
    """A handle in the middle of every cue that is there."""
    by_id, found = {p.id: p for p in parts}, []
    for cue in (c for c in cues if c.kind != "none"):
        x, y = apply_pose(by_id[cue.part].home, [cue.at])[0]
        at = (float(x), float(y))
        found.append(
            Handle(cue.mechanism, f"cue.{cue.mechanism}", f"reader's {cue.kind}", at, (1.0, 0.0), 1.0, (at, at), stations=("fit",), cross=(0.0, 1.0))
        )
    return found
