"""The window with every flat mechanism: chosen, dragged through, broken and cured, several on one card."""

import unittest

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from lexipod.app.card.card_picture import CardPicture
from lexipod.app.card.drag import Pointer, drag_handle, find_value
from lexipod.app.frame.chooser import PICTURE_PX
from lexipod.app.panels.travel_panel import TravelPanel
from lexipod.demo import demo_names, load_demo
from lexipod.editing.change import add_mechanism
from lexipod.geometry.frames import apply_pose
from lexipod.recipes import RECIPES
from tests.app.windowing import WindowTest
from tests.zoo import CATALOG, card_with


class ChooserTest(WindowTest):
    design = card_with("spinner")

    def samples(self):
        return [view.sample.recipe.id for view in self.window.chooser._views]

    def test_what_should_happen_leads_to_the_mechanisms_that_can_do_it(self):
        self.window.doing.choose_mechanism()
        chooser = self.window.chooser
        self.until(lambda: len(self.samples()) == len(RECIPES))
        self.assertEqual(self.samples(), list(RECIPES))
        QTest.mouseClick(chooser.buttons["spin"], Qt.MouseButton.LeftButton)
        self.assertEqual(self.samples(), ["pinwheel", "spinner", "popout-box", "thread-spinner"])
        QTest.mouseClick(chooser.buttons["spin"], Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.samples()), len(RECIPES))

    def test_the_pictures_move_and_the_chosen_one_stands_on_the_card(self):
        self.window.doing.choose_mechanism()
        self.until(lambda: len(self.samples()) >= 3)
        view = self.window.chooser._views[2]
        self.assertEqual(view.sample.recipe.id, "pocket-lift")
        view.phase = 0.0
        rest = view.grab().toImage()
        view.phase = 0.5
        self.assertNotEqual(view.grab().toImage(), rest)
        QTest.keyClick(view, Qt.Key.Key_Return)
        self.assertEqual([m.recipe for m in self.session.design.mechanisms], ["spinner", "pocket-lift"])
        self.assertEqual(self.window.desk.current, "m2")
        self.assertIs(self.window.left.currentIndex(), 0)
        self.session.undo()
        self.assertEqual(len(self.session.design.mechanisms), 1)

    def test_nothing_of_a_sample_is_cut_off_wherever_it_has_moved(self):
        """Corners of all moving parts at all positions, laid in the picture as it is painted."""
        self.window.doing.choose_mechanism()
        self.until(lambda: len(self.samples()) == len(RECIPES))
        for view in self.window.chooser._views:
            if view.sample.track is None:
                continue
            middle, half = view._middle_mm, (PICTURE_PX - 4) / 2 / view._scale
            for part, poses in view.sample.track.poses.items():
                away = np.abs(apply_pose(poses, view.sample.assembly.by_id[part].outline) - middle)
                self.assertLessEqual(away.max(), half, (view.sample.recipe.id, part))

    def test_a_wish_is_written_in_the_makers_unit(self):
        self.window.doing.choose_mechanism()
        for unit in ("mm", "in"):
            self.window.doing.use_unit(unit)
            self.window.show_bench()
            self.window.show_chooser()
            self.assertTrue(self.window.chooser.wish.placeholderText().endswith(unit))

    def test_a_mechanism_that_does_not_fit_says_what_would(self):
        from lexipod.app.frame.chooser import make_sample
        from lexipod.design import Card, Design

        tiny = make_sample(RECIPES["iris"], Design(card=Card(size="free", width=60, height=60)), self.session)
        self.assertIsNone(tiny.assembly)
        self.assertIn("it fits", tiny.note)
        lying = make_sample(RECIPES["dial-riders"], Design(card=Card(orientation="landscape")), self.session)
        self.assertEqual(lying.turn, 90)


