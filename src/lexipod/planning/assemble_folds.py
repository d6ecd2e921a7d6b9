"""Steps for what folds: sheets joined in the hand, hung on threads, glued into the card, the last tab pressed flat."""

from __future__ import annotations

from dataclasses import dataclass

from lexipod.assembly import Blank, Folding
from lexipod.planning.fold_joins import FoldJoin, find_joins, unjoined
from lexipod.planning.gluing import advise
from lexipod.planning.making_words import counted, listed
from lexipod.planning.model import Earlier, GlueSpot, Step, StepKind
from lexipod.planning.prepare import Work

ON_PAGE_AREA_MM2 = 3000.0
THREAD_TIPS = (
    "Glue one half, lay the thread along its axis, and the mirrored twin on top.",
    "Upper end first: a dot of glue inside, a paper patch over it.",
    "Draw the thread down until the piece hangs in the middle, patch the lower end, snip.",
)
LAST_TIPS = (
    "Lay the glue on the last tab with all folded flat; shut it, and the tab lands where it belongs.",
    "Rub from outside; keep glue off the scores.",
)
ENDS_TIPS = ("Nothing but the marked ends: glue in the middle locks it.", "Look along its edges for an even margin before you press.")


def fold_steps(work: Work, folding: Folding) -> list[str]:
    """All steps of one mechanism that folds, in its order; the ids of those that put something."""
    joins = find_joins(work.assembly, folding)
    sheets = {s.id: s for s in folding.sheets}
    made: list[str] = []
    done: dict[tuple[str, str], str] = {}
    flat_tested = False
    for number, join in enumerate(joins):
        if done and not flat_tested and (join.is_page or join.closes or (len(join.panels) > 1 and _ties(folding, join))):
            made.append(_try_in_hand(work, folding, list(done.values()), is_page=join.is_page))
            flat_tested = True
        under = [done[pair] for pair in join.over]
        step = _join(work, folding, join, number, list(done.values()), under, sheets)
        done[join.sheet, join.onto] = step.id
        for blank in (join.sheet, join.onto):
            if blank in sheets:
                work.ready(blank, step.id)
        made.append(step.id)
    for sheet in unjoined(folding, joins):
        if sheets[sheet].panels:
            made.append(_lay_in(work, folding, sheet, list(done.values())).id)
    made.append(_first_opening(work, folding, made))
    return made


def _name(work: Work, blank: str) -> str:
    found = next((b for b in work.blanks if b.id == blank), None)
    return found.name if found is not None else work.assembly.part_name(blank)


@dataclass(frozen=True, slots=True)
class _Said:
    """A join in words: the kind of step, what is done, why now, tips."""

    kind: StepKind
    do: str
    why: str
    tips: tuple[str, ...]


def _say_join(work: Work, folding: Folding, join: FoldJoin) -> _Said:
    """What is done where two sheets come together."""
    sides = [(work.assembly.part_name(a), work.assembly.part_name(b)) for a, b in join.panels]
    if len({a for a, _ in sides}) == 1:
        panels = f"{sides[0][0]} on {listed(b for _, b in sides)}"
    else:
        panels = listed(f"{a} on {b}" for a, b in sides)
    name, onto = _name(work, join.sheet), _name(work, join.onto)
    if join.kind == "thread":
        return _Said("thread", f"Hang the {name} on its thread in the {onto}", "the opening is out of reach later", THREAD_TIPS)
    if join.closes:
        do = f"Press everything flat, glue {panels} and close upon it"
        return _Said("last", do, "only pressed flat does the last tab find its place", LAST_TIPS)
    if join.kind == "ends":
        do = f"Glue only the ends of the {name} on the {onto}, clear of what slides under it"
        return _Said("join", do, "it guides what is joined already", ENDS_TIPS)
    do = f"Glue {panels}" if join.kind == "glued" else f"Glue the hinge tab: {panels}"
    if not join.is_page:
        why = "in the hand, where both faces can be reached"
    elif folding.kind == "inside":
        why = "its fold lies in the gutter before the other side is glued"
    else:
        why = "it has run in the hand"
    turns = ("One after the other: the first lying open, the second with all pressed flat.",) if len(join.panels) > 1 else ()
    return _Said("join", do, why, (*turns, "Glue only in the marked place, short of every score."))


def _join(work: Work, folding: Folding, join: FoldJoin, number: int, before: list[str], under: list[str], sheets: dict[str, Blank]) -> Step:
    said, hangs = _say_join(work, folding, join), join.kind == "thread"
    stocks = tuple(dict.fromkeys(folding.by_id[a].stock for a, _ in join.panels if a in folding.by_id)) or (work.design.card.stock,)
    area = ON_PAGE_AREA_MM2 if join.is_page else 0.0
    glue, why_glue = advise(work.catalog, work.design.ways, stocks, area_mm2=area, loaded=not join.is_page or join.closes, aligned=True)
    wait = 0.0 if hangs else glue.waits
    return work.add(
        Step(
            f"{'page' if join.is_page else 'join'}-{join.sheet}-{number}",
            said.kind,
            said.do + ("." if hangs else f", with {glue.name}."),
            said.why if hangs else f"{said.why}; {glue.name.split(' from')[0]}, since {why_glue}",
            earlier=(*_earlier(work, folding, join, before, sheets), *(Earlier(step, "it lies under it") for step in under)),
            parts=tuple(dict.fromkeys(_panels(folding, join.sheet))),
            blanks=tuple(b for b in (join.sheet,) if b in sheets),
            mechanism=folding.mechanism,
            minutes=work.minutes(said.kind, max(1, len(join.panels))),
            wait=wait,
            wait_for=f"the glue on the {_name(work, join.sheet)}" if wait else "",
            position={**work.position, folding.mechanism: join.at},
            reach="front" if join.is_page else "hand",
            glue=_spots(folding, join),
            adhesive="dot" if hangs else glue.kind,
            tips=said.tips,
            tools=("thread", "scissors") if hangs else (),
        )
    )


