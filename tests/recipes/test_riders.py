"""Riders on washers and coins, dials and links of several plies, an iris that rests open."""

import math
import unittest

import shapely

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.post import find_mass
from lexipod.checks.tilting import rider_friction
from lexipod.editing.change import new_design
from lexipod.fabricate import cut_list
from lexipod.geometry.frames import apply_pose
from tests.zoo import CATALOG

STEEL_G_CM3 = 7.85


def examined(recipe: str, **given):
    design = new_design(recipe, CATALOG, given=given)
    return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=31)


def troubles(examination):
    return [(f.rule, f.title) for f in run_checks(examination) if f.severity == "block"]


class WeightTest(unittest.TestCase):
    def test_washers_are_as_heavy_as_their_steel(self):
        # ISO 7089: holes of 8.4 and 10.5 mm for M8 and M10 (from memory); a ring of steel of 7.85 g/cm3.
        for name, hole in (("washer-m8", 8.4), ("washer-m10", 10.5)):
            washer = CATALOG.weights[name]
            volume = math.pi / 4 * (washer.diameter_mm**2 - hole**2) * washer.thickness_mm / 1000
            self.assertAlmostEqual(washer.mass_g, volume * STEEL_G_CM3, delta=0.01)

    def test_a_rider_on_a_weight_is_free_and_is_bought_not_cut(self):
        for card in ("na.a2", "na.a7", "iso.a5"):
            for weight in CATALOG.weights.values():
                for path in ("straight", "arc"):
                    design = new_design("track-rider", CATALOG, given={"card": card, "rider": weight.id, "path": path})
                    assembly = build_assembly(design, CATALOG)
                    examination = Examination(assembly, CATALOG, design.ways, steps=31)
                    self.assertEqual(troubles(examination), [], (card, weight.id, path))
                    disc = assembly.by_id["m1.disc"]
                    self.assertAlmostEqual(disc.thickness_mm, weight.thickness_mm)
                    self.assertAlmostEqual(disc.region.area, math.pi / 4 * weight.diameter_mm**2, delta=0.01 * disc.region.area)
                    rows = [r for r in cut_list(assembly, CATALOG) if r.stock == weight.id]
                    self.assertEqual([(r.quantity, r.width_mm) for r in rows], [(1, weight.diameter_mm)])

    def test_it_adds_its_mass_and_slides_at_a_smaller_slope(self):
        plain, heavy = examined("track-rider"), examined("track-rider", rider="washer-m8")
        disc = plain.assembly.by_id["m1.disc"]
        paper = CATALOG.stocks[disc.stock].grammage / 1e6 * disc.region.area * disc.plies
        masses = [find_mass(e.assembly, CATALOG) for e in (plain, heavy)]
        self.assertAlmostEqual(masses[1].fasteners_g - masses[0].fasteners_g, CATALOG.weights["washer-m8"].mass_g)
        self.assertLess(masses[1].paper_g, masses[0].paper_g - 0.8 * paper)
        # Friction on an inclined plane: it starts where the tangent of the slope is the coefficient, whatever its mass.
        slopes = [next(f.measured for f in run_checks(e, rules=["slope"])) for e in (plain, heavy)]
        for slope, examination in zip(slopes, (plain, heavy), strict=True):
            drive = next(iter(examination.drives))
            self.assertAlmostEqual(math.tan(math.radians(slope)), rider_friction(examination, drive), places=2)
        self.assertEqual(round(math.tan(math.radians(slopes[1])), 2), CATALOG.frictions["metal-paper"].friction)
        self.assertLess(slopes[1], slopes[0])