class SeveralTest(WindowTest):
    design = add_mechanism(
        card_with("spinner", pivot="35mm x 100mm", leaf_length=22.0), "spinner", CATALOG, given={"pivot": "72mm x 100mm", "leaf_length": "22mm"}
    )

    def test_the_worst_combination_is_found_shown_and_cured(self):
        self.until(self.is_judged)
        finding = next(f for f in self.window.desk.judgement.findings if f.rule == "crossing")
        self.assertEqual(set(finding.parts), {"m1.hand", "m2.hand"})
        self.window.view.show_finding(finding)
        self.assertEqual(set(self.window.view.travel), {"m1", "m2"})
        self.assertTrue(finding.remedies)
        self.window.doing.apply_remedy(finding.remedies[0])
        self.until(self.is_judged)
        self.assertFalse([f for f in self.window.desk.judgement.findings if f.rule == "crossing"])

    def test_the_ribbon_and_the_panel_follow_the_mechanism_that_is_taken_hold_of(self):
        self.window.view.go_to("mechanism")
        self.assertEqual(self.window.desk.current, "m1")
        self.window.doing.next_mechanism()
        self.assertEqual((self.window.desk.current, self.window.desk.drive.mechanism), ("m2", "m2"))
        self.assertEqual(self.window.mechanism_panel.mechanism.id, "m2")
        names = [b.text() for b in self.window.mechanism_panel.findChildren(QPushButton)]
        self.assertIn("spinner 1", names)
        self.assertIn("spinner 2", names)
        self.window.view.go_to("travel")
        QTest.mousePress(self.window.card_view, Qt.MouseButton.LeftButton, pos=self.window.card_view.to_view(35, 112).toPoint())
        QTest.mouseRelease(self.window.card_view, Qt.MouseButton.LeftButton)
        self.assertEqual(self.window.desk.current, "m1")

    def test_each_moves_on_its_own(self):
        self.window.view.set_travel("m1", 90.0)
        poses = self.window.desk.poses_at(self.window.view.travel)
        self.assertAlmostEqual(np.degrees(poses["m1.hand"][2]), 90.0, places=4)
        self.assertAlmostEqual(np.degrees(poses["m2.hand"][2]), 0.0, places=4)

    def test_a_mechanism_is_taken_off_and_brought_back(self):
        self.window.desk.use("m2")
        self.window.mechanism_panel.remove_whole()
        self.assertEqual([m.id for m in self.session.design.mechanisms], ["m1"])
        self.session.undo()
        self.assertEqual([m.id for m in self.session.design.mechanisms], ["m1", "m2"])


class WholeTest(WindowTest):
    design = card_with("pivot-arm")

    def handle(self, name):
        return next(h for h in self.window.card_view.handles if h.parameter == name)

    def drag(self, name, dx, dy):
        handle = self.handle(name)
        way = drag_handle(self.session, handle, Pointer(*handle.at))
        next(way)
        way.send(Pointer(handle.at[0] + dx, handle.at[1] + dy))
        way.close()

    def test_a_pivot_is_dragged_both_ways_in_one_step(self):
        self.window.view.go_to("mechanism")
        x, y = find_value(self.session.design, "m1", "pivot")
        self.drag("pivot", 3.0, 5.0)
        self.assertEqual(find_value(self.session.design, "m1", "pivot"), (x + 3.0, y + 5.0))
        self.assertEqual(self.session.history.count, 1)

    def test_the_whole_is_moved_turned_and_mirrored_each_in_one_step(self):
        self.window.view.go_to("mechanism")
        self.drag("shift", 2.0, -4.0)
        self.assertEqual(self.session.design.mechanisms[0].shift, (2.0, -4.0))
        self.window.doing.turn_mechanism()
        self.assertEqual(self.session.design.mechanisms[0].turned, 90)
        self.window.doing.mirror()
        self.assertTrue(self.session.design.mechanisms[0].mirror)
        self.assertEqual(self.session.history.count, 3)
        for _ in range(3):
            self.session.undo()
        self.assertEqual(self.session.design, self.design)

    def test_a_mirrored_pivot_follows_the_hand(self):
        self.window.doing.mirror()
        self.window.view.go_to("mechanism")
        before = self.handle("pivot").at
        self.drag("pivot", -4.0, 2.0)
        after = self.handle("pivot").at
        np.testing.assert_allclose(np.subtract(after, before), (-4.0, 2.0), atol=1e-6)

    def test_an_arm_that_hits_the_foam_is_told_while_the_pivot_is_dragged_and_cured(self):
        self.window.view.go_to("mechanism")
        self.drag("arm_length", 0.0, 70.0)
        self.until(self.is_judged)
        faults = [f for f in self.window.desk.judgement.findings if f.severity == "block"]
        self.assertTrue(faults)
        remedies = [r for f in faults for r in f.remedies if r.cures]
        self.assertTrue(remedies)
        self.window.doing.apply_remedy(remedies[0])
        self.until(self.is_judged)
        self.assertLess(len([f for f in self.window.desk.judgement.findings if f.severity == "block"]), len(faults) + 1)

    def test_angles_are_dragged_round_their_middle_and_typed_in_degrees(self):
        self.session.start(card_with("iris"))
        self.window.view.go_to("mechanism")
        handle = self.handle("turn")
        cx, cy = handle.about
        spoke = np.subtract(handle.at, handle.about)
        turned = np.array([spoke[0] * 0.99619 - spoke[1] * 0.08716, spoke[0] * 0.08716 + spoke[1] * 0.99619])  # 5 degrees on
        before = find_value(self.session.design, "m1", "turn")
        self.drag("turn", turned[0] - spoke[0], turned[1] - spoke[1])
        self.assertAlmostEqual(find_value(self.session.design, "m1", "turn"), before + 5.0 * handle.gain, delta=1.01)
        del cx, cy


