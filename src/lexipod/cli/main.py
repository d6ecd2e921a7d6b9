"""Commands. Each reads what it needs, answers on standard output, and leaves files untouched when something is wrong."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NoReturn

from lexipod import __version__
from lexipod.bench import examine, judge, open_design, pictures_of
from lexipod.builds import ACCURACIES, simulate_builds
from lexipod.catalog import Catalog, load_catalog
from lexipod.checks import verdict_of
from lexipod.cli import answers
from lexipod.cli.answers import print_json
from lexipod.cli.fit_commands import add_commands
from lexipod.design import Card, Design, Ways, write_bytes_atomically, write_design
from lexipod.drawing import Drawing, draw_card, draw_standing
from lexipod.errors import ChoiceError, LexipodError, ParameterError
from lexipod.fabricate import cut_list, cut_list_csv, cut_list_text, draw_pieces, draw_template_pages
from lexipod.fabricate.cutlist import cut_list_json
from lexipod.fitting import fit_design
from lexipod.recipes import RECIPES, build_assembly, find_recipe, resolve_parameters, site_for
from lexipod.recipes.change import add_mechanism, change_design, new_design, parse_card
from lexipod.units import UnitStyle, format_quantity
from lexipod.units.quantities import Value

UNUSABLE = 2
EXAMPLES = """examples:
  lexipod new strip-slider --card a2 --out fog.lexipod --set travel=1-1/2in
  lexipod set fog.lexipod travel=50mm
  lexipod add fog.lexipod spinner
  lexipod check fog.lexipod
  lexipod cutlist fog.lexipod --units in
  lexipod export fog.lexipod --to fog.pdf
  lexipod fog.lexipod            (opens the window)

A call that cannot be carried out says why in one line and ends with status 2; "check" ends with 1 when something blocks.
"""


class _Parser(argparse.ArgumentParser):
    """Says what is wrong in one line."""

    def error(self, message: str) -> NoReturn:
        raise LexipodError(message)


def build_parser() -> argparse.ArgumentParser:
    """The parser of all commands."""
    parser = _Parser(prog="lexipod", description="A bench for moving cards.", epilog=EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--version", action="version", version=f"lexipod {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    def command(name: str, text: str, example: str, run: Callable[[argparse.Namespace, Catalog], int], *, file: bool = True) -> Any:
        sub = commands.add_parser(
            name, help=text, description=text, epilog=f"example:\n  {example}", formatter_class=argparse.RawDescriptionHelpFormatter
        )
        sub.set_defaults(run=run)
        if file:
            sub.add_argument("file", metavar="FILE", type=Path)
        return sub

    command("demo", "Open the window with the demo collection.", "lexipod demo", _run_window, file=False)
    recipes = command("recipes", "List the mechanisms with their parameters.", "lexipod recipes --json", _run_recipes, file=False)
    recipes.add_argument("--json", action="store_true")
    recipes.add_argument("--card", default="na.a2", help="card for which the defaults are shown")
    recipes.add_argument("--units", choices=("in", "mm"), default="mm")
    new = command(
        "new",
        "Make a design with one mechanism, sized for the card.",
        "lexipod new strip-slider --out fog.lexipod --card a7 --set travel=40",
        _run_new,
        file=False,
    )
    new.add_argument("recipe", metavar="RECIPE")
    new.add_argument("--out", required=True, type=Path, metavar="FILE")
    new.add_argument("--card", metavar="NAME", default="na.a2", help="a size by name (a2, iso.a6) or measured (100x150mm)")
    new.add_argument("--units", choices=("in", "mm"), default="in")
    new.add_argument("--set", dest="settings", action="append", default=[], metavar="NAME=VALUE")
    add = command("add", "Put one more mechanism on the card.", "lexipod add fog.lexipod spinner --set leaf_length=20mm", _run_add)
    add.add_argument("recipe", metavar="RECIPE")
    add.add_argument("--set", dest="settings", action="append", default=[], metavar="NAME=VALUE")
    change = command("set", "Change parameters of a design.", "lexipod set fog.lexipod travel=1-3/4in card=a7 mirror=yes", _run_set)
    change.add_argument("settings", nargs="+", metavar="NAME=VALUE")
    change.add_argument("--mechanism", metavar="ID")
    describe = command("describe", "Derived parts, joints, drives and zones.", "lexipod describe fog.lexipod --json", _run_describe)
    describe.add_argument("--json", action="store_true")
    motion = command("motion", "Poses over the travel, stops and clearances.", "lexipod motion fog.lexipod --steps 7 --json", _run_motion)
    motion.add_argument("--steps", type=int, default=25, metavar="N")
    motion.add_argument("--mechanism", metavar="ID")
    form = motion.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true")
    form.add_argument("--csv", action="store_true")
    check = command("check", "Findings. Status 0: free to move; 1: something blocks.", "lexipod check fog.lexipod --json", _run_check)
    check.add_argument("--json", action="store_true")
    check.add_argument("--units", choices=("in", "mm"))
    fit = command("fit", "Size what is not pinned so that nothing blocks.", "lexipod fit fog.lexipod --keep travel --keep picture_width", _run_fit)
    fit.add_argument("--mechanism", metavar="ID")
    fit.add_argument("--keep", action="append", default=[], metavar="NAME", nargs="+", help="measures that stay as they are")
    fit.add_argument("--json", action="store_true")
    many = command("yield", "Share of builds that run free, cut and glued as you do.", "lexipod yield fog.lexipod --builds 1000", _run_yield)
    many.add_argument("--builds", type=int, default=1000, metavar="N")
    many.add_argument("--seed", type=int, default=1, metavar="S")
    many.add_argument("--json", action="store_true")
    add_commands(command)
    cuts = command("cutlist", "Pieces to cut, with score positions.", "lexipod cutlist fog.lexipod --units mm", _run_cutlist)
    cuts.add_argument("--units", choices=("in", "mm"))
    form = cuts.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true")
    form.add_argument("--csv", action="store_true")
    export = command(
        "export",
        "Write templates or a picture: .pdf .svg .png .csv by the name's ending.",
        "lexipod export fog.lexipod --to fog.pdf --sheet a4",
        _run_export,
    )
    export.add_argument("--to", required=True, type=Path, metavar="OUT")
    export.add_argument("--sheet", metavar="NAME", help="paper of the templates (letter, a4, …); by default the unit's usual one")
    export.add_argument("--layout", choices=("combined", "single"), default="combined", help="several pieces on a page, or one")
    export.add_argument("--what", choices=("pieces", "card"), help="templates of the pieces (SVG, PDF) or the card as seen (PNG)")
    export.add_argument("--units", choices=("in", "mm"))
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one call; the exit status."""
    try:
        options = build_parser().parse_args(arguments)
        return int(options.run(options, load_catalog()))
    except LexipodError as error:
        print(f"lexipod: {error}", file=sys.stderr)
        return UNUSABLE
    except BrokenPipeError:
        return 0


