"""Pictures, greetings and shapes where the reader sees them: hidden and shown as asked, the right way up, on the right face, all on paper.

Reason: a surprise that peeps out is none; a greeting that is cut off, upside down or behind the paper is found when the card is made.
Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from lexipod.checks.examination import Examination
from lexipod.checks.finding import Finding, Severity
from lexipod.checks.seen import look_for, scene_at, seen_at, seen_items, where_of
from lexipod.checks.surfaces import halts_of
from lexipod.design import Item
from lexipod.drawing.sight import Target
from lexipod.geometry.space import apply_frame
from lexipod.pictures import laid_outline

HIDDEN_SHARE = 0.002
"""So little of an item counts as nothing: a corner that nobody sees."""
SHOWN_SHARE = 0.98
"""So much of an item counts as all of it: a crooked cut takes the rest."""
FULL_TURN_DEG = 300.0
"""What turns so far has no end at which everything is shown: each picture has its own place on the way."""
UPSIDE_DEG = 100.0
OFF_SHARE = 0.02
NEVER_SHARE = 0.01
OUT_MM = 8.0
"""What stands out of the card by more is seen from behind as well."""
BARE_SHARE = 0.3
"""What shows less of its back than this needs no twin."""


@dataclass(frozen=True, slots=True)
class Shown:
    """Where an item is seen best: the travel of a mechanism, and the share."""

    mechanism: str
    travel: float
    share: float
    turned_deg: float


def best_shown(examination: Examination, item: Item, *, at_end: bool) -> Shown | None:
    """Where an item is seen best: at the end of a travel, or at one of the halts of one that turns far; at any halt unless ``at_end`` is
    asked."""
    best: Shown | None = None
    for drive in examination.assembly.all_drives:
        anywhere = not at_end or turns_far(examination, drive.mechanism)
        for travel in halts_of(examination.assembly, drive.mechanism) if anywhere else (drive.end,):
            seen = seen_at(examination, item, drive.mechanism, travel)
            if best is None or seen.share > best.share + 1e-9:
                best = Shown(drive.mechanism, float(travel), seen.share, seen.turned_deg)
    return best


def turns_far(examination: Examination, mechanism: str) -> bool:
    """Whether a mechanism has no end at which everything is shown, since it comes round."""
    drive = examination.assembly.drive_of(mechanism)
    assert drive is not None
    return drive.unit == "deg" and examination.assembly.folding_of(mechanism) is None and abs(drive.end - drive.rest) >= FULL_TURN_DEG


def at_rest(examination: Examination, item: Item) -> Shown | None:
    """What is seen of an item with everything at rest: told by the travel of its own mechanism, or of the first that there is."""
    drives = examination.assembly.all_drives
    own = item.on.partition(".")[0]
    drive = next((d for d in drives if d.mechanism == own), drives[0] if drives else None)
    if drive is None:
        return None
    seen = seen_at(examination, item, drive.mechanism, drive.rest)
    return Shown(drive.mechanism, drive.rest, seen.share, seen.turned_deg)


def check_pictures(examination: Examination) -> Iterator[Finding]:
    """Every item that is there to be seen, against what is asked of it and what goes without asking."""
    for item in seen_items(examination):
        if item.kind in ("decoration", "mat") and not item.is_asked:
            continue
        yield from _asked(examination, item)
        if item.kind not in ("decoration", "mat"):
            yield from _on_paper(examination, item)


def _asked(examination: Examination, item: Item) -> Iterator[Finding]:
    """Hidden at rest, shown at the end or at one of the halts."""
    mechanism = _mechanism_of(examination, item)
    name = item.named
    if item.hide_at_rest:
        told = at_rest(examination, item)
        share = 0.0 if told is None else told.share
        if told is not None and share > HIDDEN_SHARE:
            yield Finding(
                "picture-hidden",
                "warn",
                told.mechanism,
                (item.on,),
                f"{name[:1].upper()}{name[1:]} peeps out at rest",
                f"{_percent(share)} of it are seen with everything at rest; it is to be hidden. Move it, or make it smaller.",
                round(share, 4),
                HIDDEN_SHARE,
                unit="share",
                at_most=True,
                travel=told.travel,
                where=where_of(examination, item),
                need=item.id,
            )
    is_to_show = item.show_at_end or item.show_at_halt
    if not is_to_show and item.kind != "greeting":
        return
    best = best_shown(examination, item, at_end=item.show_at_end)
    if is_to_show and best is not None and best.share < SHOWN_SHARE:
        yield Finding(
            "picture-shown",
            "warn",
            mechanism,
            (item.on,),
            f"{name[:1].upper()}{name[1:]} is not all shown",
            f"At {examination.amount(best.mechanism, best.travel)} {_percent(best.share)} of it are seen; all of it is to be shown. "
            "Move it to where it is seen, or make it smaller.",
            round(best.share, 4),
            SHOWN_SHARE,
            unit="share",
            travel=best.travel,
            where=where_of(examination, item),
            need=item.id,
        )
    yield from _upright(examination, item, best, name)


def _upright(examination: Examination, item: Item, best: Shown | None, name: str) -> Iterator[Finding]:
    """What is read is the right way up where it is seen best."""
    if best is None or best.share < 0.5 or abs(best.turned_deg) < UPSIDE_DEG:
        return
    yield Finding(
        "picture-upright",
        "warn",
        _mechanism_of(examination, item),
        (item.on,),
        f"{name[:1].upper()}{name[1:]} stands on its head",
        f"Where it is seen best, at {examination.amount(best.mechanism, best.travel)}, it is turned by {abs(best.turned_deg):.0f}°.",
        round(abs(best.turned_deg), 3),
        90.0,
        unit="deg",
        at_most=True,
        travel=best.travel,
        where=where_of(examination, item),
        need=item.id,
    )


def _on_paper(examination: Examination, item: Item) -> Iterator[Finding]:
    """All of a greeting lies on its paper, on a face that somebody sees."""
    assembly = examination.assembly
    name = item.named
    part = assembly.by_id.get(item.on)
    panel = assembly.panels.get(item.on)
    carrier = part or panel
    assert carrier is not None
    if item.face == "back" and part is not None and panel is None:
        yield Finding(
            "picture-face",
            "warn",
            _mechanism_of(examination, item),
            (item.on,),
            f"{name[:1].upper()}{name[1:]} is on the back of the {part.name}",
            "What lies flat never shows its back. Put it on the front.",
            0.0,
            SHOWN_SHARE,
            unit="share",
            where=where_of(examination, item),
            need=item.id,
        )
        return
    if item.kind == "picture":
        return  # a picture may run over the edge: it is cut off with the paper
    region = laid_outline(item, carrier.outline)
    off = float(shapely.difference(region, carrier.region).area) / max(float(region.area), 1e-9)
    if off > OFF_SHARE:
        outside = float(shapely.difference(region, shapely.Polygon(carrier.outline)).area) / max(float(region.area), 1e-9)
        place = "over the edge" if outside > off / 2 else "over an opening"
        yield Finding(
            "picture-place",
            "warn",
            _mechanism_of(examination, item),
            (item.on,),
            f"{name[:1].upper()}{name[1:]} runs {place} of the {carrier.name}",
            f"{_percent(off)} of it have no paper under them. Move it, or make it smaller.",
            round(off, 4),
            OFF_SHARE,
            unit="share",
            at_most=True,
            where=where_of(examination, item),
            need=item.id,
        )


def check_faces(examination: Examination) -> Iterator[Finding]:
    """What lies on a panel is on a face that somebody sees; and what is dressed on its front and turns over shows no bare back."""
    assembly = examination.assembly
    items = [i for i in seen_items(examination) if i.on in assembly.panels and i.kind not in ("decoration", "mat")]
    if not items:
        return
    backed = {i.on for i in items if i.face == "back"}
    for item in items:
        panel = assembly.panels[item.on]
        if panel.base or (item.face == "front" and item.on in backed):
            continue
        own, other = (_face_share(examination, item.on, face) for face in (item.face, "back" if item.face == "front" else "front"))
        name = item.named
        if own < NEVER_SHARE and other >= BARE_SHARE and not _is_seen_otherwise(examination, item):
            title = f"{name[:1].upper()}{name[1:]} is on a face that nobody sees"
            message = f"Lying flat, the {panel.name} only ever shows its {'back' if item.face == 'front' else 'front'}. Put it there."
            yield _face_finding(examination, item, "picture-face", "warn", title, message, own, SHOWN_SHARE, at_most=False)
            continue
        if item.on in backed or item.kind != "picture" or item.face != "front" or other < BARE_SHARE:
            continue
        backed.add(item.on)
        message = f"{_percent(other)} of it are seen once it has turned over. Give it a twin of {name}, or a backing."
        title = f"The back of the {panel.name} is seen bare"
        yield _face_finding(examination, item, "picture-back", "note", title, message, other, BARE_SHARE, at_most=True)


def _is_seen_otherwise(examination: Examination, item: Item) -> bool:
    """Whether a face that no flat state shows is seen all the same: it spins, it is seen while something stands, or it stands out of the card,
    so that it is seen from behind."""
    panel = examination.assembly.panels[item.on]
    if panel.spins or panel.stands_out:
        return True
    card = examination.assembly.card
    for drive in examination.assembly.all_drives:
        between = np.linspace(drive.rest, drive.end, 7)[1:-1]
        if any(seen_at(examination, item, drive.mechanism, float(t)).share > NEVER_SHARE for t in between):
            return True
        if examination.assembly.folding_of(drive.mechanism) is None:
            continue
        frames = scene_at(examination, {drive.mechanism: drive.end}).frames
        if item.on in frames:
            corners = apply_frame(frames[item.on], panel.corners)[:, :2]
            if (corners < -OUT_MM).any() or (corners > np.array([card.width_mm, card.height_mm]) + OUT_MM).any():
                return examination.assembly.folding_of(drive.mechanism).kind != "inside"  # type: ignore[union-attr]
    return False


def _face_share(examination: Examination, panel_id: str, face: str) -> float:
    """The share of a panel's face that is seen at the flat halt at which most of it is."""
    assembly = examination.assembly
    on = panel_id if face == "front" else f"{panel_id}:back"
    best = 0.0
    for folding in (f for f in assembly.foldings if panel_id in f.by_id):
        panels = [p for p in folding.panels if not p.base]
        faces = [f"{p.id}{back}" for p in panels for back in ("", ":back")]
        for state in folding.states:
            looked = examination.once(
                ("faces", folding.mechanism, state.at),
                lambda panels=panels, at=state.at, own=folding.mechanism: look_for(  # type: ignore[misc]
                    examination, [Target(f"{p.id}{back}", p.region) for p in panels for back in ("", ":back")], {own: at}
                ),
            )
            best = max(best, looked[faces.index(on)].share if on in faces else 0.0)
    return best


def _face_finding(
    examination: Examination, item: Item, rule: str, severity: Severity, title: str, message: str, share: float, wanted: float, *, at_most: bool
) -> Finding:
    mechanism = _mechanism_of(examination, item)
    return Finding(rule, severity, mechanism, (item.on,), title, message, round(share, 4), wanted, unit="share", at_most=at_most, need=item.id)


def _mechanism_of(examination: Examination, item: Item) -> str:
    """The mechanism whose travel an item is told by: its own, or the first on the card."""
    own = item.on.partition(".")[0]
    drives = examination.assembly.all_drives
    return own if any(d.mechanism == own for d in drives) else drives[0].mechanism if drives else own


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %" if share >= 0.01 else f"{100 * share:.1f} %"


__all__ = ["best_shown", "check_faces", "check_pictures", "turns_far"]
