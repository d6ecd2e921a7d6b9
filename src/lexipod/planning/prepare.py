"""What is done to the pieces before any is put in its place: coloured, cut, punched, laminated, scored, folded.

Source: what is flat is stamped, coloured and scored before it is folded; a heavy laminate is not cut through, so plies are cut and punched
apart; free hinges are worked both ways until limp (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks, find_openings, lying_square
from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.planning.asking import asked_of
from lexipod.planning.gluing import advise
from lexipod.planning.making_words import counted, listed, position_words, stem
from lexipod.planning.model import PLACED, Earlier, Step
from lexipod.planning.puts import LEVEL_MM, TOUCH_MM2
from lexipod.units import UnitStyle

CUTTERS = {"hand": ("knife", "metal ruler", "mat"), "trimmer": ("trimmer",), "die": ("die machine", "dies"), "plotter": ("plotter",)}
FOLDERS = {"hand": (), "ruler": ("ruler",), "tool": ("scoring tool", "bone folder")}


@dataclass(eq=False)
class Work:
    """What a plan is made from, and the steps so far. ``last`` is the step after which a blank is ready to be put in its place."""

    assembly: Assembly
    catalog: Catalog
    design: Design
    style: UnitStyle
    blanks: tuple[Blank, ...]
    steps: list[Step] = field(default_factory=list)
    last: dict[str, list[str]] = field(default_factory=dict)
    position: dict[str, float] = field(default_factory=dict)
    by_id: dict[str, Step] = field(default_factory=dict)

    @classmethod
    def of(cls, assembly: Assembly, catalog: Catalog, design: Design) -> Work:
        """The work on a card, nothing done yet; mechanisms stand where they are laid down."""
        home = {d.mechanism: d.home for d in assembly.all_drives}
        return cls(assembly, catalog, design, design.ways.style(), tuple(find_blanks(assembly)), position=home)

    def minutes(self, kind: str, count: float = 1.0) -> float:
        """What so many of a kind of step take one card, at the maker's pace."""
        return round(self.design.ways.pace * self.catalog.minutes[kind].each * count, 2)

    def setup(self, kind: str) -> float:
        """What a kind of step takes once for a batch."""
        return round(self.design.ways.pace * self.catalog.minutes[kind].setup, 2)

    def add(self, step: Step) -> Step:
        """One step more, with its cautions and what stands in the design about it."""
        words = {*step.tools, step.kind, step.adhesive}
        cautions = tuple(c.name for c in self.catalog.cautions.values() if words & set(c.when))
        minutes = self.design.making.minutes.get(step.id, step.minutes)
        matters = step.kind in PLACED or step.position != self.position
        told = position_words(self.assembly, step.position, self.style) if step.position and matters else ""
        made = replace(step, cautions=(*step.cautions, *cautions), minutes=minutes, told=told)
        self.steps.append(made)
        self.by_id[made.id] = made
        return made

    def ready(self, blank: str, step: str) -> None:
        """A step after which a blank can go on."""
        self.last[blank] = [step]

    def after(self, blanks: Iterable[str], why: str) -> tuple[Earlier, ...]:
        """The last steps on some blanks, as what comes first."""
        names = dict.fromkeys(s for b in blanks for s in self.last.get(b, ()))
        return tuple(Earlier(n, why, sets=self.by_id[n].wait > 0) for n in names)


def prepare(work: Work) -> None:
    """All steps on single pieces, stock by stock and piece by piece."""
    ways = work.design.ways
    stocks: dict[str, list[Blank]] = {}
    for blank in work.blanks:
        stocks.setdefault(blank.stock, []).append(blank)
    if ways.laminating == "before":
        for blank in work.blanks:
            if blank.plies > 1 and blank.stock in work.catalog.stocks:
                _laminate(work, blank)
    for stock, blanks in stocks.items():
        _cut(work, stock, blanks)
    punched = [b for b in work.blanks if any(o.kind == "hole" for o in find_openings(lying_square(b), work.assembly))]
    if punched:
        _punch(work, punched)
    scored = [b for b in work.blanks if b.creases]
    if scored:
        _score(work, scored)
    _colour(work)
    if ways.laminating == "after":
        for blank in work.blanks:
            if blank.plies > 1 and blank.stock in work.catalog.stocks:
                _laminate(work, blank)
    for group in _alike(scored, lambda b: tuple((c.name, c.fold, c.runs) for c in b.creases)):
        _fold(work, group)


