"""What is said of each thing that is put: the kind of step, what is done, tips."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lexipod.assembly import Guided, Part
from lexipod.planning.bench import Bench
from lexipod.planning.making_words import counted, listed
from lexipod.planning.model import StepKind
from lexipod.planning.puts import BASES, Put, pierced_by
from lexipod.planning.reach import Building

SPACER_TIP = "Open the legs over a spacer of two or three plies, draw it out again: that is the play."


@dataclass(frozen=True, slots=True)
class Said:
    """One step in words, without its glue."""

    kind: StepKind
    do: str
    tips: tuple[str, ...] = ()


def say_put(bench: Bench, puts: Sequence[Put], building: Building) -> Said:
    """What is done with some puts of one kind."""
    put = puts[0]
    if put.id == building.seed:
        return Said("lay", f"Take the {_names(bench, puts)}, loose: what follows is put on it before it comes to the card")
    turn = " from behind" if building.side.get(put.id) == "down" and put.kind != "legs" else ""
    return _SAYERS[put.kind](bench, puts, turn)


def _names(bench: Bench, puts: Sequence[Put]) -> str:
    return counted([bench.name_of(p) for p in puts])


def _legs(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    held = counted([bench.by_id[i].name for i in pierced_by(bench.bench, puts[0].of)])
    brads = counted([bench.by_id[p.of].name for p in puts])
    return Said(
        "legs", f"Turn over; open the legs of the {brads} behind, loosely ({held})", (SPACER_TIP, "Try that it turns before the legs are flat.")
    )


def _brad(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    held = counted([bench.by_id[i].name for i in dict.fromkeys(i for p in puts for i in pierced_by(bench.bench, p.id))])
    tip = "The head is flat and lies under what covers it: try it before."
    return Said("brad", f"Put the {_names(bench, puts)} through {held}{turn}, its head in front", (tip,))


def _flap(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    put = puts[0]
    folded = counted([bench.by_id[p.parts[0]].name for p in puts])
    over = "" if " over " in folded else f" over the {bench.nearest(put)}"
    seam = next((m.name for m in bench.work.assembly.seams if m.a == put.parts[0]), "")
    tips = [f"{seam[:1].upper()}{seam[1:]}."] if "," in seam else []
    unglued = "" if bench.glue(puts) else ", unglued"
    return Said("flap", f"Fold the {folded}{over}{turn}{unglued}", (*tips, "Close it loosely; what is inside must run."))


def _loop(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    over = listed(bench.name_of_put(i) for i in puts[0].between)
    do = f"Fold the {_names(bench, puts)} round the {over}, glue its ends together, slip it on and glue its back down"
    return Said("loop", do, ("Try it loose on what it guides before its back is glued.",))


def _foam(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    names, held = _names(bench, puts), bench.by_id[puts[0].of].name
    if any(bench.by_id[p.parts[0]].glides for p in puts):
        tip = "They slide on the panel and keep it level; these are forgotten most often."
        return Said("foam", f"Stick {names} behind the {held}, the other liners left on for good", (tip,))
    colour = bench.work.design.ways.foam_colour.capitalize()
    tips = (f"{colour} foam: its edge must not be seen.", "Clear of all that moves: the zone for foam is drawn.")
    return Said("foam", f"Stick {names} behind the {held}, liners left on", tips)


def _weight(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    return Said("lay", f"Lay the {_names(bench, puts)} in its track")


def _piece(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    put = puts[0]
    part = bench.by_id[put.parts[0]]
    if bench.carries_foam(put) or put.id in BASES:
        return _mount(bench, puts, turn)
    ground = bench.ground_of(put)
    if part.face == "foam":
        on = ground.name if ground is not None else "card"
        tip = "Try what runs between or against them before the liners come off."
        return Said("foam", f"Stick the {_names(bench, puts)} on the {on}{turn}, upper liners left on", (tip,))
    if ground is None or not _is_glued(bench, put, part, ground):
        return _laid(bench, puts, turn)
    marked = listed(bench.by_id[z.to].name for z in bench.marked(put) if z.to in bench.by_id)
    on = f"the {marked}" if marked else "its foam" if ground.face == "foam" else f"the {ground.name}"
    tips = ("Keep glue away from every edge that runs.",) if part.id in bench.work.assembly.moving else ()
    return Said("glue", f"Glue the {_names(bench, puts)} on {on}{turn}", tips)


def _mount(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    names = _names(bench, puts)
    if puts[0].id in BASES:
        do = f"Peel the liners and set everything on the {names}" if bench.has_foam else f"Glue everything on the {names}"
    else:
        do = f"Peel the liners and set the {names} in place{turn}"
    tips = ("Let one edge touch first, look, then press.", "Open the card flat on the bench and press only where there is foam or paper below.")
    return Said("mount", f"{do}, margins even all round", tips)


def _is_glued(bench: Bench, put: Put, part: Part, ground: Part) -> bool:
    """Whether it is glued to its ground now: that is there, and nothing else will hold it."""
    touches = bench.is_touching(part, ground) or ground.face == "foam" or not bench.is_held_otherwise(put)
    return (ground.id in bench.parts_there and touches) or bool(bench.marked(put))


def _laid(bench: Bench, puts: Sequence[Put], turn: str) -> Said:
    put = puts[0]
    guided = next((n for n in bench.work.assembly.needs if isinstance(n, Guided) and n.part in put.parts), None)
    if guided is not None:
        how = f"between {counted([bench.by_id[g].name for g in guided.guides if g in bench.by_id])}"
    else:
        how = "in its place" if len(puts) == 1 else "in their places"
    tips = ("Wax or powder the edges that run.",) if put.parts[0] in bench.work.assembly.moving else ()
    return Said("lay", f"Lay the {_names(bench, puts)} {how}{turn}, unglued", tips)


_SAYERS: Mapping[str, Callable[[Bench, Sequence[Put], str], Said]] = {
    "piece": _piece,
    "flap": _flap,
    "loop": _loop,
    "foam": _foam,
    "brad": _brad,
    "legs": _legs,
    "weight": _weight,
}
