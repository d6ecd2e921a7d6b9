"""The pieces of a card, or of a batch of cards, on the sheets that they are cut from."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec
import shapely
from shapely import affinity

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks, lying_square
from lexipod.blanks.grain import grain_axis
from lexipod.blanks.laps import lap_fault
from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.design.sheeting import Placed, Sheeting
from lexipod.errors import ChoiceError, ParameterError
from lexipod.geometry.shapes import split_region
from lexipod.nesting import Board, Cut, Layout, Piece, Spot, find_cuts, find_faults, lay_free, lay_straight, lay_tighter, offcut_of, turned
from lexipod.pictures.papers import is_paper
from lexipod.units import UnitStyle

MOST_PIECES = 8000
TRIAL_STOCK = "copy-80"


@dataclass(frozen=True, slots=True)
class Lot:
    """What is cut from sheets of one kind: the stock, its colour where a batch has two, and how many plies are laminated before cutting."""

    stock: str
    colour: str = ""
    plies: int = 1


@dataclass(frozen=True, eq=False)
class CutPiece:
    """One piece to be cut: which blank, as it lies square, of which copy, and which of those it is cut ``number`` times for."""

    blank: Blank
    copy: int
    number: int
    lot: Lot

    @property
    def name(self) -> str:
        return f"{self.blank.id}|{self.copy}|{self.number}"


@dataclass(frozen=True, eq=False)
class LaidSheet:
    """One sheet with its pieces: ``number`` counts the sheets of its lot from 1. ``cuts`` free them in order, None where straight cuts do not;
    ``offcut`` is the largest rectangle that is left, if it is worth keeping."""

    lot: Lot
    number: int
    sheet: str
    name: str
    board: Board
    pieces: tuple[tuple[CutPiece, Spot, Any], ...]
    cuts: tuple[Cut, ...] | None
    offcut: Any
    is_trimmed: bool = True

    @property
    def sheeting_cuts(self) -> tuple[Cut, ...]:
        """The cuts of a trimmer, where the sheet is cut straight."""
        return self.cuts or () if self.is_trimmed else ()

    @property
    def size_mm(self) -> tuple[float, float]:
        return self.board.size_mm

    @property
    def use(self) -> float:
        """The share of the sheet that becomes pieces."""
        return sum(region.area for _, _, region in self.pieces) / float(self.board.region.area)


@dataclass(frozen=True, eq=False)
class Sheets:
    """All sheets of a batch, and the pieces that no sheet takes, each with why."""

    sheeting: Sheeting
    sheets: tuple[LaidSheet, ...]
    unplaced: tuple[tuple[CutPiece, str], ...] = ()
    layouts: Mapping[Lot, Layout] = field(default_factory=dict)
    made_for: str = ""

    @property
    def count(self) -> int:
        """Sheets to have; those that are laminated before cutting count by their plies."""
        return sum(sheet.lot.plies for sheet in self.sheets)

    def against_grain(self, assembly: Assembly, catalog: Catalog) -> tuple[str, ...]:
        """Names of blanks that lie across their grain."""
        found = (p.blank.name for s in self.sheets for p, spot, _ in s.pieces if spot.turn not in turns_of(p, catalog, assembly))
        return tuple(dict.fromkeys(found))

    @property
    def use(self) -> float:
        whole = sum(s.board.region.area * s.lot.plies for s in self.sheets)
        return sum(s.use * s.board.region.area * s.lot.plies for s in self.sheets) / whole if whole else 0.0

    def placed(self, locked: frozenset[str] = frozenset()) -> tuple[Placed, ...]:
        """Where everything lies, to be kept in the design."""
        return tuple(
            Placed(p.blank.id, p.copy, p.number, sheet.number - 1, round(s.x_mm, 6), round(s.y_mm, 6), s.turn, p.name in locked)  # type: ignore[arg-type]
            for sheet in self.sheets
            for p, s, _ in sheet.pieces
        )


def cut_pieces(assembly: Assembly, catalog: Catalog, design: Design, *, only: tuple[str, ...] = (), trial: bool = False) -> tuple[CutPiece, ...]:
    """Every piece that is cut for the copies of a card. ``only`` takes these blanks alone (by id); a ``trial`` is cut from plain paper, but for
    the foam.

    Raises ``ChoiceError`` for a blank that there is not, ``ParameterError`` for more pieces than can be laid.
    """
    sheeting = design.sheeting
    blanks = [lying_square(b) for b in find_blanks(assembly)]
    known = {b.id: b for b in blanks}
    for name in (*only, *sheeting.second):
        if name not in known:
            raise ChoiceError("piece", name, sorted(known))
    together = design.ways.laminating == "before"
    out: list[CutPiece] = []
    for copy in range(1, sheeting.copies + 1):
        for blank in blanks:
            if only and blank.id not in only:
                continue
            is_foam = blank.stock in catalog.foams
            stock = sheeting.instead.get(blank.id, blank.stock)
            colour = ""
            if sheeting.colours and not is_foam and not (stock in catalog.stocks and catalog.stocks[stock].clear):
                colour = sheeting.colours[((blank.id in sheeting.second) + copy + 1) % 2]
            if trial and not is_foam:
                stock, colour = TRIAL_STOCK, ""
            plies = blank.plies if together and not is_foam else 1
            each = blank.quantity * (1 if plies > 1 else blank.plies)
            out += [CutPiece(blank, copy, number, Lot(stock, colour, plies)) for number in range(1, each + 1)]
        if len(out) > MOST_PIECES:
            fits = max(1, MOST_PIECES * copy // len(out))
            raise ParameterError("copies", f"so many are over {MOST_PIECES} pieces; lay {min(fits, 50)} and cut these sheets as often as it takes")
    return tuple(out)


ALL_TURNS = (0, 90, 180, 270)


def turns_of(piece: CutPiece, catalog: Catalog, assembly: Assembly, *, keeps_grain: bool = True) -> tuple[int, ...]:
    """The quarter turns in which a piece may lie on an upright sheet: its grain along the sheet's, patterned paper upright."""
    if any(
        item.on in piece.blank.panels and item.on in assembly.carriers and is_paper(item, assembly.carriers[item.on].outline)
        for item in assembly.items
    ):
        return (0,)
    stock = catalog.stocks.get(piece.lot.stock)
    axis = grain_axis(piece.blank) if keeps_grain and stock is not None and stock.grain != "none" else ""
    if not axis or stock is None:
        return ALL_TURNS
    along_sheet = "y" if stock.grain == "long" else "x"
    return (0, 180) if axis == along_sheet else (90, 270)


