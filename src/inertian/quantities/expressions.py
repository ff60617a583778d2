"""Formulas as people write them, in ordinary arithmetic: read safely, run on numbers and arrays.

Nothing is evaluated but arithmetic and the listed functions; there are no attributes, no names but those that are
given a value, and bounds on length, depth and exponents.
"""

import ast
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from inertian.quantities.errors import InertianError

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
_OPERATIONS: Mapping[type, Callable[[Any, Any], Any]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b,
    ast.Pow: lambda a, b: a**b,
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
    tree: ast.expr

    def __call__(self, **values: Any) -> Any:
        """Return the value for values of all names: numbers or arrays, real or complex."""
        return _value(self.tree, values, {})

    def along(self, values: Mapping[str, Any], rates: Mapping[str, Any]) -> Any:
        """Return the value where names also have rates of change, which `rate(…)` is made of by the chain rule."""
        return _value(self.tree, values, rates)

    @property
    def rates(self) -> tuple[str, ...]:
        """The names that stand inside a `rate(…)`."""
        inside = [
            n.args[0] for n in ast.walk(self.tree) if isinstance(n, ast.Call) and _called(n) == RATE
        ]
        found = {n.id: None for part in inside for n in ast.walk(part) if isinstance(n, ast.Name)}
        return tuple(name for name in self.names if name in found)


def parse_formula(text: str, rates: bool = False) -> Formula:
    """Read a formula such as "a + b t", "½ m v²" or "A exp(-t/τ) sin(2π t/T)".

    With `rates`, also rate(…) and area(…), the derivative and the integral with respect to time.

    A space, or a bracket, between two factors multiplies them; decimal comma and point are the same. Raises
    FormulaError.
    """
    if not text.strip():
        raise FormulaError(text, "nothing is written yet.")
    if len(text) > LONGEST:
        raise FormulaError(text[:40] + "…", f"it is longer than {LONGEST} characters.")
    plain = re.sub(r"(?<=\d),(?=\d)", ".", text)
    for one, other in (*_SPELLINGS.items(), *_RAISED.items()):
        plain = plain.replace(one, other)
    try:
        tree = ast.parse(_with_products(text, plain), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise FormulaError(
            text, "something is missing or too much; check brackets and signs."
        ) from None
    names: dict[str, None] = {}
    _check(text, tree, names, 0, (*FUNCTIONS, RATE, *OVER_TIME) if rates else tuple(FUNCTIONS))
    return Formula(text.strip(), tuple(names), tree)


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


def _called(node: ast.Call) -> str:
    return node.func.id if isinstance(node.func, ast.Name) else ""


def _check(
    text: str, node: ast.expr, names: dict[str, None], depth: int, functions: Sequence[str]
) -> None:
    """Refuse what is not arithmetic, and note the names."""
    if depth > DEEPEST:
        raise FormulaError(text, "it is nested too deeply.")
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATIONS:
        if isinstance(node.op, ast.Pow) and not _small(node.right):
            raise FormulaError(text, f"exponents are numbers up to {LARGEST_POWER:g}, or a name.")
        _check(text, node.left, names, depth + 1, functions)
        _check(text, node.right, names, depth + 1, functions)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        _check(text, node.operand, names, depth + 1, functions)
    elif isinstance(node, ast.Call):
        if _called(node) not in functions or node.keywords or len(node.args) != 1:
            raise FormulaError(text, f"functions are {', '.join(functions)}, of one argument.")
        if _called(node) == RATE and RATE in {
            _called(n) for n in ast.walk(node.args[0]) if isinstance(n, ast.Call)
        }:
            raise FormulaError(text, "a rate of a rate cannot be had; use an acceleration.")
        _check(text, node.args[0], names, depth + 1, functions)
    elif isinstance(node, ast.Name):
        if node.id in functions:
            raise FormulaError(text, f"{node.id} needs an argument in brackets.")
        if node.id not in CONSTANTS:
            names[node.id] = None
    elif not (isinstance(node, ast.Constant) and _plain_number(node.value)):
        raise FormulaError(text, "only numbers, names, + − * / ^ and functions can be used.")


def _plain_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e100


def _small(node: ast.expr) -> bool:
    """Whether an exponent is bounded: a number that is not too large, or free of numbers that could grow."""
    if isinstance(node, ast.UnaryOp):
        return _small(node.operand)
    if isinstance(node, ast.Constant):
        return isinstance(node.value, int | float) and abs(node.value) <= LARGEST_POWER
    if isinstance(node, ast.BinOp) and not isinstance(node.op, ast.Pow):
        return _small(node.left) and _small(node.right)
    return isinstance(node, ast.Name)


def _value(node: ast.expr, values: Mapping[str, Any], rates: Mapping[str, Any]) -> Any:
    if isinstance(node, ast.BinOp):
        return _OPERATIONS[type(node.op)](
            _value(node.left, values, rates), _value(node.right, values, rates)
        )
    if isinstance(node, ast.UnaryOp):
        inner = _value(node.operand, values, rates)
        return -inner if isinstance(node.op, ast.USub) else inner
    if isinstance(node, ast.Call):
        if _called(node) == RATE:
            return _rate(node.args[0], values, rates)
        return FUNCTIONS[_called(node)](_value(node.args[0], values, rates))
    if isinstance(node, ast.Name):
        return CONSTANTS[node.id] if node.id in CONSTANTS else values[node.id]
    assert isinstance(node, ast.Constant)
    return np.float64(node.value)  # type: ignore[arg-type] # divides by zero as arrays do


def _rate(node: ast.expr, values: Mapping[str, Any], rates: Mapping[str, Any]) -> Any:
    """d/dt of a part of a formula, by the rules of differentiation; what has no rate of its own stays as it is."""
    if isinstance(node, ast.Constant):
        return 0.0
    if isinstance(node, ast.Name):
        return rates.get(node.id, 0.0)
    if isinstance(node, ast.UnaryOp):
        inner = _rate(node.operand, values, rates)
        return -inner if isinstance(node.op, ast.USub) else inner
    if isinstance(node, ast.Call):
        return SLOPES[_called(node)](_value(node.args[0], values, rates)) * _rate(
            node.args[0], values, rates
        )
    assert isinstance(node, ast.BinOp)
    a, b = _value(node.left, values, rates), _value(node.right, values, rates)
    da, db = _rate(node.left, values, rates), _rate(node.right, values, rates)
    if isinstance(node.op, ast.Add):
        return da + db
    if isinstance(node.op, ast.Sub):
        return da - db
    if isinstance(node.op, ast.Mult):
        return da * b + a * db
    if isinstance(node.op, ast.Div):
        return (da * b - a * db) / (b * b)
    raised = b * a ** (b - 1.0) * da
    return raised if np.all(db == 0.0) else raised + np.log(a) * a**b * db
