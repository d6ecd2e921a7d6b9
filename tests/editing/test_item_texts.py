"""Items as text, read back; their single fields; and items arranged."""

import itertools
import unittest

import msgspec
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as some

from lexipod.building import build_assembly
from lexipod.design import Item
from lexipod.editing.arranging import equal_gaps, in_the_middle
from lexipod.editing.change import change_design
from lexipod.editing.items import WORDS as GRAMMAR
from lexipod.editing.items import format_item, parse_item
from lexipod.errors import LexipodError, ParameterError
from lexipod.pictures import laid_outline
from tests.zoo import CATALOG, card_with

LENGTH = some.floats(1, 300).map(lambda v: round(v, 3))
PLACE = some.tuples(some.floats(-90, 90).map(lambda v: round(v, 3)), some.floats(-90, 90).map(lambda v: round(v, 3)))
WORDS = some.text('aBé “½’\n"$#', min_size=1, max_size=20).filter(lambda t: t.strip() and "\\" not in t)


@some.composite
def items(draw):
    """Pictures, greetings and what is glued on."""
    kind = draw(some.sampled_from(("picture", "greeting", "decoration", "pad")))
    base = {"face": draw(some.sampled_from(("front", "back"))), "at": draw(PLACE), "turn": draw(some.sampled_from((0.0, 15.0, -90.5)))}
    asked = {"hide_at_rest": draw(some.booleans()), "show_at_end": draw(some.booleans()), "show_at_halt": draw(some.booleans())}
    if kind == "greeting":
        along = draw(some.sampled_from(("line", "arc", "circle")))
        bow = {} if along == "line" else {"along": along, "radius": draw(some.sampled_from((20.0, -35.5)))}
        look = {"align": draw(some.sampled_from(("left", "middle", "right"))), "colour": draw(some.sampled_from(("", "#204060")))}
        return Item("g1", "greeting", "card.frame", text=draw(WORDS), height=draw(LENGTH), **base, **bow, **look, **asked)
    if kind == "picture":
        share = draw(some.sampled_from((None, (0.0, -0.5, 1.0, 1.25))))
        size = {} if share else {"width": draw(LENGTH), "height": draw(LENGTH)}
        return Item("g1", "picture", "m1.leaf-1", source=draw(some.sampled_from(("a b.svg", "demo:sun"))), share=share, **size, **base, **asked)
    layers = draw(some.integers(1, 8))
    return Item("g1", kind, "card.frame", width=draw(LENGTH), height=draw(LENGTH), layers=layers, **base)


class TextTest(unittest.TestCase):
    @settings(max_examples=120, deadline=None)
    @given(items())
    def test_the_text_of_an_item_reads_back_to_it(self, item):
        self.assertEqual(parse_item("g1", format_item(item), CATALOG), item)

    def test_what_is_no_item_says_how_one_is_written(self):
        for text, words in (
            ("picture", "write it like"),
            ("picture on card.frame front", "write it like"),
            ("picture on card.frame front 3x4mm", "needs a source"),
            ("greeting on card.frame front 6mm", "needs a text"),
            ("greeting on card.frame front 6mm saying Hi along spiral", "spiral"),
            ("greeting on card.frame front 6mm saying Hi along arc", "radius"),
            ("picture on card.frame front 3x4mm from a.svg at 3x", "place"),
            ("picture on card.frame front 3x4mm from a.svg from b.svg", "twice"),
            ("picture on card.frame front share 0 1 2 from a.svg", "four numbers"),
            ("decoration on card.frame front 3x4mm saying Hi", "only a greeting"),
            ('greeting on card.frame front 6mm saying "Hi', "not an item"),
            ("greeting on card.frame front 6mm saying Hi coloured red", "colour"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ParameterError, words):
                parse_item("g1", text, CATALOG)

    def test_single_fields_keep_proportion_and_leave_the_share_behind(self):
        picture = Item("a1", "picture", "card.frame", source="a.svg", width=30.0, height=20.0, proportion=1.5, share=(0.0, 0.0, 1.0, 1.0))
        design = msgspec.structs.replace(card_with("strip-slider"), items=(picture,))
        wide = change_design(design, CATALOG, {"item.a1.width": "2in"}).items[0]
        self.assertEqual((wide.width, round(wide.height, 3), wide.share), (50.8, 33.867, None))
        told = change_design(design, CATALOG, {"art.a1.hide_at_rest": "yes", "art.a1.turn": "30 deg", "art.a1.face": "back"}).items[0]
        self.assertEqual((told.hide_at_rest, told.turn, told.face, told.share), (True, 30.0, "back", picture.share))
        for name, value in (("turn", "sideways"), ("face", "inside"), ("layers", "many"), ("colour", "red"), ("width", "0mm")):
            with self.assertRaises(LexipodError):
                change_design(design, CATALOG, {f"item.a1.{name}": value})


class ArrangeTest(unittest.TestCase):
    def setUp(self):
        rows = ((-30.0, 8.0), (-14.0, 12.0), (22.0, 6.0), (30.0, 10.0))
        items = tuple(Item(f"a{k}", "picture", "card.frame", at=(x, 5.0 * k), width=w, height=6.0, source="a.svg") for k, (x, w) in enumerate(rows))
        self.design = msgspec.structs.replace(card_with("strip-slider"), items=items)
        self.assembly = build_assembly(self.design, CATALOG)

    def test_gaps_become_equal_and_the_outermost_stay(self):
        moved = equal_gaps(self.assembly, self.design.items, "x")
        outline = self.assembly.by_id["card.frame"].outline
        spans = sorted(laid_outline(i, outline).bounds[::2] for i in moved)
        gaps = [b[0] - a[1] for a, b in itertools.pairwise(spans)]
        np.testing.assert_allclose(gaps, gaps[0], atol=1e-3)
        self.assertEqual([i.id for i in moved], ["a0", "a1", "a2", "a3"])
        self.assertEqual((moved[0].at[0], moved[3].at[0]), (-30.0, 30.0))
        self.assertEqual([i.at[1] for i in moved], [0.0, 5.0, 10.0, 15.0])
        with self.assertRaisesRegex(LexipodError, "three items"):
            equal_gaps(self.assembly, self.design.items[:2], "x")

    def test_words_of_the_grammar_may_be_what_a_greeting_says(self):
        for word in GRAMMAR:
            item = Item("g1", "greeting", "card.front", text=word, height=5.0)
            self.assertEqual(parse_item("g1", format_item(item), CATALOG), item)
        picture = Item("a1", "picture", "card.front", source="in", width=9.0, height=6.0)
        self.assertEqual(parse_item("a1", format_item(picture), CATALOG), picture)

    def test_the_middle_of_part_and_card(self):
        item = self.design.items[1]
        self.assertEqual(in_the_middle(self.design, self.assembly, item, of="part").at, (0.0, 0.0))
        made = in_the_middle(self.design, self.assembly, item, of="card")
        frame = self.assembly.by_id["card.frame"]
        x, y = np.asarray(frame.home[:2]) + (frame.box[0] + frame.box[1]) / 2 + made.at
        self.assertAlmostEqual(x, self.assembly.card.width_mm / 2, places=3)
        self.assertAlmostEqual(y, self.assembly.card.height_mm / 2, places=3)


if __name__ == "__main__":
    unittest.main()
