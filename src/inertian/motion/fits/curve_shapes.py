"""The shapes of curves that can be fitted: formula, parameters and where to search for them.

Parameters that a curve is linear in are solved for at each point of a search over the others
(Golub & Pereyra, SIAM J. Numer. Anal. 10 (1973) 413-432).
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Any

import numpy as np

from inertian.quantities.estimates import Array
from inertian.quantities.expressions import Formula, FormulaError, parse_formula


class CurveShape(StrEnum):
    """The shapes of curves that can be fitted."""

    CONSTANT = "constant"
    LINE = "line"
    PARABOLA = "parabola"
    CUBIC = "cubic"
    SINE = "sine"
    DAMPED = "damped sine"
    EXPONENTIAL = "exponential"
    POWER = "power"
    FORMULA = "formula"  # that was typed


@dataclass(frozen=True)
class Parameter:
    """One parameter of a shape: its symbol, what it means, and its unit as powers of the quantity's
    unit and of s.
    """

    symbol: str
    meaning: str
    power: int = 1
    seconds: int = 0


# What a formula is a function of
VARIABLES = {
    "t": "t, the time since the start of the span,",
    "x": "x, what the figure shows across,",
}
OF_FORMULA = "parameter of the formula"  # that was typed: no more is known of it
LEVEL = Parameter("y₀", "start")

Curve = Callable[..., Any]

SEARCH_POINTS = 4000  # points that several parameters of a formula are searched at


@dataclass(frozen=True)
class ShapeDefinition:
    """What a shape is made of: formula, parameters, the curve, and where to search for what it is
    not linear in.
    """

    formula: str
    parameters: tuple[Parameter, ...]
    curve: Curve
    # Columns of the linear parameters, from τ and the searched ones
    linear: Callable[..., list[Any]]
    searched: Callable[[Array], Array]  # grid of the others from τ, shape (searched, points)
    taken: Callable[[Array, Array], Array]  # parameters from linear coefficients and searched ones
    rest: Callable[[Any, Any], Any] | None = None  # what is there without any linear parameter


def nothing_searched(_tau: Array) -> Array:
    """Return no points to search: of a curve that is linear in its parameters; τ in s of shape
    (n,).
    """
    return np.zeros((0, 1))


def _straight(c: Array, _searched: Array) -> Array:
    return c


def _polynomial(formula: str, parameters: tuple[Parameter, ...]) -> ShapeDefinition:
    factors = np.array([1.0, 1.0, 0.5, 1.0 / 6.0])

    def columns(tau: Any) -> list[Any]:
        return [factors[k] * tau**k for k in range(len(parameters))]

    return ShapeDefinition(
        formula,
        parameters,
        lambda tau, *c: sum(a * b for a, b in zip(c, columns(tau), strict=True)),
        columns,
        nothing_searched,
        _straight,
    )


def _steps(tau: Array) -> float:
    return float(np.median(np.diff(tau)))


def _periods(tau: Array) -> Array:
    """Periods from a little over two samples to twice the span, even in frequency; five to each
    resolvable one.
    """
    whole = float(np.ptp(tau))
    highest = min(0.45 / _steps(tau), 400.0 / whole)
    return np.asarray(1.0 / np.arange(0.4 / whole, highest, 0.2 / whole))[None]


def _decays(tau: Array) -> Array:
    return np.asarray(np.ptp(tau) * np.geomspace(0.02, 20.0, 60))[None]


def _periods_and_decays(tau: Array) -> Array:
    periods, decays = np.meshgrid(_periods(tau)[0], np.ptp(tau) * np.geomspace(0.1, 10.0, 7))
    return np.stack([periods.ravel(), decays.ravel()])


def _wave(c: Array, searched: Array) -> Array:
    amplitude, phase = np.hypot(c[1], c[2]), np.arctan2(c[2], c[1])
    return np.array([c[0], amplitude, searched[0], phase, *searched[1:]])


_PERIOD = Parameter("T", "period", 0, 1)

_SWING = (LEVEL, Parameter("A", "amplitude"), _PERIOD, Parameter("φ", "phase at the start", 0))

_POSITION = (LEVEL, Parameter("y₁", "slope at the start", 1, -1))

SHAPE_DEFINITIONS: Mapping[CurveShape, ShapeDefinition] = {
    CurveShape.CONSTANT: _polynomial("y₀", (Parameter("y₀", "value"),)),
    CurveShape.LINE: _polynomial("y₀ + y₁ t", (LEVEL, Parameter("y₁", "slope", 1, -1))),
    CurveShape.PARABOLA: _polynomial(
        "y₀ + y₁ t + ½ y₂ t²",
        (*_POSITION, Parameter("y₂", "second derivative (twice the t² term)", 1, -2)),
    ),
    CurveShape.CUBIC: _polynomial(
        "y₀ + y₁ t + ½ y₂ t² + ⅙ y₃ t³",
        (
            *_POSITION,
            Parameter("y₂", "second derivative at the start", 1, -2),
            Parameter("y₃", "third derivative", 1, -3),
        ),
    ),
    CurveShape.SINE: ShapeDefinition(
        "y₀ + A sin(2π t/T + φ)",
        (Parameter("y₀", "middle"), *_SWING[1:]),
        lambda tau, y, a, period, phase: y + a * np.sin(2 * np.pi * tau / period + phase),
        lambda tau, period: [
            np.ones_like(tau),
            np.sin(2 * np.pi * tau / period),
            np.cos(2 * np.pi * tau / period),
        ],
        _periods,
        _wave,
    ),
    CurveShape.DAMPED: ShapeDefinition(
        "y₀ + A e^(−t/τ) sin(2π t/T + φ)",
        (Parameter("y₀", "middle"), *_SWING[1:], Parameter("τ", "decay time", 0, 1)),
        lambda tau, y, a, period, phase, decay: (
            y + a * np.exp(-tau / decay) * np.sin(2 * np.pi * tau / period + phase)
        ),
        lambda tau, period, decay: [
            np.ones_like(tau),
            np.exp(-tau / decay) * np.sin(2 * np.pi * tau / period),
            np.exp(-tau / decay) * np.cos(2 * np.pi * tau / period),
        ],
        _periods_and_decays,
        _wave,
    ),
    CurveShape.EXPONENTIAL: ShapeDefinition(
        "y₀ + A e^(−t/τ)",
        (
            Parameter("y₀", "value it tends to"),
            Parameter("A", "amplitude"),
            Parameter("τ", "decay time", 0, 1),
        ),
        lambda tau, y, a, decay: y + a * np.exp(-tau / decay),
        lambda tau, decay: [np.ones_like(tau), np.exp(-tau / decay)],
        lambda tau: np.concatenate([_decays(tau), -_decays(tau)], axis=1),
        lambda c, s: np.array([*c, *s]),
    ),
    CurveShape.POWER: ShapeDefinition(
        "y₀ + A (t/1 s)ⁿ",
        (LEVEL, Parameter("A", "amplitude"), Parameter("n", "exponent", 0)),
        lambda tau, y, a, n: y + a * np.where(tau > 0, np.where(tau > 0, tau, 1.0) ** n, 0.0),
        lambda tau, n: [
            np.ones_like(tau),
            np.where(tau > 0, np.where(tau > 0, tau, 1.0) ** n, 0.0),
        ],
        lambda tau: np.linspace(0.1, 6.0, 60)[None],
        lambda c, s: np.array([*c, *s]),
    ),
}


def shape_definition(shape: CurveShape, formula: str = "") -> ShapeDefinition:
    """Return the form of a shape; `formula` is a typed one, in t and parameters. Raises
    FormulaError.
    """
    return formula_shape(formula) if shape is CurveShape.FORMULA else SHAPE_DEFINITIONS[shape]


@lru_cache(maxsize=64)
def formula_shape(text: str, variable: str = "t") -> ShapeDefinition:
    """Return the form of a formula in a variable and parameters. Raises FormulaError.

    Parameters it is linear in, jointly, are found by trying; the others are searched over orders of
    magnitude.
    """
    formula = parse_formula(text)
    if variable not in formula.names:
        raise FormulaError(text, f"{VARIABLES[variable]} does not occur in it.")
    names = tuple(n for n in formula.names if n != variable)
    if not names:
        raise FormulaError(text, "there is nothing to fit: write a letter for each parameter.")
    linear = _linear_in(formula, names, variable)
    others = tuple(n for n in names if n not in linear)

    def at(tau: Any, linear_values: Any, searched: Any) -> Any:
        values = dict(zip(linear, linear_values, strict=True)) | dict(
            zip(others, searched, strict=True)
        )
        return formula(**{variable: tau}, **values) + 0 * tau

    def columns(tau: Any, *searched: Any) -> list[Any]:
        return [
            at(tau, row, searched) - at(tau, np.zeros(len(linear)), searched)
            for row in np.eye(len(linear))
        ]

    def taken(c: Array, searched: Array) -> Array:
        values = dict(zip(linear, c, strict=True)) | dict(zip(others, searched, strict=True))
        return np.array([values[n] for n in names], dtype=float)

    return ShapeDefinition(
        text,
        tuple(Parameter(n, OF_FORMULA, 1 if n in linear else 0) for n in names),
        lambda tau, *p: formula(**{variable: tau}, **dict(zip(names, p, strict=True))),
        columns,
        (lambda tau: _magnitudes(tau, len(others))) if others else nothing_searched,
        taken,
        lambda tau, searched: at(tau, np.zeros(len(linear)), searched),
    )


def _linear_in(formula: Formula, names: Sequence[str], variable: str) -> tuple[str, ...]:
    """The parameters that the formula is linear in, all together."""
    rng = np.random.default_rng(1)
    tau = np.linspace(0.1, 1.3, 7)
    found: list[str] = []
    for name in names:
        wanted = [*found, name]
        with np.errstate(all="ignore"):
            points = [
                {n: float(v) for n, v in zip(names, rng.uniform(0.5, 1.5, len(names)), strict=True)}
            ]
            points += [{**points[0], **{n: float(rng.uniform(0.5, 1.5)) for n in wanted}}]
            middle = {n: 0.5 * (points[0][n] + points[1][n]) for n in names}
            ends = [np.asarray(formula(**{variable: tau}, **p) + 0 * tau) for p in points]
            between = np.asarray(formula(**{variable: tau}, **middle) + 0 * tau)
        size = np.abs(ends[0]) + np.abs(ends[1])
        if np.all(np.abs(ends[0] + ends[1] - 2.0 * between) <= 1e-9 * size):
            found = wanted
    return tuple(found)


def _magnitudes(tau: Array, count: int) -> Array:
    """Points to search `count` parameters at: rates, times and plain numbers of both signs; shape
    (count, points).
    """
    whole = float(np.ptp(tau)) or 1.0
    fine = np.arange(0.5, 60.0, 0.25) / whole
    values = np.concatenate(
        [fine, whole * np.geomspace(0.02, 20.0, 40), np.linspace(0.25, 6.0, 24)]
    )
    values = np.unique(np.concatenate([values, -values]))
    if count == 1:
        return values[None]
    rng = np.random.default_rng(2)
    return np.stack([rng.choice(values, SEARCH_POINTS) for _ in range(count)])