def _fits(region: Any, turns: tuple[int, ...], board: Board) -> bool:
    width, height = (v - 2 * board.margin_mm + 1e-6 for v in board.size_mm)
    return any(b[2] <= width and b[3] <= height for b in (turned(region, t).bounds for t in turns))


def usual_sheet(stock: str, catalog: Catalog, units: str) -> str:
    """The sheet that a stock is bought in where nothing was said."""
    kind, small = catalog.kind_of(stock), units == "in"
    names = {"paper": ("letter", "a4"), "foam": ("foam-letter", "foam-a4"), "film": ("film-letter", "film-a4")}[kind]
    return names[0] if small else names[1]


def boards_for(lot: Lot, group: list[CutPiece], design: Design, catalog: Catalog, assembly: Assembly) -> list[Board]:
    """What a lot can be cut from: its off-cuts, as many as there are, and sheets of its stock.

    Raises ``ChoiceError`` for a sheet that is not in the catalog, ``ParameterError`` for one that the margins leave nothing of, or that is of
    another material.
    """
    sheeting = design.sheeting
    name = sheeting.sheets.get(lot.stock, "") or usual_sheet(lot.stock, catalog, design.ways.units)
    size = catalog.sheets[catalog.find_id("sheets", name)]
    kind = catalog.kind_of(lot.stock)
    if size.of and size.of != kind:
        fitting = sorted(s.id for s in catalog.sheets.values() if not s.of or s.of == kind)
        raise ParameterError(f"sheets.{lot.stock}", f"{size.name} is a sheet of {size.of}; take one of {', '.join(fitting)}")
    if 2 * sheeting.margin_mm >= size.width_mm:
        raise ParameterError("margin", f"{sheeting.margin_mm:g} mm on both sides leave nothing of a sheet {size.width_mm:g} mm wide")
    whole = Board(size.id, shapely.box(0, 0, size.width_mm, size.height_mm), sheeting.margin_mm)
    if not sheeting.sheets.get(lot.stock):
        whole_boards = [whole, *_larger(lot, group, whole, catalog, assembly)]
    else:
        whole_boards = [whole]
    own = [o for o in catalog.offcuts.values() if o.stock == lot.stock and o.count and o.colour in ("", lot.colour)]
    if not sheeting.uses_offcuts or lot.plies > 1:
        own = []
    return [*(Board(o.id, shapely.Polygon(o.outline), sheeting.margin_mm, o.count) for o in own), *whole_boards]


