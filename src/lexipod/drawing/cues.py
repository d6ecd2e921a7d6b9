"""The reader's cue as a drawing."""

from __future__ import annotations

from lexipod.assembly import Cue
from lexipod.assembly.cues import cue_outline
from lexipod.drawing.display import Label, Primitive, Shape


def draw_cue(cue: Cue) -> tuple[Primitive, ...]:
    """The cue in the part's frame; nothing where none is wanted."""
    if cue.kind == "none":
        return ()
    if cue.kind == "word":
        return (
            Shape((cue_outline(cue),), "outline", "art:#fffdf8", cue.part),
            Label(cue.at, cue.word, cue.size_mm * 0.5, "middle", subject=cue.part),
        )
    return (Shape((cue_outline(cue),), "outline", "art:#fffdf8", cue.part),)
