"""Commands that make and change designs."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from lexipod.building import build_assembly, resolve_parameters, site_for
from lexipod.catalog import Catalog
from lexipod.cli import answers
from lexipod.cli.answers import print_json
from lexipod.design import Card, Design, Ways, write_design
from lexipod.editing.change import add_mechanism, change_design, new_design, parse_card
from lexipod.errors import LexipodError, ParameterError, quoted
from lexipod.fitting import fit_design
from lexipod.pipeline import open_design
from lexipod.recipes import Parameter, find_recipe
from lexipod.recipes.kit.parameters import Values
from lexipod.units import UnitStyle, format_quantity
from lexipod.units.quantities import Value


def _settings(pairs: Sequence[str]) -> dict[str, str]:
    out = {}
    for pair in pairs:
        name, found, value = pair.partition("=")
        if not found or not name.strip():
            raise LexipodError(f"{quoted(pair)} is not a setting; write NAME=VALUE, like travel=40mm")
        out[name.strip()] = value
    return out


def run_recipes(options: argparse.Namespace, catalog: Catalog) -> int:
    """Lists the mechanisms; one that does not fit the card is listed with the reason, without defaults."""
    card = parse_card(options.card, Card(), catalog)
    design = Design(card=card, ways=Ways(units=options.units))
    answer, style = answers.recipes_json(), UnitStyle(options.units)
    for row in answer["recipes"]:
        recipe = find_recipe(row["id"])
        try:
            defaults, refusal = resolve_parameters(recipe, site_for(design, catalog), {}), ""
        except LexipodError as error:
            defaults, refusal = {}, str(error)
        row |= {"fits": not refusal, "reason": refusal}
        for parameter in row["parameters"]:
            parameter["default"] = defaults.get(parameter["name"])
        if not options.json:
            print(f"{recipe.id}: {recipe.does}")
            print(*([f"  {refusal}"] if refusal else [_parameter_line(p, defaults, style) for p in recipe.parameters]), sep="\n")
            for asked in recipe.asks if not refusal else ():
                print(_parameter_line(asked.parameter, {asked.parameter.name: asked.read(defaults)}, style))
    if options.json:
        answer["card"] = design.card.size
        print_json(answer)
    return 0


def _parameter_line(parameter: Parameter, defaults: Values, style: UnitStyle) -> str:
    kind = parameter.kind
    limits = " to ".join(format_quantity(v, kind, style) for v in (parameter.minimum, parameter.maximum))
    limits = " | ".join(parameter.choices) if parameter.choices else "yes | no" if kind == "flag" else limits
    return f"  {parameter.name:<16} {format_quantity(defaults[parameter.name], kind, style):<14} {parameter.meaning} ({limits})"


def run_new(options: argparse.Namespace, catalog: Catalog) -> int:
    """A new design with one mechanism."""
    find_recipe(options.recipe)
    design = new_design(
        options.recipe, catalog, card=parse_card(options.card, Card(), catalog), ways=Ways(units=options.units), given=_settings(options.settings)
    )
    build_assembly(design, catalog)
    write_design(design, options.out)
    return 0


def run_add(options: argparse.Namespace, catalog: Catalog) -> int:
    """One more mechanism on the card."""
    design = open_design(options.file, catalog)
    find_recipe(options.recipe)
    made = add_mechanism(design, options.recipe, catalog, given=_settings(options.settings))
    write_design(made, options.file)
    print(made.mechanisms[-1].id)
    return 0


def run_set(options: argparse.Namespace, catalog: Catalog) -> int:
    """Changes settings of a design."""
    design = open_design(options.file, catalog)
    write_design(change_design(design, catalog, _settings(options.settings), mechanism=options.mechanism, by_hand=True), options.file)
    return 0


def run_describe(options: argparse.Namespace, catalog: Catalog) -> int:
    """Derived parts, joints, drives and zones."""
    design = open_design(options.file, catalog)
    assembly = build_assembly(design, catalog)
    if options.json:
        print_json(answers.describe_json(design, assembly))
        return 0
    style = design.ways.style()
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


def run_fit(options: argparse.Namespace, catalog: Catalog) -> int:
    """Sizes what is not pinned so that nothing blocks."""
    design = open_design(options.file, catalog)
    ids = [m.id for m in design.mechanisms]
    if options.mechanism is None and len(ids) != 1:
        raise ParameterError("fit", f"say which mechanism with --mechanism; this card has {', '.join(ids) or 'none'}")
    keep = [name for names in options.keep for name in names]
    told = fit_design(design, catalog, options.mechanism or ids[0], keep)
    style = design.ways.style()
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
        print(f"  the wish {wish.name} = {shown(wish.name, wish.wanted)} stands in the way; with {shown(wish.name, wish.possible)} it would fit")
    return 1
