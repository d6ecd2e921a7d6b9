"""The finished card as it is seen and handled: at one position, over its travel, or as a strip of still frames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from lexipod.checks import Examination
from lexipod.checks.seen import scene_at
from lexipod.drawing import STANDING, Camera, Drawing, Shape, draw_card, draw_folds, fit_camera
from lexipod.errors import ChoiceError, LexipodError
from lexipod.motion import FoldTrack, solve_folds

EASE = 0.5
"""How much slower a hand begins and ends than it goes on the way (0: not at all)."""


def draw_read(examination: Examination, art: Mapping[str, tuple[Shape, ...]], at: Mapping[str, float], *, camera: Camera | None = None) -> Drawing:
    """The card as the reader sees it with the mechanisms at a travel; through a camera where something folds."""
    scene = scene_at(examination, dict(at))
    if examination.assembly.foldings:
        return draw_folds(scene, camera or reading_camera(examination), art=art)
    return draw_card(examination.assembly, scene.poses, art=art, hidden=False)


def reading_camera(examination: Examination) -> Camera:
    """From where a card that folds is looked at on all of its way."""
    return examination.once("reading camera", lambda: fit_camera(_tracks(examination), *STANDING)[0])


def _tracks(examination: Examination) -> list[FoldTrack]:
    return [solve_folds(f, np.linspace(f.drive.rest, f.drive.end, 61)) for f in examination.assembly.foldings]


def drive_read(examination: Examination, mechanism: str) -> str:
    """The mechanism that is moved: the asked one, or the first on the card. ``ChoiceError`` lists what there is."""
    known = [d.mechanism for d in examination.assembly.all_drives]
    if mechanism and mechanism not in known:
        raise ChoiceError("mechanism", mechanism, known)
    if not known:
        raise LexipodError("nothing moves on this card yet; a moving picture needs a mechanism")
    return mechanism or known[0]


def draw_travel(
    examination: Examination, art: Mapping[str, tuple[Shape, ...]], *, mechanism: str = "", frames: int = 30, there_and_back: bool = True
) -> tuple[Drawing, ...]:
    """The card at so many positions from rest to end, as a hand moves it; ``there_and_back`` the same ones in turn come after."""
    name = drive_read(examination, mechanism)
    drive = examination.assembly.drive_of(name)
    assert drive is not None
    share = np.linspace(0.0, 1.0, max(2, frames))
    eased = share - EASE * np.sin(2 * np.pi * share) / (2 * np.pi)
    drawn = [draw_read(examination, art, {name: float(drive.rest + s * (drive.end - drive.rest))}) for s in eased]
    return tuple([*drawn, *drawn[-2::-1]] if there_and_back else drawn)


def strip_of(drawings: Sequence[Drawing], *, gap_mm: float = 8.0) -> Drawing:
    """Still frames side by side, all at one scale and height."""
    low = min(d.box[1] for d in drawings)
    high = max(d.box[3] for d in drawings)
    left, right = min(d.box[0] for d in drawings), max(d.box[2] for d in drawings)
    step = right - left + gap_mm
    items = [item for k, d in enumerate(drawings) for item in d.shifted(k * step - left, -low).primitives]
    return Drawing(tuple(items), (0.0, 0.0, step * len(drawings) - gap_mm, high - low), drawings[0].title)


__all__ = ["draw_read", "draw_travel", "drive_read", "reading_camera", "strip_of"]
