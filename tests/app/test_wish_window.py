"""The wish in the window: dragged, kept by the first cure, its ghost on the card while it is pointed at."""

import unittest

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from lexipod.app.card.drag import set_parameter
from lexipod.app.panels.findings_view import WrappingButton
from tests.app.windowing import WindowTest


class WishWindowTest(WindowTest):
    def test_the_first_cure_keeps_what_was_set_and_shows_what_it_will_cut(self):
        desk, view = self.window.desk, self.window.view
        view.go_to("fit")
        handle = next(h for h in desk.assembly.handles if h.parameter == "travel")
        set_parameter(self.session, handle, 53.975)
        self.until(lambda: desk.judgement.revision == self.session.revision and desk.judgement.stage == "cured", 60)
        self.assertEqual(self.session.wish.of(self.session.design), {"m1": ("travel",)})
        card = self.window.card_view
        block = next(f for f in desk.judgement.findings if f.severity == "block")
        mark = next(at for f, at in card.marks if f is block)
        self.assertEqual((mark.x(), mark.y()), (card.to_view(*block.where).x(), card.to_view(*block.where).y()))
        self.assertEqual([f.severity for f, _ in card.marks].count("note"), 0)
        bare = card.grab().toImage().pixelColor(mark.toPoint())
        QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=mark.toPoint())  # the place itself shows the finding
        self.assertEqual((view.picked_parts, view.picked_place), (block.parts, block.where))
        self.assertEqual(view.travel["m1"], block.travel)
        view.pick(())
        view.go_to("card")
        self.assertEqual(card.marks, ())
        view.go_to("fit")
        self.assertNotEqual(card.grab().toImage().pixelColor((mark + QPointF(0, -60)).toPoint()), bare)
        self.until(lambda: any(b.accessibleName().startswith("Keep travel") for b in self.window.findChildren(WrappingButton)), 10)
        first = next(b for b in self.window.findChildren(WrappingButton) if b.accessibleName().startswith("Keep travel"))
        first.pointed(True)
        self.assertGreater(len(view.preview), 2)
        self.window.grab()
        steps = self.session.revision
        first.click()
        self.until(lambda: desk.judgement.revision == self.session.revision and desk.judgement.stage != "coarse", 60)
        self.assertEqual(self.session.design.mechanisms[0].parameters["travel"], 53.975)
        self.assertFalse([f for f in desk.judgement.findings if f.severity == "block"])
        self.until(lambda: view.preview == (), 10)  # the ghost goes with its cure
        self.assertEqual(self.session.revision, steps + 1)
        self.session.undo()
        self.assertEqual(self.session.wish.of(self.session.design), {})


if __name__ == "__main__":
    unittest.main()