def _settings(pairs: Sequence[str]) -> dict[str, str]:
    out = {}
    for pair in pairs:
        name, found, value = pair.partition("=")
        if not found or not name.strip():
            raise LexipodError(f"“{pair}” is not a setting; write NAME=VALUE, like travel=40mm")
        out[name.strip()] = value
    return out


def _style(design: Design, options: argparse.Namespace) -> UnitStyle:
    return UnitStyle(options.units or design.ways.units, design.ways.denominator)


def _run_window(options: argparse.Namespace, catalog: Catalog) -> int:
    from lexipod.app.start import run_window

    return run_window(None, demo=True)


def _run_recipes(options: argparse.Namespace, catalog: Catalog) -> int:
    card = parse_card(options.card, Card(), catalog)
    design = Design(card=card, ways=Ways(units=options.units))
    answer, style = answers.recipes_json(), UnitStyle(options.units)
    for row in answer["recipes"]:
        recipe = find_recipe(row["id"])
        defaults = resolve_parameters(recipe, site_for(design, catalog), {})
        for parameter in row["parameters"]:
            parameter["default"] = defaults[parameter["name"]]
        if not options.json:
            print(f"{recipe.id}: {recipe.does}")
            for p in recipe.parameters:
                limits = (
                    " | ".join(p.choices)
                    if p.choices
                    else "yes | no"
                    if p.kind == "flag"
                    else (f"{format_quantity(p.minimum, p.kind, style)} to {format_quantity(p.maximum, p.kind, style)}")
                )
                print(f"  {p.name:<16} {format_quantity(defaults[p.name], p.kind, style):<14} {p.meaning} ({limits})")
    if options.json:
        answer["card"] = design.card.size
        print_json(answer)
    return 0


