"""Derived quantities: a name, a symbol, a unit and a formula, and the ready-made ones of a
mechanics course.

A formula speaks of x, y, v, v_x, a_x, … of the body it is asked for, of the facts of the setup (m,
g, θ, k, …), of sensors (F), of t, and of other derived quantities. x_2 or x_heavy is that of
another body. Symbols of derived quantities are replaced by their formulas, so that one expression
in readings and facts is left, whose derivatives carry all uncertainties with their correlations
(JCGM 100:2008, 5.2.2).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from inertian.quantities.dimensions import OF_KIND, Dimension, dimension_of, parse_unit
from inertian.quantities.errors import InertianError
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
    FUNCTIONS,
    INTEGRALS,
    OVER_TIME,
    RATE,
    Formula,
    FormulaError,
    parse_formula,
)

MOST_PARTS = 3000  # of an expression after everything is put in
MOST_QUANTITIES = 200
RESERVED = (*FUNCTIONS, RATE, *OVER_TIME, *CONSTANTS, "t")
SAMPLED_NAMES: Mapping[str, tuple[str, int]] = {
    "x": ("x", 0),
    "y": ("y", 0),
    "v_x": ("x", 1),
    "v_y": ("y", 1),
    "a_x": ("x", 2),
    "a_y": ("y", 2),
}
SENSOR_SUFFIX = "_s"  # a_s is what a sensor says, where a is what positions say
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


@dataclass(frozen=True)
class DerivedQuantity:
    """A derived quantity: name and symbol as it is called, the unit it is to be shown in, and
    its formula.
    """

    name: str
    symbol: str
    unit: str
    text: str


class DerivedQuantityError(InertianError):
    """A derived quantity cannot be had; the text says which and why."""

    def __init__(self, symbol: str, why: str) -> None:
        super().__init__(symbol, why)
        self.symbol, self.why = symbol, why

    def __str__(self) -> str:
        return f"{self.symbol}: {self.why}"


@dataclass(frozen=True)
class SetupFact:
    """A fact of the apparatus that formulas may use: symbol, its name in the setup, what it
    measures, what it is.
    """

    symbol: str
    name: str
    kind: str
    label: str


NO_READINGS: Mapping[str, str] = {}
SETUP_FACTS = (
    SetupFact("g", "gravity", "acceleration", "Gravity g"),
    SetupFact("θ", "incline", "angle", "Incline θ"),
    SetupFact("k", "spring constant", "stiffness", "Spring constant k"),
    SetupFact("x_0", "spring at rest", "length", "Spring at rest, x₀"),
    SetupFact("α", "tilt of the accelerometer", "angle", "Tilt of the accelerometer α"),
    SetupFact("I", "moment of inertia", "inertia", "Moment of inertia I"),
)
READY_MADE = (
    DerivedQuantity("Potential energy", "E_p", "J", "m g y"),
    DerivedQuantity("Potential energy on the incline", "E_i", "J", "m g x sin(θ)"),
    DerivedQuantity("Spring energy", "E_s", "J", "½ k (x - x_0)²"),
    DerivedQuantity("Mechanical energy", "E_m", "J", "½ m v² + m g y"),
    DerivedQuantity("Mechanical energy on the incline", "E_mi", "J", "½ m v² + m g x sin(θ)"),
    DerivedQuantity("Mechanical energy with the spring", "E_ms", "J", "½ m v² + ½ k (x - x_0)²"),
    DerivedQuantity("Power", "P", "W", "rate(½ m v²)"),
    DerivedQuantity("Net force along x", "F_x", "N", "m a_x"),
    DerivedQuantity("Net force along y", "F_y", "N", "m a_y"),
    DerivedQuantity("Force besides weight on the incline", "F_b", "N", "m a_x + m g sin(θ)"),
    DerivedQuantity("Angular momentum", "L", "kg·m²/s", "m ((x - x_c) v_y - (y - y_c) v_x)"),
    DerivedQuantity("Velocity from the accelerometer", "v_acc", "m/s", "area(a_s)"),
    DerivedQuantity("Distance from the accelerometer", "x_acc", "m", "area(v_acc)"),
    DerivedQuantity(
        "Velocity from the accelerometer, levelled", "v_lev", "m/s", "area(level(a_s))"
    ),
    DerivedQuantity("Distance from the accelerometer, levelled", "x_lev", "m", "area(v_lev)"),
    DerivedQuantity(
        "Velocity from a tilted accelerometer", "v_tilt", "m/s", "area(a_s - g sin(α))"
    ),
    DerivedQuantity("Distance from a tilted accelerometer", "x_tilt", "m", "area(v_tilt)"),
    DerivedQuantity("Impulse of the measured force", "J_F", "N·s", "area(F)"),
    DerivedQuantity("Impulse of the measured force, levelled", "J_lev", "N·s", "area(level(F))"),
    DerivedQuantity("Work of the measured force", "W_F", "J", "area(F v_x)"),
    DerivedQuantity("Energy of rotation", "E_r", "J", "½ I ω²"),
    DerivedQuantity("Direction of motion, in radians", "φ_v", "rad", "2 atan(v_y/(v + v_x))"),
    DerivedQuantity("Speed over radius, on a circle ω", "ω_v", "1/s", "v/r"),
)


def centre_of_mass_quantities(bodies: int) -> list[DerivedQuantity]:
    """Return centre of mass, its velocity and the energy about it, for so many bodies on one axis;
    none for one.
    """
    if bodies < 2:
        return []
    every = range(1, bodies + 1)
    mass = " + ".join(f"m_{k}" for k in every)
    place, speed = _each("x", every), _each("v_x", every)
    inner = " + ".join(f"½ m_{k} (v_x_{k} - v_cm)²" for k in every)
    plane = " + ".join(f"½ m_{k} ((v_x_{k} - v_cm)² + (v_y_{k} - w_cm)²)" for k in every)
    return [
        DerivedQuantity("Centre of mass along x", "x_cm", "m", f"({place})/({mass})"),
        DerivedQuantity(
            "Velocity of the centre of mass along x", "v_cm", "m/s", f"({speed})/({mass})"
        ),
        DerivedQuantity("Energy about the centre of mass, along x", "E_cm", "J", inner),
        DerivedQuantity("Centre of mass along y", "y_cm", "m", f"({_each('y', every)})/({mass})"),
        DerivedQuantity(
            "Velocity of the centre of mass along y",
            "w_cm",
            "m/s",
            f"({_each('v_y', every)})/({mass})",
        ),
        DerivedQuantity("Energy about the centre of mass, in the plane", "E_cmp", "J", plane),
    ]


def _each(name: str, every: Sequence[int]) -> str:
    return " + ".join(f"m_{k} {name}_{k}" for k in every)


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


@lru_cache(maxsize=500)
def formula_of(quantity: DerivedQuantity) -> Formula:
    """Return the formula of a quantity. Raises DerivedQuantityError if it cannot be read."""
    try:
        return parse_formula(quantity.text, rates=True)
    except FormulaError as error:
        raise DerivedQuantityError(quantity.symbol, error.why) from None


def check_quantities(quantities: Sequence[DerivedQuantity]) -> None:
    """Check that symbols are names, used once, and that no quantity hangs on itself. Raises
    DerivedQuantityError.
    """
    if len(quantities) > MOST_QUANTITIES:
        raise DerivedQuantityError(
            quantities[-1].symbol, f"there may be {MOST_QUANTITIES} quantities at most."
        )
    by_symbol: dict[str, DerivedQuantity] = {}
    for one in quantities:
        if not one.symbol.isidentifier() or one.symbol in RESERVED or one.symbol in SAMPLED_NAMES:
            raise DerivedQuantityError(
                one.symbol or "?", "a symbol begins with a letter, and must not be taken already."
            )
        if one.symbol in by_symbol:
            raise DerivedQuantityError(one.symbol, "there are two quantities of this symbol.")
        by_symbol[one.symbol] = one
    for one in quantities:
        _refuse_rings(one, by_symbol, ())


def _refuse_rings(
    one: DerivedQuantity, by_symbol: Mapping[str, DerivedQuantity], above: tuple[str, ...]
) -> None:
    if one.symbol in above:
        ring = " → ".join((*above[above.index(one.symbol) :], one.symbol))
        raise DerivedQuantityError(one.symbol, f"it hangs on itself: {ring}.")
    for name in formula_of(one).names:
        if name in by_symbol:
            _refuse_rings(by_symbol[name], by_symbol, (*above, one.symbol))


def depends_on(quantity: DerivedQuantity) -> tuple[str, ...]:
    """Return the names that a quantity is made of, in order. Raises DerivedQuantityError if it
    cannot be read.
    """
    return formula_of(quantity).names


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
    if suffix.isdigit() and 1 <= int(suffix) <= len(bodies):
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


def with_quantity(
    derived: Sequence[DerivedQuantity], new: DerivedQuantity, old: str = ""
) -> tuple[DerivedQuantity, ...]:
    """Return quantities with one more, or in place of the one of symbol `old`. Raises
    DerivedQuantityError.
    """
    tidy = replace(
        new,
        name=new.name.strip() or new.symbol.strip(),
        symbol=new.symbol.strip(),
        unit=new.unit.strip(),
    )
    changed = tuple(tidy if q.symbol == old else q for q in derived) if old else (*derived, tidy)
    check_quantities(changed)
    parse_unit(tidy.unit)
    return changed
