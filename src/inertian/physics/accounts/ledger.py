"""Ledgers: amounts at dates, entries from outside, and what is unaccounted, with verdict and
budget.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache, partial
from typing import Any

import numpy as np

from inertian.physics.accounts.account_inputs import (
    MassOf,
    Values,
)
from inertian.physics.accounts.collision_inputs import AccountError, CollisionInputs
from inertian.physics.accounts.encounters import Impact, restitution
from inertian.physics.accounts.entries import EntryRule
from inertian.physics.accounts.named_results import NamedResults
from inertian.physics.accounts.statements import (
    EXPECTED,
    WHOLE,
    AmountOf,
    Date,
    EntryOf,
    Statement,
    Unaccounted,
)
from inertian.physics.accounts.verdicts import Expectation, Judgement, Verdict, judge, verdict_of
from inertian.quantities.coverage import Scalar, equivalent_z
from inertian.quantities.estimates import ErrorSource, JointScalars
from inertian.quantities.propagation import Results, propagate

ENERGY, MECHANICAL = "kinetic energy", "mechanical energy"
ANGULAR_MOMENTUM = "angular momentum"
RELATIVE_ENERGY = "energy about the centre of mass"
# An approach that is at least so many times its own 95 % interval: then that of e is at most a
# third wider than first order says, 1/(1 − 1/CLEAR_APPROACH²)
CLEAR_APPROACH = 2.0
WIDEST = 14.0  # times u: the 95 % interval with one degree of freedom
MOMENTUM_UNIT, ENERGY_UNIT, ANGULAR_UNIT = "kg·m/s", "J", "kg·m²/s"


def momentum_law(axis: str) -> str:
    """Return the name of the momentum law along one axis."""
    return f"momentum {axis}"


@dataclass(frozen=True)
class BodyLine:
    """One body's line in a ledger, from the first date to the last."""

    name: str
    opening: Scalar
    closing: Scalar


@dataclass(frozen=True)
class PeriodLine:
    """What came from outside between two dates, and what is left, judged."""

    start: int
    stop: int
    entries: tuple[tuple[EntryRule, Scalar], ...]
    unaccounted: Scalar
    judgement: Judgement


@dataclass(frozen=True, eq=False)
class Ledger:
    """The account of one quantity over its dates; amounts in the unit of its statement, times in s.

    unaccounted = closing − opening − entries: negative is lost, positive gained.
    """

    statement: Statement
    amounts: Results
    judgement: Judgement

    @property
    def law(self) -> str:
        """The name of the law."""
        return self.statement.law

    @property
    def unit(self) -> str:
        """The unit of all amounts."""
        return self.statement.unit

    @property
    def expectation(self) -> Expectation:
        """What is expected from the first date to the last."""
        return self.statement.expectation

    @property
    def dates(self) -> tuple[Date, ...]:
        """Its dates in order."""
        return self.statement.dates

    @property
    def opens_at(self) -> float:
        """When its first date is, in s."""
        return self.dates[0].t

    @property
    def closes_at(self) -> float:
        """When its last date is, in s."""
        return self.dates[-1].t

    @property
    def opening(self) -> Scalar:
        """The total at the first date."""
        return self.amount(0)

    @property
    def closing(self) -> Scalar:
        """The total at the last date."""
        return self.amount(len(self.dates) - 1)

    @property
    def expected(self) -> Scalar:
        """What should be there at the last date: opening + entries."""
        return self.amounts[EXPECTED]

    @property
    def unaccounted(self) -> Scalar:
        """What is left: closing − opening − entries."""
        return self.amounts[Unaccounted(WHOLE)]

    @property
    def entries(self) -> tuple[tuple[str, Scalar], ...]:
        """What came from outside in all periods, by name."""
        return tuple(
            (key.name, self.amounts[key])
            for key in self.amounts
            if isinstance(key, EntryOf) and key.period == WHOLE
        )

    @property
    def body_names(self) -> tuple[str, ...]:
        """The bodies in order."""
        return self.statement.bodies

    @property
    def form_names(self) -> tuple[str, ...]:
        """The forms in order."""
        return tuple(dict.fromkeys(form.name for form in self.statement.forms))

    def forms_of(self, body: str) -> tuple[str, ...]:
        """Return the forms that one body has, in order."""
        return tuple(dict.fromkeys(f.name for f in self.statement.forms if f.body == body))

    def amount(self, date: int, body: str = "", form: str = "") -> Scalar:
        """Return an amount at a date, of all bodies or all forms where they are "". What is the
        same, as that of the only body there is, is worked out once.
        """
        if len(self.body_names) == 1:
            body = ""
        names = self.forms_of(body) if body else self.form_names
        return self.amounts[AmountOf(date, body, "" if len(names) == 1 else form)]

    @property
    def bodies(self) -> tuple[BodyLine, ...]:
        """Each body's line."""
        ends = (0, len(self.dates) - 1)
        return tuple(BodyLine(b, *(self.amount(date, b) for date in ends)) for b in self.body_names)

    @cached_property
    def periods(self) -> tuple[PeriodLine, ...]:
        """Each period's line."""
        return tuple(self._period(k) for k in self.statement.periods)

    def _period(self, period: int) -> PeriodLine:
        named = {entry.name: entry for entry in self.statement.entries[period]}
        own = tuple((e, self.amounts[EntryOf(period, name)]) for name, e in named.items())
        left = self.amounts[Unaccounted(period)]
        turnover = max(turnover_at(self.statement, self.amounts, k) for k in (period, period + 1))
        judged = judge(self.statement.expected_in(period), left.value, left.u, left.dof, turnover)
        return PeriodLine(period, period + 1, own, left, judged)

    @property
    def budget(self) -> Mapping[ErrorSource, float]:
        """The variance of the unaccounted amount by source."""
        return self.amounts.first.joint.shares(Unaccounted(WHOLE))


