"""A make begun, told and ended: what the program can say of it by itself is filled in."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from lexipod.assembly import Assembly
from lexipod.catalog import Catalog
from lexipod.checks import Finding, verdict_of
from lexipod.design import Design
from lexipod.design.files import format_design, parse_design, write_design
from lexipod.records.makes import PLAIN, Make, Prediction
from lexipod.records.store import LogError, Store


def now_text(moment: datetime | None = None) -> str:
    """A moment as it is kept."""
    return (moment or datetime.now(UTC)).astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def new_make(
    design: Design,
    assembly: Assembly,
    catalog: Catalog,
    *,
    findings: tuple[Finding, ...] | None = None,
    copies: int = 1,
    whom: str = "",
) -> Make:
    """A make of a design that begins now, with what it is made of and what the checks said of it; it is not in the log yet."""
    stocks = dict.fromkeys(p.stock for p in assembly.parts if p.stock in catalog.stocks and p.quantity)
    foams = dict.fromkeys(p.stock for p in assembly.parts if p.stock in catalog.foams)
    brads = dict.fromkeys(p.stock for p in assembly.parts if p.stock in catalog.brads)
    return Make(
        uuid.uuid4().hex,
        design.title,
        now_text(),
        format_design(design).decode(),
        copies=copies,
        stock=", ".join(catalog.stocks[s].name for s in stocks) or design.card.stock,
        calipers=", ".join(f"{catalog.stocks[s].caliper_mm:g} mm" for s in stocks),
        foam=", ".join(catalog.foams[s].name for s in foams),
        fasteners=", ".join(catalog.brads[s].name for s in brads),
        cutting=design.ways.cutting,
        whom=whom,
        prediction=predict(findings) if findings is not None else Prediction(),
    )


def predict(findings: tuple[Finding, ...], free_share: float | None = None) -> Prediction:
    """What the checks say of a design, in short."""
    return Prediction(verdict_of(findings), tuple(dict.fromkeys(f.rule for f in findings if f.severity in ("block", "warn"))), free_share)


def said_last(store: Store, title: str) -> tuple[Make, str] | None:
    """The last make of a card with what was to be changed next time; None where nothing was said."""
    for make in store.makes():
        told = make.next_time or make.changed
        if make.title == title and told:
            return make, told
    return None


def design_of(make: Make) -> Design:
    """The design as it was; ``LogError`` where the make keeps none."""
    if not make.design:
        raise LogError(f"the make of {make.began[:10]} keeps no design: it was imported from a table")
    return parse_design(make.design.encode(), source=f"the make of {make.began[:10]}")


def write_design_of(make: Make, path: Path) -> None:
    """The design as it was, as a file of its own."""
    write_design(design_of(make), path)


def compare_makes(a: Make, b: Make) -> list[tuple[str, str, str]]:
    """What two makes differ in: name, what the one has, what the other has; measures of the same name side by side."""
    rows = []
    for name in (*(f for f in PLAIN if f not in ("id", "design")), "where"):
        one, other = getattr(a, name), getattr(b, name)
        if one != other:
            rows.append((name.replace("_", " "), str(one), str(other)))
    theirs = {(m.part, m.name): m for m in b.measures}
    for m in a.measures:
        n = theirs.get((m.part, m.name))
        if n is not None:
            rows.append((m.name, f"{m.measured - m.designed:+.2f} mm", f"{n.measured - n.designed:+.2f} mm"))
    if a.design and b.design:
        rows += _design_rows(design_of(a), design_of(b))
    return rows


def _design_rows(a: Design, b: Design) -> list[tuple[str, str, str]]:
    out = []
    for name in dict.fromkeys(m.id for m in (*a.mechanisms, *b.mechanisms)):
        one, other = a.find_mechanism(name), b.find_mechanism(name)
        if one is None or other is None or other.recipe != one.recipe:
            out.append((name, one.recipe if one is not None else "", other.recipe if other is not None else ""))
            continue
        for parameter, value in one.parameters.items():
            if other.parameters.get(parameter) != value:
                out.append((f"{name}.{parameter}", _short(value), _short(other.parameters.get(parameter))))
    ways = msgspec.structs.asdict(a.ways)
    out += [(f"way {k}", str(v), str(getattr(b.ways, k))) for k, v in ways.items() if getattr(b.ways, k) != v]
    return out


def _short(value: object) -> str:
    return f"{value:.2f}" if isinstance(value, float) else str(value)
