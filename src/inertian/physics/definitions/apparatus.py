"""Facts of the apparatus that are measured by way of others: an incline, a moment of inertia, a
spring constant.

Inclines and moments of inertia are textbook formulas of lengths and masses, propagated to first
order (JCGM 100:2008, 5.1.2); a spring constant is the slope of force against extension, with errors
in both where both are stated (York et al., Am. J. Phys. 72 (2004) 367-375), or from the scatter
about the line.
"""

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.errors_in_variables import fit_line_both_axes
from inertian.quantities.dimensions import OF_KIND, parse_unit
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, ErrorSource, JointScalars, Pools, SourceCovariance
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.propagation import Inputs, propagate
from inertian.quantities.units import Unit, unit_of

FEWEST_ROWS = 3  # rows of a table
SHORT = "length"


@dataclass(frozen=True)
class MeasuredInput:
    """One thing to measure: its name in the formula, what it is called, and what kind of quantity
    it is.
    """

    name: str
    label: str
    kind: str


@dataclass(frozen=True)
class FactRule:
    """A way to a fact: for which symbol, in words, what is to be measured, and the formula of these
    in SI.
    """

    symbol: str
    label: str
    inputs: tuple[MeasuredInput, ...]
    text: str
    law: Callable[[Inputs], Array]
    unit: Unit


DEGREE, INERTIA = unit_of("angle", "°"), unit_of("inertia", "kg·m²")
HEIGHTS = (
    MeasuredInput("h1", "Height of the lower mark", SHORT),
    MeasuredInput("h2", "Height of the upper mark", SHORT),
)
MASS, RADIUS = MeasuredInput("m", "Mass", "mass"), MeasuredInput("r", "Radius", SHORT)
ARM = MeasuredInput("l", "Axis to centre of mass", SHORT)
ROD = (MASS, MeasuredInput("L", "Length", SHORT))


def _inertia(
    label: str, inputs: tuple[MeasuredInput, ...], text: str, law: Callable[[Inputs], Array]
) -> FactRule:
    return FactRule("I", label, inputs, text, law, INERTIA)


FACT_RULES = (
    FactRule(
        "θ",
        "from two heights and the way along the slope",
        (*HEIGHTS, MeasuredInput("s", "Way between the marks", SHORT)),
        "asin((h_2 − h_1)/s)",
        lambda q: np.arcsin((q["h2"] - q["h1"]) / q["s"]),
        DEGREE,
    ),
    FactRule(
        "θ",
        "from two heights and the distance on the level",
        (*HEIGHTS, MeasuredInput("d", "Distance on the level", SHORT)),
        "atan((h_2 − h_1)/d)",
        lambda q: np.arctan((q["h2"] - q["h1"]) / q["d"]),
        DEGREE,
    ),
    _inertia(
        "a disc or full cylinder, about its axis",
        (MASS, RADIUS),
        "½ m r²",
        lambda q: 0.5 * q["m"] * q["r"] ** 2,
    ),
    _inertia(
        "a hoop or a thin tube, about its axis",
        (MASS, RADIUS),
        "m r²",
        lambda q: q["m"] * q["r"] ** 2,
    ),
    _inertia(
        "a disc with a hole, about its axis",
        (
            MASS,
            MeasuredInput("r1", "Inner radius", SHORT),
            MeasuredInput("r2", "Outer radius", SHORT),
        ),
        "½ m (r_1² + r_2²)",
        lambda q: 0.5 * q["m"] * (q["r1"] ** 2 + q["r2"] ** 2),
    ),
    _inertia("a full ball", (MASS, RADIUS), "⅖ m r²", lambda q: 0.4 * q["m"] * q["r"] ** 2),
    _inertia("a hollow ball", (MASS, RADIUS), "⅔ m r²", lambda q: q["m"] * q["r"] ** 2 * 2.0 / 3.0),
    _inertia("a rod, about its middle", ROD, "m L²/12", lambda q: q["m"] * q["L"] ** 2 / 12.0),
    _inertia("a rod, about one end", ROD, "m L²/3", lambda q: q["m"] * q["L"] ** 2 / 3.0),
    _inertia(
        "a plate, about the normal through its middle",
        (MASS, MeasuredInput("a", "Length", SHORT), MeasuredInput("b", "Width", SHORT)),
        "m (a² + b²)/12",
        lambda q: q["m"] * (q["a"] ** 2 + q["b"] ** 2) / 12.0,
    ),
    _inertia(
        "a body that swings about an axis, from its period",
        (
            MASS,
            ARM,
            MeasuredInput("T", "Period", "time"),
            MeasuredInput("g", "Gravity", "acceleration"),
        ),
        "m g l T²/(4 π²)",
        lambda q: q["m"] * q["g"] * q["l"] * q["T"] ** 2 / (4.0 * np.pi**2),
    ),
)


