"""The pieces of a card, or of a batch of cards, on the sheets that they are cut from."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec
import shapely

from lexipod.assembly import Assembly, Blank
from lexipod.blanks import find_blanks, lying_square
from lexipod.blanks.grain import grain_axis
from lexipod.blanks.laps import lap_fault
from lexipod.catalog import Catalog
from lexipod.design import Design
from lexipod.design.sheeting import Placed, Sheeting
from lexipod.errors import ChoiceError, ParameterError
from lexipod.nesting import (
    WORTH_KEEPING_MM,
    Board,
    Cut,
    Layout,
    Piece,
    Spot,
    find_cuts,
    find_faults,
    lay_free,
    lay_straight,
    lay_tighter,
    offcut_of,
    parts_left,
    turned,
)
from lexipod.pictures.papers import is_paper

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
    """One sheet with its pieces: ``number`` counts the sheets of its lot from 1. ``cuts`` free them in order where the sheet
    ``is_trimmed``, None where no order of straight cuts does; ``offcut`` is the largest rectangle that is left, if it is worth keeping."""

    lot: Lot
    number: int
    sheet: str
    name: str
    stock_name: str
    board: Board
    pieces: tuple[tuple[CutPiece, Spot, Any], ...]
    cuts: tuple[Cut, ...] | None
    offcut: Any
    is_trimmed: bool = True

    @property
    def title(self) -> str:
        """What the sheet is called."""
        colour = f" {self.lot.colour}" if self.lot.colour else ""
        return f"{self.stock_name}{colour}, sheet {self.number} ({self.name})"

    @property
    def size_mm(self) -> tuple[float, float]:
        return self.board.size_mm

    @property
    def use(self) -> float:
        """The share of the sheet that becomes pieces."""
        return sum(region.area for _, _, region in self.pieces) / float(self.board.region.area)


@dataclass(frozen=True, eq=False)
class Sheets:
    """All sheets of a batch, and the pieces that no sheet takes, each with the largest that there is."""

    sheeting: Sheeting
    sheets: tuple[LaidSheet, ...]
    unplaced: tuple[tuple[CutPiece, Board], ...] = ()
    layouts: Mapping[Lot, Layout] = field(default_factory=dict)
    made_for: str = ""

    @property
    def count(self) -> int:
        """Sheets to have; those that are laminated before cutting count by their plies."""
        return sum(sheet.lot.plies for sheet in self.sheets)

    def against_grain(self, assembly: Assembly, catalog: Catalog) -> tuple[str, ...]:
        """Names of blanks that lie across their grain since no sheet takes them along it."""
        if self.sheeting.grain == "free":
            return ()
        found = (p.blank.name for s in self.sheets for p, spot, _ in s.pieces if spot.turn not in turns_of(p, catalog, assembly))
        return tuple(dict.fromkeys(found))

    @property
    def use(self) -> float:
        whole = sum(s.board.region.area * s.lot.plies for s in self.sheets)
        return sum(s.use * s.board.region.area * s.lot.plies for s in self.sheets) / whole if whole else 0.0

    def placed(self, locked: frozenset[str] = frozenset()) -> tuple[Placed, ...]:
        """Where everything lies, to be kept in the design."""
        return tuple(place_of(p, sheet, s, is_locked=p.name in locked) for sheet in self.sheets for p, s, _ in sheet.pieces)


def place_of(piece: CutPiece, sheet: LaidSheet, spot: Spot, *, is_locked: bool) -> Placed:
    """A place as it is kept in the design."""
    x, y = round(spot.x_mm, 6), round(spot.y_mm, 6)
    return Placed(piece.blank.id, piece.copy, piece.number, sheet.number - 1, x, y, spot.turn, is_locked, sheet.sheet)  # type: ignore[arg-type]


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
        length = design.ways.style().length
        raise ParameterError("margin", f"{length(sheeting.margin_mm)} on both sides leave nothing of a sheet {length(size.width_mm)} wide")
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

    to_lay = {
        lot: [Piece(p.name, p.blank.id, p.blank.region, _turns(p, boards[lot], catalog, assembly, sheeting)) for p in group]
        for lot, group in by_lot.items()
    }
    held = {lot: _held(by_lot[lot], to_lay[lot], boards[lot], sheeting, is_whole=whole and not seconds) for lot in by_lot}
    for lot, laid in to_lay.items():  # by their boxes, which takes no time
        kept = held[lot]
        layouts[lot] = kept if kept is not None and len(kept.spots) == len(laid) else _straight_round(laid, boards[lot], sheeting.gap_mm, kept)
    if sheeting.cuts == "straight" or all(layouts[lot] is held[lot] for lot in layouts):
        return collected()
    tell(0.0, collected())
    done = 0.0
    for lot, laid in to_lay.items():
        share = weights[lot] / sum(weights.values())
        if layouts[lot] is not held[lot]:
            told = _Telling(tell, done, share, layouts, lot, collected)
            _lay_free(laid, boards[lot], sheeting.gap_mm, held[lot], seconds * share, told)
        done += share
        tell(min(1.0, done), None)
    return collected()


@dataclass(eq=False)
class _Telling:
    """Keeps the better of two layouts of a lot, and tells of it; ``is_forced`` takes the new one whatever it is."""

    tell: Callable[[float, Sheets | None], None]
    done: float
    share: float
    layouts: dict[Lot, Layout]
    lot: Lot
    collected: Callable[[], Sheets]

    def went_on(self, share: float) -> None:
        """So much of the lot is done."""
        self.tell(min(1.0, self.done + self.share * share), None)

    def found(self, share: float, layout: Layout, *, is_forced: bool = False) -> None:
        """A layout, which may be the one before."""
        known = self.layouts[self.lot]
        best = None
        if layout is not known and (is_forced or layout.worth <= known.worth):
            self.layouts[self.lot] = layout
            best = self.collected()
        self.tell(min(1.0, self.done + self.share * share), best)


def _lay_free(pieces: list[Piece], boards: list[Board], gap: float, held: Layout | None, seconds: float, telling: _Telling) -> None:
    """A lot laid along its outlines, at once or for so many seconds. Round what is held the boxes are no match: they never share its sheets."""
    if seconds > 0:
        best = lay_tighter(pieces, boards, gap, seconds=seconds, held=held, tell=telling.found)
    else:
        best = lay_free(pieces, boards, gap, held=held, tell=telling.went_on)
    telling.found(1.0, best, is_forced=held is not None)


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
    """What stays where it was put: everything where the pieces are those that it was laid for, else what is locked and still fits. A
    sheet on which nothing stays is none; the others close up."""
    places = {f"{p.blank}|{p.copy}|{p.number}": p for p in sheeting.placed if is_whole or p.locked}
    wanted = [(piece, places[piece.name]) for piece in pieces if piece.name in places]
    if not wanted:
        return None
    names = sorted({place.sheet for _, place in wanted})
    spots: list[Spot] = []
    used: list[Board] = []
    for number, sheet in enumerate(names):
        here = [(piece, place) for piece, place in wanted if place.sheet == sheet]
        board = _board_of(here, boards, used)
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


def _board_of(here: list[tuple[Piece, Placed]], boards: list[Board], used: list[Board]) -> Board:
    """The board that pieces were put on; a whole sheet where that off-cut is gone."""
    named = here[0][1].on
    found = next((b for b in boards if b.name == named and (b.count is None or sum(u is b for u in used) < b.count)), None)
    return found or next(b for b in boards if b.count is None)


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
    unplaced: list[tuple[CutPiece, Board]] = []
    is_trimmed = sheeting.cuts == "straight"
    for lot, layout in layouts.items():
        stock_name = catalog.stocks[lot.stock].name if lot.stock in catalog.stocks else catalog.foams[lot.stock].name
        for number, board in enumerate(layout.boards):
            on = tuple((known[s.piece], s, region) for s, region in layout.on(number))
            cuts = _cuts_of(on, board) if is_trimmed else None
            name = catalog.sheets[board.name].name if board.name in catalog.sheets else catalog.offcuts[board.name].name
            offcut = _offcut(on, board, cuts, sheeting.gap_mm, is_trimmed=is_trimmed)
            rows.append(LaidSheet(lot, number + 1, board.name, name, stock_name, board, on, cuts, offcut, is_trimmed))
        largest = max(boards[lot], key=lambda b: b.region.area)
        unplaced += [(known[name], largest) for name in layout.unplaced]
    return Sheets(sheeting, tuple(rows), tuple(unplaced), dict(layouts), made_for)


def _cuts_of(on: tuple[tuple[CutPiece, Spot, Any], ...], board: Board) -> tuple[Cut, ...] | None:
    """The order of cuts; None where there is none, and for an off-cut that is no box."""
    found = find_cuts({p.name: region.bounds for p, _, region in on}, tuple(board.region.bounds)) if board.is_box else None
    return None if found is None else tuple(found)


def _offcut(on: tuple[tuple[CutPiece, Spot, Any], ...], board: Board, cuts: tuple[Cut, ...] | None, gap: float, *, is_trimmed: bool) -> Any:
    """The largest rectangle that is left and worth keeping: of a sheet cut straight what the cuts leave in one piece, else what no piece
    lies in. None where nothing is."""
    if not is_trimmed:
        return offcut_of(board, [region for _, _, region in on], gap)
    left = parts_left(cuts, tuple(board.region.bounds), [p.name for p, _, _ in on]) if cuts is not None else []
    worth = [b for b in left if min(b[2] - b[0], b[3] - b[1]) >= WORTH_KEEPING_MM]
    return shapely.box(*worth[0]) if worth else None


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
