"""Changing a design by names and values, as scripts, remedies and the window do."""

from __future__ import annotations

import re
import shlex
from collections.abc import Mapping
from typing import Any, Literal, get_args, get_type_hints

import msgspec

from lexipod.building.card import build_assembly, own_site, resolve_parameters, site_for
from lexipod.building.refusing import refuse_build
from lexipod.catalog import Catalog
from lexipod.design import Card, Closure, Design, Mechanism, Ways, merged_values
from lexipod.editing.following import follow_defaults
from lexipod.editing.items import FIELDS, change_field, mirrored_item, parse_item
from lexipod.editing.sheeting import change_sheeting
from lexipod.errors import ChoiceError, MeasureError, ParameterError, quoted
from lexipod.recipes.kit.parameters import Recipe, Site, Values
from lexipod.recipes.registry import find_recipe
from lexipod.units import parse_length, parse_quantity
from lexipod.units.quantities import Value

_FREE_SIZE = re.compile(r"(.+?)\s*[x×]\s*(.+)")
_UNIT_AT_END = re.compile(r"(mm|cm|in|inch|inches|\"|″)\s*$")
_WAYS = (
    "units",
    "denominator",
    "small",
    "cutting",
    "scores_from",
    "friction",
    "push_force",
    "envelope_allowance",
    "fingertip",
    "finger_gap",
    "slip",
    "foam_colour",
    "carrier",
    "humidity",
    "machine",
    "push_grip",
    "laminating",
    "printer",
    "pace",
    "adhesive",
    "stamping",
    "openings",
    "folding",
)
_WAY_LENGTHS = ("envelope_allowance", "fingertip", "finger_gap", "push_grip")
_PLACE = ("mirror", "turned", "shift", "shift.x", "shift.y")
_CARD = ("card", "orientation", "fold", "base", "stock", "envelope", "title", "closure", "foam_style")
_SHAPE = ("card.front_less", "card.inner", "card.corners", "card.corner_cut", "card.hole", "card.hole_from")
_CLOSURE = ("closure.width", "closure.at", "closure.lap", "closure.magnet", "closure.magnet_thickness")


def parse_card(text: str, base: Card, catalog: Catalog) -> Card:
    """The card that ``text`` names (``a7``, ``iso.a6``) or measures (``100x150mm``), otherwise as ``base``."""
    size = _parse_size(text)
    if size is not None:
        return _replaced(base, "card", size="free", width=size[0], height=size[1], orientation="portrait")
    return _replaced(base, "card", size=catalog.find_id("cards", text), width=None, height=None)


def _parse_size(text: str) -> tuple[float, float] | None:
    """Width and height in mm of a measured size (``100x150mm``); None for what is no such size."""
    match = _FREE_SIZE.fullmatch(text.strip())
    if not match or not match[1].strip()[:1].isdigit():
        return None
    unit = _UNIT_AT_END.search(match[2])
    default = unit[1] if unit else "mm"
    return parse_length(match[1], default_unit=default), parse_length(match[2], default_unit=default)


def new_design(
    recipe_id: str, catalog: Catalog, *, card: Card | None = None, ways: Ways | None = None, given: dict[str, str] | None = None
) -> Design:
    """A design with one mechanism whose parameters are sized for the card, keeping the given ones."""
    recipe = find_recipe(recipe_id)
    design = Design(title=recipe.name[:1].upper() + recipe.name[1:], card=card or Card(), ways=ways or Ways())
    settings = dict(given or {})
    for name in [n for n in settings if n in (*_WAYS, *_CARD, *_SHAPE, *_CLOSURE)]:
        design = change_design(design, catalog, {name: settings.pop(name)})
    return add_mechanism(design, recipe_id, catalog, given=settings)