def _run_new(options: argparse.Namespace, catalog: Catalog) -> int:
    if options.recipe not in RECIPES:
        raise ChoiceError("recipe", options.recipe, sorted(RECIPES))
    design = new_design(
        options.recipe, catalog, card=parse_card(options.card, Card(), catalog), ways=Ways(units=options.units), given=_settings(options.settings)
    )
    build_assembly(design, catalog)
    write_design(design, options.out)
    return 0


def _run_add(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    if options.recipe not in RECIPES:
        raise ChoiceError("recipe", options.recipe, sorted(RECIPES))
    made = add_mechanism(design, options.recipe, catalog, given=_settings(options.settings))
    write_design(made, options.file)
    print(made.mechanisms[-1].id)
    return 0


def _run_set(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    write_design(change_design(design, catalog, _settings(options.settings), mechanism=options.mechanism), options.file)
    return 0


def _run_describe(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    assembly = build_assembly(design, catalog)
    if options.json:
        print_json(answers.describe_json(design, assembly))
        return 0
    style = UnitStyle(design.ways.units, design.ways.denominator)
    print(f"{design.title}: {assembly.card.title}, {style.length(assembly.card.width_mm)} × {style.length(assembly.card.height_mm)}")
    for part in assembly.parts:
        width, height = part.size_mm
        print(f"  {part.id:<16} {part.role:<10} level {part.level}  {style.length(width)} × {style.length(height)}")
    for folding in assembly.foldings:
        for sheet in folding.sheets:
            width, height = sheet.size_mm
            told = f"{len(sheet.panels)} panels, {len(sheet.creases)} scores"
            print(f"  {sheet.id:<16} {'sheet':<10} {told}  {style.length(width)} × {style.length(height)}")
    return 0


def _run_motion(options: argparse.Namespace, catalog: Catalog) -> int:
    if not 2 <= options.steps <= 20001:
        raise ParameterError("--steps", f"{options.steps} is out of range; allowed is 2 to 20001")
    design = open_design(options.file, catalog)
    examination = examine(design, catalog, steps=options.steps)
    ids = [d.mechanism for d in examination.assembly.all_drives]
    if options.mechanism is not None and options.mechanism not in ids:
        raise ChoiceError("mechanism", options.mechanism, ids)
    wanted = [options.mechanism] if options.mechanism else ids
    if options.csv:
        for mechanism in wanted:
            sys.stdout.write(answers.motion_csv(examination, mechanism))
    elif len(ids) == 1 or options.mechanism:
        print_json(answers.motion_json(examination, wanted[0]))
    else:
        print_json({"mechanisms": [answers.motion_json(examination, m) for m in wanted], "cross": answers.cross_json(examination)})
    return 0


def _run_check(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    if options.units:
        design = change_design(design, catalog, {"units": options.units})
    _, findings = judge(design, catalog)
    if options.json:
        print_json(answers.check_json(findings))
    else:
        words = {"free": "free to move", "tight": "it moves, with something to watch", "blocked": "something blocks"}
        print(f"{design.title}: {words[verdict_of(findings)]}")
        for finding in findings:
            print(f"  {finding.severity}: {finding.title}. {finding.message}")
            for remedy in finding.remedies:
                changes = " ".join(f"{k}={v}" for k, v in remedy.set.items())
                print(f"      {remedy.label}  [{changes}]")
    return 1 if verdict_of(findings) == "blocked" else 0


def _run_fit(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    ids = [m.id for m in design.mechanisms]
    if options.mechanism is None and len(ids) != 1:
        raise ParameterError("fit", f"say which mechanism with --mechanism; this card has {', '.join(ids) or 'none'}")
    keep = [name for names in options.keep for name in names]
    told = fit_design(design, catalog, options.mechanism or ids[0], keep)
    style = UnitStyle(design.ways.units, design.ways.denominator)
    mechanism = design.find_mechanism(options.mechanism or ids[0])
    assert mechanism is not None
    recipe = find_recipe(mechanism.recipe)

    def shown(name: str, value: Value) -> str:
        return format_quantity(value, recipe.find_parameter(name).kind, style)

    if told.is_free:
        write_design(told.design, options.file)
    if options.json:
        print_json(answers.fit_json(told))
        return 0 if told.is_free else 1
    if told.is_free:
        print(f"{design.title}: fits; {len(told.changed)} measures changed")
        for name, (old, new) in told.changed.items():
            print(f"  {name}: {shown(name, old)} → {shown(name, new)}")
        return 0
    print(f"{design.title}: does not fit; the file stays as it was")
    for finding in told.blocks:
        print(f"  block: {finding.title}. {finding.message}")
    if told.refusal:
        print(f"  {told.refusal}")
    for wish in told.impossible:
        print(f"  the wish {wish.name} = {shown(wish.name, wish.wanted)} makes it impossible; with {shown(wish.name, wish.possible)} it would fit")
    return 1


def _unit(recipe: str, name: str) -> str:
    return "deg" if find_recipe(recipe).find_parameter(name.partition(".")[0]).kind == "angle" else "mm"


def _run_yield(options: argparse.Namespace, catalog: Catalog) -> int:
    if not 1 <= options.builds <= 200_000:
        raise ParameterError("--builds", f"{options.builds} is out of range; allowed is 1 to 200000")
    if not 0 <= options.seed < 2**63:
        raise ParameterError("--seed", f"{options.seed} is out of range; it must not be negative")
    design = open_design(options.file, catalog)
    told = simulate_builds(design, catalog, builds=options.builds, seed=options.seed)
    assert told is not None
    if options.json:
        print_json(answers.yield_json(told))
        return 0
    low, high = told.interval95
    print(f"{design.title}: of {told.builds} builds {100 * told.free:.1f} % run free (95 %: {100 * low:.1f} to {100 * high:.1f} %)")
    print(f"  errors of {ACCURACIES[design.ways.cutting].reason}")
    for spoiler in told.spoilers:
        print(f"  {100 * spoiler.share:.0f} % of the others are spoiled by {spoiler.dimension}")
    for suggestion in told.suggested:
        mechanism = design.find_mechanism(suggestion.mechanism)
        assert mechanism is not None
        changes = " ".join(f"{n}={value:g}{_unit(mechanism.recipe, n)}" for n, value in suggestion.set.items())
        print(f"  {100 * suggestion.target:.0f} % with {changes}  [lexipod set --mechanism {suggestion.mechanism}]")
    return 0


def _run_cutlist(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    rows = cut_list(build_assembly(design, catalog), catalog)
    style, scores_from = _style(design, options), design.ways.scores_from
    if options.json:
        print_json(cut_list_json(rows))
    elif options.csv:
        sys.stdout.write(cut_list_csv(rows, style, scores_from=scores_from))
    else:
        sys.stdout.write(cut_list_text(rows, style, scores_from=scores_from))
    return 0


def export_bytes(
    design: Design,
    catalog: Catalog,
    suffix: str,
    *,
    folder: Path | None,
    style: UnitStyle,
    sheet: str | None = None,
    layout: str = "combined",
    what: str | None = None,
) -> bytes:
    """The bytes of one export. ``suffix`` decides the format; ``ChoiceError`` lists those that there are."""
    from lexipod.drawing.writers import write_pdf, write_png, write_svg

    assembly = build_assembly(design, catalog)
    if suffix == ".csv":
        return cut_list_csv(cut_list(assembly, catalog), style, scores_from=design.ways.scores_from).encode("utf-8")
    if suffix not in (".svg", ".pdf", ".png"):
        raise ChoiceError("export format", suffix, [".csv", ".pdf", ".png", ".svg"])
    what = what or ("card" if suffix == ".png" else "pieces")
    card: Drawing | None = None
    if what == "card":
        art, _ = pictures_of(design, assembly, folder)
        card = draw_standing(assembly, art) if assembly.foldings else draw_card(assembly, {}, art=art, hidden=False)
    if suffix == ".pdf" and card is None:
        paper = catalog.sheets[catalog.find_id("sheets", sheet or ("letter" if design.ways.units == "in" else "a4"))]
        pages = draw_template_pages(assembly, catalog, style, title=design.title, paper=paper, layout="single" if layout == "single" else "combined")
        return write_pdf(pages, title=design.title)
    drawing = card or draw_pieces(assembly, catalog, style, title=design.title)
    if suffix == ".pdf":
        return write_pdf([drawing], title=design.title)
    return write_svg(drawing) if suffix == ".svg" else write_png(drawing)


def _run_export(options: argparse.Namespace, catalog: Catalog) -> int:
    design = open_design(options.file, catalog)
    data = export_bytes(
        design,
        catalog,
        options.to.suffix.lower(),
        folder=options.file.parent,
        style=_style(design, options),
        sheet=options.sheet,
        layout=options.layout,
        what=options.what,
    )
    write_bytes_atomically(data, options.to)
    return 0