def _stock_name(work: Work, stock: str) -> str:
    book = work.catalog
    return book.stocks[stock].name if stock in book.stocks else book.foams[stock].name if stock in book.foams else stock


def _cut(work: Work, stock: str, blanks: list[Blank]) -> None:
    cutting = work.design.ways.cutting
    is_foam = stock in work.catalog.foams
    way = "hand" if is_foam else cutting
    through = work.design.ways.openings == "through"
    plies = [(b, 1 if work.design.ways.laminating == "before" else b.plies) for b in blanks]
    pieces = sum(b.quantity * n for b, n in plies)
    openings = sum(
        len([o for o in find_openings(lying_square(b), work.assembly) if o.kind in ("window", "slot", "slit", "notch")]) * n for b, n in plies
    )
    minutes = work.minutes(f"cut.{way}", pieces) * (0.3 if is_foam else 1.0) + work.minutes(f"open.{way}", openings * (0.6 if through else 1.0))
    names = counted([b.name for b in blanks], most=9)
    tips = ["Directional paper: decide which way is up, and which side the pull leaves, before you cut."] if not is_foam else []
    if through and openings:
        tips.append("Openings that lie on each other are cut through all layers at once: glue them dry first.")
    if any(b.trims for b in blanks):
        tips.append(f"Cut longer, to be trimmed in place: {listed(b.name for b in blanks if b.trims)}.")
    asks = tuple(a for b in blanks for a in asked_of(work.assembly, b, ("cut", "opening")))[:4] if not is_foam else ()
    step = work.add(
        Step(
            f"cut-{stock}",
            "cut",
            f"Cut from {_stock_name(work, stock)}: {names}.",
            "the cut list and the sheets have their sizes",
            earlier=tuple(e for b in blanks for e in work.after([b.id], "it is cut as one with its plies")),
            blanks=tuple(b.id for b in blanks),
            minutes=round(minutes, 2),
            setup=work.setup(f"cut.{way}"),
            tools=CUTTERS[way],
            tips=tuple(tips),
            asks=asks,
        )
    )
    for blank in blanks:
        work.ready(blank.id, step.id)


def _punch(work: Work, blanks: list[Blank]) -> None:
    before = work.design.ways.laminating == "before"
    holes = {b.id: sum(o.kind == "hole" for o in find_openings(lying_square(b), work.assembly)) for b in blanks}
    count = sum(n * (1 if before else blank.plies) * blank.quantity for blank in blanks for n in [holes[blank.id]])
    tips = ["Ream a hole until its brad turns in it; try the brad's head and legs before anything is glued."]
    if any(b.plies > 1 for b in blanks):
        tips.append(
            "Plies are punched together, after laminating."
            if before
            else "Plies are punched apart; a brad through them lines them up while they are laminated."
        )
    step = work.add(
        Step(
            "punch",
            "punch",
            f"Punch the holes of {counted([b.name for b in blanks], most=99)}.",
            "a hole is punched while its piece is single and lies flat",
            earlier=work.after([b.id for b in blanks], "it is cut"),
            blanks=tuple(b.id for b in blanks),
            minutes=work.minutes("punch", count),
            setup=work.setup("punch"),
            tools=("punch", "pencil"),
            tips=tuple(tips),
            asks=tuple(a for b in blanks for a in asked_of(work.assembly, b, ("hole",)))[:3],
        )
    )
    for blank in blanks:
        work.ready(blank.id, step.id)


