"""How a reading was computed: by what formula, from what inputs, and which of them its uncertainty
owes most to.

A budget in the sense of JCGM 100:2008, 5.1.3 and H.1: for each input its ± and what that means, its
standard uncertainty, the sensitivity of the result to it, the part of u it gives, its share of the
variance, and its degrees of freedom.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from inertian.physics.definitions.requests import NamedReading, Quantity, ReadingKind
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.physics.readings.reading_plan import reading_plan
from inertian.physics.readings.readings import correlated_scalars, read_named
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Estimate
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.units import SI_SYMBOL

FORMULAS: Mapping[Quantity, str] = {
    Quantity.MOMENTUM: "m v",
    Quantity.KINETIC: "½ m v²",
    Quantity.SPEED: "√(v_x² + v_y²)",
    Quantity.ANGLE: "atan((y − y_c)/(x − x_c))",
    Quantity.ANGULAR_SPEED: "((x − x_c) v_y − (y − y_c) v_x)/r²",
    Quantity.RADIUS: "√((x − x_c)² + (y − y_c)²)",
}


@dataclass(frozen=True)
class BudgetLine:
    """One input: what was stated of it, its u in its unit, the sensitivity to it, and what it
    gives.

    Readings are many, each with a sensitivity of its own, so they have None.

    `u` is the part of the result's standard uncertainty, `share` of its variance, `dof` infinite
    where nothing was estimated; a `shared` input is the same error in all trials.
    """

    name: str
    kind: str
    stated: str
    input_u: float | None
    unit: str
    sensitivity: float | None
    u: float
    share: float
    shared: bool
    dof: float


@dataclass(frozen=True)
class Explanation:
    """A result with the formula of its quantity and its budget, the largest part first."""

    result: Scalar
    formula: str
    lines: tuple[BudgetLine, ...]


def explain(context: TrialContext, named: NamedReading) -> Explanation:
    """Return how a reading was computed. Raises NoValueError where it cannot be read."""
    result = read_named(context, named)
    estimate = estimate_of(context, named)
    lines = budget_of(context, estimate) if estimate is not None else ()
    own = (
        context.derived.get(named.shown.axis) if named.shown.quantity is Quantity.DERIVED else None
    )
    return Explanation(result, own.text if own else FORMULAS.get(named.shown.quantity, ""), lines)


def estimate_of(context: TrialContext, named: NamedReading) -> Estimate | None:
    """The reading as an estimate; None for a spread, which is one of no single set of weights."""
    if named.kind is ReadingKind.SPREAD:
        return None
    plan = reading_plan(context, named)
    if named.kind is not ReadingKind.RATIO:
        return plan.estimate()
    a, b = (float(v) for v in plan.whole.values)
    return plan.whole.estimate(np.array([-b / (a * a), 1.0 / a]), b / a)


def one_estimate(context: TrialContext, named: NamedReading) -> Estimate:
    """Return a named reading as an estimate that a formula may use. Raises NoValueError."""
    found = estimate_of(context, named)
    if found is None:
        raise NoValueError(f"{named.name} is a spread, which a formula cannot use.")
    return found


def budget_of(context: TrialContext, estimate: Estimate) -> tuple[BudgetLine, ...]:
    """Return the budget of an estimate: its sources with what they give, the largest first."""
    together = correlated_scalars(context, {"": estimate})
    facts: dict[str, tuple[FactId, Fact]] = {
        key.name: (key, fact)
        for key, fact in (
            *context.masses.values(),
            *context.shared.values(),
            *context.setup.values(),
        )
    }
    total = together.u("") ** 2
    lines = []
    for source, variance in together.shares("").items():
        if variance <= 0.0:
            continue
        key, fact = facts.get(source.name, (None, None)) if source.kind == "fact" else (None, None)
        lines.append(
            BudgetLine(
                source.name,
                source.kind,
                f"{fact} ({fact.meaning})" if fact is not None else "",
                fact.u if fact is not None else None,
                SI_SYMBOL[fact.unit.kind] if fact is not None else "",
                float(estimate.sensitivities.get(key, 0.0)) if key is not None else None,
                float(np.sqrt(variance)),
                variance / total,
                key is not None and not key.scope.startswith("trial "),
                together.pools.dof({source.pool: variance}),
            )
        )
    return tuple(sorted(lines, key=lambda line: -line.share))
