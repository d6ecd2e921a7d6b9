"""Cures for what is seen: each is tried again here, and only takes what it was asked to."""

import unittest

import msgspec
import numpy as np
import shapely

from lexipod.checks import run_checks
from lexipod.cures import find_remedies
from lexipod.design import Card, Item
from lexipod.editing.change import change_design
from lexipod.fitting.through import laid_through
from lexipod.pipeline import examine
from lexipod.ribbon import ribbon_rows
from lexipod.ribbon.rows import picture_rows
from tests.zoo import CATALOG, card_with


def pictures_found(design):
    return [f for f in run_checks(examine(design, CATALOG)) if f.rule.startswith("picture")]


class CureTest(unittest.TestCase):
    def setUp(self):
        self.design = card_with("strip-slider", Card(size="na.a7"))
        self.words = Item("g1", "greeting", "card.frame", at=(0.0, 60.0), text="Fog lifts", height=5.0)

    def cured(self, *items):
        """The design after the first cure of the one finding."""
        design = msgspec.structs.replace(self.design, items=items)
        (finding,) = pictures_found(design)
        remedies = find_remedies(design, CATALOG, finding)
        self.assertTrue(remedies, finding.title)
        made = change_design(design, CATALOG, remedies[0].set)
        self.assertEqual(pictures_found(made), [])
        self.assertEqual(made.mechanisms, design.mechanisms)
        return made.items[0], remedies

    def test_what_stands_on_its_head_is_turned(self):
        for turn in (180.0, -170.0, 130.0):
            item, _ = self.cured(msgspec.structs.replace(self.words, turn=turn))
            self.assertAlmostEqual(item.turn, 0.0, delta=1e-6)

    def test_what_is_on_the_wrong_face_is_put_on_the_front(self):
        item, _ = self.cured(msgspec.structs.replace(self.words, face="back"))
        self.assertEqual(item.face, "front")

    def test_what_runs_over_the_edge_is_moved_or_made_smaller(self):
        item, remedies = self.cured(msgspec.structs.replace(self.words, at=(50.0, 60.0)))
        self.assertLess(item.at[0], 50.0)
        self.assertTrue(any(r.label.startswith("Make") or r.label.startswith("Shrink") or r.label.startswith("Move") for r in remedies))

    def test_a_surprise_that_peeps_out_is_moved_behind_its_cover_and_still_shown(self):
        examination = examine(self.design, CATALOG)
        spot = shapely.Point(*np.array(examination.regions("m1.picture")[0].centroid.coords[0]))
        small = Item("a1", "picture", "card.front", source="x.svg", width=8.0, height=6.0, proportion=4 / 3)
        surprise = laid_through(examination, small, {"m1": examination.drives[0].end}, spot)
        beside = msgspec.structs.replace(surprise, hide_at_rest=True, show_at_end=True, at=(surprise.at[0] + 24.0, surprise.at[1]))
        design = msgspec.structs.replace(self.design, items=(beside,))
        found = pictures_found(design)
        self.assertEqual([f.rule for f in found], ["picture-hidden", "picture-shown"])
        for finding in found:
            remedy = find_remedies(design, CATALOG, finding)[0]
            made = change_design(design, CATALOG, remedy.set)
            left = pictures_found(made)
            self.assertNotIn(finding.rule, [f.rule for f in left])
            self.assertLess(made.items[0].at[0], beside.at[0])
        self.assertEqual(left, [])

    def test_what_turns_over_bare_gets_a_twin(self):
        design = card_with("flip-panels", Card(size="na.a7"))
        picture = Item("a1", "picture", "m1.panel-1", source="demo:kite", share=(0.0, 0.0, 1.0, 1.0))
        design = msgspec.structs.replace(design, items=(picture,))
        (finding,) = [f for f in pictures_found(design) if f.rule == "picture-back"]
        self.assertEqual(finding.severity, "note")
        (remedy,) = find_remedies(design, CATALOG, finding)
        made = change_design(design, CATALOG, remedy.set)
        whole = (0.0, 0.0, 1.0, 1.0)
        self.assertEqual([(i.face, i.source, i.share) for i in made.items], [(face, "demo:kite", whole) for face in ("front", "back")])
        self.assertFalse([f for f in pictures_found(made) if f.rule == "picture-back"])

    def test_what_is_on_a_face_that_nobody_sees_is_put_on_the_other(self):
        """The front panel of a slide shows the other side of its sheet."""
        design = card_with("hinge-plate", Card(size="na.a7"))
        picture = Item("a1", "picture", "m1.plate", "back", source="demo:kite", width=20.0, height=20.0)
        design = msgspec.structs.replace(design, items=(picture,))
        (finding,) = pictures_found(design)
        self.assertEqual(finding.rule, "picture-face")
        made = change_design(design, CATALOG, find_remedies(design, CATALOG, finding)[0].set)
        self.assertEqual((made.items[0].face, pictures_found(made)), ("front", []))

    def test_the_ribbon_hatches_where_it_should_be_hidden_and_is_not(self):
        asked = msgspec.structs.replace(self.words, hide_at_rest=True)
        examination = examine(msgspec.structs.replace(self.design, items=(asked,)), CATALOG)
        row = next(r for r in ribbon_rows(examination, "m1") if r.rule == "picture-hidden")
        self.assertEqual((row.kind, float(row.values[0]), row.asked), ("share", 1.0, (True, "")))
        self.assertTrue(row.trouble[0] and not row.trouble[-1])
        shown = msgspec.structs.replace(self.words, on="card.front", at=(0.0, 0.0), show_at_end=True)
        examination = examine(msgspec.structs.replace(self.design, items=(shown,)), CATALOG)
        row = next(r for r in ribbon_rows(examination, "m1") if r.rule == "picture-shown")
        self.assertTrue(row.trouble[-1] and not row.trouble[0])
        leaf = Item("g1", "greeting", "m1.leaf-2", text="HOH", height=5.0)
        for asked, shows, bare in (({"show_at_halt": True}, "halt", False), ({"show_at_end": True}, "end", True)):
            fall = card_with("waterfall", Card(size="na.a7"))
            fall = msgspec.structs.replace(fall, items=(msgspec.structs.replace(leaf, **asked),))
            (row,) = picture_rows(examine(fall, CATALOG), "m1")
            self.assertEqual((row.asked[1], bool(row.trouble[-1])), (shows, bare))
        plain = examine(msgspec.structs.replace(self.design, items=(self.words,)), CATALOG)
        self.assertFalse([r for r in ribbon_rows(plain, "m1") if r.rule.startswith("picture")])


if __name__ == "__main__":
    unittest.main()
