"""What the reader sees, held against a count point by point; and pictures laid where they are read."""

import unittest
from dataclasses import replace

import msgspec
import numpy as np
import shapely

from lexipod.building import build_assembly
from lexipod.checks import run_checks
from lexipod.checks.seen import sights, target_of
from lexipod.checks.surfaces import ever_seen, glimpses, halts_of, room_to_write, surfaces_at
from lexipod.design import Card, Item
from lexipod.errors import ChoiceError, LexipodError
from lexipod.fitting.through import also_elsewhere, laid_through, opening_of
from lexipod.geometry.frames import apply_pose
from lexipod.pipeline import examine
from tests.random_pictures import compare_layout, compare_standing, draw_layout
from tests.zoo import CATALOG, FLAT, FOLDED, card_with

PICTURE = Item("a1", "picture", "card.front", source="x.svg", width=14.0, height=10.0, proportion=1.4)


def with_items(design, *items):
    return msgspec.structs.replace(design, items=items)


class CountTest(unittest.TestCase):
    def test_shares_agree_with_a_count_point_by_point(self):
        """Random layouts over flat and folding mechanisms; a grid of 90 by 90 points may be off by 0.02."""
        rng, compared, done = np.random.default_rng(11), 0, 0
        while done < 14:
            design = draw_layout(rng)
            if design is None:
                continue
            done += 1
            for item, travel, told, counted in compare_layout(design):
                compared += 1
                self.assertAlmostEqual(told, counted, delta=0.02, msg=(design.mechanisms[0].recipe, design.find_item(item), travel))
        self.assertGreater(compared, 40)

    def test_the_count_notices_a_picture_that_is_told_a_little_higher(self):
        design = with_items(card_with("window-wheel"), msgspec.structs.replace(PICTURE, on="m1.wheel", at=(0.0, 20.0), width=40.0, proportion=0.0))
        rows = compare_layout(design)
        raised = with_items(design, msgspec.structs.replace(design.items[0], on="card.frame", at=(0.0, 20.0)))
        self.assertTrue(any(abs(a[2] - b[3]) > 0.1 for a, b in zip(compare_layout(raised), rows, strict=True)))

    def test_what_stands_is_seen_less_than_what_lies(self):
        """A box front looked at from the desk: its share grows as it opens, and its back is never seen from there."""
        design = card_with("hinge-plate", Card(size="na.a7"))
        items = (msgspec.structs.replace(PICTURE, on="m1.plate", width=20.0), msgspec.structs.replace(PICTURE, id="a2", on="m1.plate", face="back"))
        told = sights(examine(with_items(design, *items), CATALOG, steps=25), "m1")
        self.assertEqual(told["a1"].share[0], 0.0)  # the card is shut
        self.assertGreater(told["a1"].share[-1], 0.99)
        self.assertEqual(float(told["a2"].share.max()), 0.0)
        self.assertTrue(told["a2"].is_mirrored[-1])