def fact_by_rule(way: FactRule, facts: Mapping[str, Fact]) -> Fact:
    """Return the fact that a way gives, with a standard ±, from what was measured, by name.

    Raises Refusal where something is missing or the numbers have no meaning.
    """
    missing = [a.label for a in way.inputs if a.name not in facts]
    if missing:
        raise Refusal(f"Still to measure: {', '.join(missing)}.")
    names = tuple(a.name for a in way.inputs)
    us = [facts[name].u for name in names]
    parts = tuple(
        SourceCovariance(
            ErrorSource(name, "fact", name, facts[name].bounded),
            np.diag(u * u * np.eye(len(names))[k]),
        )
        for k, (name, u) in enumerate(zip(names, us, strict=True))
    )
    joint = JointScalars(names, np.array([facts[name].si for name in names]), parts, Pools())
    with np.errstate(invalid="ignore"):
        # Complex steps know no bounds
        real = way.law({name: np.array(facts[name].si) for name in names})
        found = propagate(lambda q: {"": way.law(q)}, joint).joint
    value, u = float(real), found.u("")
    if not (np.isfinite(value) and np.isfinite(u)):
        raise Refusal(
            "No slope has these heights: the difference of heights is larger than the way."
        )
    return _stated(value / way.unit.factor, u / way.unit.factor, way.unit)


def stiffness(text: str, u_extension: float = 0.0, u_force: float = 0.0) -> Fact:
    """Return the spring constant from a table of extension and force, a row each, as typed or
    pasted.

    A first row may name units ("cm N"); else they are m and N. The ± are standard uncertainties in
    SI; where that of the force is not stated, it is told from the scatter about the line. Raises
    Refusal with the row that is wrong.
    """
    x, f = _table(text)
    if len(x) < FEWEST_ROWS:
        raise Refusal(f"A table needs at least {FEWEST_ROWS} rows of extension and force.")
    if float(np.ptp(x)) <= 0.0:
        raise Refusal("All extensions are the same, so there is no slope.")
    if u_force > 0.0:
        line = fit_line_both_axes(x, f, np.full(len(x), u_extension), np.full(len(x), u_force))
        slope, u = line.slope, line.u[1]
    else:
        tau = x - x.mean()
        slope = float(tau @ f / (tau @ tau))
        left = f - f.mean() - slope * tau
        u = float(np.sqrt(left @ left / (len(x) - 2) / (tau @ tau)))
        u = float(np.hypot(u, slope * u_extension / np.sqrt(tau @ tau)))
    if not slope > 0.0:
        raise Refusal(
            "The force falls as the spring is stretched. Are the columns the other way round?"
        )
    return _stated(slope, u, unit_of("stiffness", "N/m"))


def _stated(value: float, u: float, unit: Unit) -> Fact:
    """A fact whose ± has three figures, so that what is left off does not matter."""
    if not u > 0.0:
        return Fact(float(f"{value:.10g}"), 0.0, Meaning.EXACT, unit)
    places = 2 - math.floor(math.log10(u))
    return Fact(round(value, places), round(u, places), Meaning.STANDARD, unit)


def _table(text: str) -> tuple[Array, Array]:
    """Extension in m and force in N, of shape (n,)."""
    factors, rows = (1.0, 1.0), []
    for number, line in enumerate(text.strip().splitlines(), 1):
        cells = re.split(r"[\t;]|\s+", line.strip().strip(";"))
        cells = [c for c in cells if c]
        if len(cells) != 2:
            raise Refusal(f"Row {number}: it should hold two numbers, extension and force.")
        try:
            rows.append([float(c.replace(",", ".").replace("−", "-")) for c in cells])
        except ValueError:
            if rows:
                raise Refusal(f"Row {number}: “{line.strip()}” is not two numbers.") from None
            factors = _units(cells, number)
    found = np.array(rows, dtype=float).reshape(-1, 2)
    return found[:, 0] * factors[0], found[:, 1] * factors[1]


def _units(cells: list[str], number: int) -> tuple[float, float]:
    found = []
    for cell, kind in zip(cells, ("length", "force"), strict=True):
        factor, dimension = parse_unit(cell.strip("()[]"))
        if dimension != OF_KIND[kind]:
            raise Refusal(f"Row {number}: “{cell}” is not a unit of {kind}.")
        found.append(factor)
    return found[0], found[1]