def _score(work: Work, blanks: list[Blank]) -> None:
    lines = sum(len(b.creases) * b.quantity for b in blanks)
    step = work.add(
        Step(
            "score",
            "score",
            f"Score {listed(b.name for b in blanks)}, but do not fold yet.",
            "colouring and stamping need them flat",
            earlier=work.after([b.id for b in blanks], "it is cut"),
            blanks=tuple(b.id for b in blanks),
            minutes=work.minutes("score", lines),
            setup=work.setup("score"),
            tools=("scoring tool", "ruler"),
            tips=("Scores are told from one end of the sheet and add up to it; heavy or printed stock is scored twice.",),
        )
    )
    for blank in blanks:
        work.ready(blank.id, step.id)


Art = dict[str, list[tuple[str, str, str]]]
"""By piece what is stamped on it: kind, part, face."""


def _colour(work: Work) -> None:
    """What is stamped, coloured or papered on each piece while it lies flat; the maker may like it later, where that can be."""
    wanted = _art(work)
    flat = [b for b in work.blanks if b.id in wanted and not _waits(work, wanted[b.id])]
    for group in _of_one_kind(flat, wanted):
        step = work.add(_colour_step(work, group, wanted))
        for blank in group:
            work.ready(blank.id, step.id)


def colour_in_place(work: Work, tried: Sequence[str]) -> None:
    """What was left to be stamped when it lies in its place and was tried."""
    wanted = _art(work)
    left = [b for b in work.blanks if b.id in wanted and _waits(work, wanted[b.id])]
    for group in _of_one_kind(left, wanted):
        step = _colour_step(work, group, wanted)
        work.add(
            replace(
                step,
                why="in its place, as you like it: nothing lies over it",
                earlier=(*work.after(step.blanks, "it is in its place"), *(Earlier(t, "it was tried first", must=False) for t in tried)),
                position=step.position or dict(work.position),
                reach="front",
                tips=(step.tips[0], "Press only where there is foam or paper below."),
            )
        )


def _waits(work: Work, rows: Sequence[tuple[str, str, str]]) -> bool:
    """Whether all of it can still be stamped when the card is put together, and the maker likes that: on the front of what lies still, with
    nothing over it and nothing that moves above."""
    return work.design.ways.stamping == "place" and all(face == "front" and _stays_open(work.assembly, on) for _, on, face in rows)


def _stays_open(assembly: Assembly, on: str) -> bool:
    part = assembly.by_id.get(on)
    if part is None or part.id in assembly.moving or (part.id == assembly.ground and any(f.kind == "face" for f in assembly.foldings)):
        return False
    above = [p for p in assembly.parts if p.id != on and (p.quantity or p.role == "fastener") and p.z_mm >= part.top_mm - LEVEL_MM]
    return not any(p.id in assembly.moving or p.region_at_home.intersection(part.region_at_home).area > TOUCH_MM2 for p in above)


def _art(work: Work) -> Art:
    """What is stamped, coloured or papered on each piece."""
    carrier = {panel: b for b in work.blanks for panel in b.panels}
    wanted: Art = {}
    for item in work.assembly.items:
        if item.is_ink and item.on in carrier:
            wanted.setdefault(carrier[item.on].id, []).append((item.kind, item.on, item.face))
    for zone in work.assembly.zones:
        if zone.kind == "art" and zone.part in carrier and not any(on == zone.part for row in wanted.values() for _, on, _ in row):
            wanted.setdefault(carrier[zone.part].id, []).append((_art_name(zone.name), zone.part, zone.face))
    return wanted


def _of_one_kind(blanks: list[Blank], wanted: Art) -> list[list[Blank]]:
    return _alike(blanks, lambda b: tuple(sorted({kind for kind, _, _ in wanted[b.id]})))


def _art_name(name: str) -> str:
    """What a place for art is called: “greeting”, or a picture."""
    return "greeting" if "greeting" in name else "picture"


def _alike(blanks: list[Blank], kind: Callable[[Blank], object]) -> list[list[Blank]]:
    """Pieces that are called alike but for their number, and are of one kind, together."""
    groups: dict[object, list[Blank]] = {}
    for blank in blanks:
        groups.setdefault((stem(blank.name), blank.mechanism, kind(blank)), []).append(blank)
    return list(groups.values())


