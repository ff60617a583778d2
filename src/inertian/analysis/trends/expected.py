"""The line that theory expects, from a formula in x and the facts of the setup, with the ± these
give it; and how far the fitted line lies from it.

Both may hang on the same facts, such as a mass in a momentum: what they share is counted once (JCGM
100:2008, F.1.2.3).
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.analysis.results.results_table import ResultRow
from inertian.analysis.results.trial_values import GRAVITY_NAME, known_facts
from inertian.analysis.trends.line_fit import LineFit, TrendError
from inertian.analysis.trends.trend_lines import (
    EXPONENT,
    FACTOR,
    INTERCEPT,
    RATE,
    SLOPE,
    VALUE,
    TrendLine,
)
from inertian.physics.accounts.verdicts import (
    BALANCES_UP_TO,
    DOUBTFUL_UP_TO,
    ROUGH_SHARE,
)
from inertian.physics.definitions.derived_quantities import ACCOUNT_FACTS, SETUP_FACTS
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.project import GRAVITY, RESTITUTION, setup_key
from inertian.quantities.complex_step import STEP
from inertian.quantities.coverage import Scalar, detectable, equivalent_z
from inertian.quantities.estimates import Array
from inertian.quantities.expressions import Formula, parse_formula
from inertian.quantities.facts import Fact, FactId, parse_fact
from inertian.quantities.units import unit_of

# An expected line of the wrong kind bends by more than that share of its size
STRAIGHT_TO = 1e-9
OF_RESTITUTION = "e_"  # what e is called inside a formula
_BARE_E = re.compile(r"(?<![\w.])e(?!\w)")
_DIGITS = r"\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?"
_WITH_PM = re.compile(rf"(?<![\w.,]){_DIGITS}\s*±\s*{_DIGITS}")
_GIVEN = re.compile(r"^\s*([a-z]+)\s*=\s*(.+)$", re.DOTALL)


@dataclass(frozen=True)
class ReadyTheory:
    """A line that theory gives: what it is about, its formula, and how the names of x and y begin
    where it is likely meant; {0} and {1} are two bodies.
    """

    name: str
    formula: str
    pairs: tuple[tuple[str, str], ...] = ()


THEORIES = (
    ReadyTheory(
        "Hit, changes of velocity: −m₁/m₂",
        "-m_1/m_2 x",
        (("change of velocity of {0}", "change of velocity of {1}"),),
    ),
    ReadyTheory(
        "Hit on a resting body: m₁(1+e)/(m₁+m₂)",
        "m_1 (1+e)/(m_1+m_2) x",
        (("velocity just before contact of {0}", "velocity just after contact of {1}"),),
    ),
    ReadyTheory(
        "Equal, such as impulse and change of momentum",
        "x",
        (("change of momentum", "impulse of"), ("momentum x expected", "momentum x after")),
    ),
    ReadyTheory("On an incline: g sin θ", "g sin(x)", (("incline", ""),)),
    ReadyTheory("Falling weight that pulls a body: g m/(M + m)", "g x/(m_1 + x)"),
    ReadyTheory("Speed of a fall from a height: √(2 g h)", "sqrt(2 g x)"),
)


@dataclass(frozen=True, eq=False)
class ExpectedLine:
    """The line that theory gives: parameters of the fitted line where it has them, the values of
    the facts it hangs on, and ∂line/∂fact.
    """

    text: str
    formula: Formula
    facts: Mapping[str, tuple[FactId, Fact]]
    parameters: Mapping[str, float]
    slopes: Mapping[str, Mapping[FactId, float]]  # of parameters by facts
    whole: bool  # whether the formula is a line in x, not a parameter alone

    def line(self, x: Array) -> Array:
        """Return the expected line at places x in SI."""
        return self._at(x, {name: fact.si for name, (_, fact) in self.facts.items()})

    def u_of_line(self, x: Array) -> Array:
        """Return what the facts leave unsure of it at places x, in SI of y."""
        known = {name: fact.si for name, (_, fact) in self.facts.items()}
        variance = np.zeros(len(x))
        for name, (_, fact) in self.facts.items():
            moved = {**known, name: known[name] + 1j * STEP}
            variance += (np.imag(self._at(x, moved)) / STEP * fact.u) ** 2
        return np.asarray(np.sqrt(variance))

    def _at(self, x: Array, known: Mapping[str, complex]) -> Array:
        with np.errstate(all="ignore"):
            return np.asarray(self.formula(x=x, **known) + 0.0 * x)

    def parameter(self, name: str) -> Scalar:
        """Return an expected parameter with the ± that facts give it."""
        us = {key: fact.u for key, fact in self.facts.values()}
        u = float(np.sqrt(sum((s * us[k]) ** 2 for k, s in self.slopes[name].items())))
        return Scalar(self.parameters[name], u, np.inf)


class Comparison(StrEnum):
    """How a fitted line compares with the expected one."""

    AGREE = "agree"
    DOUBTFUL = "doubtful"
    DIFFER = "differ"
    TOO_ROUGH = "too rough to tell"


@dataclass(frozen=True)
class Agreement:
    """How a fitted line compares with an expected one: z of the parameter in question or of all
    points together, in words; `would_show` is the smallest difference that would have shown.
    """

    parameter: str
    z: float
    verdict: Comparison
    difference: Scalar
    would_show: float
    percent: Scalar | None  # percent error, 100 (found − expected)/expected


def facts_for_formulas(row: ResultRow) -> dict[str, tuple[FactId, Fact]]:
    """Return the facts of a trial by the names they have in formulas: m_1 and m_heavy, g, θ, e,
    …
    """
    named = known_facts(row.project, row.entry)
    found: dict[str, tuple[FactId, Fact]] = {}
    bodies = [b.name for b in row.entry.trial.bodies]
    for place, body in enumerate(bodies, 1):
        facts = {"m": mass_key(body)}
        own = [f for f in (*SETUP_FACTS, *ACCOUNT_FACTS) if f.of_bodies]
        facts |= {f.symbol: setup_key(f.name, body) for f in own}
        for symbol, name in facts.items():
            if name not in named:
                continue
            found[f"{symbol}_{place}"] = named[name]
            found[f"{symbol}_{body}"] = named[name]
            if len(bodies) == 1:
                found[symbol] = named[name]
    for one in (*SETUP_FACTS, *ACCOUNT_FACTS):
        if not one.of_bodies and one.name in named:
            found[one.symbol] = named[one.name]
    if RESTITUTION in named:
        found[OF_RESTITUTION] = named[RESTITUTION]
    return found


def expected_line(text: str, rows: Sequence[ResultRow], line: TrendLine, at: Array) -> ExpectedLine:
    """Return the line that a formula gives, of x and the facts of some trials, or of a parameter
    alone: "slope = m_1/m_2". `at` are the places in SI that matter. Raises FormulaError, or
    TrendError where facts are missing, or are not the same in all trials.
    """
    match = _GIVEN.match(text)
    wanted, written = (match[1], match[2]) if match else ("", text)
    written, typed = _typed_numbers(written)
    facts = {**facts_for_formulas(rows[0]), **typed}
    formula = _parsed(written, set(facts))
    used = {name: facts[name] for name in formula.names if name in facts}
    unknown = [n for n in formula.names if n != "x" and n not in facts]
    if unknown:
        has = ", ".join(n.removesuffix("_") for n in facts if n not in typed)
        raise TrendError(
            f"“{written.strip()}”: {unknown[0]} is no fact of the setup. There are: x, {has}."
        )
    named = [key.name for key in rows[0].project.setup]
    of_setup = {name: fact for name, fact in used.items() if name not in typed}
    alone = all(named.count(key.name) < 2 for key, _ in of_setup.values())
    same_setup = all(row.project.setup is rows[0].project.setup for row in rows)
    for row in () if alone and same_setup else rows[1:]:
        differs = [name for name, fact in of_setup.items() if not _holds(row, *fact)]
        if differs:
            raise TrendError(
                f"{differs[0]} is not the same in all trials, so that theory gives no single "
                f"line. Choose trials that share it, or make it a column."
            )
    whole = "x" in formula.names
    if whole and wanted not in ("", "y"):
        raise TrendError(f"{wanted} is one number: write its formula without x.")
    made = ExpectedLine(text, formula, used, {}, {}, whole)
    parameters, slopes = _parameters(made, line, wanted, at)
    if not whole:
        made = ExpectedLine(text, _as_line(written, line, wanted, set(facts)), used, {}, {}, False)
    return ExpectedLine(text, made.formula, used, parameters, slopes, whole)


def _typed_numbers(text: str) -> tuple[str, dict[str, tuple[FactId, Fact]]]:
    """A formula with names in place of numbers that have a ±, as "0.36 ± 0.01", and these."""
    found: dict[str, tuple[FactId, Fact]] = {}

    def named(match: re.Match[str]) -> str:
        name = f"typed_{len(found)}_"
        fact = parse_fact(match[0], "number", unit_of("number", ""))
        found[name] = FactId(match[0], "typed"), fact
        return f" {name} "

    return _WITH_PM.sub(named, text), found


def _holds(row: ResultRow, key: FactId, fact: Fact) -> bool:
    """Whether a fact holds for another trial, too."""
    other = row.project.fact(key.name, row.entry)
    return (other or (key, GRAVITY if key.name == GRAVITY_NAME else None)) == (key, fact)


def _parsed(text: str, facts: set[str]) -> Formula:
    """A formula in which e is the restitution, not the base of logarithms."""
    marked = _BARE_E.sub(f" {OF_RESTITUTION} ", text)
    formula = parse_formula(marked)
    if OF_RESTITUTION in formula.names and OF_RESTITUTION not in facts:
        raise TrendError(
            "e, the restitution, is not known yet: give it in the setup, as “restitution”."
        )
    return formula


def _as_line(text: str, line: TrendLine, wanted: str, facts: set[str]) -> Formula:
    """The line that one expected parameter makes, where that is all it needs."""
    alone = {TrendLine.ORIGIN: SLOPE, TrendLine.CONSTANT: VALUE}
    if alone.get(line) == (wanted or alone.get(line)):
        return _parsed(f"({text}) x" if line is TrendLine.ORIGIN else f"({text}) + 0 x", facts)
    return _parsed(f"({text}) + 0 x", facts)


LEADING = {
    TrendLine.STRAIGHT: SLOPE,
    TrendLine.ORIGIN: SLOPE,
    TrendLine.CONSTANT: VALUE,
    TrendLine.POWER: EXPONENT,
    TrendLine.EXPONENTIAL: RATE,
}


def _parameters(
    made: ExpectedLine, line: TrendLine, wanted: str, at: Array
) -> tuple[dict[str, float], dict[str, dict[FactId, float]]]:
    """Parameters that the expected line has as a line of the fitted kind, and their slopes by
    facts.
    """
    known = {name: complex(fact.si) for name, (_, fact) in made.facts.items()}
    found = _read_off(made, line, wanted, known, at)
    values = {name: float(np.real(v)) for name, v in found.items()}
    if any(not np.isfinite(v) for v in values.values()):
        raise TrendError(f"“{made.text}” has no value here.")
    slopes: dict[str, dict[FactId, float]] = {name: {} for name in values}
    for name, (key, _) in made.facts.items():
        moved = _read_off(made, line, wanted, {**known, name: known[name] + 1j * STEP}, at)
        for parameter, value in moved.items():
            slope = float(np.imag(value)) / STEP
            slopes[parameter][key] = slopes[parameter].get(key, 0.0) + slope
    return values, slopes


def _read_off(
    made: ExpectedLine, line: TrendLine, wanted: str, known: Mapping[str, complex], at: Array
) -> dict[str, complex]:
    """The parameters of a line of some kind that goes through the expected one; none where it is of
    another kind.
    """
    if not made.whole:
        name = wanted or LEADING.get(line, VALUE)
        return {name: complex(made.formula(**known))}
    low, high = float(at.min()), float(at.max())
    if low == high:
        low, high = low - 1.0, high + 1.0
    x = np.linspace(low, high, 5)
    y = made._at(x, known)
    return _OF_LINE.get(line, lambda _x, _y: {})(x, y)


def _straight(x: Array, y: Array) -> dict[str, complex]:
    slope = (y[-1] - y[0]) / (x[-1] - x[0])
    intercept = y[0] - slope * x[0]
    bent = np.abs(y - intercept - slope * x).max() > STRAIGHT_TO * np.abs(y).max()
    return {} if bent else {INTERCEPT: intercept, SLOPE: slope}


def _origin(x: Array, y: Array) -> dict[str, complex]:
    found = _straight(x, y)
    size = np.abs(y).max()
    if not found or abs(found[INTERCEPT]) > STRAIGHT_TO * size:
        return {}
    return {SLOPE: found[SLOPE]}


def _constant(_x: Array, y: Array) -> dict[str, complex]:
    return {VALUE: y[0]} if np.abs(y - y[0]).max() <= STRAIGHT_TO * np.abs(y).max() else {}


def _power(x: Array, y: Array) -> dict[str, complex]:
    if (x <= 0.0).any() or (np.real(y) == 0.0).any():
        return {}
    sign = np.sign(np.real(y[0]))
    found = _straight(np.log(x), np.log(sign * y)) if (sign * np.real(y) > 0).all() else {}
    return found and {FACTOR: sign * np.exp(found[INTERCEPT]), EXPONENT: found[SLOPE]}


def _exponential(x: Array, y: Array) -> dict[str, complex]:
    sign = np.sign(np.real(y[0]))
    found = _straight(x, np.log(sign * y)) if (sign * np.real(y) > 0).all() else {}
    return found and {FACTOR: sign * np.exp(found[INTERCEPT]), RATE: found[SLOPE]}


_OF_LINE = {
    TrendLine.STRAIGHT: _straight,
    TrendLine.ORIGIN: _origin,
    TrendLine.CONSTANT: _constant,
    TrendLine.POWER: _power,
    TrendLine.EXPONENTIAL: _exponential,
}


def agreement(fit: LineFit, expected: ExpectedLine) -> Agreement:
    """Return how a fitted line compares with the expected one: by its leading parameter, or where
    theory gives a line of another kind, by the mean distance of the points.
    """
    shared = [n for n in fit.names if n in expected.parameters]
    if not shared:
        return _by_points(fit, expected)
    leading = LEADING.get(fit.definition.line, shared[0])
    name = leading if leading in shared else shared[0]
    return _compared(fit, expected, name)


def _compared(fit: LineFit, expected: ExpectedLine, name: str) -> Agreement:
    found, k = fit.parameter(name), fit.names.index(name)
    theory, together = expected.slopes[name], fit.points.shared
    us = {key: fact.u for key, fact in expected.facts.values()}
    # What both hang on moves both: only the difference of what it moves counts
    cross = 0.0
    for key, slope in theory.items():
        if key in together.keys:
            place = together.keys.index(key)
            cross += float(fit.moved[k, place]) * slope * us[key] ** 2
    own = expected.parameter(name)
    variance = found.u**2 + own.u**2 - 2.0 * cross
    dof = found.dof * (variance / found.u**2) ** 2 if found.u > 0.0 else np.inf
    away = found.value - own.value
    return _judged(name, Scalar(away, float(np.sqrt(max(variance, 0.0))), dof), own.value)


def _by_points(fit: LineFit, expected: ExpectedLine) -> Agreement:
    """The mean distance of the points from the expected line, weighed by what each errs."""
    weights = 1.0 / fit.u**2
    weights = weights / weights.sum()
    away = fit.points.y - np.real(expected.line(fit.points.x))
    mean = float(weights @ away)
    moved = weights @ fit.points.shared.y
    variance = float(weights**2 @ fit.u**2 + moved @ fit.points.shared.covariance @ moved)
    variance += float(weights @ expected.u_of_line(fit.points.x)) ** 2
    dof = float(fit.dof) if fit.scatter else np.inf
    typical = float(weights @ np.real(expected.line(fit.points.x)))
    return _judged("mean distance", Scalar(mean, float(np.sqrt(variance)), dof), typical)


def _judged(name: str, difference: Scalar, expected: float) -> Agreement:
    u = difference.u
    raw = difference.value / u if u > 0.0 else np.inf * np.sign(difference.value or 0.0)
    z = float(equivalent_z(raw, difference.dof)) if np.isfinite(raw) else float(raw)
    if difference.value == 0.0:
        z = 0.0
    shows = detectable(difference.dof) * u if u > 0.0 else 0.0
    size = abs(z)
    if expected != 0.0 and shows > ROUGH_SHARE * abs(expected):
        word = Comparison.TOO_ROUGH
    elif size <= BALANCES_UP_TO:
        word = Comparison.AGREE
    else:
        word = Comparison.DOUBTFUL if size <= DOUBTFUL_UP_TO else Comparison.DIFFER
    percent = None
    if expected != 0.0:
        share = 100.0 / abs(expected)
        percent = Scalar(share * difference.value, share * u, difference.dof)
    return Agreement(name, z, word, difference, float(shows), percent)


def missing_facts(text: str, row: ResultRow) -> tuple[str, ...]:
    """Return the facts of a ready formula that a trial does not have."""
    facts = facts_for_formulas(row)
    names = parse_formula(_BARE_E.sub(f" {OF_RESTITUTION} ", text)).names if text else ()
    return tuple(n for n in names if n != "x" and n not in facts)


def likely_formula(x: str, y: str, bodies: Sequence[str]) -> str:
    """Return the formula that is likely meant by what is shown across and up, "" if none is known;
    `bodies` in their order.
    """
    for theory in THEORIES:
        for across, up in theory.pairs:
            for turned in (False, True):
                names = tuple(reversed(bodies)) if turned else tuple(bodies)
                if len(names) != 2 and "{0}" in across:
                    continue
                if x.startswith(across.format(*names)) and y.startswith(up.format(*names)):
                    return _turned(theory.formula) if turned else theory.formula
    return ""


def _turned(formula: str) -> str:
    """A formula with the first and the second body exchanged."""
    return re.sub(r"_([12])", lambda m: "_2" if m[1] == "1" else "_1", formula)