def _larger(lot: Lot, group: list[CutPiece], usual: Board, catalog: Catalog, assembly: Assembly) -> list[Board]:
    """The smallest sheet that takes what the usual one does not, grain or not; none where all fit, or nothing does."""
    kind, margin = catalog.kind_of(lot.stock), usual.margin_mm
    large = {p.blank.id: (p.blank.region, turns_of(p, catalog, assembly, keeps_grain=False)) for p in group}
    waiting = [row for row in large.values() if not _fits(*row, usual)]
    sizes = sorted((s for s in catalog.sheets.values() if not s.of or s.of == kind), key=lambda s: s.width_mm * s.height_mm)
    boards = (Board(s.id, shapely.box(0, 0, s.width_mm, s.height_mm), margin) for s in sizes if s.id != usual.name)
    found = next((b for b in boards if all(_fits(*row, b) for row in waiting)), None) if waiting else None
    return [] if found is None else [found]


def lay_sheets(
    assembly: Assembly,
    catalog: Catalog,
    design: Design,
    *,
    seconds: float = 0.0,
    only: tuple[str, ...] = (),
    trial: bool = False,
    tell: Callable[[float, Sheets | None], None] = lambda *_: None,
) -> Sheets:
    """The sheets of a batch. What the design says where pieces lie stays, as long as the pieces are those; locked ones stay as long as they
    fit. The rest is laid by the quick way, or for ``seconds`` by the best that is found. ``tell`` takes the share done and the best so far."""
    sheeting = design.sheeting
    pieces = cut_pieces(assembly, catalog, design, only=only, trial=trial)
    made_for = fingerprint(pieces, design)
    whole = len(pieces) > 0 and sheeting.made_for == made_for
    by_lot: dict[Lot, list[CutPiece]] = {}
    for piece in pieces:
        by_lot.setdefault(piece.lot, []).append(piece)
    layouts: dict[Lot, Layout] = {}
    boards = {lot: boards_for(lot, group, design, catalog, assembly) for lot, group in by_lot.items()}
    known = {p.name: p for p in pieces}
    weights = {lot: sum(float(p.blank.region.area) for p in group) for lot, group in by_lot.items()}

    def collected() -> Sheets:
        return _sheets(layouts, boards, known, catalog, sheeting, made_for)

    done = 0.0
    for lot, group in by_lot.items():
        share = weights[lot] / sum(weights.values())
        to_lay = [Piece(p.name, p.blank.id, p.blank.region, _turns(p, boards[lot], catalog, assembly, sheeting)) for p in group]
        held = _held(group, to_lay, boards[lot], sheeting, is_whole=whole and not seconds)
        told = _Telling(tell, done, share, layouts, lot, collected)
        layouts[lot] = _lay(to_lay, boards[lot], sheeting, held, seconds * share, told)
        done += share
        tell(min(1.0, done), None)
    return collected()