def _colour_step(work: Work, group: list[Blank], wanted: Art) -> Step:
    rows = [row for b in group for row in wanted[b.id]]
    panels = {p for b in group for p in b.panels}
    halts = {tuple(z.at.items()) for z in work.assembly.zones if z.kind == "art" and z.part in panels and z.at}
    at = dict(next(iter(halts))) if len(halts) == 1 else {}
    greetings = sum(kind == "greeting" for kind, _, _ in rows)
    upright = f", upright {position_words(work.assembly, at, work.style)}" if at else ", each upright at its own halt" if halts else ""
    tips = [
        "The placement guides show where it is seen, and which way up.",
        "Emboss and stamp before cutting fine outlines; erase pencil before it is covered.",
    ]
    if any(face == "back" for _, _, face in rows):
        tips.append("Something lies on its back: the guide for that face is mirrored.")
    return Step(
        f"colour-{group[0].id}",
        "colour",
        f"Colour and stamp the {counted([b.name for b in group])}: {listed(kind for kind, _, _ in rows)}{upright}.",
        "flat, before it is folded, covered or out of reach",
        earlier=work.after([b.id for b in group], "it has its size and its scores"),
        blanks=tuple(b.id for b in group),
        mechanism=group[0].mechanism,
        minutes=round(work.minutes("colour", len(rows) - greetings) + work.minutes("greeting", greetings), 2),
        setup=work.setup("colour"),
        position={**work.position, **at} if at else {},
        tips=tuple(tips),
        tools=("stamps", "ink"),
    )


def _laminate(work: Work, blank: Blank) -> None:
    glue, why = advise(
        work.catalog, work.design.ways, (blank.stock,), area_mm2=float(blank.region.area), loaded=False, aligned=blank.region.area < 4000
    )
    work.ready(
        blank.id,
        work.add(
            Step(
                f"laminate-{blank.id}",
                "laminate",
                f"Laminate the {blank.name}: {blank.plies} plies, edges flush, with {glue.name}.",
                f"it must be stiff before it is moved; {glue.name.split(' from')[0]}, since {why}",
                earlier=work.after(
                    [blank.id], "its plies are cut, punched and coloured" if work.design.ways.laminating == "after" else "its plies are there"
                ),
                blanks=(blank.id,),
                mechanism=blank.mechanism,
                minutes=work.minutes("laminate", (blank.plies - 1) * blank.quantity),
                wait=glue.waits,
                wait_for=f"the plies of the {blank.name}",
                adhesive=glue.kind,
                tools=("weight",),
                tips=("Press it flat under a weight while it sets.",) if glue.waits else (),
                asks=asked_of(work.assembly, blank, ("paper",)),
            )
        ).id,
    )


def _fold(work: Work, group: list[Blank]) -> None:
    blank, names = group[0], counted([b.name for b in group])
    free = [c for c in blank.creases if c.runs == "free"]
    orders = sorted({c.order for c in blank.creases})
    turns = [listed(f"{c.name.split(',')[0].replace('-', ' ')} ({c.fold})" for c in blank.creases if c.order == o) for o in orders]
    told = "; then ".join(turns) if len(blank.creases) <= 8 else f"{len(blank.creases)} scores in their order"
    tips = ["Burnish crisp scores with the flat of the tool."]
    if free:
        tips.append(f"Work {listed(c.name for c in free)} both ways until limp." if len(free) <= 4 else "Work the free hinges both ways until limp.")
    quantity = sum(b.quantity for b in group)
    step = work.add(
        Step(
            f"fold-{blank.id}",
            "fold",
            f"Fold the {names}: {told}.",
            "folded and open again, before it is glued anywhere",
            earlier=work.after([b.id for b in group], "what is on it was coloured and scored flat"),
            blanks=tuple(b.id for b in group),
            mechanism=blank.mechanism,
            minutes=round(work.minutes("fold", len(blank.creases) * quantity) + work.minutes("limp", len(free) * quantity), 2),
            tools=FOLDERS[work.design.ways.folding],
            tips=tuple(tips),
        )
    )
    for one in group:
        work.ready(one.id, step.id)