class PliesTest(unittest.TestCase):
    def test_two_ply_dial_and_links_are_as_thick_and_still_run(self):
        one, two = examined("dial-riders"), examined("dial-riders", dial_plies="2", link_plies="2")
        t = one.assembly.card.caliper_mm
        for name in ("m1.dial", "m1.link-upper", "m1.link-lower"):
            self.assertAlmostEqual(two.assembly.by_id[name].thickness_mm, 2 * t)
            self.assertAlmostEqual(one.assembly.by_id[name].thickness_mm, t)
        front = [e.assembly.by_id["m1.front-upper"].z_mm for e in (one, two)]
        self.assertGreaterEqual(front[1], front[0])
        self.assertEqual([t for t in troubles(two) if t[0] != "envelope"], [])
        rows = {r.name: r.plies for r in cut_list(two.assembly, CATALOG)}
        self.assertEqual((rows["dial"], rows["link"]), (2, 2))
        self.assertEqual(sum(r.quantity for r in cut_list(two.assembly, CATALOG) if r.name == "brads"), 7)  # common practice, no source


class RestsOpenTest(unittest.TestCase):
    def test_an_iris_that_rests_open_goes_the_same_way_back(self):
        closed, opened = (examined("iris", card="na.a7", rests=r) for r in ("closed", "open"))
        self.assertEqual(troubles(opened), [])
        for part in ("m1.ring", "m1.blade-1", "m1.blade-3"):
            there, back = closed.poses(part), opened.poses(part)[::-1]
            self.assertLess(abs(there - back)[:, :2].max(), 1e-6)
            turns = (there - back)[:, 2]
            self.assertLess(abs(turns - turns[0]).max(), 1e-8)
        share = [e.assembly.needs for e in (closed, opened)]
        self.assertEqual([any(getattr(n, "closes", False) for n in needs) for needs in share], [False, True])

    def test_one_that_does_not_close_is_told_at_the_end(self):
        design = new_design("iris", CATALOG, given={"card": "na.a7", "rests": "open"}).with_parameters("m1", {"turn": 40.0})
        examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=31)
        found = [f for f in run_checks(examination) if f.rule == "reveal-rest"]
        self.assertEqual([f.severity for f in found], ["block"])
        self.assertIn("at the end", found[0].title)
        self.assertEqual(found[0].travel, 40.0)

    def test_rings_that_stand_back_leave_the_opening_to_the_frame(self):
        design = new_design("iris", CATALOG, given={"card": "na.a7", "inner_back": "1mm"})
        assembly = build_assembly(design, CATALOG)
        top, frame = (assembly.by_id[n] for n in ("m1.top-ring", "card.frame"))
        opening = float(design.mechanisms[0].parameters["opening_diameter"])
        holes = [float((p.holes[0].max(axis=0) - p.holes[0].min(axis=0))[0]) for p in (top, frame)]
        self.assertAlmostEqual(holes[0], opening + 2.0, delta=0.05)
        self.assertAlmostEqual(holes[1], opening, delta=0.05)

    def test_blades_on_brads_run_free_under_a_stack_that_is_higher_by_legs_and_heads(self):
        for card in ("na.a7", "iso.a5"):
            dots, brads = (examined("iris", card=card, pivots=p) for p in ("dot", "brad"))
            self.assertEqual(troubles(brads), [], card)
            brad = CATALOG.brads["mini-3"]
            tops = [e.assembly.by_id["m1.top-ring"].z_mm for e in (dots, brads)]
            self.assertGreaterEqual(tops[1] - tops[0], brad.head_thickness_mm + brad.legs_thickness_mm)
            rows = {r.name: r for r in cut_list(brads.assembly, CATALOG)}
            self.assertEqual(rows["brads"].quantity, 3)
            holes = [o for o in rows["blade"].openings if o.diameter_mm is not None]
            self.assertEqual([round(o.diameter_mm, 2) for o in holes], [brad.hole_mm])
            for k in (1, 2, 3):
                shank, blade = (brads.assembly.by_id[f"m1.{n}"] for n in (f"brad-{k}-shank", f"blade-{k}"))
                for a, b in zip(brads.poses(shank.id), brads.poses(blade.id), strict=True):
                    middle = apply_pose(a, [shank.region.centroid.coords[0]])[0]
                    self.assertGreater(
                        shapely.distance(shapely.Point(middle), shapely.transform(blade.region, lambda xy, b=b: apply_pose(b, xy))), 0.5
                    )
