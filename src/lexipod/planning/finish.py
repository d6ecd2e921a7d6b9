"""What comes last: edges trimmed in place, cues, what was left for the end, the closure, and the last look."""

from __future__ import annotations

from lexipod.assembly import Cue
from lexipod.closing.card import close_card
from lexipod.planning.gluing import advise
from lexipod.planning.making_words import listed
from lexipod.planning.model import ON_PIECES, Earlier, Step
from lexipod.planning.prepare import Work, colour_in_place
from lexipod.planning.puts import BASES, INNER


def finish(work: Work, putting: list[str]) -> None:
    """Steps for the finished card."""
    tried = _last_test(work, putting)
    colour_in_place(work, tried)
    _trims(work, tried)
    _cues(work, tried)
    closed = _closure(work, tried)
    _last_look(work, [*tried, *closed])


def inner_card(work: Work) -> None:
    """An inner card is glued in first: closing the card upon it would crush foam on its front."""
    found = next((b for b in work.blanks if set(b.panels) & set(INNER)), None)
    if found is None:
        return
    rest = {d.mechanism: d.rest for d in work.assembly.all_drives}
    glue, why = advise(
        work.catalog, work.design.ways, (found.stock, work.design.card.stock), area_mm2=float(found.region.area), loaded=False, aligned=True
    )
    step = work.add(
        Step(
            "inner",
            "last",
            f"Glue one half of the {found.name} in the card, fold in fold; glue its other half, and close the card upon it, with {glue.name}.",
            f"the card is pressed shut for it, before foam is on its front; {glue.name.split(' from')[0]}, since {why}",
            earlier=work.after([found.id, "card.sheet"], "both are folded"),
            parts=found.panels,
            blanks=(found.id, "card.sheet"),
            mechanism="card",
            minutes=work.minutes("last"),
            position=rest,
            wait=glue.waits,
            wait_for="the glue on the inner card" if glue.waits else "",
            reach="front",
            adhesive=glue.kind,
            tips=("Margins even at the three outer edges; nothing at the fold.",),
        )
    )
    for blank in (found.id, "card.sheet"):
        work.ready(blank, step.id)


def _last_test(work: Work, putting: list[str]) -> list[str]:
    """Everything is moved once more when all is in its place."""
    made = []
    for drive in work.assembly.drives:
        name = work.assembly.part_name(drive.part)
        how = {"gravity": "Tilt the card both ways", "page": "Open and shut the card"}.get(
            drive.by, f"{'Turn' if drive.kind == 'turn' else 'Move'} the {name} from rest to its end and back, ten times"
        )
        stops = (
            " It must stop where it is meant to, and nothing that is meant to be hidden may show at rest."
            if not drive.endless
            else " It must turn by itself."
        )
        made.append(
            work.add(
                Step(
                    f"run-{drive.mechanism}",
                    "test",
                    f"{how}.{stops}",
                    "before it is dressed and closed",
                    earlier=tuple(Earlier(s, "all is in its place", sets=True) for s in putting),
                    mechanism=drive.mechanism,
                    minutes=work.minutes("test"),
                    position={**work.position, drive.mechanism: drive.end},
                    reach="front",
                )
            ).id
        )
    return made or putting[-1:]


def _trims(work: Work, tried: list[str]) -> None:
    for blank in work.blanks:
        for trim in blank.trims if not blank.id.endswith("-plies") else ():
            drive = work.assembly.drive_of(blank.mechanism)
            position = {**work.position, blank.mechanism: drive.rest} if drive is not None else dict(work.position)
            step = work.add(
                Step(
                    f"trim-{blank.id}-{trim.edge}",
                    "trim",
                    f"Trim the {trim.edge} edge of the {blank.name}: {trim.why}.",
                    "its rest position is final now",
                    earlier=tuple(Earlier(s, "it was tried first") for s in tried),
                    blanks=(blank.id,),
                    mechanism=blank.mechanism,
                    minutes=work.minutes("trim"),
                    position=position,
                    tools=("knife", "metal ruler"),
                    reach="front",
                )
            )
            work.ready(blank.id, step.id)