def add_mechanism(design: Design, recipe_id: str, catalog: Catalog, *, given: Mapping[str, str] | None = None) -> Design:
    """The design with one more mechanism, sized for its card, keeping the given parameters."""
    recipe = find_recipe(recipe_id)
    settings = dict(given or {})
    taken = {m.id for m in design.mechanisms}
    made = Mechanism(next(f"m{k}" for k in range(1, 99) if f"m{k}" not in taken), recipe_id)
    given_names = [name.partition(".")[0] for name in reversed(settings)]
    for name in [n for n in settings if n in _PLACE]:
        made = _placed(made, name, settings.pop(name))
    asked = {name: settings.pop(name) for name in list(settings) if recipe.find_asked(name) is not None}
    kept = _kept(recipe_id, settings)
    values = resolve_parameters(recipe, own_site(site_for(design, catalog), made), kept, path="parameters")
    made = msgspec.structs.replace(made, parameters=values)
    for name, text in asked.items():
        answered = made.parameters | _answered(design, catalog, made, name, text)
        given_names += [n for n, v in answered.items() if v != made.parameters[n]]
        made = msgspec.structs.replace(made, parameters=answered)
    made = msgspec.structs.replace(made, decided=tuple(dict.fromkeys(n for n in given_names if n in made.parameters)))

    def built(values: dict[str, Value]) -> Design:
        out = msgspec.structs.replace(design, mechanisms=(*design.mechanisms, msgspec.structs.replace(made, parameters=values)))
        build_assembly(out, catalog)
        return out

    try:
        return built(made.parameters)
    except ParameterError as error:
        if error.path != made.id:
            raise
        raise refuse_build(recipe, own_site(site_for(design, catalog), made), kept, error, path="parameters", build=built) from error


def own_values(recipe: Recipe, site: Site, mechanism: Mechanism) -> Values:
    """The measures of a mechanism sized anew for a site; its choices, flags and angles of opening stay. Raises ``CardTooSmall``."""
    kept = {p.name: mechanism.parameters[p.name] for p in recipe.parameters if p.kind in ("choice", "flag", "count") or p.name == "opening"}
    return resolve_parameters(recipe, site, {k: v for k, v in kept.items() if v is not None}, path=mechanism.id)


def complete_design(design: Design, catalog: Catalog) -> Design:
    """The design with a value for every parameter: what a file leaves out is sized for its card, as when it was new."""
    site = site_for(design, catalog)
    for k, m in enumerate(design.mechanisms):
        for field, names in (("decided", m.decided), ("pinned", m.pinned)):
            for name in names:
                _measure_of(m, name, path=f"mechanisms[{k}].{field}")
    whole = tuple(
        msgspec.structs.replace(
            m, parameters=resolve_parameters(find_recipe(m.recipe), own_site(site, m), m.parameters, path=f"mechanisms[{k}].parameters")
        )
        for k, m in enumerate(design.mechanisms)
    )
    return design if whole == design.mechanisms else msgspec.structs.replace(design, mechanisms=whole)


def _measure_of(mechanism: Mechanism, name: str, *, path: str) -> None:
    try:
        find_recipe(mechanism.recipe).find_parameter(name)
    except ChoiceError as error:
        raise ParameterError(path, str(error)) from error


def without_mechanism(design: Design, mechanism_id: str) -> Design:
    """The design with one mechanism taken off, and the pictures and items that were on its parts."""
    own = f"{mechanism_id}."
    return msgspec.structs.replace(
        design,
        mechanisms=tuple(m for m in design.mechanisms if m.id != mechanism_id),
        items=tuple(i for i in design.items if not i.on.startswith(own)),
        corners={part: r for part, r in design.corners.items() if not part.startswith(own)},
        cues={mechanism: at for mechanism, at in design.cues.items() if mechanism != mechanism_id},
    )


def _kept(recipe_id: str, settings: Mapping[str, str]) -> dict[str, Value]:
    """Given parameters as values; a half of a point alone is refused, since the other half would be guessed."""
    halves: dict[str, dict[str, str]] = {n.partition(".")[0]: {} for n in settings if "." in n}
    for name, text in settings.items():
        base, dot, axis = name.partition(".")
        if dot:
            halves[base][axis] = text
    whole = {n: t for n, t in settings.items() if "." not in n}
    for base, axes in halves.items():
        if set(axes) != {"x", "y"}:
            raise ParameterError(base, f"give {base}.x and {base}.y, or {base}=30x84mm")
        whole[base] = f"{axes['x']} x {axes['y']}"
    return {name: _parse(recipe_id, name, text) for name, text in whole.items()}