class ThroughTest(unittest.TestCase):
    def test_what_is_laid_where_it_is_seen_is_upright_and_seen_whole_there(self):
        """Every mechanism, every halt at which everything lies flat, on the largest surface and on one chosen by lot."""
        rng, laid = np.random.default_rng(5), 0
        for recipe in (*FLAT, *FOLDED):
            design = card_with(recipe, Card(size="na.a7"))
            examination = examine(design, CATALOG, steps=25)
            mechanism = examination.assembly.all_drives[0].mechanism
            halts = halts_of(examination.assembly, mechanism)
            for halt in (halts[0], halts[-1]):
                at = {mechanism: halt}
                try:
                    surfaces = [s for s in surfaces_at(examination, at) if s.seen.area > 150]
                except LexipodError:
                    continue
                for surface in (max(surfaces, key=lambda s: s.seen.area), surfaces[int(rng.integers(len(surfaces)))]):
                    made = laid_through(examination, PICTURE, at, surface.seen)
                    self.assertEqual((made.on, made.face), (surface.on, surface.face), recipe)
                    seen = sights(examine(with_items(design, made), CATALOG, steps=25), mechanism)["a1"].at(halt)
                    self.assertGreater(seen.share, 0.995, (recipe, halt, made))
                    self.assertAlmostEqual(seen.turned_deg, 0.0, delta=0.01, msg=(recipe, halt, made))
                    self.assertFalse(seen.is_mirrored)
                    laid += 1
        self.assertGreater(laid, 60)

    def test_one_picture_is_laid_at_every_place_of_a_wheel(self):
        design = card_with("window-wheel", Card(size="na.a7"))
        examination = examine(design, CATALOG)
        opening = opening_of(examination.assembly, "card.frame")
        made = laid_through(examination, PICTURE, {"m1": 0.0}, opening)
        self.assertEqual(made.on, "m1.wheel")
        six = also_elsewhere(with_items(design, made), examination, "a1", "m1", 0.0)
        self.assertEqual(len(six.items), 6)
        told = sights(examine(six, CATALOG), "m1")
        for k, item in enumerate(six.items):
            at = [told[item.id].at(60.0 * j) for j in range(6)]
            self.assertEqual([round(s.share, 3) for s in at], [1.0 if j == k else 0.0 for j in range(6)])
            self.assertAlmostEqual(at[k].turned_deg, 0.0, delta=0.01)

    def test_each_leaf_of_a_waterfall_gets_its_greeting(self):
        design = card_with("waterfall", Card(size="na.a7"))
        examination = examine(design, CATALOG)
        words = Item("g1", "greeting", "m1.leaf-1", text="Low water", height=6.0)
        place = shapely.Point(63.0, 100.0)
        made = laid_through(examination, words, {"m1": 0.0}, place)
        every = also_elsewhere(with_items(design, made), examination, "g1", "m1", 0.0)
        self.assertEqual(len({(i.on, i.face) for i in every.items}), len(halts_of(examination.assembly, "m1")))
        told = sights(examine(every, CATALOG), "m1")
        for item, halt in zip(every.items, halts_of(examination.assembly, "m1"), strict=True):
            self.assertGreater(told[item.id].at(halt).share, 0.99)
            self.assertAlmostEqual(told[item.id].at(halt).turned_deg, 0.0, delta=0.01)

    def test_what_is_too_large_for_an_opening_is_made_smaller_and_spots_keep_their_size(self):
        design = card_with("window-wheel", Card(size="na.a7"))
        examination = examine(design, CATALOG)
        opening = opening_of(examination.assembly, "card.frame")
        large = msgspec.structs.replace(PICTURE, width=140.0, height=100.0)
        made = laid_through(examination, large, {}, opening)
        left, bottom, right, top = opening.bounds
        self.assertLessEqual(made.width, right - left + 0.1)
        self.assertGreater(made.width / (right - left), 0.6)
        self.assertAlmostEqual(made.width / made.height, 1.4, delta=0.01)
        self.assertEqual(laid_through(examination, large, {}, opening.centroid).width, 140.0)

    def test_what_cannot_be_laid_says_why(self):
        examination = examine(card_with("twist-popup", Card(size="na.a7")), CATALOG, steps=25)
        with self.assertRaisesRegex(LexipodError, "stands up"):
            surfaces_at(examination, {"m1": 90.0})
        with self.assertRaises(ChoiceError):
            opening_of(examination.assembly, "card.nothing")
        with self.assertRaisesRegex(LexipodError, "nothing is seen there"):
            laid_through(examination, PICTURE, {"m1": 0.0}, shapely.Point(900, 900))