def _cues(work: Work, tried: list[str]) -> None:
    shown: list[Cue] = [c for c in work.assembly.cues if c.kind != "none"]
    if not shown:
        return
    told = listed(f"{'an arrow' if c.kind == 'arrow' else f'the word “{c.word}”'} on the {work.assembly.part_name(c.part)}" for c in shown)
    rest = {d.mechanism: d.rest for d in work.assembly.all_drives}
    work.add(
        Step(
            "cue",
            "cue",
            f"Draw the cue: {told}, seen at rest.",
            "last, when it is known which way it runs",
            earlier=tuple(Earlier(s, "it was tried first", must=False) for s in tried),
            minutes=work.minutes("cue", len(shown)),
            position=rest,
            reach="front",
        )
    )


def _closure(work: Work, tried: list[str]) -> list[str]:
    closing = close_card(work.assembly)
    made = []
    done = {b for s in work.steps if s.kind not in ON_PIECES for b in s.blanks}
    joined = {b for b, steps in work.last.items() for s in steps if work.by_id[s].kind not in ON_PIECES}
    left = [b for b in work.blanks if b.id not in done | joined and not b.id.endswith("-plies") and b.id not in BASES]
    rest = {d.mechanism: d.rest for d in work.assembly.all_drives}
    if closing is not None and closing.hem_mm:
        glue, _ = advise(work.catalog, work.design.ways, (work.design.card.stock,), area_mm2=0.0, loaded=True, aligned=True)
        made.append(
            work.add(
                Step(
                    "hem",
                    "close",
                    f"Lay {2 * len(closing.magnets)} magnets in the hems, poles tried in pairs; fold the hems inwards over them, with {glue.name}.",
                    "the hem hides them, and shuts upon its mates",
                    earlier=(*work.after(["card.sheet"], "the hems are scored"), *(Earlier(s, "it was tried first", must=False) for s in tried)),
                    blanks=("card.sheet",) if "card.sheet" in {b.id for b in work.blanks} else (),
                    minutes=work.minutes("hem"),
                    wait=glue.waits,
                    wait_for="the glue in the hems" if glue.waits else "",
                    position=rest,
                    tools=("magnet",),
                    adhesive=glue.kind,
                    tips=("Lay the mates on the first magnets with a dot of glue on each, and shut the card: they land where they belong.",),
                )
            ).id
        )
    for blank in left:
        is_band = "band" in blank.id
        do = (
            f"Wrap the {blank.name} round the shut card, press its edges, match its ends and join them away from the card."
            if is_band
            else f"Fold the {blank.name} over the shut edge and glue it on the back page; seal its front last."
            if "seal" in blank.id
            else f"Glue the {blank.name} in its place."
        )
        made.append(
            work.add(
                Step(
                    f"close-{blank.id}",
                    "close",
                    do,
                    "its folds come from the finished stack" if is_band else "when all that slides has run",
                    earlier=(*work.after([blank.id], "it is cut"), *(Earlier(s, "it was tried first") for s in tried)),
                    parts=blank.panels,
                    blanks=(blank.id,),
                    minutes=work.minutes("band" if is_band else "seal"),
                    position=rest,
                    adhesive="tape",
                    tips=("It slides off and on; keep glue and tape off the card.",) if is_band else (),
                )
            ).id
        )
    return made


def _last_look(work: Work, before: list[str]) -> None:
    rest = {d.mechanism: d.rest for d in work.assembly.all_drives}
    envelope = work.assembly.card.envelope
    name = work.catalog.find_envelope(envelope).name if envelope else ""
    work.add(
        Step(
            "finish",
            "finish",
            "Erase pencil, wipe glue off, shut the card at rest" + (f" and slip it into its envelope ({name})." if name else "."),
            "everything lies inside the outline now, or is meant to stand out",
            earlier=tuple(Earlier(s.id, "it is done", sets=True) for s in work.steps),
            minutes=work.minutes("finish"),
            position=rest,
            tools=("envelope",) if envelope else (),
        )
    )
