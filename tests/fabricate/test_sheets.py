"""Cards laid on sheets, and what is written of them, measured by readers that share nothing with the writers."""

import ctypes
import io
import math
import re
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

import ezdxf
import msgspec
import numpy as np
import pypdfium2
import shapely
from PIL import Image

from lexipod.blanks import find_blanks, lying_square
from lexipod.building import build_assembly
from lexipod.catalog import Offcut, Printer
from lexipod.catalog.book import keep_offcuts, keep_printer, load_catalog
from lexipod.demo import demo_names, load_demo
from lexipod.design import Card
from lexipod.design.files import format_design, parse_design
from lexipod.design.sheeting import Placed
from lexipod.editing.change import change_design
from lexipod.errors import ChoiceError, FileError, LexipodError, ParameterError
from lexipod.fabricate.cutlist import cut_list
from lexipod.fabricate.exports import Cutting, export_bytes
from lexipod.fabricate.kit import glue_mm2, make_kit
from lexipod.fabricate.machining import find_misfits, plot_programs, sheet_program
from lexipod.fabricate.sheet_drawing import draw_sheet, turned_over
from lexipod.fabricate.sheeting import lap_faults, lay_sheets
from lexipod.fabricate.sheets_told import sheets_json, why_unplaced
from lexipod.fitting.lapping import propose_lap
from lexipod.nesting import Board, Layout, Piece, Spot, offcut_of
from lexipod.units import UnitStyle
from lexipod_plotter import Machine
from lexipod_plotter.serve import run_file
from tests.nesting.boards import cut_up, least_gap
from tests.zoo import CATALOG, card_with

IN = 25.4


def laid(design, **how):
    return lay_sheets(build_assembly(design, CATALOG), CATALOG, design, **how)


def with_sheets(design, **changes):
    return msgspec.structs.replace(design, sheeting=msgspec.structs.replace(design.sheeting, **changes))


def polygons(sheet):
    return [shapely.Polygon(p["polygon"], p["holes"]) for p in sheet["pieces"]]


class CollectionTest(unittest.TestCase):
    """Every card of the demo collection, both ways of cutting."""

    def test_each_piece_of_each_card_is_laid_once_as_it_is_cut(self):
        for k, name in enumerate(demo_names()):
            for cuts in ("straight", "free") if k % 4 == 0 else ("straight",):
                with self.subTest(name=name, cuts=cuts):
                    design = with_sheets(load_demo(name), cuts=cuts)
                    told = sheets_json(laid(design), CATALOG, UnitStyle())
                    self.assertEqual(told["unplaced"], [])
                    blanks = {b.id: lying_square(b) for b in find_blanks(build_assembly(design, CATALOG))}
                    wanted = {(b.id, n) for b in blanks.values() for n in range(1, b.quantity * b.plies + 1)}
                    pieces = [p for s in told["sheets"] for p in s["pieces"]]
                    self.assertEqual(sorted((p["part"], p["number"]) for p in pieces), sorted(wanted))
                    for sheet in told["sheets"]:
                        regions = polygons(sheet)
                        inside = shapely.box(0, 0, sheet["width"], sheet["height"]).buffer(1e-3)
                        self.assertTrue(all(inside.covers(r) for r in regions))
                        self.assertGreaterEqual(least_gap(regions), (0.0 if cuts == "straight" else 2.0) - 2e-4)
                        for row, region in zip(sheet["pieces"], regions, strict=True):
                            whole = blanks[row["part"]].region
                            self.assertAlmostEqual(region.area, whole.area, delta=1e-3 * whole.length)
                        if cuts == "straight":
                            self.assertIn("cuts", sheet)

    def test_the_cuts_that_are_told_free_every_piece_of_a_card(self):
        design = load_demo("mussel-bank")
        for sheet in laid(design).sheets:
            parts = cut_up((0, 0, *sheet.size_mm), sheet.cuts)
            for _, _, region in sheet.pieces:
                box = shapely.box(*region.bounds)
                self.assertLess(min(part.symmetric_difference(box).area for part in parts.values()), 1e-2)