@dataclass(eq=False)
class _Telling:
    tell: Callable[[float, Sheets | None], None]
    done: float
    share: float
    layouts: dict[Lot, Layout]
    lot: Lot
    collected: Callable[[], Sheets]
    last: Layout | None = None

    def __call__(self, share: float, layout: Layout) -> None:
        best = None
        if layout is not self.last:
            self.layouts[self.lot] = self.last = layout
            best = self.collected()
        self.tell(min(1.0, self.done + self.share * share), best)


def _lay(
    pieces: list[Piece], boards: list[Board], sheeting: Sheeting, held: Layout | None, seconds: float, tell: Callable[[float, Layout], None]
) -> Layout:
    gap = sheeting.gap_mm
    if held is not None and len(held.spots) == len(pieces):
        return held
    if sheeting.cuts == "straight":
        return _straight_round(pieces, boards, gap, held)
    boxes = _straight_round(pieces, boards, gap, held)
    if seconds > 0:
        found = lay_tighter(pieces, boards, gap, seconds=seconds, held=held, tell=tell)
    else:
        found = lay_free(pieces, boards, gap, held=held)
    return found if found.worth <= boxes.worth or held is not None else boxes


def _straight_round(pieces: list[Piece], boards: list[Board], gap: float, held: Layout | None) -> Layout:
    """Sheets that hold something are left as they are; the rest goes on further sheets."""
    if held is None or not held.spots:
        return lay_straight(pieces, boards, gap)
    there = {s.piece for s in held.spots}
    used = {id(b): sum(x is b for x in held.boards) for b in boards}
    open_boards = [b if b.count is None else Board(b.name, b.region, b.margin_mm, b.count - used[id(b)]) for b in boards]
    rest = lay_straight([p for p in pieces if p.name not in there], open_boards, gap)
    moved = tuple(Spot(s.piece, s.board + len(held.boards), s.x_mm, s.y_mm, s.turn) for s in rest.spots)
    return Layout((*held.boards, *rest.boards), (*held.spots, *moved), rest.unplaced, {p.name: p for p in pieces})


def _held(group: list[CutPiece], pieces: list[Piece], boards: list[Board], sheeting: Sheeting, *, is_whole: bool) -> Layout | None:
    """What stays where it was put: everything where the pieces are those that it was laid for, else what is locked and still fits. Numbers of
    sheets stay, so that a piece alone on the third sheet stays there."""
    places = {f"{p.blank}|{p.copy}|{p.number}": p for p in sheeting.placed if is_whole or p.locked}
    wanted = [(piece, places[piece.name]) for piece in pieces if piece.name in places]
    if not wanted:
        return None
    whole = next(b for b in boards if b.count is None)
    names = sorted({place.sheet for _, place in wanted})
    spots: list[Spot] = []
    used: list[Board] = []
    for number, sheet in enumerate(names):
        here = [(piece, place) for piece, place in wanted if place.sheet == sheet]
        board = _board_of(here, boards, whole)
        trials = [Spot(piece.name, 0, place.x, place.y, place.turn) for piece, place in here]
        kept = _sound(board, trials, {piece.name: piece for piece, _ in here}, sheeting.gap_mm)
        used.append(board)
        spots += [Spot(s.piece, number, s.x_mm, s.y_mm, s.turn) for s in kept]
    return Layout(tuple(used), tuple(spots), (), {p.name: p for p in pieces})


def _sound(board: Board, trials: list[Spot], pieces: dict[str, Piece], gap: float) -> list[Spot]:
    """All spots where they are sound together, else those that are as they come one after the other."""
    if not find_faults(Layout((board,), tuple(trials), (), pieces), gap):
        return trials
    kept: list[Spot] = []
    for trial in trials:
        if not find_faults(Layout((board,), (*kept, trial), (), pieces), gap):
            kept.append(trial)
    return kept


