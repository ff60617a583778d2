"""A trend as JSON and as text; docs/schemas/trend-1.json describes the form."""

from collections.abc import Sequence
from typing import Any

from inertian.analysis.results.formula_columns import unit_size
from inertian.analysis.trends.expected import Agreement, Comparison
from inertian.analysis.trends.line_fit import LineFit
from inertian.analysis.trends.remarks import Remark, ResidualRemark
from inertian.analysis.trends.trend_lines import (
    EXPONENT,
    FACTOR,
    INTERCEPT,
    RATE,
    SLOPE,
    VALUE,
    TrendLine,
)
from inertian.analysis.trends.trend_result import TrendResult
from inertian.quantities.coverage import Scalar
from inertian.quantities.dimensions import NUMBER
from inertian.quantities.rounding import chance_words, write_estimate, write_number
from inertian.report.ledgers import finite, unit_name

SCHEMA = 1


def si_unit(unit: str) -> str:
    """Return the SI unit in which fits have what comes in a unit; a % is a plain number."""
    return "" if unit == "%" else unit


def unit_over(y: str, x: str) -> str:
    """Return the unit of y over x, in SI: "" where they are the same."""
    y, x = si_unit(y), si_unit(x)
    if not x or y == x:
        return y if not x else ""
    (_, above), (_, below) = unit_size(y), unit_size(x)
    known = (not y or above != NUMBER or y == "rad") and (below != NUMBER or x == "rad")
    if known:
        made = str(above.times(below, below.length.__class__(-1)))
        return "" if made == "1" else made
    return f"{y or '1'}/{x}" if "/" not in y else f"({y})/{x}"


def parameter_unit(name: str, units: tuple[str, str]) -> str:
    """Return the SI unit of a parameter of a line; units are those of x and y."""
    x, y = units
    return {
        SLOPE: unit_over(y, x),
        INTERCEPT: si_unit(y),
        VALUE: si_unit(y),
        FACTOR: si_unit(y),
        EXPONENT: "",
        RATE: unit_over("", x),
    }.get(name, "")


def trend_json(made: TrendResult) -> dict[str, Any]:
    """Return a trend, in SI; what is not defined is null."""
    fit = made.fit
    expected, compared = made.expected, made.agreement
    parameters = expected.parameters if expected is not None else {}
    return {
        "schema": SCHEMA,
        "x": made.request.x,
        "y": made.request.y,
        "n": len(made.points),
        "line": made.request.line,
        "parameters": {} if fit is None else _parameters_json(fit, made.units),
        "chi2": None if fit is None else finite(fit.chi_squared),
        "dof": None if fit is None else fit.dof,
        "p": None if fit is None else finite(fit.p),
        "between_trials": None
        if made.between is None
        else {"value": finite(made.between.value), "u": finite(made.between.u)},
        "expected": None
        if expected is None
        else {
            name: {"value": finite(one.value), "u": finite(one.u)}
            for name, one in ((n, expected.parameter(n)) for n in parameters)
        },
        "z": None if compared is None else finite(compared.z),
        "verdict": None if compared is None else str(compared.verdict),
        "notes": trend_notes(made),
    }


def _parameters_json(fit: LineFit, units: tuple[str, str]) -> dict[str, Any]:
    return {
        name: {
            "value": finite(one.value),
            "u": finite(one.u),
            "u_own": finite(fit.u_own(name)),
            "u_shared": finite(fit.u_shared(name)),
            "dof": finite(one.dof),
            "unit": unit_name(parameter_unit(name, units)),
        }
        for name, one in fit.parameters.items()
    }


def trend_notes(made: TrendResult) -> list[str]:
    """Return in words what there is to say of a trend: of scatter, of what lies apart, of what is
    not known.
    """
    names = {row.trial: row.entry.trial.name for row in made.rows}
    found = [remark_words(one, names) for one in made.remarks]
    if made.between is not None:
        unit = si_unit(made.units[1])
        spread = write_estimate(made.between.value, made.between.u, unit)
        found.append(
            f"a standard deviation between trials of {spread} was added to the ± of each point, as "
            "was asked for"
        )
    if made.beside_contact:
        away = write_estimate(made.beside_contact, 0.0, "m/s").removesuffix(" (exact)")
        found.append(
            f"velocities at the edges of contacts differ by up to {float(away.split()[0]):.2g} m/s "
            "from those just before and after them, by friction: a law of hits holds for “velocity "
            "just after contact”"
        )
    found += [text for text in (made.refused, made.unexpected) if text]
    return found


