"""What can be bought: cards, envelopes, sheets, stocks, foam and fasteners, as data that the user can extend.

size
    A rectangle with a namespaced id, since “A2” is one thing in North America and another in ISO 216.
card / envelope / sheet
    The folded card as it lies closed; the envelope it goes into (inner size as traded); the paper it is cut from.
stock
    A paper or film with grammage and caliper. *Caliper* is the thickness of one ply, *ply* one layer of it.
foam / brad
    Spacers by thickness, fasteners by head and legs.
punch
    A round, square or oval opening that the maker has a punch or die for.
machine / blade
    What cuts for the maker: how wide a sheet, and how thick; how a plotter's knife is set for a stock.
printer
    What a printer makes of a ruler, so that its pages are corrected.
minutes / adhesive / caution
    How long a step takes, what is glued with and how long that waits, what is to be taken care of.
off-cut / price
    What is left of a sheet and worth keeping; what a sheet or a brad costs.
"""

from lexipod.catalog.book import Catalog, load_catalog
from lexipod.catalog.making import Adhesive, Caution, Minutes
from lexipod.catalog.punches import Punch, nearest_punch
from lexipod.catalog.sizes import Foam, Offcut, Price, Size
from lexipod.catalog.stocks import BASIS_SHEETS, FILM, Blade, Brad, Machine, Printer, Stock, grammage_from_basis_weight

__all__ = [
    "BASIS_SHEETS",
    "FILM",
    "Adhesive",
    "Blade",
    "Brad",
    "Catalog",
    "Caution",
    "Foam",
    "Machine",
    "Minutes",
    "Offcut",
    "Price",
    "Printer",
    "Punch",
    "Size",
    "Stock",
    "grammage_from_basis_weight",
    "load_catalog",
    "nearest_punch",
]
