"""Every setting does what its name says and nothing else, and what cannot be built leaves the design as it was."""

import tempfile
import tomllib
import unittest
from importlib import resources
from pathlib import Path

import msgspec
import numpy as np
import shapely
from PIL import ImageFont

from lexipod.assembly.cues import cue_outline
from lexipod.assembly.parts import Cue
from lexipod.building import build_assembly
from lexipod.catalog import load_catalog
from lexipod.design import Card, Closure, read_design, write_design
from lexipod.design.files import format_design
from lexipod.design.model import number_of
from lexipod.editing import change_design
from lexipod.editing.change import _CARD, _CLOSURE, _WAYS
from lexipod.editing.items import place_on
from lexipod.errors import LexipodError
from tests.zoo import CATALOG, FLAT, card_with

SETTINGS = {
    "units": ("mm", "in"),
    "denominator": ("8", "64"),
    "small": ("mark", "decimal"),
    "cutting": ("die", "trimmer"),
    "scores_from": ("right", "left"),
    "friction": ("0.31", "0.7"),
    "push_force": ("1.25", "0.5"),
    "envelope_allowance": ("2", "0.5"),
    "fingertip": ("9", "12"),
    "finger_gap": ("4", "2"),
    "slip": ("wax", "powder"),
    "foam_colour": ("black", "white"),
    "carrier": ("us", ""),
    "humidity": ("25", "5"),
    "machine": ("die-6", ""),
    "push_grip": ("18", "12"),
    "card": ("iso.a5", "na.a7"),
    "orientation": ("landscape", "portrait"),
    "fold": ("top", "left"),
    "base": ("tag", "folded"),
    "stock": ("card-250", "card-350"),
    "envelope": ("iso.c5", "usual"),
    "title": ("Kite “fog”", ""),
    "closure": ("band", "none"),
    "laminating": ("before", "after"),
    "pace": ("2", "1"),
    "adhesive": ("wet", "tape"),
    "stamping": ("place", "before"),
    "openings": ("through", "apart"),
    "folding": ("ruler", "hand"),
    "foam_style": ("pads", "strips"),
}


def flat_text(design):
    """Every stored value by its path."""
    found = {}

    def walk(path, value):
        if isinstance(value, dict):
            for key, inner in value.items():
                walk(f"{path}.{key}", inner)
        else:
            found[path] = value

    plain = msgspec.to_builtins(design)
    for name in ("card", "ways", "closure", "title", "envelope", "foam_style"):
        walk(name, plain[name])
    return found


class SettingTest(unittest.TestCase):
    def test_every_setting_changes_its_own_value_and_no_other_and_is_read_back(self):
        self.assertEqual(set(SETTINGS), {*_WAYS, *_CARD} - {"printer"})  # the shipped catalog has no printer; `tests.fabricate.test_sheets` sets one
        with tempfile.TemporaryDirectory() as folder:
            for name, texts in SETTINGS.items():
                design = card_with("spinner", Card(size="na.a7"))
                for text in texts:
                    before, design = flat_text(design), change_design(design, CATALOG, {name: text})
                    after = flat_text(design)
                    changed = {path for path in {*before, *after} if before.get(path) != after.get(path)}
                    allowed = {"card": {"size"}, "closure": {"closure", "kind", *(n.partition(".")[2] for n in _CLOSURE)}}.get(name, {name})
                    with self.subTest(name, text=text):
                        self.assertLessEqual({path.split(".")[-1] for path in changed}, allowed)
                    file = Path(folder) / "a.lexipod"
                    write_design(design, file)
                    self.assertEqual(read_design(file), design)
                stored = {path.rsplit(".", 1)[-1]: value for path, value in flat_text(change_design(design, CATALOG, {name: texts[0]})).items()}
                key = {"card": "size", "closure": "kind"}.get(name, name)
                value = next(v for p, v in flat_text(change_design(design, CATALOG, {name: texts[0]})).items() if p.rsplit(".", 1)[-1] == key)
                self.assertIn(key, stored)
                self.assertTrue(
                    str(value) == texts[0] or float(value) == float(texts[0]) if _is_number(texts[0]) else str(value) == texts[0], (name, value)
                )

    def test_a_file_can_be_read_by_eye(self):
        design = change_design(card_with("spinner"), CATALOG, {"title": "Möwe über dem Watt"})
        self.assertIn("Möwe über dem Watt".encode(), format_design(design))

    def test_measures_of_the_closure(self):
        design = change_design(card_with("spinner", Card(size="na.a7")), CATALOG, {"closure": "hem"})
        for name, text, value in (
            ("width", "30mm", 30.0),
            ("at", "60mm", 60.0),
            ("lap", "14mm", 14.0),
            ("magnet", "6mm", 6.0),
            ("magnet_thickness", "1.5mm", 1.5),
        ):
            self.assertIn(f"closure.{name}", _CLOSURE)
            self.assertEqual(getattr(change_design(design, CATALOG, {f"closure.{name}": text}).closure, name), value)
        for name, bad in (
            ("width", 201.0),
            ("width", -1.0),
            ("at", 601.0),
            ("lap", 101.0),
            ("magnet", 0.4),
            ("magnet", 30.5),
            ("magnet_thickness", 5.5),
        ):
            with self.subTest(name, bad=bad), self.assertRaises(ValueError):
                Closure("hem", **{name: bad})
        for name, good in (("magnet", 0.5), ("magnet", 30.0), ("magnet_thickness", 0.5), ("width", 200.0)):
            self.assertEqual(getattr(Closure("hem", **{name: good}), name), good)

    def test_what_cannot_be_built_is_refused(self):
        for recipe, changes in (
            ("strip-slider", {"travel": "-4mm"}),
            ("iris", {"ring_diameter": "12mm"}),
            ("twist-popup", {"base": "tag"}),
            ("wiper", {"shift": "5x0mm"}),
        ):
            with self.subTest(recipe), self.assertRaises(LexipodError) as caught:
                change_design(card_with(recipe, Card(size="na.a7")), CATALOG, changes)
            self.assertGreater(len(str(caught.exception)), 15)

    def test_a_point_has_two_halves(self):
        self.assertEqual([number_of({"pivot": (3.0, 4.0), "travel": 2}, n) for n in ("pivot.x", "pivot.y", "travel")], [3.0, 4.0, 2.0])
        design = card_with("spinner", Card(size="na.a7"))
        x, y = design.mechanisms[0].parameters["pivot"]
        self.assertEqual(change_design(design, CATALOG, {"pivot.y": f"{y + 5}mm"}).mechanisms[0].parameters["pivot"], (x, y + 5))

    def test_an_item_comes_where_it_is_put(self):
        design = card_with("strip-slider", Card(size="na.a7"))
        built = build_assembly(design, CATALOG)
        for carrier in ("card.frame", "m1.picture"):
            part = built.by_id[carrier]
            spot = part.outline.mean(axis=0) + (3.0, -7.0)
            x, y = place_on(part, spot)
            with_item = build_assembly(change_design(design, CATALOG, {"item.d1": f"decoration on {carrier} front 4x4mm at {x}x{y}mm"}), CATALOG)
            item = next(p for p in with_item.parts if p.item == "d1")
            home = np.array(with_item.by_id[carrier].home[:2])
            np.testing.assert_allclose(item.region_at_home.centroid.coords[0], spot + home, atol=0.02)