def turnover_at(statement: Statement, amounts: Results, date: int) -> float:
    """Return Σ |amount| over bodies and forms at a date, in the unit of the account."""
    parts = dict.fromkeys(AmountOf(date, f.body, f.name) for f in statement.forms)
    return sum(abs(amounts.value(key)) for key in parts)


@dataclass(frozen=True)
class JointJudgement:
    """Momentum along all axes tested together: χ² for its degrees of freedom, and the equivalent
    normal z.
    """

    axes: tuple[str, ...]
    chi_squared: float
    p: float
    z: float
    verdict: Verdict


@dataclass(frozen=True, eq=False)
class Accounts:
    """All ledgers of one trial, around the event that was recognised in it, and the inputs they
    share.
    """

    event: str
    ledgers: tuple[Ledger, ...]
    together: JointJudgement | None
    restitution: Scalar | None
    inputs: JointScalars
    made_results: Callable[[], NamedResults] = NamedResults
    possible: tuple[str, ...] = ()  # laws of all accounts that could be drawn up
    # Which span each body was read from at each date; "" where it was local fits
    read_from: Mapping[tuple[str, int], str] = field(default_factory=dict)

    @cached_property
    def results(self) -> NamedResults:
        """Named results with their units, worked out when they are first asked for."""
        return self.made_results()

    def ledger(self, law: str) -> Ledger:
        """Return the ledger of one law. Raises KeyError."""
        for ledger in self.ledgers:
            if ledger.law == law:
                return ledger
        raise KeyError(law)


def drawn_up(statement: Statement, inputs: JointScalars) -> Ledger:
    """Return the ledger of a statement from its inputs in SI."""
    amounts = Results(statement.amounts, inputs)
    left = amounts[Unaccounted(WHOLE)]
    ends = (0, len(statement.dates) - 1)
    turnover = max(turnover_at(statement, amounts, date) for date in ends)
    judgement = judge(statement.expectation, left.value, left.u, left.dof, turnover)
    return Ledger(statement, amounts, judgement)


def require_masses(bodies: tuple[str, ...], inputs: JointScalars) -> None:
    """Refuse an account of bodies without a mass. Raises AccountError."""
    for body in bodies:
        if MassOf(body) not in inputs.names:
            raise AccountError(body, f"The mass of {body} is missing.")


def joint_test(ledgers: tuple[Ledger, ...], inputs: JointScalars) -> JointJudgement | None:
    """Return the test of the unaccounted momentum of all axes at once, dᵀ U⁻¹ d against Hotelling's
    T² (JCGM 102:2011, 7.4); None where there is one axis.
    """
    from scipy.special import fdtrc, ndtri

    vector = [
        led
        for led in ledgers
        if led.law in (momentum_law("x"), momentum_law("y"))
        and led.expectation is Expectation.CONSERVED
    ]
    if len(vector) < 2:
        return None

    def all_axes(q: Values) -> dict[str, Any]:
        return {led.law: led.statement.amounts(q)[Unaccounted(WHOLE)] for led in vector}

    joint = propagate(all_axes, inputs).joint
    covariance = joint.covariance
    spread = np.linalg.eigvalsh(covariance)
    if not spread[0] > spread[-1] * len(spread) * np.finfo(float).eps:  # true for NaN too
        return None  # one axis tells nothing that the other does not
    chi_squared = float(joint.values @ np.linalg.solve(covariance, joint.values))
    size, dof = len(joint.values), _pooled_dof(joint)
    if np.isinf(dof):
        dof = 1e9
    scaled = chi_squared * (dof - size + 1.0) / (dof * size) if dof > size else chi_squared / size
    p = float(fdtrc(size, max(dof - size + 1.0, 1.0), scaled))
    z = float(-ndtri(p / 2.0)) if p > 1e-300 else equivalent_z(float(np.sqrt(chi_squared)), dof)
    rough = any(led.judgement.verdict is Verdict.TOO_ROUGH for led in vector)
    verdict = Verdict.TOO_ROUGH if rough else verdict_of(z)
    axes = tuple(led.law.removeprefix("momentum ") for led in vector)
    return JointJudgement(axes, chi_squared, p, z, verdict)


def _pooled_dof(joint: JointScalars) -> float:
    return min(joint.dof(name) for name in joint.names)


@lru_cache(maxsize=4)
def impact_of(collision: CollisionInputs) -> Results:
    """Return restitution and speed of approach of a contact that has both."""
    return Results(partial(restitution, at=collision.encounter), collision.inputs)


@lru_cache(maxsize=4)
def restitution_of(collision: CollisionInputs) -> Scalar | None:
    """Return the coefficient of restitution, or None where it is not defined; masses do not matter
    to it.

    Not defined: more than two bodies, no clear contact, no line of centres, or no clear approach
    along it, as in a push-off: a ratio to a speed that may be zero has no finite interval (Fieller,
    J. R. Stat. Soc. B 16, 175, 1954).
    """
    at = collision.encounter
    if len(at.bodies) > 2 or at.timer is None:
        return None
    with np.errstate(all="ignore"):
        found = impact_of(collision)
        approach = found[Impact.APPROACH]
        wide = WIDEST * approach.u
        if not approach.value > CLEAR_APPROACH * wide:  # else it is clear for any ν, without SciPy
            wide = approach.k95 * approach.u
        if not approach.value > CLEAR_APPROACH * wide:
            return None
        e = found[Impact.RESTITUTION]
    return e if np.isfinite(e.value) and np.isfinite(e.u) else None