def _placed(mechanism: Mechanism, name: str, value: Value) -> Mechanism:
    """The mechanism mirrored, turned or shifted as a whole."""
    text = str(value).strip()
    if name == "mirror":
        return msgspec.structs.replace(mechanism, mirror=value if isinstance(value, bool) else _parse_flag(name, text))
    if name == "turned":
        number = text.removesuffix("°").removesuffix("deg").strip()
        if number not in ("0", "90", "180", "270", "0.0", "90.0", "180.0", "270.0"):
            raise ParameterError(name, f"{quoted(text)} is not one of 0, 90, 180, 270")
        return msgspec.structs.replace(mechanism, turned=round(float(number)))
    if name == "shift":
        shift = value if isinstance(value, tuple) else _quantity(name, text, "point")
    else:
        length = value if isinstance(value, int | float) else _quantity(name, text, "length")
        shift = (length, mechanism.shift[1]) if name == "shift.x" else (mechanism.shift[0], length)
    try:
        return msgspec.structs.replace(mechanism, shift=(float(shift[0]), float(shift[1])))
    except ValueError as error:
        raise ParameterError(name, str(error)) from error


def _quantity(name: str, text: str, kind: str) -> Any:
    try:
        return parse_quantity(text, kind)
    except MeasureError as error:
        raise ParameterError(name, str(error)) from error


def change_design(design: Design, catalog: Catalog, changes: Mapping[str, Value], *, mechanism: str | None = None, by_hand: bool = False) -> Design:
    """The design with settings changed by name. Parameters go to ``mechanism``, or to the only one that there is; those that are set
    ``by_hand`` are decided from now on.

    Values may be text (with units) or values. Raises a ``LexipodError`` that names the setting; the design stays as it was.
    """
    before = design
    for name, value in changes.items():
        earlier, design = design, _change(design, catalog, name, value, mechanism)
        if by_hand:
            design = _decided(earlier, design, name)
    design = follow_defaults(before, design, catalog)
    build_assembly(design, catalog)
    return design


def _decided(before: Design, after: Design, name: str) -> Design:
    """The design in which what a setting changed, or says again, was decided last."""
    owner, dot, rest = name.partition(".")
    own = (rest if dot and after.find_mechanism(owner) is not None else name).partition(".")[0]
    for mechanism in after.mechanisms:
        old = before.find_mechanism(mechanism.id)
        if old is None or old.recipe != mechanism.recipe:
            continue
        named = [own] if own in mechanism.parameters and old is not mechanism else []
        changed = [n for n, v in mechanism.parameters.items() if old.parameters.get(n) != v]
        after = after.with_decided(mechanism.id, [*named, *changed]) if named or changed else after
    return after


def format_settings(settings: Mapping[str, Value]) -> str:
    """Settings as they are written on the command line; read back they are the same.

    >>> format_settings({"travel": 40.5, "item.p1.at": (30.0, -20.0), "mirror": True})
    'travel=40.5 item.p1.at=30x-20mm mirror=yes'
    """
    return " ".join(shlex.quote(f"{name}={_setting_text(value)}") for name, value in settings.items())


def _setting_text(value: Value) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return "x".join(_setting_text(v) for v in value) + "mm"
    return str(value) if isinstance(value, str | int) else f"{value:.6f}".rstrip("0").rstrip(".")


def _change(design: Design, catalog: Catalog, name: str, value: Value, mechanism: str | None) -> Design:
    text = str(value).strip()
    owner, dot, own = name.partition(".")
    if dot and design.find_mechanism(owner) is not None:
        return _change_mechanism(design, catalog, own, value, owner)
    if owner == "mechanism" and dot:
        return _without(design, own, text)
    if name == "card":
        return msgspec.structs.replace(design, card=parse_card(text, design.card, catalog))
    if name == "envelope":
        size = _parse_size(text)
        if size is not None and min(size) <= 0:
            raise ParameterError(name, f"{quoted(text)} is no size; both sides must be above 0")
        if size is not None:
            return msgspec.structs.replace(design, envelope=f"{size[0]:.9g}x{size[1]:.9g}mm")
        return msgspec.structs.replace(design, envelope=None if text in ("usual", "") else catalog.find_id("envelopes", text))
    if name == "title":
        return _replaced(design, name, title=text)
    if name == "foam_style":
        return _replaced(design, name, foam_style=_of_type(Design, name, text))
    if name == "stock":
        return msgspec.structs.replace(design, card=msgspec.structs.replace(design.card, stock=catalog.find_id("stocks", text)))
    if name.startswith(("item.", "art.")):
        return _change_item(design, catalog, name.partition(".")[2], value)
    if name.startswith("sheets."):
        return change_sheeting(design, catalog, name.removeprefix("sheets."), value)
    if name.startswith("cue."):
        return _change_cue(design, name.removeprefix("cue."), value)
    if name.startswith("corner."):
        return _change_corner(design, name.removeprefix("corner."), value)
    if name in ("carrier", "machine", "printer", "adhesive"):
        return msgspec.structs.replace(design, ways=_replaced(design.ways, name, **{name: catalog.find_id(f"{name}s", text) if text else ""}))
    if name in _SHAPE:
        return _change_shape(design, name, value)
    if name == "closure" or name in _CLOSURE:
        return _change_closure(design, name, value)
    if name in _CARD:
        return msgspec.structs.replace(design, card=_replaced(design.card, name, **{name: _of_type(Card, name, text)}))
    if name in _WAY_LENGTHS:
        length = value if isinstance(value, int | float) else _quantity(name, text, "length")
        return msgspec.structs.replace(design, ways=_replaced(design.ways, name, **{name: round(float(length), 6)}))
    if name in _WAYS:
        return msgspec.structs.replace(design, ways=_replaced(design.ways, name, **{name: _of_type(Ways, name, text)}))
    return _change_mechanism(design, catalog, name, value, mechanism)