class EverSeenTest(unittest.TestCase):
    def test_a_wheel_is_ever_seen_in_the_rings_that_pass_its_openings(self):
        """The window lies between two radii of the wheel: its ring is seen, what is nearer to the hub is not (worked by hand)."""
        examination = examine(card_with("window-wheel", Card(size="na.a7")), CATALOG)
        row = next(r for r in ever_seen(examination) if r.on == "m1.wheel")
        wheel = examination.assembly.by_id["m1.wheel"]
        opening = opening_of(examination.assembly, "card.frame")
        x, y = apply_pose(wheel.home, [wheel.round_about])[0]
        near = shapely.Point(x, y).distance(opening)
        hub = shapely.Point(wheel.round_about).buffer(near - 0.5)
        self.assertLess(shapely.intersection(row.region, hub).area, 1.0)
        points = shapely.get_coordinates(opening)
        far = np.hypot(points[:, 0] - x, points[:, 1] - y).max()
        about = shapely.Point(wheel.round_about)
        ring = about.buffer(far - 1.0, quad_segs=64).difference(about.buffer(near + 1.0, quad_segs=64))
        self.assertGreater(shapely.intersection(row.region, ring).area, 0.97 * ring.area)
        self.assertEqual(len({g.travel for g in glimpses(examination) if g.on == "m1.wheel"}), 6)

    def test_what_is_seen_where_something_stands_is_what_the_way_to_the_eye_is_free_to(self):
        """Ten folds, each held at four positions, against rays cast through all sheets. Not the wiper: its leaf bends, and is painted by its
        layers."""
        rng, count, wrong = np.random.default_rng(5), 0, []
        for recipe in FOLDED:
            if recipe != "wiper":
                rows = compare_standing(card_with(recipe, Card(size="na.a7")), rng)
                count += len(rows)
                wrong += [(recipe, *row) for row in rows if row[3] != row[4]]
        self.assertGreater(count, 1000)
        self.assertEqual(wrong, [])

    def test_what_is_seen_of_a_whole_part_is_the_same_as_a_surface_and_as_a_picture_all_over_it(self):
        """Both ways of every flat mechanism, also of parts that are woven over and under each other on one level."""
        for recipe in FLAT:
            plain = card_with(recipe, Card(size="na.a7"))
            parts = [p for p in build_assembly(plain, CATALOG).parts if p.role not in ("spacer", "fastener") and not p.bought and p.id != "card.back"]
            over_all = tuple(Item(f"a{k}", "picture", p.id, share=(0.0, 0.0, 1.0, 1.0), source="x.svg") for k, p in enumerate(parts))
            examination = examine(msgspec.structs.replace(plain, items=over_all), CATALOG, steps=5)
            drive = examination.assembly.drives[0]
            for halt in (drive.rest, drive.end):
                surfaces = {s.on: s.seen.area for s in surfaces_at(examination, {"m1": halt})}
                for item in over_all:
                    if examination.is_clear(examination.assembly.by_id[item.on]):
                        continue
                    told = sights(examination, "m1")[item.id].at(halt).share * examination.assembly.by_id[item.on].region.area
                    self.assertAlmostEqual(surfaces.get(item.on, 0.0), told, delta=0.01, msg=(recipe, item.on, halt))

    def test_a_face_that_is_seen_only_while_it_stands_is_ever_seen(self):
        """The side of a box lies hidden or edge on whenever the card lies flat shut; and what stands covers part of the page behind it."""
        examination = examine(card_with("popout-box", Card(size="na.a7")), CATALOG, steps=25)
        halts = {(g.on, g.face) for g in glimpses(examination)}
        ever = {(r.on, r.face): r.share for r in ever_seen(examination)}
        only_standing = set(ever) - halts
        self.assertTrue(only_standing)
        self.assertTrue(all(0.0 < share <= 1.0 for share in ever.values()))

    def test_the_reader_halts_at_rest_and_end_besides_the_places_on_the_way(self):
        assembly = examine(card_with("strip-slider", Card(size="na.a7")), CATALOG, steps=2).assembly
        (drive,) = assembly.drives
        self.assertEqual(halts_of(assembly, "m1"), (drive.rest, drive.end))
        middle = (drive.rest + drive.end) / 2
        stopped = replace(assembly, drives=(replace(drive, detents=(middle,)),))
        self.assertEqual(halts_of(stopped, "m1"), (drive.rest, middle, drive.end))
        back = replace(assembly, drives=(replace(drive, rest=drive.end, end=drive.rest, detents=(middle,)),))
        self.assertEqual(halts_of(back, "m1"), (drive.end, middle, drive.rest))

    def test_room_to_write_is_the_pages_less_what_folds_there(self):
        flat = examine(card_with("strip-slider", Card(size="na.a7")), CATALOG, steps=2)
        self.assertEqual([round(a) for _, a in room_to_write(flat)], [round(2 * 127.0 * 177.8), round(127.0 * 177.8)])
        folded = examine(card_with("twist-popup", Card(size="na.a7")), CATALOG, steps=25)
        inside = dict(room_to_write(folded))["the inside, as it lies open"]
        self.assertTrue(0.4 * 2 * 127.0 * 177.8 < inside < 2 * 127.0 * 177.8)


