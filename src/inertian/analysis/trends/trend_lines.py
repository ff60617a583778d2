"""The lines that a trend may follow: formula, parameters with units, and where to search for what
is not linear.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from inertian.motion.fits.curve_shapes import (
    CurveShape,
    Parameter,
    ShapeDefinition,
    formula_shape,
    nothing_searched,
    shape_definition,
)
from inertian.quantities.estimates import Array


class TrendLine(StrEnum):
    """The lines that can be fitted to points."""

    STRAIGHT = "straight"
    ORIGIN = "origin"  # straight, through it
    CONSTANT = "constant"
    POWER = "power"
    EXPONENTIAL = "exponential"
    FORMULA = "formula"  # that was typed


SLOPE, INTERCEPT, VALUE = "slope", "intercept", "value"
FACTOR, EXPONENT, RATE = "factor", "exponent", "rate"
# What leads to all other lines than straight ones: rates are searched from a gentle bend over the
# width of the figure to a steep one
STEEPEST, RATES, EXPONENTS = 12.0, 121, 161
LARGEST_EXPONENT = 8.0


def _rates(x: Array) -> Array:
    width = float(np.ptp(x)) or 1.0
    return np.asarray(np.linspace(-STEEPEST, STEEPEST, RATES)[None] / width)


def _exponents(_x: Array) -> Array:
    return np.linspace(-LARGEST_EXPONENT, LARGEST_EXPONENT, EXPONENTS)[None]


def _raised(x: Any, n: Any) -> Any:
    """xⁿ of positive x, analytic in both."""
    return np.exp(n * np.log(x))


def _one_more(c: Array, searched: Array) -> Array:
    return np.array([*c, *searched])


TREND_LINES: Mapping[TrendLine, ShapeDefinition] = {
    TrendLine.STRAIGHT: shape_definition(CurveShape.LINE),
    TrendLine.ORIGIN: ShapeDefinition(
        "slope · x",
        (Parameter(SLOPE, "slope"),),
        lambda x, k: k * x,
        lambda x: [x],
        nothing_searched,
        lambda c, _searched: c,
    ),
    TrendLine.CONSTANT: shape_definition(CurveShape.CONSTANT),
    TrendLine.POWER: ShapeDefinition(
        "factor · x^exponent",
        (Parameter(FACTOR, "factor"), Parameter(EXPONENT, "exponent", 0)),
        lambda x, a, n: a * _raised(x, n),
        lambda x, n: [_raised(x, n)],
        _exponents,
        _one_more,
    ),
    TrendLine.EXPONENTIAL: ShapeDefinition(
        "factor · e^(rate · x)",
        (Parameter(FACTOR, "factor"), Parameter(RATE, "rate", 0)),
        lambda x, a, k: a * np.exp(k * x),
        lambda x, k: [np.exp(k * x)],
        _rates,
        _one_more,
    ),
}
NAMES: Mapping[TrendLine, tuple[str, ...]] = {
    TrendLine.STRAIGHT: (INTERCEPT, SLOPE),
    TrendLine.ORIGIN: (SLOPE,),
    TrendLine.CONSTANT: (VALUE,),
    TrendLine.POWER: (FACTOR, EXPONENT),
    TrendLine.EXPONENTIAL: (FACTOR, RATE),
}


@dataclass(frozen=True)
class LineDefinition:
    """A line with the names of its parameters."""

    line: TrendLine
    formula: str
    names: tuple[str, ...]
    shape: ShapeDefinition


def line_definition(line: TrendLine, formula: str = "") -> LineDefinition:
    """Return what a line is made of; `formula` is a typed one, in x and parameters. Raises
    FormulaError.
    """
    if line is TrendLine.FORMULA:
        shape = formula_shape(formula, "x")
        return LineDefinition(line, formula, tuple(p.symbol for p in shape.parameters), shape)
    return LineDefinition(line, TREND_LINES[line].formula, NAMES[line], TREND_LINES[line])