def _board_of(here: list[tuple[Piece, Placed]], boards: list[Board], whole: Board) -> Board:
    """The board that pieces were put on: the first off-cut that holds them all where they are, else a whole sheet."""
    for board in boards:
        room = shapely.buffer(board.room, 1e-6)
        if all(room.covers(affinity.translate(turned(p.region, at.turn), at.x, at.y)) for p, at in here):
            return board
    return whole


def _turns(piece: CutPiece, boards: list[Board], catalog: Catalog, assembly: Assembly, sheeting: Sheeting) -> tuple[int, ...]:
    """The turns in which a piece is laid: by its grain, unless no board takes it so and the maker lets it go then."""
    turns = turns_of(piece, catalog, assembly, keeps_grain=sheeting.grain != "free")
    if sheeting.grain == "where it can" and not any(_fits(piece.blank.region, turns, b) for b in boards):
        return turns_of(piece, catalog, assembly, keeps_grain=False)
    return turns


def fingerprint(pieces: tuple[CutPiece, ...], design: Design) -> str:
    """What a layout was made for, in a few letters: another shape of a piece, another sheet, gap or way of cutting is another one."""
    told = hashlib.sha256()
    seen: set[str] = set()
    for piece in pieces:
        told.update(f"{piece.name} {piece.lot}".encode())
        if piece.blank.id not in seen:
            seen.add(piece.blank.id)
            told.update(repr([[(round(x, 3), round(y, 3)) for x, y in shapely.get_coordinates(piece.blank.region)]]).encode())
    sheeting = msgspec.structs.replace(design.sheeting, placed=(), made_for="")
    told.update(msgspec.json.encode(sheeting))
    told.update(design.ways.units.encode())
    return told.hexdigest()[:16]


def _sheets(
    layouts: dict[Lot, Layout], boards: dict[Lot, list[Board]], known: dict[str, CutPiece], catalog: Catalog, sheeting: Sheeting, made_for: str
) -> Sheets:
    rows: list[LaidSheet] = []
    unplaced: list[tuple[CutPiece, str]] = []
    for lot, layout in layouts.items():
        for number, board in enumerate(layout.boards):
            on = [(known[s.piece], s, region) for s, region in layout.on(number)]
            regions = [region for _, _, region in on]
            cuts = None
            if board.is_box:
                found = find_cuts({p.name: region.bounds for p, _, region in on}, tuple(board.region.bounds))
                cuts = None if found is None else tuple(found)
            name = catalog.sheets[board.name].name if board.name in catalog.sheets else catalog.offcuts[board.name].name
            rows.append(
                LaidSheet(
                    lot, number + 1, board.name, name, board, tuple(on), cuts, offcut_of(board, regions, sheeting.gap_mm), sheeting.cuts == "straight"
                )
            )
        unplaced += [(known[name], why_unplaced(known[name], boards[lot], catalog)) for name in layout.unplaced]
    return Sheets(sheeting, tuple(rows), tuple(unplaced), dict(layouts), made_for)


def why_unplaced(piece: CutPiece, boards: list[Board], catalog: Catalog, style: UnitStyle | None = None) -> str:
    """Why no sheet takes a piece, and what would."""
    style = style or UnitStyle()
    width, height = piece.blank.size_mm
    whole = max(boards, key=lambda b: b.region.area)
    least, most = sorted((width, height))
    room = sorted(v - 2 * whole.margin_mm for v in whole.size_mm)
    size = f"it is {style.length(width)} × {style.length(height)}, the sheet leaves {style.length(room[0])} × {style.length(room[1])}"
    kind = catalog.kind_of(piece.lot.stock)
    larger = [
        s
        for s in catalog.sheets.values()
        if (not s.of or s.of == kind) and s.width_mm - 2 * whole.margin_mm >= least and s.height_mm - 2 * whole.margin_mm >= most
    ]
    if least <= room[0] + 1e-6 and most <= room[1] + 1e-6:
        return f"{size}, but its grain or pattern must run the other way; let the grain go, or take a larger sheet"
    named = f"take {min(larger, key=lambda s: s.width_mm * s.height_mm).name}" if larger else "no sheet in the catalog is large enough"
    return f"{size}; {named}, or cut it in two that lap"