def _without(design: Design, mechanism: str, text: str) -> Design:
    """A mechanism taken off (``mechanism.m2=none``)."""
    if design.find_mechanism(mechanism) is None:
        raise ChoiceError("mechanism", mechanism, [m.id for m in design.mechanisms])
    if text != "none":
        raise ParameterError(f"mechanism.{mechanism}", f"{quoted(text)} is not “none”, which takes it off")
    return without_mechanism(design, mechanism)


def _change_closure(design: Design, name: str, value: Value) -> Design:
    """Another closure, sized for the card, or one measure of the present one."""
    closure = design.closing
    if name == "closure":
        closure = closure if str(value).strip() == closure.kind else Closure(_of_type(Closure, "kind", str(value).strip()))
    else:
        length = value if isinstance(value, int | float) else _quantity(name, str(value).strip(), "length")
        closure = _replaced(closure, name, **{name.removeprefix("closure."): round(float(length), 6)})
    return msgspec.structs.replace(design, closure="none" if closure.kind == "none" else closure)


def _change_shape(design: Design, name: str, value: Value) -> Design:
    """One measure of the card's own shape; “none” takes the inner card out."""
    field = name.removeprefix("card.")
    made: Any
    if field == "corner_cut":
        made = _of_type(Card, field, str(value).strip())
    elif field == "inner" and str(value).strip() in ("none", ""):
        made = None
    else:
        made = round(float(value if isinstance(value, int | float) else _quantity(name, str(value).strip(), "length")), 6)
    return msgspec.structs.replace(design, card=_replaced(design.card, name, **{field: made}))


def _change_item(design: Design, catalog: Catalog, name: str, value: Value) -> Design:
    """An item put on, changed as a whole, moved (``item.i1.x``), resized, or taken off (``none``)."""
    item_id, dot, field = name.partition(".")
    old = design.find_item(item_id)
    if not dot:
        made = parse_item(item_id, str(value), catalog)
        if made is None and old is None:
            raise ChoiceError("item", item_id, sorted(i.id for i in design.items))
        kept = [made if i is old else i for i in design.items] + ([made] if old is None else [])
        return _replaced(design, f"item.{item_id}", items=tuple(i for i in kept if i is not None))
    if old is None:
        raise ChoiceError("item", item_id, sorted(i.id for i in design.items))
    if field not in FIELDS:
        raise ChoiceError("measure of an item", field, sorted(FIELDS))
    made = change_field(old, field, value, path=f"item.{item_id}.{field}")
    return msgspec.structs.replace(design, items=tuple(made if i is old else i for i in design.items))


def _change_cue(design: Design, mechanism: str, value: Value) -> Design:
    """The cue of a mechanism put somewhere on the card; "usual" puts it back where the recipe puts it."""
    base, dot, axis = mechanism.partition(".")
    if design.find_mechanism(base) is None:
        raise ChoiceError("mechanism", base, [m.id for m in design.mechanisms])
    if isinstance(value, str) and value.strip() in ("usual", "none", ""):
        return msgspec.structs.replace(design, cues={k: v for k, v in design.cues.items() if k != base})
    if dot:
        old = design.cues.get(base)
        if axis not in ("x", "y") or old is None:
            raise ParameterError(f"cue.{mechanism}", f"give both halves, like cue.{base}=30x84mm")
        half = float(value) if isinstance(value, int | float) else _quantity(f"cue.{mechanism}", str(value), "length")
        place = (half, old[1]) if axis == "x" else (old[0], half)
    else:
        place = value if isinstance(value, tuple) else _quantity(f"cue.{base}", str(value), "point")
    return _replaced(design, f"cue.{base}", cues=design.cues | {base: (float(place[0]), float(place[1]))})


