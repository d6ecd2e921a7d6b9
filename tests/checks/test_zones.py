"""Free zones, foam plans and heights, against positions tried one by one and sums done by hand."""

import random
import unittest
from dataclasses import replace

import msgspec
import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.building.items import item_region
from lexipod.checks import Examination, find_overhangs, find_zone, run_checks
from lexipod.checks.foam import check_foam_seen, count_foam, find_foam_needs, sags, share_of_less, sheets_on_foam, worst_sag
from lexipod.checks.height_map import check_fingers, map_heights
from lexipod.checks.zones import sweep_region
from lexipod.cures.pads import plan_pads
from lexipod.design import Card
from lexipod.editing import add_mechanism
from lexipod.editing.change import change_design
from lexipod.errors import LexipodError
from lexipod.geometry.frames import apply_pose
from lexipod.motion.sweep import swept_region, thin_poses
from lexipod.recipes import find_recipe
from tests.samples import sample_size
from tests.zoo import CATALOG, FLAT, card_with, moved


class SweepTest(unittest.TestCase):
    def test_a_square_pushed_along_sweeps_a_rectangle(self):
        poses = np.column_stack([np.linspace(0, 30, 181), np.zeros(181), np.zeros(181)])
        swept = swept_region(shapely.box(0, 0, 10, 10), poses)
        self.assertAlmostEqual(swept.area, 40 * 10, delta=100 * 0.1)
        self.assertTrue(swept.contains(shapely.box(0, 0, 40, 10)))
        self.assertEqual(len(thin_poses(poses, 20.0)), 2)

    def test_a_bar_turned_all_round_sweeps_a_disc(self):
        poses = np.column_stack([np.zeros(181), np.zeros(181), np.linspace(0, 2 * np.pi, 181)])
        swept = swept_region(shapely.box(-2, -2, 40, 2), poses)
        radius = np.hypot(40, 2)
        self.assertAlmostEqual(swept.area, np.pi * radius**2, delta=2 * np.pi * radius * 0.2)

    def test_a_ring_segment_far_from_the_pivot_leaves_the_middle_free(self):
        poses = np.column_stack([np.zeros(361), np.zeros(361), np.linspace(0, 2 * np.pi, 361)])
        swept = swept_region(shapely.box(30, -2, 40, 2), poses)
        self.assertFalse(swept.contains(shapely.Point(0, 0)))
        self.assertAlmostEqual(swept.area, np.pi * (40**2 + 2**2 - 30**2), delta=80)

    def test_every_position_lies_in_the_sweep(self):
        rng = np.random.default_rng(5)
        for _ in range(20):
            corners = rng.uniform(-20, 20, (7, 2))
            shape = shapely.convex_hull(shapely.MultiPoint(corners)).difference(shapely.Point(0, 0).buffer(3))
            t = np.linspace(0, 1, 91)
            poses = np.column_stack([40 * t, 12 * np.sin(3 * t), rng.uniform(-2, 2) * t])
            swept = swept_region(shape, poses)
            for pose in poses[::7]:
                left = shapely.transform(shape, lambda xy, pose=pose: apply_pose(pose, xy)).difference(swept)
                self.assertLess(left.area, 1e-6)

    def test_a_region_that_is_made_and_thrown_away_is_not_taken_for_an_earlier_one(self):
        design = add_mechanism(card_with("strip-slider", Card(size="na.a7")), "spinner", CATALOG)
        _, examination = moved(design)
        sizes, spots = (2.0, 5.0, 9.0, 14.0), set()
        areas = [sweep_region(moved(design)[1], shapely.box(-s, -s, s, s), "m2.hand", "m1.strip").area for s in sizes]
        for k in range(40):  # sooner or later one lies where another one lay in memory
            region = shapely.box(*(np.array([-1, -1, 1, 1]) * sizes[k % 4]))
            spots.add(id(region))
            self.assertAlmostEqual(sweep_region(examination, region, "m2.hand", "m1.strip").area, areas[k % 4], delta=1e-6)
            del region
        self.assertLess(len(spots), 40)


