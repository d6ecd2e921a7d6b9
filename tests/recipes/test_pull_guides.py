"""The ways in which a pull is guided, and what can be asked for instead of being decided."""

import math
import unittest

import numpy as np
import shapely

from lexipod.blanks import find_blanks
from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.editing.change import change_design, new_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import apply_pose
from tests.zoo import CATALOG


def examined(design):
    return Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=31)


class GuideTest(unittest.TestCase):
    def test_each_way_runs_free_and_keeps_the_gap_that_is_wanted(self):
        for guide in ("sleeve", "rails", "strap"):
            for card in ("na.a2", "iso.a5"):
                for units in ("in", "mm"):
                    design = new_design("pocket-pull", CATALOG, given={"card": card, "guide": guide, "units": units})
                    examination = examined(design)
                    self.assertEqual([f.title for f in run_checks(examination) if f.severity == "block"], [], (guide, card, units))
                    parts = {p.id.removeprefix("m1."): p for p in examination.assembly.parts}
                    names = {"sleeve": "sleeve", "rails": "rail", "strap": "foot"}[guide]
                    beside = [parts[f"{names}-{side}"].region_at_home for side in ("low", "high")]
                    pull = parts["pull"].region_at_home
                    wanted = float(design.mechanisms[0].parameters["clearance"]) / (2 if guide == "sleeve" else 1)
                    for region in beside:
                        self.assertAlmostEqual(shapely.distance(region, pull), wanted, places=6)

    def test_a_strap_goes_over_the_pull_on_two_feet_and_is_cut_as_one_piece(self):
        assembly = build_assembly(new_design("pocket-pull", CATALOG, given={"guide": "strap"}), CATALOG)
        strap, pull, panel = (assembly.by_id[n] for n in ("m1.strap", "m1.pull", "card.panel"))
        self.assertLessEqual(strap.top_mm, pull.z_mm + 1e-9)
        self.assertGreaterEqual(strap.z_mm, assembly.by_id["card.front"].top_mm - 1e-9)
        for side in ("low", "high"):
            foot = assembly.by_id[f"m1.foot-{side}"]
            self.assertAlmostEqual(foot.top_mm, panel.z_mm)
            self.assertAlmostEqual(foot.z_mm, strap.top_mm)
            self.assertTrue(foot.region_at_home.within(strap.region_at_home.buffer(1e-6)))
        blank = next(b for b in find_blanks(assembly) if "m1.strap" in b.panels)
        self.assertEqual(sorted(round(v, 4) for v in blank.size_mm), sorted(round(v, 4) for v in strap.size_mm))

    def test_rails_are_as_high_as_the_foam_of_the_panel(self):
        assembly = build_assembly(new_design("pocket-pull", CATALOG, given={"guide": "rails"}), CATALOG)
        foam = next(p for p in assembly.parts if p.id.startswith("card.panel-foam"))
        for side in ("low", "high"):
            rail = assembly.by_id[f"m1.rail-{side}"]
            self.assertEqual((rail.z_mm, rail.top_mm, rail.stock), (foam.z_mm, foam.top_mm, foam.stock))

    def test_the_guide_lies_where_it_is_put(self):
        design = new_design("pocket-pull", CATALOG, given={"card": "5x7in"})
        moved = change_design(design, CATALOG, {"sleeve_to": "24mm"})
        for made in (design, moved):
            sleeve = build_assembly(made, CATALOG).by_id["m1.sleeve"].region_at_home
            to = float(made.mechanisms[0].parameters["sleeve_to"])
            self.assertAlmostEqual(sleeve.bounds[3], 177.8 - to, places=6)

    def test_a_slider_stops_where_its_stop_is_put(self):
        design = new_design("strip-slider", CATALOG, given={"stop_gap": "3mm", "card": "5x7in"})
        free = examined(design).free_range("m1")
        # The slot lets the pad back as well: the nearer of the two stops.
        self.assertAlmostEqual(free.low.at, -min(3.0, float(design.mechanisms[0].parameters["pad_start"])), places=3)


