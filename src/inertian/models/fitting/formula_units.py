"""Units of typed forces: which each name of a formula has; those of its own names follow from the
terms they stand in.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from fractions import Fraction
from itertools import product

from inertian.models.definitions.system import MovingBody
from inertian.quantities.dimensions import OF_KIND, Dimension, dimension_of, parse_unit
from inertian.quantities.expression_tree import (
    Binary,
    Call,
    Expression,
    Negative,
    Operation,
    Symbol,
    symbols_in,
)
from inertian.quantities.expressions import CONSTANTS, Formula, FormulaError
from inertian.quantities.facts import Fact
from inertian.quantities.units import SI_SYMBOL

POWERS = (range(-3, 4), range(-1, 2), range(-4, 4))  # of m, kg, s, that a free unit may have


def unit_of_typed(fact: Fact) -> tuple[str, str, Dimension]:
    """Return the kind, the SI unit and the dimension of a value that was typed."""
    if fact.unit.kind != "number":
        return fact.unit.kind, SI_SYMBOL[fact.unit.kind], OF_KIND[fact.unit.kind]
    if not fact.unit.symbol or fact.unit.symbol == "%":
        return "number", "", OF_KIND["number"]
    dimension = parse_unit(fact.unit.symbol)[1]
    return "number", str(dimension), dimension


def moved_dimensions(bodies: Sequence[MovingBody]) -> Iterator[tuple[str, Dimension]]:
    """Names of a formula that stand for the motion and for masses, with their dimensions."""
    length, speed = OF_KIND["length"], OF_KIND["speed"]
    yield "t", OF_KIND["time"]
    for number, one in enumerate(bodies, 1):
        for mark in ("", f"_{number}", f"_{one.name}"):
            yield f"m{mark}", OF_KIND["mass"]
            if one.turning:
                yield f"φ{mark}", OF_KIND["number"]
                yield f"ω{mark}", OF_KIND["frequency"]
                yield f"v{mark}", OF_KIND["frequency"]
                continue
            yield f"v{mark}", speed
            for c in one.coordinates:
                yield f"{c.axis}{mark}", length
                yield f"v_{c.axis}{mark}", speed


def _parts(node: Expression) -> list[Expression]:
    """The terms of a sum."""
    match node:
        case Binary(Operation.ADD | Operation.SUBTRACT, left, right):
            return [*_parts(left), *_parts(right)]
        case Negative(inner):
            return _parts(inner)
    return [node]


def _from_sums(formula: Formula, node: Expression, known: dict[str, Dimension]) -> None:
    """A name that is added to something of a known dimension has that: x_0 in x − x_0."""
    match node:
        case Binary(operation, left, right):
            _from_sums(formula, left, known)
            _from_sums(formula, right, known)
            if operation in (Operation.ADD, Operation.SUBTRACT):
                for one, other in ((left, right), (right, left)):
                    if isinstance(one, Symbol) and one.name not in (*known, *CONSTANTS):
                        alone = Formula(formula.text, tuple(symbols_in(other)), other)
                        with suppress(FormulaError):
                            known[one.name] = dimension_of(alone, known)
        case Negative(inner) | Call(_, inner):
            _from_sums(formula, inner, known)


def infer_units(formula: Formula, known: dict[str, Dimension], wanted: Dimension) -> None:
    """Find the unit of each parameter for which none is typed, from the term it stands in. Raises
    FormulaError where that does not tell.
    """
    _from_sums(formula, formula.tree, known)
    for part in _parts(formula.tree):
        names = [n for n in symbols_in(part) if n not in CONSTANTS and n not in known]
        if not names:
            continue
        fits = None
        if len(names) == 1:
            alone = Formula(formula.text, tuple(symbols_in(part)), part)
            for powers in sorted(product(*POWERS), key=lambda p: sum(map(abs, p))):
                trial = Dimension(*(Fraction(p) for p in powers))
                try:
                    if dimension_of(alone, {**known, names[0]: trial}) == wanted:
                        fits = trial
                        break
                except FormulaError:
                    continue
        if fits is None:
            raise FormulaError(
                formula.text,
                f"the unit of {names[0]} is not clear. Say it: {names[0]}=0.1 kg/s, or "
                f"{names[0]}=? kg/s where it is to be fitted.",
            )
        known[names[0]] = fits


def check_unit(formula: Formula, known: Mapping[str, Dimension], wanted: Dimension) -> None:
    """Check that a formula gives a force, or a torque. Raises FormulaError."""
    found = dimension_of(formula, known)
    zero = formula.text.strip() in ("0", "0.0")
    if found != wanted and not zero:
        raise FormulaError(
            formula.text, f"a force is in {wanted}; this is in {found}. Check its factors."
        )