class TravelTest(WindowTest):
    design = card_with("track-rider", path="arc")

    def test_tilting_the_card_lets_the_rider_slide_to_where_friction_holds_it(self):
        self.window.view.go_to("travel")
        panel: TravelPanel = self.window.travel_panel
        self.assertTrue(panel.tilt.isVisible())
        self.window.view.set_travel("m1", 270.0)
        panel.tilt.setValue(80)
        high = self.window.view.travel["m1"]
        panel.tilt.setValue(-80)
        low = self.window.view.travel["m1"]
        self.assertGreater(abs(high - low), 60.0)
        self.assertIn("upright", panel.event_rows.text())

    def test_play_push_and_opening_are_read_at_the_shown_travel(self):
        self.session.start(card_with("iris"))
        self.until(self.is_judged)
        self.window.view.go_to("travel")
        self.window.view.set_travel("m1", 0.0)
        closed = self.window.travel_panel.reading_rows.text()
        self.window.view.set_travel("m1", 63.0)
        wide = self.window.travel_panel.reading_rows.text()
        self.assertIn("0 %", closed)
        self.assertIn("100 %", wide)
        self.assertIn("°", wide)

    def test_the_wheels_detents_are_marked(self):
        self.session.start(card_with("window-wheel", positions=5))
        self.until(self.is_judged)
        events = self.window.desk.judgement.events["m1"]
        self.assertEqual([round(e.travel) for e in events if e.kind == "detent"], [0, 72, 144, 216, 288])


class CollectionTest(WindowTest):
    def test_every_card_of_the_collection_opens_unblocked_and_is_seen_moving(self):
        for name in demo_names():
            with self.subTest(name):
                self.window.files.open_demo(name)
                self.assertFalse(self.window.desk.picture_faults)
                self.window.view.go_to("fit")
                self.until(lambda: self.window.desk.judgement is not None and not self.window.desk.is_stale)
                self.assertFalse([f.title for f in self.window.desk.judgement.findings if f.severity == "block"])
                drive = self.window.desk.drive
                self.window.view.set_travel("m1", drive.rest)
                rest = self.window.card_view.grab().toImage()
                self.window.view.set_travel("m1", drive.rest + 0.4 * (drive.end - drive.rest))
                self.assertNotEqual(self.window.card_view.grab().toImage(), rest)
                self.assertTrue(self.session.design.story)


class RingTest(WindowTest):
    design = load_demo("wind-wheel")

    def test_leaves_that_lie_over_one_another_in_a_ring_are_painted_so(self):
        """Where two leaves cross, the colour is that of the one on top, for every neighbouring pair."""
        import shapely

        self.window.view.set_hidden(False)
        picture: CardPicture = self.window.card_view.picture
        image = self.window.card_view.grab().toImage()
        assembly = self.window.desk.assembly
        leaves = [assembly.by_id[f"m1.leaf-{k}"] for k in range(1, 7)]
        for k, leaf in enumerate(leaves):
            under = assembly.by_id[leaf.over[0]]
            others = shapely.union_all([p.region_at_home for p in assembly.parts if p.level > leaf.level or (leaf.id in p.over)])
            shared = leaf.region_at_home.intersection(under.region_at_home).difference(others.buffer(0.6)).buffer(-0.6)
            if shared.area < 0.5:
                continue
            spot = shared.representative_point()
            own = leaf.region_at_home.difference(shapely.union_all([p.region_at_home for p in leaves if p is not leaf] + [others])).buffer(-1.0)
            self.assertTrue(own.area > 1)
            x, y = (round(v) for v in (picture.to_view(spot.x, spot.y).x(), picture.to_view(spot.x, spot.y).y()))
            seen = image.pixelColor(x, y)
            top = [self.colour_at(leaf, spot)]
            self.assertIn(seen.name(), top + ["#2b2a28"], f"leaf {k + 1}")

    def colour_at(self, leaf, spot):
        """The colour of the leaf's own layer at a place: its art where it has some there, else its paper."""
        from PySide6.QtGui import QColor

        from lexipod.drawing.pens import colour_of_fill
        from lexipod.geometry.frames import apply_pose, invert_pose

        inside = apply_pose(invert_pose(np.asarray(leaf.home)), [(spot.x, spot.y)])[0]
        colour = ""
        for item in next(layer for layer in self.window.desk.layers if layer.part == leaf.id).front:
            import shapely

            fill = colour_of_fill(getattr(item, "fill", ""))
            if fill and shapely.contains_xy(shapely.Polygon(item.rings[0], list(item.rings[1:])), *inside):
                colour = fill
        dim = self.window.theme.paper_dim
        paper = QColor(colour)
        return QColor.fromHsvF(max(paper.hsvHueF(), 0.0), paper.hsvSaturationF(), paper.valueF() * dim).name()


del WindowTest

if __name__ == "__main__":
    unittest.main()