class SwingTest(unittest.TestCase):
    def test_the_arm_swings_as_far_as_was_asked_for(self):
        for kind in ("slotted-pivot", "slotted-arm", "swinging-pull"):
            for wanted in (35.0, 62.5, 90.0):
                design = new_design("pivot-arm", CATALOG, given={"card": "5x7in", "drive_joint": kind, "swing": f"{wanted}"})
                examination = examined(design)
                track = examination.track("m1")
                self.assertTrue(track.reached.all(), (kind, wanted))
                turned = examination.poses("m1.arm")[:, 2]
                self.assertAlmostEqual(abs(math.degrees(turned[-1] - turned[0])), wanted, delta=0.05, msg=kind)
                self.assertEqual([f.title for f in run_checks(examination) if f.severity == "block"], [], (kind, wanted))
                stops = examination.free_range("m1")
                self.assertLess(stops.low.at, 0.0)
                self.assertGreater(stops.high.at, float(design.mechanisms[0].parameters["travel"]))

    def test_it_swings_about_the_middle_that_it_had(self):
        design = new_design("pivot-arm", CATALOG, given={"card": "5x7in"})
        wider = change_design(design, CATALOG, {"swing": "80"})
        middles = []
        for made in (design, wider):
            examination = examined(made)
            (x, y), part = made.mechanisms[0].parameters["pivot"], examination.assembly.by_id["m1.picture"]
            tips = apply_pose(examination.poses(part.id)[[0, -1]], shapely.get_coordinates(part.region.centroid))[:, 0] - (x, y)
            middles.append(np.degrees(np.arctan2(tips[:, 1], tips[:, 0])).mean())
        self.assertAlmostEqual(*middles, delta=0.5)

    def test_what_was_decided_besides_is_kept_and_bad_wishes_are_refused(self):
        design = new_design("pivot-arm", CATALOG, given={"card": "5x7in", "picture": "15mm", "pull_width": "17mm"})
        changed = change_design(design, CATALOG, {"swing": "75 deg"}).mechanisms[0].parameters
        self.assertEqual((changed["picture"], changed["pull_width"]), (15.0, 17.0))
        for text in ("far", "200", "-3"):
            with self.assertRaisesRegex(LexipodError, "swing"):
                change_design(design, CATALOG, {"swing": text})


class LadderTest(unittest.TestCase):
    def test_the_tabs_of_the_slats_lie_between_the_two_strips_of_each_side_at_every_position(self):
        for weave in ("lapped", "woven"):
            design = new_design("louvre", CATALOG, given={"card": "5x7in", "weave": weave})
            examination = examined(design)
            values, parts = design.mechanisms[0].parameters, examination.assembly.by_id
            ladder, t = parts["m1.ladder"], examination.assembly.card.caliper_mm
            slats = [p for p in examination.assembly.parts if p.id.startswith("m1.slat-")]
            self.assertEqual(len(slats), values["slats"])
            for k in (0, 15, 30):
                behind = examination.regions(ladder.id)[k]
                for slat in slats:
                    region = examination.regions(slat.id)[k]
                    left, bottom, right, top = region.bounds
                    self.assertAlmostEqual(right - left, values["slat_width"], places=6)
                    for side, x in (("left", left), ("right", right - values["tab_width"])):
                        tab = shapely.box(x, top - values["behind_left"], x + values["tab_width"], top)
                        hold = parts[f"m1.hold-{side}"]
                        self.assertTrue(tab.within(behind.buffer(1e-6)), (weave, k, slat.id))
                        self.assertLess(tab.difference(examination.regions(hold.id)[k]).area, 0.2 * tab.area, (weave, k, slat.id))
                        self.assertTrue(tab.within(region.buffer(1e-6)))
            self.assertAlmostEqual(parts["m1.hold-left"].z_mm, ladder.top_mm + t)
            self.assertEqual(examination.assembly.bodies["m1.hold-left"], examination.assembly.bodies[ladder.id])

    def test_what_is_seen_of_a_slat_is_as_wide_as_the_window_and_no_tab_shows_in_it(self):
        design = new_design("louvre", CATALOG, given={"card": "5x7in"})
        examination = examined(design)
        frame = examination.assembly.by_id["card.frame"]
        window = max((shapely.Polygon(h) for h in frame.holes), key=lambda p: p.area)
        values = design.mechanisms[0].parameters
        self.assertLess(window.bounds[2] - window.bounds[0], values["slat_width"] - 2 * values["tab_width"])
        for hold in ("m1.hold-left", "m1.hold-right"):
            for region in examination.regions(hold):
                self.assertLess(region.intersection(window).area, 1e-9)
