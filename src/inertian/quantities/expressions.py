"""Formulas as people write them, in ordinary arithmetic: read safely, run on numbers and arrays.

Nothing is evaluated but arithmetic and the listed functions; there are no attributes, no names but
those that are given a value, and bounds on length, depth and exponents.
"""

import ast
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from inertian.quantities.errors import InertianError
from inertian.quantities.expression_tree import (
    Binary,
    Call,
    Expression,
    Negative,
    Number,
    Operation,
    Symbol,
    Visitor,
    symbols_in,
    walk,
)

LONGEST, DEEPEST, LARGEST_POWER = 300, 40, 30.0
FUNCTIONS: Mapping[str, Callable[[Any], Any]] = {
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "exp": np.exp,
    "ln": np.log,
    "log": np.log,
    "sqrt": np.sqrt,
    "tanh": np.tanh,
    "atan": np.arctan,
    "abs": lambda x: np.sqrt(x * x),  # analytic on either side of zero
}
RATE = "rate"  # the derivative with respect to time, of a quantity
AREA, SIMPSON, STEPSUM = "area", "simpson", "stepsum"
# Over time, from the first sample on: by trapezoids, parabolas, steps
INTEGRALS = (AREA, SIMPSON, STEPSUM)
LEVEL = "level"  # less the straight line through the spans of rest
OVER_TIME = (*INTEGRALS, LEVEL)  # what hangs on samples at all times
SLOPES: Mapping[str, Callable[[Any], Any]] = {
    "sin": np.cos,
    "cos": lambda x: -np.sin(x),
    "tan": lambda x: 1.0 / np.cos(x) ** 2,
    "exp": np.exp,
    "ln": lambda x: 1.0 / x,
    "log": lambda x: 1.0 / x,
    "sqrt": lambda x: 0.5 / np.sqrt(x),
    "tanh": lambda x: 1.0 - np.tanh(x) ** 2,
    "atan": lambda x: 1.0 / (1.0 + x * x),
    "abs": lambda x: x / np.sqrt(x * x),
}
CONSTANTS = {"pi": np.pi, "π": np.pi, "e": np.e}
_OPERATIONS: Mapping[Operation, Callable[[Any, Any], Any]] = {
    Operation.ADD: lambda a, b: a + b,
    Operation.SUBTRACT: lambda a, b: a - b,
    Operation.MULTIPLY: lambda a, b: a * b,
    Operation.DIVIDE: lambda a, b: a / b,
    Operation.POWER: lambda a, b: a**b,
}
_WRITTEN: Mapping[type[ast.operator], Operation] = {
    ast.Add: Operation.ADD,
    ast.Sub: Operation.SUBTRACT,
    ast.Mult: Operation.MULTIPLY,
    ast.Div: Operation.DIVIDE,
    ast.Pow: Operation.POWER,
}
_SPELLINGS = {
    "−": "-",
    "–": "-",
    "·": "*",
    "×": "*",
    "⋅": "*",
    "^": "**",
    "½": "0.5 ",
    "¼": "0.25 ",
    "⅓": "(1/3) ",
}
_RAISED = {"²": "**2", "³": "**3", "⁴": "**4"}
_TOKEN = re.compile(r"\s*(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+|[^\W\d]\w*|\*\*|[-+*/()])")


class FormulaError(InertianError):
    """A formula cannot be read; the text says where and why."""

    def __init__(self, text: str, why: str) -> None:
        super().__init__(text, why)
        self.text, self.why = text, why

    def __str__(self) -> str:
        return f"“{self.text}”: {self.why}"


@dataclass(frozen=True, eq=False)
class Formula:
    """A formula that was read: its text, the names it uses in order, and its tree."""

    text: str
    names: tuple[str, ...]
    tree: Expression

    def __call__(self, **values: Any) -> Any:
        """Return the value for values of all names: numbers or arrays, real or complex."""
        return _Value(values, {}).visit(self.tree)

    def along(self, values: Mapping[str, Any], rates: Mapping[str, Any]) -> Any:
        """Return the value where names also have rates of change, which `rate(…)` is made of by the
        chain rule.
        """
        return _Value(values, rates).visit(self.tree)

    @property
    def rates(self) -> tuple[str, ...]:
        """The names that stand inside a `rate(…)`."""
        inside = [n for n in walk(self.tree) if isinstance(n, Call) and n.function == RATE]
        found = {name for part in inside for name in symbols_in(part.argument)}
        return tuple(name for name in self.names if name in found)


