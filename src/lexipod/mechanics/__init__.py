"""Handbook formulas that recipes size by and checks judge by. Pure numbers in, numbers out.

jam
    A guided strip that is pulled beside its middle line wedges when its guide is too short for the offset and friction.
buckling
    A strip that is pushed by its end folds up when it is too long and thin.
deflection
    How far the end of a tab gives way under a finger.
bend
    How sharply paper is bent without keeping a crease.
curl
    How far paper sags by itself, away from what holds it.
way round
    How long a band must be to go round a stack.
"""

from lexipod.mechanics.bands import band_way
from lexipod.mechanics.bends import least_bend_radius_mm, swung_leaf_radius_mm
from lexipod.mechanics.columns import euler_load_n, plies_against_buckling, tip_deflection_mm
from lexipod.mechanics.curls import curl_sag_mm
from lexipod.mechanics.guides import least_guide_mm

__all__ = [
    "band_way",
    "curl_sag_mm",
    "euler_load_n",
    "least_bend_radius_mm",
    "least_guide_mm",
    "plies_against_buckling",
    "swung_leaf_radius_mm",
    "tip_deflection_mm",
]