class FoamTest(unittest.TestCase):
    def test_foam_never_lies_where_something_passes(self):
        """Property: over random cards and all three ways of laying foam, at every position."""
        tried = 0
        for seed in range(sample_size(10)):
            rng = random.Random(seed)
            recipe = rng.choice(FLAT)
            design = card_with(recipe)
            names = [p.name for p in find_recipe(recipe).parameters if p.kind == "length"]
            changes = {n: round(design.mechanisms[0].parameters[n] * rng.uniform(0.9, 1.1), 2) for n in rng.sample(names, 3)}
            try:
                design = change_design(design, CATALOG, {**changes, "foam_style": rng.choice(["strips", "pads", "sheet"])})
                _, examination = moved(design, 31)
                sound = not [f for f in run_checks(examination, rules=["outline", "travel", "land"]) if f.severity == "block"]
            except (LexipodError, ValueError):
                continue
            if not sound:
                continue
            items = [i for sheet in sheets_on_foam(examination) for i in plan_pads(examination, design, sheet)]
            if items:
                _, examination = moved(
                    design.__class__(**{f: getattr(design, f) for f in design.__struct_fields__ if f != "items"}, items=tuple(items)), 41
                )
            tried += 1
            assembly = examination.assembly
            for foam in (p for p in assembly.parts if p.id.startswith("card.frame-foam") or p.id.startswith("card.panel-foam") or p.item):
                for other in (p for p in assembly.parts if p.id in assembly.moving):
                    if other.z_mm >= foam.top_mm - 1e-6 or other.top_mm <= foam.z_mm + 1e-6:
                        continue
                    touched = shapely.intersection(examination.regions(other.id), foam.region_at_home)
                    self.assertLess(float(shapely.area(touched).max()), 1e-6, (seed, recipe, foam.id, other.id))
        self.assertGreater(tried, sample_size(10) // 2)

    def test_the_sag_is_that_of_a_sheet_that_far_from_foam(self):
        _, examination = moved(card_with("strip-slider"))
        frame = examination.assembly.by_id["card.frame"]
        foam = shapely.box(0, 0, 10, 100)
        found = sags(frame, np.array([[40.0, 50.0], [5.0, 50.0]]), foam)
        self.assertAlmostEqual(found[0], 30.0**2 / 1000.0, places=9)
        self.assertEqual(found[1], 0.0)
        both = sags(frame, np.array([[50.0, 50.0]]), shapely.union(foam, shapely.box(90, 0, 100, 100)))
        self.assertAlmostEqual(both[0], 20.0**2 / 1000.0, places=9)  # held on both sides: half the way counts

    def test_planned_pads_lessen_the_sag_and_stay_in_the_zone(self):
        design = change_design(
            card_with("strip-slider", Card(size="iso.a4")), CATALOG, {"frame_border": 40.0, "item.p9": "pad on card.panel front 9x9mm"}
        )
        built, examination = moved(msgspec.structs.replace(design, items=()), 61)
        sheet = built.by_id["card.frame"]
        bare = replace(
            built,
            parts=tuple(p for p in built.parts if not p.id.startswith("card.frame-foam-")),
            joints=tuple(j for j in built.joints if not j.a.startswith("card.frame-foam-")),
        )
        examination = Examination(bare, CATALOG, design.ways, steps=61)
        before, _ = worst_sag(examination, sheet)
        self.assertGreater(before, 2.5)
        items = plan_pads(examination, design, sheet)
        self.assertTrue(items)
        self.assertNotIn("p9", [i.id for i in items])
        floor = built.by_id["card.panel"]
        pads = shapely.union_all([item_region(i, floor) for i in items])
        self.assertLess(worst_sag(examination, sheet, pads)[0], before - 0.1)
        zone = find_zone(examination, floor.id, "front", "foam", height_mm=2.0)
        self.assertLess(pads.difference(zone.free.buffer(0.02)).area, 1e-6)

    def test_foam_is_counted_by_kind_and_layers(self):
        design = change_design(card_with("strip-slider"), CATALOG, {"item.p1": "pad on card.panel front 10x12mm at 30x50mm layers 1"})
        _, examination = moved(design)
        rows = count_foam(examination)
        own = [p for p in examination.assembly.parts if p.stock in CATALOG.foams]
        self.assertEqual(sum(r.pieces for r in rows), len(own))
        self.assertEqual(sum(r.by_maker for r in rows), 1)
        self.assertAlmostEqual(sum(r.area_mm2 for r in rows), sum(p.region.area * p.plies for p in own), places=6)


class ZoneTest(unittest.TestCase):
    def test_on_the_picture_nothing_is_in_the_way(self):
        _, examination = moved(card_with("strip-slider"), 61)
        picture = examination.assembly.by_id["m1.picture"]
        zone = find_zone(examination, "m1.picture", "front", "foam")
        self.assertAlmostEqual(zone.area_mm2, picture.region.buffer(-1.0, join_style="mitre").area, places=6)
        self.assertEqual(zone.passing, ())

    def test_an_overhang_ends_at_the_card_and_at_what_passes(self):
        _, examination = moved(card_with("strip-slider"), 61)
        picture = examination.assembly.by_id["m1.picture"]
        low, high = picture.outline.min(axis=0) + picture.home[:2], picture.outline.max(axis=0) + picture.home[:2]
        rest = apply_pose(examination.poses("m1.picture")[0], picture.outline)
        found = find_overhangs(examination, "m1.picture")
        self.assertAlmostEqual(found["left"], rest[:, 0].min(), places=3)
        self.assertAlmostEqual(found["bottom"], rest[:, 1].min(), places=3)
        self.assertAlmostEqual(found["right"], examination.assembly.card.width_mm - rest[:, 0].max(), places=3)
        self.assertLess(low[0], high[0])


class HeightTest(unittest.TestCase):
    def test_the_height_at_a_place_is_that_of_what_lies_there(self):
        _, examination = moved(card_with("strip-slider"))
        heights = map_heights(examination)
        self.assertAlmostEqual(heights.thickest_mm, max(p.top_mm for p in examination.assembly.parts), places=6)
        t = examination.assembly.card.caliper_mm
        self.assertAlmostEqual(heights.top[0, 0], 2 * t, places=6)  # a corner of the card: its two pages
        self.assertAlmostEqual(heights.solid[0, 0], 2 * t, places=6)

    def test_heights_move_with_the_pull(self):
        _, examination = moved(card_with("strip-slider"))
        rest, end = (map_heights(examination, {"m1": at}) for at in (0.0, examination.drives[0].end))
        high = [float(h.x[np.nonzero(h.top >= h.thickest_mm - 1e-6)[1]].mean()) for h in (rest, end)]
        self.assertAlmostEqual(high[1] - high[0], examination.drives[0].end, delta=1.5)

    def test_a_layer_less_is_told_where_it_would_do(self):
        sound = card_with("strip-slider")
        (need,) = find_foam_needs(moved(sound)[1])
        self.assertEqual((need.sheet, need.layers, need.layers_needed), ("card.frame", 1, 1))
        t = build_assembly(sound, CATALOG).card.caliper_mm
        self.assertAlmostEqual(need.needed_mm, t + 2 * t + 0.2, places=6)  # backing, strip of two plies, air
        doubled = card_with("pivot-arm").with_parameters("m1", {"foam_layers": 2})
        need = next(n for n in find_foam_needs(moved(doubled)[1]) if n.sheet == "card.frame")
        self.assertEqual((need.layers, need.layers_needed), (2, 1))
        self.assertEqual(share_of_less(moved(doubled)[1], "card.frame"), 1.0)

    def test_no_room_for_a_finger_is_found_and_a_notch_cures_it(self):
        built, examination = moved(card_with("pocket-lift"))
        self.assertEqual(list(check_fingers(examination)), [])
        whole = {p: replace(built.by_id[p], outline=built.by_id[p].region.convex_hull.exterior.coords[:-1]) for p in ("card.front", "card.panel")}
        blocked = replace(built, parts=tuple(replace(p, outline=np.array(whole[p.id].outline)) if p.id in whole else p for p in built.parts))
        (finding,) = check_fingers(Examination(blocked, CATALOG, card_with("pocket-lift").ways, steps=25))
        self.assertEqual((finding.rule, finding.measured, finding.required), ("finger-room", 0.0, 3.0))  # it slides on the mat

    def test_foam_that_an_opening_bares_is_told(self):
        sound = card_with("strip-slider")
        self.assertEqual(list(check_foam_seen(moved(sound)[1])), [])
        v = sound.mechanisms[0].parameters
        middle = build_assembly(sound, CATALOG).by_id["card.panel"].outline.mean(axis=0)
        x, y = v["slot_from"] + 10.0 - middle[0], v["slot_place"] - middle[1]
        under_slot = change_design(sound, CATALOG, {"item.p1": f"pad on card.panel front 8x6mm at {x:.2f}x{y:.2f}mm layers 1"})
        (finding,) = check_foam_seen(moved(under_slot)[1])  # the picture leaves it at the end of the pull
        self.assertEqual((finding.parts, finding.measured), (("card.item-p1",), 48.0))
        self.assertIn("white foam", finding.message)


if __name__ == "__main__":
    unittest.main()