def room_of(piece: CutPiece, sheets: Sheets, design: Design, catalog: Catalog) -> tuple[float, float]:
    """The room that the sheet of a piece's stock leaves between its margins."""
    name = sheets.sheeting.sheets.get(piece.lot.stock, "") or usual_sheet(piece.lot.stock, catalog, design.ways.units)
    size = catalog.sheets[catalog.find_id("sheets", name)]
    margin = 2 * sheets.sheeting.margin_mm
    return size.width_mm - margin, size.height_mm - margin


def lap_faults(assembly: Assembly) -> Iterator[tuple[str, str]]:
    """Blanks that were to be cut in two and are not, each with why; and laps of parts that there are not."""
    blanks = find_blanks(assembly)
    done = {panel for b in blanks if b.id.endswith("-lap1") for panel in b.panels}
    for blank in blanks:
        fault = "" if done & set(blank.panels) else lap_fault(blank, assembly)
        if fault:
            yield blank.name, fault
    known = {panel for b in blanks for panel in b.panels}
    yield from ((part, "there is no such part") for part in assembly.laps if part not in known)


def sheets_json(sheets: Sheets) -> dict[str, object]:
    """The sheets as the documented JSON object."""
    return {
        "format": "lexipod-sheets/1",
        "copies": sheets.sheeting.copies,
        "cuts": sheets.sheeting.cuts,
        "use": round(sheets.use, 4),
        "sheets": [_sheet_json(s) for s in sheets.sheets],
        "unplaced": [{"part": p.blank.id, "copy": p.copy, "why": why} for p, why in sheets.unplaced],
    }


def _sheet_json(sheet: LaidSheet) -> dict[str, object]:
    width, height = sheet.size_mm
    out: dict[str, object] = {
        "stock": sheet.lot.stock,
        "colour": sheet.lot.colour,
        "plies": sheet.lot.plies,
        "sheet": sheet.sheet,
        "number": sheet.number,
        "width": round(width, 4),
        "height": round(height, 4),
        "use": round(sheet.use, 4),
        "pieces": [{"part": p.blank.id, "copy": p.copy, "number": p.number, "turn": spot.turn, **_rings(region)} for p, spot, region in sheet.pieces],
        "offcut": None if sheet.offcut is None else [round(float(v), 4) for v in sheet.offcut.bounds],
    }
    if sheet.cuts is not None:
        named = {p.name: p.blank.id for p, _, _ in sheet.pieces}
        out["cuts"] = [
            {
                "cut": c.of,
                "along": c.along,
                "at": round(c.at_mm, 4),
                "gives": list(c.gives),
                "kept": [named.get(k.partition("#")[0], "") for k in c.kept],
            }
            for c in sheet.cuts
        ]
    return out


def _rings(region: Any) -> dict[str, object]:
    outline, holes = split_region(region)
    return {
        "polygon": [[round(float(x), 4), round(float(y), 4)] for x, y in outline],
        "holes": [[[round(float(x), 4), round(float(y), 4)] for x, y in ring] for ring in holes],
    }


def cuts_told(sheet: LaidSheet, style: UnitStyle) -> Iterator[str]:
    """The cuts of a sheet in words, in order: what is put in, and where the stop is set."""
    named = {p.name: p.blank.name for p, _, _ in sheet.pieces}
    for k, cut in enumerate(sheet.cuts or (), 1):
        edge = "left edge" if cut.along == "width" else "lower edge"
        what = "the sheet" if cut.of == 1 else f"part {cut.of}"
        freed = [f"part {n}{f' is the {named[name]}' if name else ''}" for n, name in zip(cut.gives, cut.kept, strict=True)]
        yield f"{k}. {what}, its {edge} at the stop, stop at {style.length(cut.at_mm)}: {', '.join(freed)}"