def remark_words(one: ResidualRemark, names: dict[str, str]) -> str:
    """Return a remark on residuals in words; `names` are those of the trials, by id."""
    trial = names.get(one.trial, one.trial)
    size = write_number(abs(one.number), 2)
    return {
        Remark.SCATTER: "the points scatter as their ± say",
        Remark.MORE: f"the points scatter {size} times as much as their ± say: something changed "
        "between the trials, or a ± is too small",
        Remark.WIDENED: f"the points scatter {size} times as much as their ± say, so that the ± of "
        "the line are widened to the scatter: something changed between the trials, or a ± is too "
        "small",
        Remark.LESS: f"the points lie {size} times as far from the line as their ± say: these may "
        "be too large",
        Remark.BENT: "the points bend away from the line: another line may suit them",
        Remark.PATTERN: "neighbouring points lie on the same side: something is missing in the "
        "line",
        Remark.APART: f"{trial} lies apart, by {size} of its ±: look at it, or set it aside with a "
        "reason",
        Remark.FEW: "too few points to tell whether they scatter as their ± say",
        Remark.NO_U: "no point has a ± of its own, so that the scatter about the line tells it",
    }[one.remark]


def verdict_words(compared: Agreement, unit: str) -> str:
    """Return in words how a fitted line compares with what is expected."""
    away = write_estimate(compared.difference.value, compared.difference.u, unit)
    shows = f"{compared.would_show:.2g} {unit}".strip()
    size = f"{abs(compared.z):.1f}"
    said = {
        Comparison.AGREE: f"agrees with what is expected: they differ by {away}",
        Comparison.DOUBTFUL: f"doubtful: {size} u from what is expected, by {away}",
        Comparison.DIFFER: f"differs from what is expected by {away}, {size} u",
        Comparison.TOO_ROUGH: f"too rough to tell: differs from what is expected by {away}",
    }[compared.verdict]
    return f"{said}; a difference of {shows} would have shown"


def parameter_lines(made: TrendResult) -> list[str]:
    """Return the parameters as lines for reading, with the own and the shared part of each ±."""
    if made.fit is None:
        return []
    lines = []
    for name, one in made.fit.parameters.items():
        unit = parameter_unit(name, made.units)
        parts = f"own ± {made.fit.u_own(name):.2g}, shared ± {made.fit.u_shared(name):.2g}"
        lines.append(f"{name} {write_estimate(one.value, one.u, unit)} ({parts})")
    return lines


def trend_text(made: TrendResult) -> list[str]:
    """Return a trend as lines for reading."""
    lines = [f"{made.request.y} against {made.request.x}, {len(made.points)} trials"]
    lines += [f"  {line}" for line in parameter_lines(made)]
    fit = made.fit
    if fit is not None and fit.chi_squared is not None:
        p = "" if fit.p is None else f", p {chance_words(fit.p)}"
        lines.append(f"  χ² {fit.chi_squared:.2f} for {fit.dof} degrees of freedom{p}")
    expected, compared = made.expected, made.agreement
    for name in expected.parameters if expected is not None else ():
        assert expected is not None
        one: Scalar = expected.parameter(name)
        unit = parameter_unit(name, made.units)
        lines.append(f"  expected {name} {write_estimate(one.value, one.u, unit)}")
    if compared is not None:
        unit = parameter_unit(compared.parameter, made.units) or ""
        lines.append(f"  {verdict_words(compared, unit)}")
    return [*lines, *(f"  {note}" for note in trend_notes(made))]


def lines_of_names() -> Sequence[str]:
    """Return the names of all lines that a command may ask for."""
    return [str(line) for line in TrendLine if line is not TrendLine.FORMULA]