def _earlier(work: Work, folding: Folding, join: FoldJoin, before: list[str], sheets: dict[str, Blank]) -> tuple[Earlier, ...]:
    """What comes before a join: both sheets are folded; where it closes something, hangs in it or goes into the card, all that was joined
    before it, and a trial."""
    bases = ["card.sheet"] if join.is_page else []
    earlier = list(work.after([*(b for b in (join.sheet, join.onto) if b in sheets), *bases], "it is folded, and open again"))
    known = {e.step for e in earlier}
    if join.is_page or join.closes or join.kind == "thread" or _ties(folding, join):
        earlier += [Earlier(s, "joined while both its faces can be reached", sets=join.closes) for s in before if s not in known]
        tried = f"try-{folding.mechanism}"
        earlier += [Earlier(tried, "it is tried first", must=False)] if tried in work.by_id else []
    return tuple(earlier)


def _panels(folding: Folding, sheet: str) -> tuple[str, ...]:
    return next((s.panels for s in folding.sheets if s.id == sheet), ())


def _spots(folding: Folding, join: FoldJoin) -> tuple[GlueSpot, ...]:
    """The marked places of the sheet, or the whole panels that meet."""
    sheet = next((s for s in folding.sheets if s.id == join.sheet), None)
    if sheet is None or join.kind == "thread":
        return ()
    others = [s for s in folding.sheets if s.id != sheet.id]
    own = [ring for ring, what in sheet.guides if "glue" in what and not any(_names(s.name, what) for s in others)]
    if own:
        return tuple(GlueSpot(sheet.id, ring, "back", join.onto) for ring in own)
    onto = next((s for s in others if s.id == join.onto), None)
    there = [ring for ring, what in onto.guides if _names(sheet.name, what)] if onto is not None else []
    if there and onto is not None:
        return tuple(GlueSpot(onto.id, ring, "front", sheet.id) for ring in there)
    return tuple(GlueSpot(a, folding.by_id[a].outline, "back", join.onto) for a, _ in join.panels if a in sheet.panels)


def _names(name: str, what: str) -> bool:
    """Whether a place for glue says that it is for a sheet of that name."""
    return name.split(" ")[-1] in what.split(" ")


def _ties(folding: Folding, join: FoldJoin) -> bool:
    """Whether one of its joints closes a loop, so that what lies inside is out of reach afterwards."""
    return any(j.closes for j in folding.joints if j.id in join.joints)


def _try_in_hand(work: Work, folding: Folding, before: list[str], *, is_page: bool) -> str:
    """Folds are tried by hand before they go into the card, and before a loop is closed round them."""
    until = "before it goes into the card" if is_page else "before it is closed"
    return work.add(
        Step(
            f"try-{folding.mechanism}",
            "test",
            f"Fold it flat and open it by hand, both ways, {until}.",
            "a crease that does not run is worked again while it can be reached",
            earlier=tuple(Earlier(s, "it is joined", sets=True) for s in before),
            mechanism=folding.mechanism,
            minutes=work.minutes("test"),
            position={**work.position, folding.mechanism: (folding.drive.rest + folding.drive.end) / 2},
            reach="hand",
        )
    ).id


def _lay_in(work: Work, folding: Folding, sheet: str, before: list[str]) -> Step:
    return work.add(
        Step(
            f"lay-{sheet}",
            "lay",
            f"Lay the {_name(work, sheet)} in its place.",
            "",
            earlier=(*work.after([sheet], "it is folded"), *(Earlier(s, "what holds it is there") for s in before)),
            parts=_panels(folding, sheet),
            blanks=(sheet,),
            mechanism=folding.mechanism,
            minutes=work.minutes("lay"),
            position=dict(work.position),
            reach="front",
        )
    )


def _first_opening(work: Work, folding: Folding, before: list[str]) -> str:
    """The first way through its travel, slowly."""
    is_page = folding.drive.by == "page"
    do = (
        "Open it slowly for the first time, a thin tool on the tabs; then shut it and open it fully."
        if is_page
        else "Move it slowly through its whole travel and back."
    )
    flat = counted([s.name for s in folding.states if s.closed]) if any(s.closed for s in folding.states) else "shut"
    return work.add(
        Step(
            f"open-{folding.mechanism}",
            "test",
            do + f" It must lie flat again ({flat}), nothing may stand out.",
            "a tab that has not set tears off now, and can still be glued again",
            earlier=tuple(Earlier(s, "all of it is glued", sets=True) for s in before),
            mechanism=folding.mechanism,
            minutes=work.minutes("test", 2),
            position={**work.position, folding.mechanism: folding.drive.end},
            tools=("bone folder",),
            reach="front",
        )
    ).id
