"""What is left of the sheets and worth keeping, as entries of the shelf."""

from __future__ import annotations

from collections import Counter

from lexipod.catalog import Catalog, Offcut
from lexipod.fabricate.sheeting import Sheets


def offcuts_of(sheets: Sheets, catalog: Catalog, title: str) -> list[Offcut]:
    """The off-cuts of a batch, equal ones counted together, under ids that the shelf does not have yet. Sheets laminated before cutting
    leave none."""
    found: Counter[tuple[str, str, float, float]] = Counter()
    for sheet in sheets.sheets:
        if sheet.offcut is not None and sheet.lot.plies == 1:
            x0, y0, x1, y1 = sheet.offcut.bounds
            short, long = sorted((round(x1 - x0, 2), round(y1 - y0, 2)))
            found[(sheet.lot.stock, sheet.lot.colour, short, long)] += 1
    taken = set(catalog.offcuts)
    made = []
    number = 1
    for (stock, colour, width, height), count in sorted(found.items()):
        while f"offcut-{number}" in taken:
            number += 1
        taken.add(f"offcut-{number}")
        outline = ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))
        made.append(Offcut(f"offcut-{number}", f"{width:g} × {height:g} mm of {title}", stock, outline, count, colour))
    return made
