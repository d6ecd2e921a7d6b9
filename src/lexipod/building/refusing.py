"""A refusal that names what the maker decided, and what would do instead.

What is sized for her may come out of its limits because of what she asked for. She never set that measure, so she is told which of her
own decisions leaves no room for it.
"""

from __future__ import annotations

from collections.abc import Callable

from lexipod.errors import CardTooSmall, ParameterError
from lexipod.recipes.kit.parameters import Parameter, Recipe, Site, Values
from lexipod.units.quantities import Value


def sized_values(recipe: Recipe, site: Site, kept: Values, *, path: str) -> Values:
    """A value for each parameter, those in ``kept`` as they are, the others sized and within their limits.

    Raises ``ParameterError`` that names a decision in ``kept`` which leaves no room and what would do instead of it, or
    ``CardTooSmall`` where none of them alone is to blame.
    """
    try:
        return _sized(recipe, site, kept)
    except (CardTooSmall, _OutOfLimitsError) as error:
        told = error.told if isinstance(error, _OutOfLimitsError) else _reason(str(error))
        raise _refusal(recipe, site, kept, told, error, path, lambda values: _sized(recipe, site, values)) from error


def refuse_build(recipe: Recipe, site: Site, kept: Values, error: ParameterError, *, path: str, build: Callable[[Values], object]) -> Exception:
    """The error to raise where parts cannot be built: ``build`` builds them from other decisions."""

    def works(values: Values) -> Values:
        whole = _sized(recipe, site, values)
        build(whole)
        return whole

    return _refusal(recipe, site, kept, str(error).removeprefix(f"{error.path}: "), error, path, works)


class _OutOfLimitsError(Exception):
    def __init__(self, told: str) -> None:
        super().__init__(told)
        self.told = told


def _sized(recipe: Recipe, site: Site, kept: Values) -> Values:
    sized = recipe.size(site, kept)
    out: Values = {}
    for parameter in recipe.parameters:
        value = kept.get(parameter.name, sized[parameter.name])
        try:
            out[parameter.name] = parameter.accept(value, path=parameter.name)
        except ParameterError as error:
            raise _OutOfLimitsError(_told(parameter, value)) from error
    return out


def _told(parameter: Parameter, value: Value) -> str:
    """Why a sized value will not do."""
    numbers = [v for v in (value if isinstance(value, tuple) else (value,)) if isinstance(v, int | float)]
    worst = max(numbers, key=lambda v: max(parameter.minimum - v, v - parameter.maximum), default=0.0)
    low = worst < parameter.minimum
    most = f"{parameter.show(parameter.minimum if low else parameter.maximum)} is the {'least' if low else 'most'}"
    return f"no room is left for “{parameter.label}”: it would come to {parameter.show(worst)}, and {most}"


def _reason(message: str) -> str:
    """Why a card is too small, without saying on which."""
    return message.partition(": ")[2].rpartition("; from about")[0] or message


def _refusal(recipe: Recipe, site: Site, kept: Values, told: str, error: Exception, path: str, works: Callable[[Values], Values]) -> Exception:
    named = {name: value for name, value in kept.items() if recipe.find_parameter(name).kind not in ("choice", "flag")}
    for name in sorted(named, key=lambda n: n in recipe.shaping):
        parameter = recipe.find_parameter(name)
        try:
            fits = works({k: v for k, v in kept.items() if k != name})[name]
        except (CardTooSmall, ParameterError, _OutOfLimitsError, ValueError):
            continue
        return ParameterError(f"{path}.{name}", f"with “{parameter.label}” {_show(parameter, kept[name])} {told}; {_show(parameter, fits)} would do")
    if named:
        try:
            works({k: v for k, v in kept.items() if k not in named})
        except (CardTooSmall, ParameterError, _OutOfLimitsError, ValueError):
            pass
        else:
            wishes = ", ".join(f"“{recipe.find_parameter(n).label}” {_show(recipe.find_parameter(n), v)}" for n, v in named.items())
            return ParameterError(path, f"{wishes} do not go together on this card: {told}. Leave some of them open, and they are sized to fit")
    return recipe.refuse(site, told) if isinstance(error, _OutOfLimitsError) else error


def _show(parameter: Parameter, value: Value) -> str:
    numbers = value if isinstance(value, tuple) else (value,)
    return " x ".join(parameter.show(v) if isinstance(v, int | float) else str(v) for v in numbers)


__all__ = ["refuse_build", "sized_values"]