class LeftOverTest(unittest.TestCase):
    def test_the_off_cut_of_a_straight_sheet_is_what_the_cuts_leave_in_one_piece(self):
        looked_at, divided = 0, 0
        for name in demo_names():
            for sheet in laid(load_demo(name)).sheets:
                parts = cut_up((0, 0, *sheet.size_mm), sheet.cuts)
                boxes = [shapely.box(*region.bounds) for _, _, region in sheet.pieces]
                left = [p for p in parts.values() if all(p.intersection(b).area < 1e-3 for b in boxes)]
                left = [p for p in left if min(np.ptp(np.array(p.exterior.coords), axis=0)) >= 25.0]
                largest = max((p.area for p in left), default=0.0)
                self.assertAlmostEqual(0.0 if sheet.offcut is None else sheet.offcut.area, largest, delta=1e-2)
                empty = offcut_of(sheet.board, [r for _, _, r in sheet.pieces], 0.0)
                looked_at += 1
                divided += empty is not None and empty.area > largest + 1.0
        self.assertGreater(looked_at, 40)
        self.assertGreater(divided, 0)  # somewhere the cuts go through what no piece lies in

    def test_a_fresh_sheet_weighs_more_than_any_off_cut(self):
        whole, corner = Board("w", shapely.box(0, 0, 200, 200)), Board("c", shapely.box(0, 0, 190, 190), 0.0, 1)
        pieces = {n: Piece(n, "k", shapely.box(0, 0, 90, 180)) for n in "abcd"}
        spots = [Spot(n, k // 2, 95.0 * (k % 2), 0.0) for k, n in enumerate("abcd")]
        both, fresh = (Layout(boards, tuple(spots), (), pieces) for boards in ((corner, whole), (whole, whole)))
        self.assertLess(both.worth, fresh.worth)


class SettingsTest(unittest.TestCase):
    def test_grain_runs_along_the_sheet_where_a_sheet_takes_it_so(self):
        looked_at = 0
        for recipe in ("hinge-plate", "counter-fold", "popout-box"):
            design = card_with(recipe, Card(size="na.a2"))
            sheets, across = laid(design), set()
            for sheet in sheets.sheets:
                self.assertEqual(CATALOG.stocks[sheet.lot.stock].grain, "long")
                for piece, spot, _ in sheet.pieces:
                    longest = max(piece.blank.creases, key=lambda c: c.length_mm, default=None)
                    if piece.blank.grain in ("along the scores", "along the fold") and longest is not None:
                        turned = np.radians(spot.turn)
                        way = np.subtract(longest.end, longest.start)
                        if abs(way[0] * np.cos(turned) - way[1] * np.sin(turned)) > 1e-6:  # the sheet's longer side is upright
                            across.add(piece.blank.name)
                        looked_at += 1
            self.assertEqual(set(sheets.against_grain(build_assembly(design, CATALOG), CATALOG)), across)
            for name in across:  # the other way round no A4 sheet takes it
                size = next(p.blank.size_mm for s in sheets.sheets for p, _, _ in s.pieces if p.blank.name == name)
                self.assertGreater(max(size), 210.0)
        self.assertGreater(looked_at, 2)

    def test_what_is_folded_or_long_says_which_way_its_grain_runs(self):
        """A card folds along the grain, and what slides keeps straight along it: common practice, no source."""
        rows = {r.name: r for r in cut_list(build_assembly(card_with("strip-slider", Card(size="na.a2")), CATALOG), CATALOG)}
        self.assertEqual((rows["card"].grain, rows["card"].grain_side), ("along the fold", "short"))  # 8 1/2 in wide, its fold 5 1/2 in long
        top = cut_list(build_assembly(card_with("strip-slider", Card(size="na.a2", fold="top")), CATALOG), CATALOG)
        self.assertEqual(next(r.grain_side for r in top if r.name == "card"), "short")  # 11 in high, its fold 4 1/4 in long
        strip = rows["strip"]
        self.assertGreater(max(strip.measure.width_mm, strip.measure.height_mm), 2.5 * min(strip.measure.width_mm, strip.measure.height_mm))
        self.assertEqual((strip.grain, strip.grain_side), ("along its length", "long"))
        self.assertEqual([r.name for r in rows.values() if r.grain and r.name not in ("card", "strip")], [])

    def test_a_card_too_large_for_the_usual_sheet_gets_a_larger_one_and_one_that_was_chosen_is_kept_to(self):
        design = load_demo("last-ferry")  # 355.6 mm long
        self.assertEqual({s.sheet for s in laid(design).sheets} & {"letter", "legal"}, {"letter", "legal"})
        chosen = change_design(design, CATALOG, {"sheets.for.card-300": "letter"})
        why = {p.blank.id: why_unplaced(p, board, CATALOG, UnitStyle("in")) for p, board in laid(chosen).unplaced}
        self.assertIn("14 in", why["card.sheet"])
        self.assertIn("take Legal", why["card.sheet"])
        self.assertIn("cut it in two that lap", why["card.sheet"])

    def test_two_colours_change_places_on_every_second_card(self):
        design = change_design(load_demo("fog-lifts"), CATALOG, {"sheets.copies": 2, "sheets.colours": "blue, white", "sheets.second": "m1.strip"})
        colours = {(p.blank.id, p.copy): s.lot.colour for s in laid(design).sheets for p, _, _ in s.pieces if p.blank.stock == "card-300"}
        self.assertEqual([colours[("m1.strip", k)] for k in (1, 2)], ["white", "blue"])
        self.assertEqual([colours[("card.sheet", k)] for k in (1, 2)], ["blue", "white"])

    def test_one_piece_alone_another_stock_and_a_trial(self):
        design = load_demo("fog-lifts")
        self.assertEqual([p.blank.id for s in laid(design, only=("m1.strip",)).sheets for p, _, _ in s.pieces], 2 * ["m1.strip"])  # of two plies
        other = change_design(design, CATALOG, {"sheets.instead.m1.strip": "cover-80lb"})
        self.assertEqual({s.lot.stock for s in laid(other).sheets for p, _, _ in s.pieces if p.blank.id == "m1.strip"}, {"cover-80lb"})
        self.assertEqual({s.lot.stock for s in laid(design, trial=True).sheets}, {"copy-80", "foam-2"})
        with self.assertRaises(ChoiceError):
            laid(design, only=("m1.nothing",))

    def test_plies_are_cut_apart_or_their_sheets_laminated_first(self):
        design = load_demo("fog-lifts")
        thick = next(b for b in find_blanks(build_assembly(design, CATALOG)) if b.plies > 1 and b.stock in CATALOG.stocks)
        apart = [p for s in laid(design).sheets for p, _, _ in s.pieces if p.blank.id == thick.id]
        self.assertEqual(len(apart), thick.plies * thick.quantity)
        before = laid(change_design(design, CATALOG, {"laminating": "before"}))
        sheets = [s for s in before.sheets if any(p.blank.id == thick.id for p, _, _ in s.pieces)]
        self.assertEqual({s.lot.plies for s in sheets}, {thick.plies})
        self.assertEqual(before.count, sum(s.lot.plies for s in before.sheets))

    def test_bad_settings_are_refused_in_one_sentence(self):
        design = load_demo("fog-lifts")
        for name, value, told in (
            ("sheets.copies", "500", "lay 100 and cut these sheets as often"),
            ("sheets.copies", "many", "no count"),
            ("sheets.cuts", "wavy", "straight"),
            ("sheets.gap", "200mm", "0 to 100"),
            ("sheets.for.card-300", "papyrus", "letter"),
            ("sheets.for.velvet", "letter", "card-300"),
            ("sheets.instead.m1.strip", "velvet", "card-300"),
            ("sheets.wish", "1", "copies"),
        ):
            with self.subTest(name=name, value=value), self.assertRaises(LexipodError) as caught:
                change_design(design, CATALOG, {name: value})
            self.assertIn(told, str(caught.exception))
        with self.assertRaises(ParameterError) as caught:
            laid(change_design(design, CATALOG, {"sheets.margin": "100mm", "sheets.for.card-300": "a5"}))
        self.assertIn("leave nothing", str(caught.exception))
        with self.assertRaises(ParameterError) as caught:
            laid(change_design(design, CATALOG, {"sheets.for.card-300": "foam-a4"}))
        self.assertIn("sheet of foam", str(caught.exception))


class KeptTest(unittest.TestCase):
    """The layout is part of what is saved."""

    def test_the_same_file_gives_the_same_sheets(self):
        design = with_sheets(load_demo("tide-brings"), cuts="free")
        first = laid(design)
        kept = with_sheets(design, placed=first.placed(), made_for=first.made_for)
        again = laid(parse_design(format_design(kept)))
        self.assertEqual(
            *({(s.lot, s.number, s.sheet, sp.piece, sp.x_mm) for s in sheets.sheets for _, sp, _ in s.pieces} for sheets in (again, first))
        )

    def test_what_was_laid_on_an_off_cut_or_beside_it_stays_there(self):
        with tempfile.TemporaryDirectory() as folder:
            keep_offcuts([Offcut("o1", "corner", "card-300", ((0, 0), (216, 0), (216, 280), (0, 280)), 1, "")], Path(folder))
            catalog = load_catalog(Path(folder))
            design = with_sheets(load_demo("glass-rises"), cuts="free")
            assembly = build_assembly(design, catalog)
            first = lay_sheets(assembly, catalog, design)
            self.assertIn("o1", {s.sheet for s in first.sheets})
            kept = parse_design(format_design(with_sheets(design, placed=first.placed(), made_for=first.made_for)))
            again = lay_sheets(assembly, catalog, kept)
            self.assertEqual([(s.lot, s.number, s.sheet) for s in again.sheets], [(s.lot, s.number, s.sheet) for s in first.sheets])
            gone = lay_sheets(assembly, CATALOG, kept)  # the off-cut was taken meanwhile: a whole sheet stands for it
            self.assertNotIn("o1", {s.sheet for s in gone.sheets})
            self.assertEqual(gone.unplaced, ())

    def test_all_lots_are_told_at_once_by_their_boxes(self):
        design, told = with_sheets(load_demo("tide-brings"), cuts="free"), []
        best = lay_sheets(build_assembly(design, CATALOG), CATALOG, design, tell=lambda share, sheets: told.append((share, sheets)))
        share, quick = told[0]
        self.assertEqual(share, 0.0)
        names = [sorted(p.name for s in sheets.sheets for p, _, _ in s.pieces) for sheets in (quick, best)]
        self.assertEqual(*names)
        self.assertEqual([s for s, _ in told], sorted(s for s, _ in told))

    def test_a_locked_piece_stays_when_another_measure_changes_and_the_rest_is_laid_anew(self):
        design = with_sheets(load_demo("tide-brings"), cuts="free")
        first = laid(design)
        at = Placed("m1.backing-disc", 1, 1, 0, 120.0, 200.0, 0, True)
        ids = {p.blank.id for s in first.sheets for p, _, _ in s.pieces}
        disc = next(i for i in sorted(ids) if "back" in i)
        at = msgspec.structs.replace(at, blank=disc)
        moved = with_sheets(design, placed=(*(p for p in first.placed() if p.blank != disc), at), made_for=first.made_for)
        changed = change_design(moved, CATALOG, {"m1.window_width": 24.0})
        spot = next(sp for s in laid(changed).sheets for p, sp, _ in s.pieces if p.blank.id == disc)
        self.assertEqual((spot.x_mm, spot.y_mm), (120.0, 200.0))

    def test_a_file_of_the_format_before_is_read(self):
        text = format_design(load_demo("fog-lifts")).replace(b"lexipod/5", b"lexipod/3")
        plain = msgspec.json.decode(text)
        del plain["sheeting"], plain["making"]
        self.assertEqual(parse_design(msgspec.json.encode(plain)), load_demo("fog-lifts"))

    def test_damaged_places_are_refused(self):
        plain = msgspec.json.decode(format_design(load_demo("fog-lifts")))
        for wrong in (
            ["m1.strip", 0, 1, 0, 1.0, 1.0, 0, False],
            ["m1.strip", 1, 1, 0, 1e9, 1.0, 0, False],
            ["m1.strip", 1, 1, 0, 1.0, 1.0, 45, False],
        ):
            plain["sheeting"]["placed"] = [wrong]
            with self.subTest(wrong=wrong), self.assertRaises(FileError):
                parse_design(msgspec.json.encode(plain))


class ReadBackTest(unittest.TestCase):
    """One card with slots, holes, scores and foam, written in every format and measured."""

    @classmethod
    def setUpClass(cls):
        cls.design = with_sheets(load_demo("fog-lifts"), cuts="free")
        cls.assembly = build_assembly(cls.design, CATALOG)
        cls.sheets = lay_sheets(cls.assembly, CATALOG, cls.design)
        cls.first = cls.sheets.sheets[0]

    def write(self, ending, **cutting):
        return export_bytes(self.design, CATALOG, ending, folder=None, style=UnitStyle(), what="sheets", cutting=Cutting(number=1, **cutting))

    def rings_wanted(self):
        return sorted(ring_key(line.coords) for _, _, r in self.first.pieces for line in (r.exterior, *r.interiors))

    def compare(self, rings):
        found = sorted(ring_key(r) for r in rings)
        self.assertEqual(len(found), len(self.rings_wanted()))
        self.assertLess(np.abs(np.array(found) - self.rings_wanted()).max(), 0.02)

    def test_dxf_by_its_group_codes_and_by_ezdxf(self):
        for version in ("R2000", "R12"):
            text = self.write(".dxf", dxf=version).decode("cp1252")
            self.compare(dxf_rings(text, "CUT"))
            document = ezdxf.read(io.StringIO(text))
            self.assertEqual(len(document.audit().errors), 0)
            self.assertEqual(document.header.get("$INSUNITS", 4), 4)
            scores = [e for e in document.modelspace() if e.dxf.layer in ("SCORE_VALLEY", "SCORE_MOUNTAIN")]
            self.assertEqual(len(scores), sum(len(p.blank.creases) for p, _, _ in self.first.pieces))
            self.assertEqual(self.write(".dxf", dxf=version).decode("cp1252"), text)

    def test_svg_by_its_path_data(self):
        root = ET.fromstring(self.write(".svg"))
        self.assertEqual((root.get("width"), root.get("height")), tuple(f"{v:g}mm" for v in self.first.size_mm))
        groups = {g.get("data-layer"): g for g in root.iter() if g.get("data-layer")}
        self.assertLessEqual({"cut", "score-mountain", "note"}, set(groups))
        paths = [e.get("d") for e in groups["cut"].iter() if e.tag.endswith("path")]
        rings = [
            np.array([[float(v) for v in p.split()] for p in re.split(r"[ML]", ring)[1:]]) for d in paths for ring in d.split("Z") if ring.strip()
        ]
        height = self.first.size_mm[1]
        self.compare([np.column_stack([r[:, 0], height - r[:, 1]]) for r in rings])

    def test_pdf_by_pdfium(self):
        page = pypdfium2.PdfDocument(self.write(".pdf"))[0]
        self.assertEqual([round(v * IN / 72, 3) for v in page.get_size()], [round(v, 3) for v in self.first.size_mm])
        self.compare([ring for ring in pdf_rings(page) if len(ring) > 2 and not is_sheet(ring, self.first.size_mm)][: len(self.rings_wanted())])

    def test_png_at_the_resolution_asked_for(self):
        image = Image.open(io.BytesIO(self.write(".png", dpi=200.0)))
        self.assertAlmostEqual(image.info["dpi"][0], 200.0, places=1)
        self.assertAlmostEqual(image.size[0] * IN / 200, self.first.size_mm[0] + 8.0, delta=0.2)
        with self.assertRaises(ParameterError):
            Cutting(dpi=5.0)
        with self.assertRaises(ParameterError) as caught:
            self.write(".png", dpi=2400.0)
        self.assertIn("dpi will do", str(caught.exception))

    def test_the_plotter_file_draws_the_pieces(self):
        machine = run_file(Machine(area_mm=(400, 400)), self.write(".plt").decode("ascii"))
        self.assertEqual((machine.report.unknown, machine.report.outside), ([], []))
        self.assertEqual({line.pen for line in machine.lines}, {1, 2})
        low, high = (np.array([p for line in machine.lines for p in line.points]).__getattribute__(n)(axis=0) for n in ("min", "max"))
        wanted = shapely.union_all([r for _, _, r in self.first.pieces]).bounds
        trail = CATALOG.blade_for("card-300").offset_mm
        self.assertLess(np.abs(np.array([*low, *high]) - wanted).max(), trail + 0.03)

    def test_lifted_ways_are_two_fifths_shorter_than_as_listed(self):
        lifted = []
        for cutting in (True, False):
            total = 0.0
            for name in ("five-tides", "storm-lantern"):
                design = with_sheets(load_demo(name), cuts="free", copies=2)
                assembly = build_assembly(design, CATALOG)
                for sheet in lay_sheets(assembly, CATALOG, design).sheets:
                    if sheet.lot.stock in CATALOG.foams:
                        continue
                    program = sheet_program(sheet, assembly, CATALOG, None, UnitStyle(), in_order=cutting)
                    total += run_file(Machine(area_mm=(900, 900)), program.text).report.up_mm
            lifted.append(total)
        self.assertLess(lifted[0], 0.6 * lifted[1])

    def test_the_back_is_mirrored_and_shows_what_is_marked_behind(self):
        piece, _, _ = self.first.pieces[0]
        over = turned_over(turned_over(piece.blank))
        self.assertLess(over.region.symmetric_difference(piece.blank.region).area, 1e-6)
        front = draw_sheet(self.first, self.assembly, CATALOG, UnitStyle())
        back = draw_sheet(self.first, self.assembly, CATALOG, UnitStyle(), face="back")
        cut = [
            sorted(ring_key(r) for i in d.primitives if getattr(i, "pen", "") == "cut" and hasattr(i, "rings") for r in i.rings)
            for d in (front, back)
        ]
        width = self.first.size_mm[0]
        mirrored = sorted((round(width - x1, 3), y0, round(width - x0, 3), y1, a) for x0, y0, x1, y1, a in cut[0])
        self.assertLess(np.abs(np.array(mirrored) - cut[1]).max(), 2e-3)

    def test_a_sheet_larger_than_the_paper_is_tiled_with_a_map(self):
        design = with_sheets(load_demo("dome-opens"), cuts="free")
        data = export_bytes(design, CATALOG, ".pdf", folder=None, style=UnitStyle(), what="sheets", sheet="letter", cutting=Cutting(face="front"))
        pages = list(pypdfium2.PdfDocument(data))
        sizes = [tuple(round(v * IN / 72) for v in p.get_size()) for p in pages]
        self.assertTrue(all(sorted(s) in ([216, 279], [210, 297]) for s in sizes), sizes)
        texts = [p.get_textpage().get_text_bounded() for p in pages]
        tiles = [t for t in texts if "tile A1 of" in t]
        self.assertTrue(tiles)


def pdf_rings(page):
    """The closed paths of a page that are drawn as cut lines (0.25 mm wide), by pdfium's own segments, in mm."""
    raw = pypdfium2.raw
    for item in page.get_objects():
        width = ctypes.c_float()
        if item.type != raw.FPDF_PAGEOBJ_PATH or not raw.FPDFPageObj_GetStrokeWidth(item.raw, width) or abs(width.value * IN / 72 - 0.25) > 1e-3:
            continue
        a, b, c, d, e, f = item.get_matrix().get()
        rings, x, y = [], ctypes.c_float(), ctypes.c_float()
        closed = False
        for k in range(raw.FPDFPath_CountSegments(item.raw)):
            segment = raw.FPDFPath_GetPathSegment(item.raw, k)
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            if raw.FPDFPathSegment_GetType(segment) == raw.FPDF_SEGMENT_MOVETO:
                rings.append([])
            rings[-1].append((a * x.value + c * y.value + e, b * x.value + d * y.value + f))
            closed = closed or bool(raw.FPDFPathSegment_GetClose(segment))
        if closed:
            yield from (np.array(ring) * IN / 72 for ring in rings)


def is_sheet(ring, size):
    return bool(np.abs(np.ptp(ring, axis=0) - size).max() < 0.01)


def ring_key(points):
    """Box and area of a ring: what a ruler and a grid of squares would tell."""
    points = np.asarray(points, dtype=float)[:, :2]
    x, y = points[:, 0], points[:, 1]
    area = abs(float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) / 2)
    return (*(round(float(v), 3) for v in (x.min(), y.min(), x.max(), y.max())), round(math.sqrt(area), 2))


def dxf_rings(text, layer):
    """Polylines of one layer by group codes: LWPOLYLINE, or POLYLINE with its VERTEX entities."""
    rows = [line.strip() for line in text.splitlines()]
    rings, kind, on, points = [], "", "", []
    for code, value in zip(rows[::2], rows[1::2], strict=False):
        if code == "0":
            if kind in ("LWPOLYLINE", "POLYLINE") and value not in ("VERTEX",):
                if on == layer and points:
                    rings.append(np.array(points))
                kind, points = "", []
            if value in ("LWPOLYLINE", "POLYLINE"):
                kind, on, points = value, "", []
            vertex = value == "VERTEX"
            if vertex or value in ("LWPOLYLINE", "POLYLINE"):
                here = value
        elif kind and code == "8" and here != "VERTEX":
            on = value
        elif kind and code == "10" and here in ("LWPOLYLINE", "VERTEX"):
            points.append([float(value), 0.0])
        elif kind and code == "20" and here in ("LWPOLYLINE", "VERTEX"):
            points[-1][1] = float(value)
    return rings


class MachineTest(unittest.TestCase):
    def test_what_does_not_go_through_is_told(self):
        design = with_sheets(change_design(load_demo("dome-opens"), CATALOG, {"machine": "plotter-12"}), cuts="free")
        self.assertEqual(list(find_misfits(laid(design), build_assembly(design, CATALOG), CATALOG, design.ways, UnitStyle())), [])
        wide = change_design(design, CATALOG, {"sheets.for.card-300": "sra3"})
        told = [m.text for m in find_misfits(laid(wide), build_assembly(wide, CATALOG), CATALOG, wide.ways, UnitStyle())]
        self.assertTrue(any("320" in t and "304.8" in t for t in told), told)
        with self.assertRaises(ParameterError):
            plot_programs(laid(wide), build_assembly(wide, CATALOG), CATALOG, wide.ways)
        small = change_design(load_demo("dome-opens"), CATALOG, {"machine": "die-6"})
        self.assertTrue(
            any(
                "cut it by hand" in m.text.lower()
                for m in find_misfits(laid(small), build_assembly(small, CATALOG), CATALOG, small.ways, UnitStyle())
            )
        )

    def test_a_sheet_wider_than_the_plotter_is_turned(self):
        design = with_sheets(change_design(load_demo("last-ferry"), CATALOG, {"machine": "plotter-12"}), cuts="free")
        sheets, assembly = laid(design), build_assembly(design, CATALOG)
        turned = sheet_program(sheets.sheets[0], assembly, CATALOG, CATALOG.machines["plotter-12"], UnitStyle())
        self.assertLessEqual(max(p[0] for s in turned.steps for p in s.way), 304.8)

    def test_a_straight_layout_up_to_the_edge_is_no_layout_for_a_plotter(self):
        design = load_demo("fog-lifts")
        with self.assertRaises(LexipodError) as caught:
            plot_programs(laid(design), build_assembly(design, CATALOG), CATALOG, design.ways)
        self.assertIn("margin", str(caught.exception))


class KitTest(unittest.TestCase):
    def test_counts_and_costs_of_one_card_added_up_by_hand(self):
        # tide-brings: one letter sheet of card (0.30 for A4), a sheet each of foam 1 and 3 mm (1.50, 2.50 for A4), two brads at most.
        design = load_demo("tide-brings")
        kit = make_kit(build_assembly(design, CATALOG), CATALOG, laid(change_design(design, CATALOG, {"sheets.copies": 3})))
        letter_to_a4 = (215.9 * 279.4) / (210 * 297)
        rows = {r.item: r for r in kit.rows}
        brads = sum(1 for p in build_assembly(design, CATALOG).parts if p.role == "fastener" and p.quantity and p.stock in CATALOG.brads)
        brad = next(r for r in kit.rows if r.kind == "fastener")
        self.assertEqual(brad.count, 3 * brads)
        by_hand = rows["card-300"].count * 0.30 * letter_to_a4 + rows["foam-1"].count * 1.5 * letter_to_a4 + rows["foam-3"].count * 2.5 * letter_to_a4
        by_hand += brad.count * CATALOG.prices[brad.item].each
        self.assertAlmostEqual(kit.total, by_hand, delta=0.02)
        self.assertEqual(next(r for r in kit.rows if r.kind == "envelope").count, 3)
        self.assertIn("A2 envelope", kit.without_price)

    def test_glue_of_a_mat_is_its_area(self):
        design = change_design(load_demo("fog-lifts"), CATALOG, {"item.mm": "decoration on card.front 20x10mm at 0x0mm layers 0"})
        more = glue_mm2(build_assembly(design, CATALOG)) - glue_mm2(build_assembly(load_demo("fog-lifts"), CATALOG))
        self.assertAlmostEqual(more, 200.0, delta=0.5)


class OwnListsTest(unittest.TestCase):
    def test_off_cuts_and_printers_are_written_and_read_and_used(self):
        with tempfile.TemporaryDirectory() as folder:
            here = Path(folder)
            keep_offcuts([Offcut("o1", "corner “A”", "card-300", ((0, 0), (120, 0), (120, 90), (0, 90)), 2, "")], here)
            keep_printer(Printer("study", "study", 99.4, 100.2), here)
            catalog = load_catalog(here)
            self.assertEqual(catalog.offcuts["o1"].count, 2)
            design = with_sheets(load_demo("fog-lifts"), cuts="free")
            assembly = build_assembly(design, catalog)
            sheets = lay_sheets(assembly, catalog, design)
            self.assertIn("o1", {s.sheet for s in sheets.sheets})
            off = with_sheets(design, uses_offcuts=False)
            self.assertNotIn("o1", {s.sheet for s in lay_sheets(assembly, catalog, off).sheets})
            corrected = change_design(design, catalog, {"printer": "study"})
            one, other = (
                pypdfium2.PdfDocument(export_bytes(d, catalog, ".pdf", folder=None, style=UnitStyle(), what="sheets", cutting=Cutting(number=1)))[0]
                for d in (design, corrected)
            )
            widths = [max(o.get_bounds()[2] for o in page.get_objects() if o.type == 2) for page in (one, other)]
            self.assertAlmostEqual(widths[1] / widths[0], 100 / 99.4, places=4)

    def test_an_off_cut_that_crosses_itself_is_refused(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, "own.toml").write_text(
                '[offcuts.x]\nname = "x"\nstock = "card-300"\noutline = [[0,0],[50,50],[50,0],[0,50]]\n', encoding="utf-8"
            )
            with self.assertRaises(FileError) as caught:
                load_catalog(Path(folder))
            self.assertIn("crosses itself", str(caught.exception))


class WordsTest(unittest.TestCase):
    def test_refusals_speak_in_the_makers_unit_and_of_stocks_by_name(self):
        for units, wanted in (("in", "12 in"), ("mm", "304.8 mm")):
            design = change_design(load_demo("dome-opens"), CATALOG, {"units": units, "machine": "plotter-12", "sheets.for.card-300": "sra3"})
            free = with_sheets(design, cuts="free")
            with self.assertRaises(ParameterError) as caught:
                plot_programs(laid(free), build_assembly(free, CATALOG), CATALOG, free.ways)
            self.assertIn(wanted, str(caught.exception))
            self.assertIn("Card 300 g/m², sheet 1", str(caught.exception))
            with self.assertRaises(ParameterError) as caught:
                laid(change_design(design, CATALOG, {"sheets.margin": "100mm", "sheets.for.card-300": "a5"}))
            self.assertIn(f" {units} on both sides", str(caught.exception))


class LapTest(unittest.TestCase):
    """A card whose inner panel goes on no sheet of A5 whole."""

    @classmethod
    def setUpClass(cls):
        design = card_with("strip-slider", Card(size="iso.a5", orientation="landscape"))
        cls.design = design
        cls.found = propose_lap(design, CATALOG, "card.panel", (148.0, 210.0))

    def test_the_halves_fit_and_together_are_the_piece_with_the_lap_twice(self):
        whole = next(b for b in find_blanks(build_assembly(self.design, CATALOG)) if b.id == "card.panel")
        self.assertGreater(min(whole.size_mm), 139)
        wide = propose_lap(self.design, CATALOG, "card.panel", (142.0, 150.0))
        halves = [b for b in find_blanks(build_assembly(wide.design, CATALOG)) if b.id.startswith("card.panel")]
        self.assertEqual([b.id for b in halves], ["card.panel-lap1", "card.panel-lap2"])
        self.assertTrue(all(max(b.size_mm) <= 150 and min(b.size_mm) <= 142 for b in halves))
        self.assertAlmostEqual(sum(b.region.area for b in halves), whole.region.area + wide.lap.over * whole.size_mm[1], delta=1.0)
        self.assertEqual(wide.blocks, ())

    def test_its_thickness_counts_where_something_runs_tight(self):
        tight = propose_lap(self.design, CATALOG, "m1.strip", (120.0, 210.0))
        self.assertTrue(tight.blocks)
        doubled = next(p for p in build_assembly(tight.design, CATALOG).parts if p.name == "lap of the strip")
        strip = build_assembly(tight.design, CATALOG).by_id["m1.strip"]
        self.assertEqual((doubled.quantity, doubled.thickness_mm), (0, strip.thickness_mm))
        self.assertAlmostEqual(doubled.top_mm, strip.z_mm)

    def test_a_lap_over_an_opening_or_a_score_is_told_and_not_made(self):
        for part, told in (("m1.mat", "no such part"), ("m1.stop", "edge to edge"), ("card.frame", "opening")):
            lap = f"sheets.lap.{part}"
            changed = change_design(self.design, CATALOG, {lap: "width@105mm"})
            self.assertIn(told, " ".join(text for _, text in lap_faults(build_assembly(changed, CATALOG))))
        self.assertEqual(change_design(changed, CATALOG, {"sheets.lap.card.frame": "none"}).sheeting.laps, {})