def _is_number(text):
    return text.replace(".", "", 1).isdigit()


class ShiftTest(unittest.TestCase):
    def test_a_mechanism_is_shifted_whole_and_the_sheets_of_the_card_stay(self):
        shifted, by = 0, (2.0, -1.5)
        for recipe in FLAT:
            design = card_with(recipe, Card(size="iso.a5"))
            try:
                moved = build_assembly(change_design(design, CATALOG, {"shift": f"{by[0]}x{by[1]}mm"}), CATALOG)
            except LexipodError:
                continue
            before = build_assembly(design, CATALOG)
            for part in before.parts:
                if part.role == "spacer" and part.mechanism == "card":
                    continue  # foam is laid where there is room
                told = moved.by_id[part.id].region_at_home
                with self.subTest(recipe, part=part.id):
                    if part.mechanism == "card" and part.role in ("base", "cover"):
                        np.testing.assert_allclose(shapely.convex_hull(told).bounds, shapely.convex_hull(part.region_at_home).bounds, atol=1e-9)
                        self.assertAlmostEqual(told.area, part.region_at_home.area, delta=0.02 * part.region_at_home.area)
                    elif part.role == "moving" and part.mechanism == "m1":
                        np.testing.assert_allclose(np.array(told.bounds), np.array(part.region_at_home.bounds) + [*by, *by], atol=1e-6)
                        shifted += 1
        self.assertGreater(shifted, 15)


class CueTest(unittest.TestCase):
    def test_a_word_has_the_room_that_it_takes(self):
        """Measured with the shipped font, by another program's reckoning of it."""
        with resources.as_file(resources.files("lexipod.assets") / "fonts") as folder:
            fonts = [f for f in sorted(folder.iterdir()) if f.suffix == ".ttf"]
            font = ImageFont.truetype(str(next(f for f in fonts if "egular" in f.name)), 100)
        for word in ("pull", "push", "turn", "open"):
            cue = Cue("m1", "m1.x", "word", (10.0, 20.0), word=word)
            outline = cue_outline(cue)
            wide = np.ptp(outline[:, 0])
            left, top, right, bottom = font.getbbox(word)
            # whatever size its letters have, the room is of the word's own shape, within a half
            self.assertAlmostEqual(wide / np.ptp(outline[:, 1]) / ((right - left) / (bottom - top)), 1.0, delta=0.55)
            np.testing.assert_allclose(outline.mean(axis=0)[0], 10.0)


class TableTest(unittest.TestCase):
    def test_no_row_of_any_table_takes_a_number_below_nothing(self):
        refused = 0
        for entry in sorted((resources.files("lexipod.catalog") / "data").iterdir(), key=lambda e: e.name):
            for table, rows in tomllib.loads(entry.read_text(encoding="utf-8")).items():
                key, row = next((k, r) for k, r in rows.items() if isinstance(r, dict)) if isinstance(rows, dict) else (None, {})
                while isinstance(row, dict) and "name" not in row:
                    inner, row = next(iter(row.items()))
                    key = f"{key}.{inner}"
                for name, value in row.items():
                    if isinstance(value, bool) or not isinstance(value, int | float):
                        continue
                    with tempfile.TemporaryDirectory() as folder:
                        lines = [f'[{table}."{key}"]']
                        lines += [f"{n} = {_toml(-v if n == name else v)}" for n, v in row.items() if not isinstance(v, dict)]
                        if any(isinstance(v, dict | list) for v in row.values()):
                            continue
                        (Path(folder) / "own.toml").write_text("\n".join(lines), encoding="utf-8")
                        with self.subTest(table=table, field=name), self.assertRaises(LexipodError):
                            load_catalog(Path(folder))
                        refused += 1
        self.assertGreater(refused, 1)


def _toml(value):
    if isinstance(value, bool):
        return str(value).lower()
    return f'"{value}"' if isinstance(value, str) else str(value)


if __name__ == "__main__":
    unittest.main()
