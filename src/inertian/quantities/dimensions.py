"""Dimensions: which units belong to a number, so that no formula adds joules to newtons.

A dimension is the powers of metre, kilogram and second in the SI unit of a quantity (SI Brochure,
9th ed., 2019, 2.3.3); angles are plain numbers.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

from inertian.quantities.expression_tree import (
    Binary,
    Call,
    Expression,
    Negative,
    Number,
    Operation,
    Symbol,
    Visitor,
)
from inertian.quantities.expressions import (
    CONSTANTS,
    INTEGRALS,
    LEVEL,
    RATE,
    Formula,
    FormulaError,
)
from inertian.quantities.units import plain_units


class Dimension(NamedTuple):
    """Powers of m, kg and s."""

    length: Fraction = Fraction(0)
    mass: Fraction = Fraction(0)
    time: Fraction = Fraction(0)

    def times(self, other: "Dimension", power: Fraction = Fraction(1)) -> "Dimension":
        """Return the dimension of a product with a power of another quantity."""
        return Dimension(*(a + power * b for a, b in zip(self, other, strict=True)))

    def __str__(self) -> str:
        """Return the usual SI unit: J, N, kg·m/s, …; 1 for a plain number."""
        known = _NAMED.get(self)
        if known is not None:
            return known
        parts = [
            (s, p)
            for s, p in zip(("kg", "m", "s"), (self.mass, self.length, self.time), strict=True)
            if p
        ]
        above = "·".join(s + _raised(p) for s, p in parts if p > 0) or "1"
        below = [s + _raised(-p) for s, p in parts if p < 0]
        return "/".join([above, *below])


NUMBER = Dimension()


def _of(length: int, mass: int, time: int) -> Dimension:
    return Dimension(Fraction(length), Fraction(mass), Fraction(time))


_NAMED = {
    NUMBER: "1",
    _of(1, 0, 0): "m",
    _of(0, 0, 1): "s",
    _of(0, 1, 0): "kg",
    _of(1, 0, -1): "m/s",
    _of(1, 0, -2): "m/s²",
    _of(1, 1, -2): "N",
    _of(2, 1, -2): "J",
    _of(2, 1, -3): "W",
    _of(1, 1, -1): "kg·m/s",
    _of(0, 1, -2): "N/m",
    _of(2, 1, -1): "kg·m²/s",
    _of(2, 1, 0): "kg·m²",
    _of(0, 0, -1): "1/s",
}
OF_KIND = {
    "length": _of(1, 0, 0),
    "time": _of(0, 0, 1),
    "mass": _of(0, 1, 0),
    "speed": _of(1, 0, -1),
    "acceleration": _of(1, 0, -2),
    "force": _of(1, 1, -2),
    "angle": NUMBER,
    "number": NUMBER,
    "stiffness": _of(0, 1, -2),
    "inertia": _of(2, 1, 0),
    "linear drag": _of(0, 1, -1),
    "quadratic drag": _of(-1, 1, 0),
    "energy": _of(2, 1, -2),
    "impulse": _of(1, 1, -1),
    "angular momentum": _of(2, 1, -1),
    "power": _of(2, 1, -3),
    "frequency": _of(0, 0, -1),
    "torque": _of(2, 1, -2),
    "torsion stiffness": _of(2, 1, -2),
    "turning drag": _of(2, 1, -1),
}
_POWERS = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻", "0123456789-")
_LONGEST_UNIT = 12  # characters of one unit with its power
_FACTOR = re.compile(
    r"^(?P<symbol>[^\d\s^*·/⁰¹²³⁴⁵⁶⁷⁸⁹⁻-]+|1|%|°)\^?(?P<power>[-⁻]?[\d⁰¹²³⁴⁵⁶⁷⁸⁹⁻]+)?$"
)


def _raised(power: Fraction) -> str:
    if power == 1:
        return ""
    if power.denominator != 1:
        return f"^({power})"
    return str(power).translate(str.maketrans("0123456789-", "⁰¹²³⁴⁵⁶⁷⁸⁹⁻"))


def parse_unit(text: str) -> tuple[float, Dimension]:
    """Read a unit made of others: "J", "kg·m/s", "N m", "cm^2", "mJ/s". Returns its size in SI and
    its dimension.

    Raises FormulaError for what is no unit.
    """
    factor, total = 1.0, NUMBER
    plain = re.sub(r"\s*([/·⋅*^])\s*", r"\1", text.strip()).replace("⋅", "·").replace("**", "^")
    if plain in ("", "1"):
        return factor, total
    for place, part in enumerate(plain.split("/")):
        for piece in re.split(r"[·*\s]+", part):
            size, dimension, power = _factor(text, piece)
            sign = 1 if place == 0 else -1
            factor *= float(size) ** (sign * power)
            total = total.times(dimension, Fraction(sign * power))
    return factor, total


def _factor(text: str, piece: str) -> tuple[float, Dimension, int]:
    found = _FACTOR.fullmatch(piece) if len(piece) <= _LONGEST_UNIT else None
    symbol = found["symbol"] if found else ""
    if symbol == "1":
        return 1.0, NUMBER, 1
    unit = plain_units().get(symbol)
    if found is None or unit is None:
        raise FormulaError(
            text, f"“{piece}” is not a unit. Write, for example, J, N, kg·m/s or m/s²."
        )
    return unit.factor, OF_KIND[unit.kind], int((found["power"] or "1").translate(_POWERS))


def dimension_of(formula: Formula, known: Mapping[str, Dimension]) -> Dimension:
    """Return the dimension of a formula's value from those of its names.

    Raises FormulaError where unlike quantities are added, or a function is given what is no plain
    number, or a name has no dimension.
    """
    return _DimensionOf(formula.text, known).visit(formula.tree)


@dataclass(frozen=True, eq=False)
class _DimensionOf(Visitor[Dimension]):
    """The dimension of an expression, from those of its names."""

    text: str
    known: Mapping[str, Dimension]

    def number(self, _node: Number) -> Dimension:
        return NUMBER

    def symbol(self, node: Symbol) -> Dimension:
        if node.name in CONSTANTS:
            return NUMBER
        if node.name not in self.known:
            raise FormulaError(self.text, f"“{node.name}” is not known here.")
        return self.known[node.name]

    def negative(self, node: Negative) -> Dimension:
        return self.visit(node.inner)

    def call(self, node: Call) -> Dimension:
        inner = self.visit(node.argument)
        if node.function == RATE:
            return inner.times(OF_KIND["time"], Fraction(-1))
        if node.function in INTEGRALS:
            return inner.times(OF_KIND["time"])
        if node.function == "sqrt":
            return NUMBER.times(inner, Fraction(1, 2))
        if node.function in ("abs", LEVEL):
            return inner
        if inner != NUMBER:
            raise FormulaError(
                self.text, f"{node.function} needs a plain number or an angle, not {inner}."
            )
        return NUMBER

    def binary(self, node: Binary) -> Dimension:
        left, right = self.visit(node.left), self.visit(node.right)
        match node.operation:
            case Operation.MULTIPLY:
                return left.times(right)
            case Operation.DIVIDE:
                return left.times(right, Fraction(-1))
            case Operation.POWER:
                return self._power(left, right, node.right)
        if left != right:
            raise FormulaError(
                self.text,
                f"{left} {node.operation} {right} has no meaning: "
                "only quantities of one kind can be added.",
            )
        return left

    def _power(self, base: Dimension, exponent: Dimension, written: Expression) -> Dimension:
        if exponent != NUMBER:
            raise FormulaError(self.text, f"an exponent has to be a plain number, not {exponent}.")
        if base == NUMBER:
            return NUMBER
        power = _constant(written)
        if power is None:
            raise FormulaError(self.text, f"the exponent of {base} has to be written as a number.")
        return NUMBER.times(base, power)


def _constant(node: Expression) -> Fraction | None:
    """The value of an exponent that holds no names, or None."""
    match node:
        case Number(value):
            return Fraction(value).limit_denominator(1000)
        case Negative(inner):
            power = _constant(inner)
            return None if power is None else -power
        case Binary(Operation.DIVIDE, left, right):
            above, below = _constant(left), _constant(right)
            return above / below if above is not None and below else None
        case _:
            return None