def _change_corner(design: Design, part: str, value: Value) -> Design:
    """The corners of a part rounded; 0 leaves them sharp."""
    radius = float(value) if isinstance(value, int | float) else _quantity(f"corner.{part}", str(value), "length")
    corners = {k: v for k, v in design.corners.items() if k != part} | ({part: radius} if radius else {})
    return _replaced(design, f"corner.{part}", corners=corners)


def _change_mechanism(design: Design, catalog: Catalog, name: str, value: Value, mechanism: str | None) -> Design:
    ids = [m.id for m in design.mechanisms]
    if mechanism is None and len(ids) != 1:
        raise ParameterError(name, f"say which mechanism with --mechanism; this card has {', '.join(ids) or 'none'}")
    target = design.find_mechanism(mechanism or ids[0])
    if target is None:
        raise ChoiceError("mechanism", mechanism, ids)
    if name in _PLACE:
        changed = _placed(target, name, value)
        own = f"{target.id}."
        turns_over = changed.mirror != target.mirror
        items = tuple(mirrored_item(i) if turns_over and i.on.startswith(own) else i for i in design.items)
        return msgspec.structs.replace(design, mechanisms=tuple(changed if m is target else m for m in design.mechanisms), items=items)
    if find_recipe(target.recipe).find_asked(name) is not None:
        return design.with_parameters(target.id, _answered(design, catalog, target, name, value))
    base, dot, axis = name.partition(".")
    if dot and axis in ("x", "y") and _parameter(target.recipe, base).kind == "point":
        half = _quantity(name, value, "length") if isinstance(value, str) else value
        whole = merged_values({base: target.parameters[base]}, {name: half})[base]
        value, name = _parameter(target.recipe, base).accept(whole, path=name), base
    elif isinstance(value, str):
        value = _parse(target.recipe, name, value)
    else:
        value = _parameter(target.recipe, name).accept(value, path=name)
    return design.with_parameters(target.id, {name: value})


def _answered(design: Design, catalog: Catalog, mechanism: Mechanism, name: str, value: Value) -> dict[str, Value]:
    """The mechanism's values with which what is asked for is as wanted."""
    asked = find_recipe(mechanism.recipe).find_asked(name)
    assert asked is not None
    wanted = _quantity(name, value, asked.parameter.kind) if isinstance(value, str) else value
    number = asked.parameter.accept(wanted, path=name)
    assert isinstance(number, int | float)
    return asked.answer(own_site(site_for(design, catalog), mechanism), dict(mechanism.parameters), float(number))


def _parse(recipe_id: str, name: str, text: str) -> Value:
    parameter = _parameter(recipe_id, name)
    try:
        value = parse_quantity(text, parameter.kind, choices=parameter.choices)
    except (MeasureError, ChoiceError) as error:
        raise ParameterError(name, str(error)) from error
    return parameter.accept(value, path=name)


def _parameter(recipe_id: str, name: str) -> Any:
    try:
        return find_recipe(recipe_id).find_parameter(name)
    except ChoiceError as error:
        raise ChoiceError("setting", name, sorted([*error.choices, *_CARD, *_SHAPE, *_CLOSURE, *_WAYS, *_PLACE])) from None


def _parse_flag(name: str, text: str) -> bool:
    try:
        return bool(parse_quantity(text, "flag"))
    except MeasureError as error:
        raise ParameterError(name, str(error)) from error


def _of_type(owner: type, name: str, text: str) -> Any:
    """The text in the type of a field: one of its choices, or a number."""
    hint = get_type_hints(owner)[name]
    choices = get_args(hint) if getattr(hint, "__origin__", None) is Literal else ()
    if choices:
        for choice in choices:
            if str(choice) == text.lower():
                return choice
        raise ParameterError(name, f"{quoted(text)} is not one of {', '.join(str(c) for c in choices)}")
    try:
        return parse_quantity(text, "number")
    except MeasureError as error:
        raise ParameterError(name, str(error)) from error


def _replaced(struct: Any, name: str, **changes: Any) -> Any:
    try:
        return msgspec.structs.replace(struct, **changes)
    except ValueError as error:
        raise ParameterError(name, str(error)) from error