def parse_formula(text: str, rates: bool = False) -> Formula:
    """Read a formula such as "a + b t", "½ m v²" or "A exp(-t/τ) sin(2π t/T)".

    With `rates`, also rate(…) and area(…), the derivative and the integral with respect to time.

    A space, or a bracket, between two factors multiplies them; decimal comma and point are the
    same. Raises FormulaError.
    """
    if not text.strip():
        raise FormulaError(text, "nothing is written yet.")
    if len(text) > LONGEST:
        raise FormulaError(text[:40] + "…", f"it is longer than {LONGEST} characters.")
    plain = re.sub(r"(?<=\d),(?=\d)", ".", text)
    for one, other in (*_SPELLINGS.items(), *_RAISED.items()):
        plain = plain.replace(one, other)
    try:
        written = ast.parse(_with_products(text, plain), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise FormulaError(
            text, "something is missing or too much; check brackets and signs."
        ) from None
    functions = (*FUNCTIONS, RATE, *OVER_TIME) if rates else tuple(FUNCTIONS)
    tree = _ExpressionReader(text, functions).expression(written, 0)
    names = tuple(name for name in symbols_in(tree) if name not in CONSTANTS)
    return Formula(text.strip(), names, tree)


def _with_products(text: str, plain: str) -> str:
    """The formula with every product written out. Raises FormulaError at what is no arithmetic."""
    tokens, place = [], 0
    while place < len(plain.rstrip()):
        found = _TOKEN.match(plain, place)
        if found is None:
            raise FormulaError(text, f"“{plain[place:].strip()[:1]}” is not part of arithmetic.")
        tokens.append(found[1])
        place = found.end()
    out: list[str] = []
    for token in tokens:
        starts = token == "(" or token[0].isalnum() or token[0] in "._"
        if out and starts and (out[-1] == ")" or out[-1][0].isalnum() or out[-1][0] in "._"):
            called = token == "(" and out[-1] in (*FUNCTIONS, RATE, *OVER_TIME)
            if not called:
                out.append("*")
        out.append(token)
    return "".join(out)


@dataclass(frozen=True)
class _ExpressionReader:
    """From what the parser of Python found to an expression; what is not plain arithmetic is
    refused.
    """

    text: str
    functions: Sequence[str]

    def expression(self, node: ast.expr, depth: int) -> Expression:
        """Return a node as an expression. Raises FormulaError."""
        if depth > DEEPEST:
            raise FormulaError(self.text, "it is nested too deeply.")
        match node:
            case ast.BinOp(left, operator, right) if type(operator) in _WRITTEN:
                return self._binary(left, _WRITTEN[type(operator)], right, depth)
            case ast.UnaryOp(ast.USub(), operand):
                return Negative(self.expression(operand, depth + 1))
            case ast.UnaryOp(ast.UAdd(), operand):
                return self.expression(operand, depth + 1)
            case ast.Call():
                return self._call(node, depth)
            case ast.Name(name):
                if name in self.functions:
                    raise FormulaError(self.text, f"{name} needs an argument in brackets.")
                return Symbol(name)
            case ast.Constant(int() | float() as value) if _plain_number(value):
                return Number(float(value))
        raise FormulaError(self.text, "only numbers, names, + − * / ^ and functions can be used.")

    def _binary(
        self, left: ast.expr, operation: Operation, right: ast.expr, depth: int
    ) -> Expression:
        if operation is Operation.POWER and not _small(right):
            raise FormulaError(
                self.text, f"exponents are numbers up to {LARGEST_POWER:g}, or a name."
            )
        return Binary(
            operation, self.expression(left, depth + 1), self.expression(right, depth + 1)
        )

    def _call(self, node: ast.Call, depth: int) -> Expression:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name not in self.functions or node.keywords or len(node.args) != 1:
            raise FormulaError(
                self.text, f"functions are {', '.join(self.functions)}, of one argument."
            )
        argument = self.expression(node.args[0], depth + 1)
        if name == RATE and any(isinstance(n, Call) and n.function == RATE for n in walk(argument)):
            raise FormulaError(self.text, "a rate of a rate cannot be had; use an acceleration.")
        return Call(name, argument)


def _plain_number(value: float) -> bool:
    return not isinstance(value, bool) and abs(value) < 1e100


def _small(node: ast.expr) -> bool:
    """Whether an exponent is bounded: a number that is not too large, or free of numbers that could
    grow.
    """
    if isinstance(node, ast.UnaryOp):
        return _small(node.operand)
    if isinstance(node, ast.Constant):
        return isinstance(node.value, int | float) and abs(node.value) <= LARGEST_POWER
    if isinstance(node, ast.BinOp) and not isinstance(node.op, ast.Pow):
        return _small(node.left) and _small(node.right)
    return isinstance(node, ast.Name)


@dataclass(frozen=True, eq=False)
class _Value(Visitor[Any]):
    """The value of an expression, from values and rates of change of its names."""

    values: Mapping[str, Any]
    rates: Mapping[str, Any]

    def number(self, node: Number) -> Any:
        return np.float64(node.value)  # divides by zero as arrays do

    def symbol(self, node: Symbol) -> Any:
        return CONSTANTS[node.name] if node.name in CONSTANTS else self.values[node.name]

    def negative(self, node: Negative) -> Any:
        return -self.visit(node.inner)

    def binary(self, node: Binary) -> Any:
        return _OPERATIONS[node.operation](self.visit(node.left), self.visit(node.right))

    def call(self, node: Call) -> Any:
        if node.function == RATE:
            return _Rate(self).visit(node.argument)
        return FUNCTIONS[node.function](self.visit(node.argument))


@dataclass(frozen=True, eq=False)
class _Rate(Visitor[Any]):
    """d/dt of an expression, by the rules of differentiation; what has no rate of its own stays as
    it is.
    """

    value: _Value

    def number(self, _node: Number) -> Any:
        return 0.0

    def symbol(self, node: Symbol) -> Any:
        return self.value.rates.get(node.name, 0.0)

    def negative(self, node: Negative) -> Any:
        return -self.visit(node.inner)

    def call(self, node: Call) -> Any:
        outer = SLOPES[node.function](self.value.visit(node.argument))
        return outer * self.visit(node.argument)

    def binary(self, node: Binary) -> Any:
        a, b = self.value.visit(node.left), self.value.visit(node.right)
        da, db = self.visit(node.left), self.visit(node.right)
        match node.operation:
            case Operation.ADD:
                return da + db
            case Operation.SUBTRACT:
                return da - db
            case Operation.MULTIPLY:
                return da * b + a * db
            case Operation.DIVIDE:
                return (da * b - a * db) / (b * b)
            case Operation.POWER:
                raised = b * a ** (b - 1.0) * da
                return raised if np.all(db == 0.0) else raised + np.log(a) * a**b * db