class AskedTest(unittest.TestCase):
    def found(self, design):
        return {f.rule: f for f in run_checks(examine(design, CATALOG)) if f.rule.startswith("picture")}

    def test_a_surprise_behind_a_sliding_picture_is_hidden_and_then_shown(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        examination = examine(design, CATALOG)
        picture = examination.regions("m1.picture")[0]
        spot = shapely.Point(*np.array(picture.centroid.coords[0]))
        surprise = laid_through(examination, msgspec.structs.replace(PICTURE, width=7.0, height=5.0), {"m1": examination.drives[0].end}, spot)
        self.assertNotEqual(surprise.on, "m1.picture")
        asked = msgspec.structs.replace(surprise, hide_at_rest=True, show_at_end=True)
        self.assertEqual(self.found(with_items(design, asked)), {})
        beside = msgspec.structs.replace(asked, at=(asked.at[0] + 25.0, asked.at[1]))
        told = self.found(with_items(design, beside))["picture-hidden"]
        share = sights(examine(with_items(design, beside), CATALOG), "m1")["a1"].share[0]
        self.assertAlmostEqual(told.measured, float(share), delta=1e-4)
        self.assertGreater(share, 0.3)
        self.assertIn("peeps out at rest", told.title)
        on_top = msgspec.structs.replace(asked, on="card.front", at=(0.0, 0.0))
        self.assertIn("picture-shown", self.found(with_items(design, on_top)))

    def test_a_leaf_of_a_waterfall_has_its_turn_at_a_halt_and_not_at_the_end(self):
        design = card_with("waterfall", Card(size="na.a7"))
        words = Item("g1", "greeting", "m1.leaf-2", text="HOH", height=5.0, hide_at_rest=True, show_at_halt=True)
        self.assertEqual(self.found(with_items(design, words)), {})
        told = self.found(with_items(design, msgspec.structs.replace(words, show_at_end=True)))
        self.assertEqual(set(told), {"picture-shown"})
        under = Item("g1", "greeting", "m1.strip", text="HOH", height=5.0, show_at_halt=True)
        strip = next(p for p in examine(design, CATALOG, steps=2).assembly.panels if p.startswith("m1.") and "leaf" not in p)
        under = msgspec.structs.replace(under, on=strip, face="back")
        self.assertIn("picture-shown", self.found(with_items(design, under)))

    def test_a_greeting_on_its_head_on_the_wrong_face_or_off_its_paper_is_told(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        words = Item("g1", "greeting", "card.frame", at=(0.0, 60.0), text="Fog lifts", height=5.0)
        self.assertEqual(self.found(with_items(design, words)), {})
        head = self.found(with_items(design, msgspec.structs.replace(words, turn=180.0)))
        self.assertEqual(set(head), {"picture-upright"})
        self.assertEqual(head["picture-upright"].measured, 180.0)
        self.assertEqual(set(self.found(with_items(design, msgspec.structs.replace(words, face="back")))), {"picture-face"})
        edge = self.found(with_items(design, msgspec.structs.replace(words, at=(50.0, 60.0))))
        self.assertIn("over the edge", edge["picture-place"].title)
        frame = examine(design, CATALOG, steps=2).assembly.by_id["card.frame"]
        slot = shapely.Polygon(frame.holes[0]).centroid
        middle = (frame.box[0] + frame.box[1]) / 2
        over = msgspec.structs.replace(words, at=(slot.x - middle[0], slot.y - middle[1]))
        opening = self.found(with_items(design, over))
        self.assertIn("over an opening", opening["picture-place"].title)

    def test_a_shape_is_a_part_that_is_cut_and_hides_what_lies_under_it(self):
        ring = ((0.0, 0.0), (1.0, 0.0), (0.5, 1.0))
        design = card_with("strip-slider", Card(size="na.a7"))
        words = Item("g1", "greeting", "card.frame", at=(0.0, 60.0), text="HHH", height=5.0)
        shape = Item("s1", "shape", "card.frame", at=(0.0, 60.0), width=60.0, height=60.0, layers=0, outline=(ring,))
        examination = examine(with_items(design, words, shape), CATALOG)
        part = examination.assembly.by_id["card.item-s1"]
        self.assertAlmostEqual(part.region.area, 1800.0, delta=0.1)
        told = sights(examination, "m1")
        self.assertLess(told["g1"].share[0], 0.2)
        self.assertEqual(told["s1"].share[0], 1.0)
        self.assertEqual(target_of(examination, shape).on, "card.item-s1")
        from lexipod.blanks import find_blanks

        self.assertTrue(any("card.item-s1" in b.panels for b in find_blanks(examination.assembly)))


if __name__ == "__main__":
    unittest.main()
