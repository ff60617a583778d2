"""Derived quantities: a name, a symbol, a unit and a formula, and the ready-made ones of a
mechanics course.

A formula speaks of x, y, v, v_x, a_x, … of the body it is asked for, of the facts of the setup (m,
g, θ, k, …), of sensors (F), of t, and of other derived quantities. x_2 or x_heavy is that of
another body. Symbols of derived quantities are replaced by their formulas, so that one expression
in readings and facts is left, whose derivatives carry all uncertainties with their correlations
(JCGM 100:2008, 5.2.2).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError
from inertian.quantities.expressions import (
    CONSTANTS,
    FUNCTIONS,
    OVER_TIME,
    RATE,
    Formula,
    FormulaError,
    parse_formula,
)

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
    of_bodies: bool = False  # each body has its own


SETUP_FACTS = (
    SetupFact("g", "gravity", "acceleration", "Gravity g"),
    SetupFact("θ", "incline", "angle", "Incline θ"),
    SetupFact("k", "spring constant", "stiffness", "Spring constant k"),
    SetupFact("x_0", "spring at rest", "length", "Spring at rest, x₀"),
    SetupFact("α", "tilt of the accelerometer", "angle", "Tilt of the accelerometer α"),
    SetupFact("I", "moment of inertia", "inertia", "Moment of inertia I", True),
)

# Facts that accounts use, and formulas do not: their symbols stay free for one's own quantities
ACCOUNT_FACTS = (
    SetupFact("j", "rolling factor", "number", "Rolling factor I/(m r²)", True),
    SetupFact("μ", "friction coefficient", "number", "Friction coefficient μ"),
    SetupFact("c_r", "rolling resistance", "number", "Rolling resistance c_r"),
    SetupFact("b", "linear drag", "linear drag", "Linear drag b, in b v"),
    SetupFact("c", "quadratic drag", "quadratic drag", "Quadratic drag c, in c v²"),
    SetupFact("I_a", "added inertia", "inertia", "Added inertia", True),
    SetupFact("F_p", "push", "force", "Push along x", True),
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
