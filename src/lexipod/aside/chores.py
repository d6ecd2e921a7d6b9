"""Long work in a process of its own: a call in, its answer out, so that no reckoning holds up a hand.

The calls are named here; the window asks for them by name and kills the process to give up. One that has answered waits for the next.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from lexipod.aside.wire import pack, unpack
from lexipod.building import build_assembly
from lexipod.builds import simulate_builds
from lexipod.catalog import load_catalog
from lexipod.checks import Examination, find_catch_points, find_overhangs, find_zone
from lexipod.checks.examination import COARSE_STEPS, FINE_STEPS
from lexipod.checks.foam import sheets_on_foam
from lexipod.checks.seen import sights
from lexipod.checks.surfaces import ever_seen, halts_of, room_to_write
from lexipod.cures.pads import plan_glides, plan_pads
from lexipod.design import Design, Item, write_bytes_atomically
from lexipod.errors import ChoiceError, LexipodError, shortened
from lexipod.fabricate.exports import Cutting, Moving, export_bytes
from lexipod.fabricate.machining import plot_programs
from lexipod.fabricate.sheeting import Sheets, lay_sheets
from lexipod.fabricate.templates import Layout
from lexipod.fitting import convert_design, fit_design, propose_designs
from lexipod.fitting.comparing import compare_designs
from lexipod.fitting.lapping import Lapping, propose_lap
from lexipod.fitting.punching import fit_to_punch
from lexipod.fitting.reaching import find_reach
from lexipod.pictures import Picture
from lexipod.pictures.loading import read_picture_file
from lexipod.planning.booklet import draw_booklet
from lexipod.plotting import Sender, SendError
from lexipod.plotting.sender import Unsure
from lexipod.records.shelf import count_kit


def _examined(design: Design) -> Examination:
    catalog = load_catalog()
    return Examination(build_assembly(design, catalog), catalog, design.ways, steps=FINE_STEPS)


def find_places(design: Design, part: str, face: str, use: str) -> dict[str, Any]:
    """A free zone with its overhangs and the catch points of a part, as plain values."""
    examination = _examined(design)
    found = examination.assembly.by_id.get(part)
    if found is None:
        return {}
    zone = find_zone(examination, part, face, use)  # type: ignore[arg-type]
    overhangs = find_overhangs(examination, part) if part in examination.assembly.moving else {}
    return {"zone": zone, "overhangs": overhangs, "catches": find_catch_points(examination)}


def see_items(design: Design) -> dict[str, Any]:
    """What is seen, as plain values: ``shares`` of every item at each halt of each mechanism (mechanism, travel, share), ``ever``, the share
    of each face that is ever seen, and ``room`` that is left to write on (mm2)."""
    catalog = load_catalog()
    examination = Examination(build_assembly(design, catalog), catalog, design.ways, steps=COARSE_STEPS)
    shares: dict[str, list[tuple[str, float, float]]] = {}
    for drive in examination.assembly.all_drives:
        halts = halts_of(examination.assembly, drive.mechanism)
        for item, seen in sights(examination, drive.mechanism).items():
            shares.setdefault(item, []).extend((drive.mechanism, float(h), seen.at(float(h)).share) for h in halts)
    moving = set(examination.assembly.moving)
    ever = [(row.on, row.face, row.share) for row in ever_seen(examination) if row.on in moving or row.on in examination.assembly.panels]
    return {"shares": shares, "ever": ever, "room": list(room_to_write(examination))}


def plan_foam(design: Design) -> tuple[Item, ...]:
    """Pads under every sheet that sags, and glide pads under every picture that stands out far and has none."""
    examination = _examined(design)
    found: list[Item] = []
    for sheet in sheets_on_foam(examination):
        found += plan_pads(examination, _with(design, found), sheet)
    glided = {j.b for j in examination.assembly.joints if examination.assembly.by_id[j.a].glides}
    for part in examination.assembly.parts:
        if part.role == "decoration" and part.id in examination.assembly.moving and part.id not in glided and not part.item:
            found += plan_glides(examination, _with(design, found), part)
    return tuple(found)


def _with(design: Design, items: list[Item]) -> Design:
    return msgspec.structs.replace(design, items=(*design.items, *items))


def export_design(
    design: Design,
    folder: str,
    target: str,
    sheet: str,
    layout: Layout,
    at: dict[str, float] | None = None,
    what: str = "",
    cutting: Cutting | None = None,
) -> str:
    """Writes one export, and says where; ``folder`` is where the design's pictures lie, empty for a design that was not saved yet, ``at``
    where the mechanisms are held in a picture."""
    path = Path(target)
    style = design.ways.style()
    moving = Moving(at=tuple((at or {}).items()))
    data = export_bytes(
        design,
        load_catalog(),
        path.suffix,
        folder=Path(folder) if folder else None,
        style=style,
        sheet=sheet,
        layout=layout,
        what=what or None,  # type: ignore[arg-type]
        moving=moving,
        cutting=cutting,
        tell=_tell,
    )
    write_bytes_atomically(data, path)
    return target


def read_picture(path: str) -> tuple[bytes, Picture]:
    """The bytes of a picture's file and what is in it, with its outline worked out."""
    picture = read_picture_file(Path(path))  # first: it refuses what is too large
    _ = picture.outline_rings
    return Path(path).read_bytes(), picture


