"""Commands for what is drawn on the card: what is seen of it, and laying it where it is read."""

from __future__ import annotations

import argparse
from typing import Any

import msgspec
import shapely

from lexipod.catalog import Catalog
from lexipod.checks import Examination
from lexipod.checks.seen import seen_items, sights, target_of
from lexipod.checks.surfaces import ever_seen, halts_of, room_to_write
from lexipod.cli.answers import print_json
from lexipod.design import Item, write_design
from lexipod.errors import ChoiceError, ParameterError, quoted
from lexipod.fitting.papering import covering, same_on_alike
from lexipod.fitting.splitting import split_picture
from lexipod.fitting.through import also_elsewhere, laid_through, opening_of
from lexipod.geometry.shapes import split_region
from lexipod.pictures import laid_outline
from lexipod.pipeline import examine, open_design
from lexipod.units import parse_quantity

TOLD_STEPS = 25
NEARLY_ALL = 0.995
THROUGH = "the part with the opening (card.frame, card.frame/2), or a spot of the card (30x40mm)"
HELD = "where each mechanism is held, like m1=60deg; at rest otherwise"


def _add_art(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")


def _add_place(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("item", metavar="ID")
    where = parser.add_mutually_exclusive_group(required=True)
    where.add_argument("--through", metavar="OPENING", help=THROUGH)
    where.add_argument("--over-all", action="store_true", help="patterned paper: over all of the piece that carries it")
    where.add_argument("--alike", action="store_true", help="also at the same place of every piece that is cut the same")
    parser.add_argument("--at", action="append", default=[], metavar="M=TRAVEL", help=HELD)
    parser.add_argument("--everywhere", action="store_true", help="one more at every other halt of the first mechanism that is held")


def held_at(texts: list[str], examination: Any) -> dict[str, float]:
    """Travels from texts like ``m1=60deg``; ``ParameterError`` for what is none, or is out of the travel."""
    out: dict[str, float] = {}
    for text in texts:
        name, found, value = text.partition("=")
        drive = examination.assembly.drive_of(name.strip()) if found else None
        if drive is None:
            raise ChoiceError("mechanism", name, [d.mechanism for d in examination.assembly.all_drives])
        number = parse_quantity(value, "angle" if drive.unit == "deg" else "length")
        low, high = sorted((drive.rest, drive.end))
        if not isinstance(number, float) or not low - 1e-6 <= number <= high + 1e-6:
            raise ParameterError("--at", f"{quoted(text)} is out of its travel; allowed is {low:g} to {high:g} {drive.unit}")
        out[drive.mechanism] = number
    return out


def _where(through: str, examination: Any) -> Any:
    """A place of the card, or an opening."""
    if "x" in through and through.strip()[:1].isdigit():
        spot: Any = parse_quantity(through, "point")
        return shapely.Point(spot)
    return opening_of(examination.assembly, through)


def _run_place(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    item = design.find_item(options.item)
    if item is None:
        raise ChoiceError("item", options.item, sorted(i.id for i in design.items))
    examination = examine(design, catalog)
    at = held_at(options.at, examination)
    made = item
    if options.over_all:
        made = covering(item, examination.assembly)
    elif options.alike:
        design = same_on_alike(design, examination.assembly, item.id)
    else:
        made = laid_through(examination, item, at, _where(options.through, examination))
    design = msgspec.structs.replace(design, items=tuple(made if i.id == item.id else i for i in design.items))
    if options.everywhere:
        if not at:
            raise ParameterError("--everywhere", "say where a mechanism is held, like --at m1=0")
        mechanism, travel = next(iter(at.items()))
        design = also_elsewhere(design, examine(design, catalog), item.id, mechanism, travel)
    write_design(design, options.file)
    before = {i.id for i in examination.assembly.items} - {item.id}
    for added in design.items:
        if added.id not in before:
            print(f"{added.id}: {added.named} on the {examination.assembly.part_name(added.on)}, {added.face}, turned {added.turn:g}°")
    return 0


def _add_split(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("item", metavar="ID")
    parser.add_argument("--line", required=True, metavar="POINTS", help="places of the card with blanks between, like “10x50mm 60x55mm 97x50mm”")
    parser.add_argument("--onto", required=True, metavar="PART", help="the part for what lies to the right of the line")
    parser.add_argument("--curved", action="store_true", help="a curve through the points")


def _run_split(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    line: list[Any] = [parse_quantity(word, "point") for word in options.line.split()]
    made = split_picture(design, examine(design, catalog, steps=2), options.item, line, options.onto, curved=options.curved)
    write_design(made, options.file)
    before = {i.id for i in design.items}
    print("\n".join(f"{i.id}: on {i.on}, {i.cut_side} of the line" for i in made.items if i.id not in before or i.id == options.item))
    return 0


def _size_of(item: Item, examination: Examination) -> str:
    """How large an item is, in words."""
    length = examination.style.length
    if item.kind == "greeting":
        return f"capitals {length(item.height)} high"
    if item.kind == "mat":
        across = f" and across to the {examination.assembly.part_name(item.across)}" if item.across else ""
        return f"{length(item.border)} inside its edges{across}"
    return f"{length(item.width)} × {length(item.height)}" if item.share is None else "as large as its part"


def _run_art(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    examination = examine(design, catalog, steps=TOLD_STEPS)
    if options.json:
        print_json(art_json(examination))
        return 0
    style = examination.style
    print(f"{design.title}: what lies on it")
    for item in design.items:
        print(
            f"  {item.id:<8} {item.kind:<10} on the {examination.assembly.part_name(item.on)} ({item.on}, {item.face}): {_size_of(item, examination)}"
        )
        for drive in examination.assembly.all_drives:
            told = sights(examination, drive.mechanism).get(item.id)
            if told is not None:
                rows = [(h, told.at(h).share) for h in halts_of(examination.assembly, drive.mechanism)]
                halts = ", ".join(f"{examination.amount(drive.mechanism, h)} {100 * share:.0f} %" for h, share in rows)
                print(f"           {drive.mechanism}: seen at {halts}")
    for row in ever_seen(examination):
        if row.share < NEARLY_ALL:
            name = examination.assembly.part_name(row.on)
            print(f"  of the {name} ({row.on}, {row.face}) {100 * row.share:.0f} % is ever seen; plain stock will do for the rest")
    for name, area in room_to_write(examination):
        print(f"  to write on: {name}, {style.area(area)}")
    return 0


def art_json(examination: Any) -> dict[str, Any]:
    """What lies on the card: where, which way up, how much of it is seen at each position."""
    assembly = examination.assembly
    seen = {i.id: i for i in seen_items(examination)}
    rows = []
    for item in assembly.items:
        carrier = assembly.carriers.get(item.on)
        row: dict[str, Any] = {"id": item.id, "kind": item.kind, "part": item.on, "face": item.face, "outline": []}
        if carrier is not None:
            region = target_of(examination, item).region if item.is_ink else laid_outline(item, carrier.outline)
            pieces = [p for p in shapely.get_parts(region) if p.geom_type == "Polygon"]
            row["outline"] = [] if not pieces else split_region(max(pieces, key=lambda p: p.area))[0].round(4).tolist()
        row |= {"hide_at_rest": item.hide_at_rest, "show_at_end": item.show_at_end, "show_at_halt": item.show_at_halt, "seen": []}
        if item.id in seen:
            for drive in assembly.all_drives:
                told = sights(examination, drive.mechanism)[item.id]
                for k, travel in enumerate(told.travel):
                    row["seen"].append(
                        {
                            "at": {drive.mechanism: round(float(travel), 6)},
                            "share": round(float(told.share[k]), 6),
                            "turned": round(float(told.turned_deg[k]), 4),
                            "mirrored": bool(told.is_mirrored[k]),
                        }
                    )
        rows.append(row)
    ever = [
        {
            "part": row.on,
            "face": row.face,
            "share": round(row.share, 6),
            "polygons": [
                [shapely.get_coordinates(r)[:-1].round(4).tolist() for r in (p.exterior, *p.interiors)]
                for p in shapely.get_parts(row.region)
                if p.geom_type == "Polygon"
            ],
        }
        for row in ever_seen(examination)
    ]
    room = [{"part": name, "area": round(area, 2)} for name, area in room_to_write(examination)]
    return {"format": "lexipod-art/1", "items": rows, "ever_seen": ever, "room_to_write": room}


ROWS = (
    ("art", "What lies on the card: where, which way up, how much of it is seen.", "lexipod art fog.lexipod --json", _run_art, _add_art),
    (
        "place",
        "Lay an item where it is seen through an opening, at a position.",
        "lexipod place wheel.lexipod a1 --through card.frame --at m1=60deg",
        _run_place,
        _add_place,
    ),
    (
        "split",
        "Cut a picture along a line, its halves on two parts.",
        'lexipod split shell.lexipod a1 --line "5x60mm 100x60mm" --onto m1.half-lower',
        _run_split,
        _add_split,
    ),
)

__all__ = ["ROWS", "art_json", "held_at"]
