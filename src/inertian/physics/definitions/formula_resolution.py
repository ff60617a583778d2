"""A derived quantity as one expression in what a trial has, each name given its meaning."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from inertian.physics.definitions.derived_quantities import (
    RESERVED,
    SAMPLED_NAMES,
    SENSOR_SUFFIX,
    SETUP_FACTS,
    DerivedQuantity,
    DerivedQuantityError,
    formula_of,
)
from inertian.quantities.dimensions import OF_KIND, Dimension, dimension_of, parse_unit
from inertian.quantities.expression_tree import (
    Call,
    Expression,
    Symbol,
    substituted,
    symbols_in,
    walk,
)
from inertian.quantities.expressions import (
    CONSTANTS,
    INTEGRALS,
    OVER_TIME,
    RATE,
    Formula,
    FormulaError,
    parse_formula,
)

MOST_PARTS = 3000  # of an expression after everything is put in

OF_ORDER = (OF_KIND["length"], OF_KIND["speed"], OF_KIND["acceleration"])

# Along one axis, v and a have a sign
IN_THE_PLANE = {
    "v": "sqrt(v_x² + v_y²)",
    "a": "sqrt(a_x² + a_y²)",
}

ABOUT_CENTRE = {
    "r": "sqrt((x - x_c)² + (y - y_c)²)",
    "ω": "((x - x_c) v_y - (y - y_c) v_x)/((x - x_c)² + (y - y_c)²)",
}

NO_READINGS: Mapping[str, str] = {}


@dataclass(frozen=True)
class FormulaName:
    """What one name in a formula stands for: a derivative of a body's channel, a sensor, a fact, or
    the time.
    """

    # "local", "sensor", "fact", "time", or "reading": a number of the trial by its name, which is
    # `fact`
    kind: str
    body: str = ""
    axis: str = ""
    order: int = 0
    fact: str = ""  # symbol; with body, that of the body
    unit: str = ""  # of a reading

    @property
    def dimension(self) -> Dimension:
        """The dimension of its values."""
        if self.kind == "local":
            return OF_ORDER[self.order]
        if self.kind == "sensor":
            return OF_KIND[{"F": "force", "a": "acceleration", "v": "speed"}[self.axis]]
        if self.kind == "time":
            return OF_KIND["time"]
        if self.kind == "reading":
            return parse_unit(self.unit)[1]
        if self.fact in ("x_c", "y_c"):
            return OF_KIND["length"]
        kinds = {f.symbol: f.kind for f in SETUP_FACTS} | {"m": "mass"}
        return OF_KIND[kinds[self.fact]]


@dataclass(frozen=True, eq=False)
class ResolvedFormula:
    """A quantity with everything put in: one formula, what each of its names stands for, and its
    dimension.
    """

    formula: Formula
    needed: Mapping[str, FormulaName]
    dimension: Dimension
    # Areas and levels in it, each under a name of its own
    areas: Mapping[str, "ResolvedFormula"] = field(default_factory=dict)


def resolve(
    quantity: DerivedQuantity,
    derived: Mapping[str, DerivedQuantity],
    body: str,
    axes: Mapping[str, tuple[str, ...]],
    sensors: Mapping[str, tuple[str, ...]],
    in_its_unit: bool = True,
    readings: Mapping[str, str] = NO_READINGS,
) -> ResolvedFormula:
    """Return a quantity as one expression in what a trial has; `axes` and `sensors` are those of
    its bodies, in order.

    `readings` are the units of its named readings. Dimensions are checked, and, unless not asked
    for, that its unit can show them. Raises DerivedQuantityError.
    """
    bodies = tuple(axes)
    try:
        if _parts(quantity, derived, {}, ()) > MOST_PARTS:
            raise FormulaError(quantity.text, "it is too long with everything put in.")
        every = {axis for some in sensors.values() for axis in some}
        for name in formula_of(quantity).names:
            meaning = meaning_in_formulas(name, bodies, every, derived)
            if name in readings and meaning is not None:
                raise FormulaError(
                    quantity.text,
                    f"{name} is {meaning}, and also the name of a reading. Rename the reading.",
                )
        tree = _substituted(formula_of(quantity).tree, derived, body, axes, ())
        made = _made(quantity, tree, bodies, body, axes, sensors, readings)
        _, wanted = parse_unit(quantity.unit)
    except FormulaError as error:
        raise DerivedQuantityError(quantity.symbol, error.why) from None
    if in_its_unit and wanted != made.dimension:
        unit = quantity.unit or "a plain number"
        raise DerivedQuantityError(
            quantity.symbol, f"its formula gives {made.dimension}, which cannot be shown in {unit}."
        )
    return made


def meaning_in_formulas(
    name: str, bodies: Sequence[str], sensors: Iterable[str], derived: Iterable[str]
) -> str | None:
    """Return what a name means in formulas of a trial, in words, or None if it is free.

    `bodies` in order; `sensors` are the axes of all of them, `derived` the symbols of quantities.
    """
    if name in (*RESERVED, *CONSTANTS):
        return "a word of formulas"
    if name in derived:
        return "one of your quantities"
    own = (*SAMPLED_NAMES, *IN_THE_PLANE, *ABOUT_CENTRE)
    facts = ("m", "x_c", "y_c", *(known.symbol for known in SETUP_FACTS))
    for base in (name, *(name[:k] for k in range(len(name) - 1, 0, -1) if name[k] == "_")):
        whose = "" if base == name else _body_named(name[len(base) + 1 :], bodies)
        if whose is None:
            continue
        of_body = f" of {whose}" if whose else ""
        if base in own:
            return f"{base}{of_body}, as its samples give it"
        if base in facts:
            return f"the fact {base}{of_body}"
        if base in sensors:
            return f"the sensor {base}{of_body}"
    if name.endswith(SENSOR_SUFFIX) and name.removesuffix(SENSOR_SUFFIX) in sensors:
        return f"the sensor {name.removesuffix(SENSOR_SUFFIX)}"
    return None


def _made(
    quantity: DerivedQuantity,
    whole: Expression,
    bodies: Sequence[str],
    body: str,
    axes: Mapping[str, tuple[str, ...]],
    sensors: Mapping[str, tuple[str, ...]],
    readings: Mapping[str, str],
) -> "ResolvedFormula":
    """An expression with what each of its names stands for, and its areas made likewise. Raises
    FormulaError.
    """
    parts: dict[str, Expression] = {}
    tree = _without_areas(whole, parts)
    areas = {
        name: _made(quantity, part, bodies, body, axes, sensors, readings)
        for name, part in parts.items()
    }
    names = tuple(name for name in symbols_in(tree) if name not in CONSTANTS)
    formula = Formula(quantity.text, names, tree)
    if any(_rates_in(node.argument) for node in _rates_in(tree)):
        raise FormulaError(quantity.text, "a rate of a rate cannot be had; use an acceleration.")
    if set(formula.rates) & set(areas):
        raise FormulaError(
            quantity.text,
            "the rate of an area is what stands in the area; that of a level is refused.",
        )
    derived = [name for name in formula.names if name not in areas]
    needed = {
        name: _meaning_of(quantity, name, body, bodies, axes, sensors, readings) for name in derived
    }
    known = {name: one.dimension for name, one in needed.items()}
    second = OF_KIND["time"]
    known |= {
        n: one.dimension.times(second) if n.startswith(INTEGRALS) else one.dimension
        for n, one in areas.items()
    }
    return ResolvedFormula(formula, needed, dimension_of(formula, known), areas)


def _rates_in(tree: Expression) -> list[Call]:
    """The rates in an expression; some may come in with a quantity that is put in."""
    return [node for node in walk(tree) if isinstance(node, Call) and node.function == RATE]


def _without_areas(whole: Expression, parts: dict[str, Expression]) -> Expression:
    """The expression with a name in place of each area; `parts` gets what is integrated under that
    name.
    """

    def named(node: Symbol | Call) -> Expression | None:
        if isinstance(node, Symbol) or node.function not in OVER_TIME:
            return None
        name = f"{node.function}_{len(parts)}"
        parts[name] = node.argument
        return Symbol(name)

    return substituted(whole, named)


def _parts(
    quantity: DerivedQuantity,
    derived: Mapping[str, DerivedQuantity],
    known: dict[str, int],
    above: tuple[str, ...],
) -> int:
    """How many parts a formula would have with everything put in, without putting it in."""
    if quantity.symbol in above:
        raise DerivedQuantityError(quantity.symbol, "it hangs on itself.")
    if quantity.symbol not in known or not above:
        nodes = list(walk(formula_of(quantity).tree))
        inner = (derived[n.name] for n in nodes if isinstance(n, Symbol) and n.name in derived)
        known[quantity.symbol] = len(nodes) + sum(
            _parts(q, derived, known, (*above, quantity.symbol)) for q in inner
        )
    return known[quantity.symbol]


def _substituted(
    tree: Expression,
    derived: Mapping[str, DerivedQuantity],
    body: str,
    axes: Mapping[str, tuple[str, ...]],
    above: tuple[str, ...],
) -> Expression:
    """The expression with derived quantities, and v, a, r and ω, replaced by what they are."""

    def meaning(node: Symbol | Call) -> Expression | None:
        if isinstance(node, Call):
            return None
        if node.name not in derived:
            return _in_coordinates(node, body, axes)
        one = derived[node.name]
        if one.symbol in above:
            raise DerivedQuantityError(one.symbol, "it hangs on itself.")
        return _substituted(formula_of(one).tree, derived, body, axes, (*above, one.symbol))

    return substituted(tree, meaning)


def _in_coordinates(
    node: Symbol, body: str, axes: Mapping[str, tuple[str, ...]]
) -> Expression | None:
    """v and a of a body in the plane, and r and ω, as expressions in its coordinates; None for
    other names.
    """
    name, _, suffix = node.name.partition("_")
    whose = _body_named(suffix, tuple(axes)) if suffix else body
    if whose is None or name not in (*IN_THE_PLANE, *ABOUT_CENTRE) or not axes.get(whose):
        return None
    tail = f"_{suffix}" if suffix else ""
    if name in IN_THE_PLANE and len(axes.get(whose, ())) < 2:
        own_axis = (*axes.get(whose, ()), "x")[0]
        return Symbol(f"{name}_{own_axis}{tail}")

    def with_suffix(inner: Symbol | Call) -> Expression | None:
        sampled = isinstance(inner, Symbol) and inner.name in SAMPLED_NAMES
        return Symbol(inner.name + tail) if isinstance(inner, Symbol) and sampled else None

    text = IN_THE_PLANE.get(name) or ABOUT_CENTRE[name]
    return substituted(parse_formula(text).tree, with_suffix)


def _body_named(suffix: str, bodies: Sequence[str]) -> str | None:
    """The body that x_2 or x_heavy means: by its number or by its name, written as one word."""
    if suffix.isdecimal() and len(suffix) < 4 and 1 <= int(suffix) <= len(bodies):
        return bodies[int(suffix) - 1]
    return next((b for b in bodies if b.replace(" ", "_") == suffix), None)


def _meaning_of(
    quantity: DerivedQuantity,
    name: str,
    body: str,
    bodies: Sequence[str],
    axes: Mapping[str, tuple[str, ...]],
    sensors: Mapping[str, tuple[str, ...]],
    readings: Mapping[str, str],
) -> FormulaName:
    """What one name means. Raises FormulaError for a name that means nothing here."""
    facts = {f.symbol for f in SETUP_FACTS} | {"m", "x_c", "y_c"}
    for base in (name, *(name[:k] for k in range(len(name) - 1, 0, -1) if name[k] == "_")):
        suffix = name[len(base) + 1 :]
        whose = body if base == name else _body_named(suffix, bodies)
        if whose is None:
            continue
        if base in SAMPLED_NAMES:
            axis, order = SAMPLED_NAMES[base]
            if axis not in axes.get(whose, ()):
                raise FormulaError(
                    quantity.text,
                    f"{name}: {whose or 'all bodies together'} was not followed along {axis}.",
                )
            return FormulaName("local", whose, axis, order)
        if base in facts:
            return FormulaName("fact", whose if base in ("m", "I") else "", fact=base)
        if base in sensors.get(whose, ()):
            return FormulaName("sensor", whose, base)
    if name.endswith(SENSOR_SUFFIX) and name.removesuffix(SENSOR_SUFFIX) in sensors.get(body, ()):
        return FormulaName("sensor", body, name.removesuffix(SENSOR_SUFFIX))
    if name == "t":
        return FormulaName("time")
    if name in readings:
        return FormulaName("reading", fact=name, unit=readings[name])
    raise FormulaError(quantity.text, f"“{name}” is not known here.")