def set_to_punch(design: Design, part: str, opening: str, punch: str) -> dict[str, float]:
    """The measures that make an opening of a piece as large as a punch cuts."""
    catalog = load_catalog()
    if punch not in catalog.punches:
        raise ChoiceError("punch", punch, sorted(catalog.punches))
    _, settings = fit_to_punch(design, catalog, part, opening, catalog.punches[punch])
    return settings


def lay_on_sheets(design: Design, seconds: float) -> Sheets:
    """The pieces on sheets; for ``seconds`` the best that is found. Tells the share that is done with the best so far."""
    catalog = load_catalog()
    return lay_sheets(build_assembly(design, catalog), catalog, design, seconds=seconds, tell=lambda share, best: _tell((share, best)))


def lap_piece(design: Design, blank: str, room: tuple[float, float]) -> Lapping | None:
    """Where a piece is cut in two that lap."""
    return propose_lap(design, load_catalog(), blank, room)


def send_sheet(design: Design, number: int, host: str, port: int, start: int | None, unsure: Unsure) -> int:
    """Sends one sheet (counted from 1) to a plotter from a run on; tells how many runs are confirmed, and of how many. Why it ended early is the
    answer then."""
    catalog = load_catalog()
    assembly = build_assembly(design, catalog)
    sheets = lay_sheets(assembly, catalog, design)
    programs = plot_programs(sheets, assembly, catalog, design.ways)
    program = programs[number - 1]
    _tell((start or 0, len(program.steps)))
    return Sender(program, host, port, tell=lambda done: _tell((done, len(program.steps)))).send(start, unsure=unsure)


def write_booklet(design: Design, path: Path, folder: Path | None) -> str:
    """Plan, cut list, guides and kit as a PDF."""
    data = draw_booklet(design, load_catalog(), copies=design.sheeting.copies, folder=folder)
    write_bytes_atomically(data, path)
    return str(path)


CHORES: dict[str, Callable[..., Any]] = {
    "yield": lambda design, builds, seed: simulate_builds(design, load_catalog(), builds=builds, seed=seed, tell=_tell),
    "fit": lambda design, mechanism, keep: fit_design(design, load_catalog(), mechanism, keep),
    "reach": lambda design, mechanism, name, pinned: find_reach(design, load_catalog(), mechanism, name, pinned),
    "convert": lambda design, card: convert_design(design, load_catalog(), card),
    "propose": lambda card, ways, width, height: propose_designs(load_catalog(), card, ways, width, height, tell=_tell),
    "compare": lambda first, second: compare_designs(first, second, load_catalog()),
    "places": find_places,
    "foam": plan_foam,
    "seen": see_items,
    "punch": set_to_punch,
    "picture": read_picture,
    "export": export_design,
    "sheets": lay_on_sheets,
    "send": send_sheet,
    "lap": lap_piece,
    "kit": lambda design: count_kit(design, load_catalog()),
    "booklet": write_booklet,
}


def _tell(share: Any) -> None:
    """Says how much is done: a message before the answer, a share or what the chore tells besides."""
    sys.stdout.buffer.write(pack((None, share)))
    sys.stdout.buffer.flush()


def _answer(name: str, arguments: tuple[Any, ...]) -> tuple[bool, Any]:
    try:
        return True, CHORES[name](*arguments)
    except SendError as error:
        return False, error
    except (LexipodError, ValueError) as error:
        return False, str(error)
    except Exception as fault:  # the asker must be told whatever happens
        return False, f"It could not be worked out; something went wrong inside ({type(fault).__name__}: {shortened(fault)})."


def main() -> None:
    """Reads names with their arguments until the input ends, and answers each: ``(True, answer)`` or ``(False, sentence)``; before it
    ``(None, share)`` for what is done."""
    buffer = bytearray()
    with open(sys.stdin.fileno(), "rb", buffering=0, closefd=False) as source:
        while chunk := source.read(65536):
            buffer += chunk
            for name, arguments in unpack(buffer):
                sys.stdout.buffer.write(pack(_answer(name, arguments)))
                sys.stdout.buffer.flush()
