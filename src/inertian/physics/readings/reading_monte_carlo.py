"""Readings by Monte Carlo: samples, time stamps and facts are drawn anew, and the reading is taken
of each draw.

Source: JCGM 101:2008. Readings are normal about the measured ones; where their variance was
estimated, all of one kind share a factor that makes them scaled t (6.4.9). A fact with limits is
rectangular (6.4.2). Nothing is linearised: the same formulas run on the drawn local positions,
velocities and accelerations.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from inertian.motion.numerics.operators import Operator
from inertian.motion.recording.frame import ANGLE, CENTRE, ORIGIN, zero_key
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE
from inertian.physics.definitions.formula_resolution import FormulaName, ResolvedFormula
from inertian.physics.definitions.requests import (
    NEEDS_CENTRE,
    NEEDS_MASS,
    NamedReading,
    Quantity,
    QuantityRef,
)
from inertian.physics.evaluation.formula_values import (
    evaluate,
    fact_of_name,
    integral_weights,
    operator_of,
    reads_samples_as_they_are,
    resolved_formula,
    samples_of,
)
from inertian.physics.evaluation.frame_facts import FrameErrors, Motion
from inertian.physics.evaluation.quantity_values import derivatives_needed, formula, operator_at
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.physics.readings.reading_plan import ReadingPlan, reading_plan
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.monte_carlo import BLOCK, Distribution, settled_distribution
from inertian.quantities.propagation import SEED

LARGEST = 20_000_000  # numbers drawn at a time
MOST_SAMPLES = 3_000  # behind a reading; more say nothing new, and take long


@dataclass(frozen=True, eq=False)
class Draws:
    """A block of draws of everything a trial hangs on; `count` of them, as the first axis of all
    arrays.
    """

    context: TrialContext
    count: int
    rng: np.random.Generator
    made: dict[object, Any] = field(default_factory=dict)

    def _of(self, key: object, make: Callable[[], Any]) -> Any:
        if key not in self.made:
            self.made[key] = make()
        return self.made[key]

    def _factor(self, pool: str) -> Array | float:
        """What the standard deviation of a kind of readings may be off by, (count, 1)."""
        spread = self._of("pools", self.context.pools).relative.get((pool, pool), 0.0)
        if spread <= 0.0:
            return 1.0
        dof = max(2.0 / spread, 1.0)
        return np.asarray(
            self._of(
                ("factor", pool), lambda: np.sqrt(dof / self.rng.chisquare(dof, (self.count, 1)))
            )
        )

    def off(self, operator: Operator, body: str, axis: str) -> Array:
        """Return how far off the estimates of an operator on a channel are, in SI, shape (count,
        m). Raises NoValueError where too many samples are behind them.
        """
        noise = self.context.clock_noise
        channel = self.context.trial.channel_id(body, axis)
        source, own = noise.reading[channel]
        weights = operator.matrix()
        used = np.flatnonzero(weights.any(axis=0))
        rows, weights = operator.usable[used], weights[:, used]
        if len(rows) > MOST_SAMPLES:
            raise NoValueError(
                f"It rests on more than {MOST_SAMPLES} samples: first order does, and draws "
                "take long."
            )
        variance = own.variance if isinstance(own.variance, float) else own.variance[rows]
        errors = self._errors(channel, rows, own.alike) * np.sqrt(variance)
        for k, pattern in enumerate(own.rounding):
            whole = np.asarray(pattern[slice(0, len(self.context.trial.t))])
            errors = (
                errors
                + self._errors(("rounding", channel, k), np.zeros(1, dtype=np.intp)) * whole[rows]
            )
        errors = errors * self._factor(source.pool)
        if noise.jitter > 0.0 and channel in noise.rate:
            stamps = self._errors("stamps", rows) * self._factor(noise.jitter_source.pool)
            errors = errors + stamps * np.sqrt(noise.jitter) * np.asarray(noise.rate[channel])[rows]
        return np.asarray(errors @ weights.T)

    def _errors(self, key: object, rows: Rows, alike: float = 0.0) -> Array:
        """The same standard normal error of a sample, whoever asks for it; (count, len(rows)).

        Errors resemble one another as ρ^k, where ρ is not zero.
        """
        if alike:
            return np.asarray(self._of(("alike", key), lambda: self._chain(alike))[:, rows])
        known: dict[int, Array] = self.made.setdefault(("errors", key), {})
        new = [int(r) for r in rows if int(r) not in known]
        if new:
            fresh = self.rng.standard_normal((self.count, len(new)))
            known.update((row, fresh[:, k]) for k, row in enumerate(new))
        return np.stack([known[int(r)] for r in rows], axis=1)

    def _chain(self, alike: float) -> Array:
        """Errors of all samples of a channel, each made of the one before it and news; (count,
        n).
        """
        n = len(self.context.trial.t)
        if n > MOST_SAMPLES:
            raise NoValueError(
                f"Its readings err alike over more than {MOST_SAMPLES} samples: draws take too "
                "long."
            )
        found = self.rng.standard_normal((self.count, n))
        for k in range(1, n):
            found[:, k] = alike * found[:, k - 1] + np.sqrt(1.0 - alike**2) * found[:, k]
        return found

    def without(self, name: str) -> "Draws":
        """Return the same draws of the trial without a named reading."""
        return replace(self, context=self.context.without(name))

    def fact(self, key: FactId, u: float, bounded: bool) -> Array:
        """Return how far off a fact is, (count, 1)."""

        def make() -> Array:
            if bounded:
                return np.asarray(self.rng.uniform(-1.0, 1.0, (self.count, 1)) * np.sqrt(3.0) * u)
            return np.asarray(u * self.rng.standard_normal((self.count, 1)))

        return np.asarray(self._of(key, make))

    def shared(self, name: str) -> tuple[Fact | None, Array | float]:
        """Return a fact that all positions share, and how far off it is; None and 0 if it has no
        ±.
        """
        if name not in self.context.shared:
            return None, 0.0
        key, fact = self.context.shared[name]
        return fact, self.fact(key, fact.u, fact.bounded)

    def local(self, body: str, axis: str, order: int, times: Array, rows: Rows | None) -> Array:
        """Return a position (order 0), velocity (1) or acceleration (2) at some times, drawn;
        (count, m).
        """
        value, across = self._in_frame(body, axis, order, times, rows), None
        if ANGLE in self.context.shared and set(self.context.trial.body(body).axes) == {"x", "y"}:
            across = self._in_frame(body, "y" if axis == "x" else "x", order, times, rows)
        return np.asarray(
            Motion(axis, order, value, across).with_errors(self.context.frame, self._frame_errors())
        )

    def _frame_errors(self) -> FrameErrors:
        """How far off the facts of the frame are, drawn."""
        scale, off_scale = self.shared(SCALE)
        base, off_base = self.shared(TIME_BASE)
        return FrameErrors(
            off_scale / scale.si if scale else 0.0,
            off_base / base.si if base else 0.0,
            self.shared(ANGLE)[1],
            {axis: self.shared(name)[1] for axis, name in ORIGIN.items()},
        )

    def _in_frame(self, body: str, axis: str, order: int, times: Array, rows: Rows | None) -> Array:
        operator = operator_at(self.context, body, axis, order, times, rows)
        value = operator.applied(self.context.trial.body(body).channel(axis).si)
        found = value + self.off(operator, body, axis)
        if order > 0 or rows is None:
            found = found + self._bias(body, axis, order, times)
        return np.asarray(found)

    def _bias(self, body: str, axis: str, order: int, times: Array) -> Array:
        left_out = self.context.left_out(body, axis, order, times)
        return np.asarray(sum(self.fact(key, 1.0, False) * one for key, one in left_out.items()))

    def sensor(self, needed: FormulaName, times: Array, rows: Rows | None) -> Array:
        """Return what a sensor would have read, in SI, at times in s of shape (m,); shape
        (count, m).
        """
        operator = operator_of(self.context, needed, times, rows)
        samples = samples_of(self.context, needed)
        value = operator.applied(samples)
        as_read = rows is not None and reads_samples_as_they_are(samples, needed, rows)
        _, zero = self.shared(zero_key(needed.body, needed.axis))
        return np.asarray(
            value
            + self.off(operator, needed.body, needed.axis)
            - (zero if needed.order == 0 else 0.0)
            + (0.0 if as_read else self._bias(needed.body, needed.axis, needed.order, times))
        )


def drawn_values(
    draws: Draws, shown: QuantityRef, body: str, times: Array, rows: Rows | None
) -> Array:
    """Return a quantity at some times in s, drawn; shape (count, m). Raises NoValueError."""
    context = draws.context
    if shown.quantity is Quantity.SENSOR:
        return draws.sensor(FormulaName("sensor", body, shown.axis), times, rows)
    if shown.quantity is Quantity.DERIVED:
        return _own(draws, resolved_formula(context, shown.axis, body), times, rows)
    total = np.zeros((draws.count, len(times)))
    for name in context.bodies_of(body):
        needed = derivatives_needed(shown, context.trial.body(name).axes)
        local: dict[tuple[str, int], Array] = {
            (axis, order): draws.local(name, axis, order, times, rows) for axis, order in needed
        }
        if shown.quantity in NEEDS_CENTRE:
            for axis, fact in CENTRE.items():
                if (axis, 0) in local:
                    local[axis, 0] = local[axis, 0] - draws.shared(fact)[1]
        mass: Array | float = 1.0
        if shown.quantity in NEEDS_MASS:
            key, known = context.masses[name]
            mass = known.si + draws.fact(key, known.u, known.bounded)
        total = total + formula(context, shown, name, times, local, mass)[0]
    return total


def _own(draws: Draws, ready: ResolvedFormula, times: Array, rows: Rows | None) -> Array:
    """A formula at some times, drawn."""
    context = draws.context

    def values(needed: FormulaName) -> Array:
        if needed.kind == "sensor":
            return draws.sensor(needed, times, rows)
        return draws.local(needed.body, needed.axis, needed.order, times, rows)

    sampled = {n: d for n, d in ready.needed.items() if d.kind in ("local", "sensor")}
    local: dict[str, Any] = {n: values(d) for n, d in sampled.items()}
    for name, inner in ready.areas.items():
        t = context.trial.t
        whole = _own(draws, inner, t, np.arange(len(t)))
        good = np.flatnonzero(np.isfinite(whole).all(axis=0))
        local[name] = whole[:, good] @ integral_weights(context, name, t[good], times).T
    rates = {
        n: values(replace(ready.needed[n], order=ready.needed[n].order + 1))
        for n in ready.formula.rates
        if n in sampled
    }
    return evaluate(
        context,
        ready,
        local,
        rates,
        times,
        {**_drawn_facts(draws, ready), **_drawn_readings(draws, ready)},
    )


def _drawn_readings(draws: Draws, ready: ResolvedFormula) -> dict[str, Array]:
    found = {}
    for name, needed in ready.needed.items():
        if needed.kind == "reading":
            named = draws.context.named[needed.fact]
            inner = draws.without(needed.fact)
            plan = reading_plan(inner.context, named)
            found[name] = plan.taken(
                drawn_values(inner, plan.shown, named.body, plan.times, plan.rows)
            )[:, None]
    return found


def _drawn_facts(draws: Draws, ready: ResolvedFormula) -> dict[str, Array | float]:
    found: dict[str, Array | float] = {}
    us, bounded = draws.context.us(), {k for k, f in draws.context.facts().items() if f.bounded}
    for name, needed in ready.needed.items():
        if needed.kind == "fact":
            key, value = fact_of_name(draws.context, needed)
            found[name] = value + (
                draws.fact(key, us[key], key in bounded) if key is not None else 0.0
            )
    return found


def draw_reading(
    context: TrialContext,
    named: NamedReading,
    first: Scalar,
    seed: int = SEED,
    progress: Callable[[float], bool] | None = None,
) -> Distribution:
    """Return the distribution of a reading by Monte Carlo; `first` is the reading as it is stated.

    As `monte_carlo.distribution`. Raises NoValueError where it cannot be read, Cancelled where
    `progress` says so.
    """
    plan = reading_plan(context, named)
    step = _at_once(context, plan, BLOCK)

    def block(k: int) -> Array:
        parts = range(0, BLOCK, step)
        return np.concatenate(
            [_drawn(context, plan, named.body, step, _seed(seed, k, part)) for part in parts]
        )

    reach = first.k95 * first.u
    return settled_distribution(block, (first.value - reach, first.value + reach), seed, progress)


def _drawn(context: TrialContext, plan: ReadingPlan, body: str, count: int, seed: int) -> Array:
    """Draws of a reading, (count,)."""
    draws = Draws(context, count, np.random.default_rng(seed))
    with np.errstate(all="ignore"):
        return plan.taken(drawn_values(draws, plan.shown, body, plan.times, plan.rows))


def _at_once(context: TrialContext, plan: ReadingPlan, draws: int) -> int:
    """How many draws to make at a time, so that memory stays small; it divides `draws`."""
    most = LARGEST // (8 * max(len(plan.times), min(len(context.trial.t), MOST_SAMPLES)))
    return next(draws // k for k in (1, 2, 4, 5, 10, 20, 50, 100) if draws // k <= most or k == 100)


def _seed(seed: int, block: int, part: int) -> int:
    return int(np.random.SeedSequence([seed, block, part]).generate_state(1)[0])
