"""The inputs of accounts as they are read off a trial: at dates, from the fit of the span that a
date lies in, else from local fits; and through periods.

All are estimates on the same samples and facts, so that their covariance is kept.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.numerics.integrals import sudden_error, trapezoid_error
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.account_inputs import (
    DateValue,
    FactOf,
    InputKey,
    Integral,
    MassOf,
    Through,
)
from inertian.physics.accounts.collision_inputs import AccountError, CollisionFacts, in_frame
from inertian.physics.accounts.entries import SLOWING
from inertian.physics.accounts.statements import Date
from inertian.physics.definitions.derived_quantities import (
    ACCOUNT_FACTS,
    SETUP_FACTS,
    DerivedQuantity,
)
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.quantities.estimates import (
    Array,
    Estimate,
    JointScalars,
    SampleWeights,
    fact_part,
    joint_scalars,
    weighted_sum,
)

ORDERS = (Quantity.POSITION, Quantity.VELOCITY, Quantity.ACCELERATION)
BASELINE_ROWS = 3  # samples beside a push, at least, that tell where a gauge has its zero
FORMULAS = {
    Integral.WORK: DerivedQuantity("power of the gauge", "P_g", "W", "F v_x"),
    Integral.SQUARE: DerivedQuantity("speed squared", "v_2", "m²/s²", "v^2"),
    Integral.CUBE: DerivedQuantity("speed cubed", "v_3", "m³/s³", "v^3"),
}
WORK_ABOARD = DerivedQuantity("power of the gauge", "P_a", "W", "F v_lev")
FACT_LABELS = {one.symbol: one.label for one in (*SETUP_FACTS, *ACCOUNT_FACTS)}
FitOf = Callable[[str, Span], BodyFit | None]


@dataclass(eq=False)
class DateReader:
    """Reads a trial at the dates of an account and through its periods.

    `fit` gives the fit of a body over a steady span, or None where it does not hold. `slowing` are
    decelerations by friction in m/s², by body. `by` says afterwards which span each body was read
    from at each date, "" where it was local fits.
    """

    context: TrialContext
    fit: FitOf
    facts: CollisionFacts
    dates: Sequence[Date]
    slowing: Mapping[str, Estimate] = field(default_factory=dict)
    by: dict[tuple[str, int], str] = field(default_factory=dict)
    _read: dict[tuple[str, int], dict[InputKey, Estimate]] = field(default_factory=dict)

    def inputs(self, needed: Iterable[InputKey]) -> JointScalars:
        """Return inputs as correlated scalars in SI. Raises AccountError or NoValueError with what
        is missing.
        """
        named = {key: self.estimate(key) for key in needed}
        context = self.context
        offsets = [fact_part(key, fact) for key, fact in self.facts.offsets.values()]
        parts = [*context.fact_parts(named.values()), *offsets]
        return joint_scalars(named, context.clock_noise, parts, context.pools())

    def estimate(self, key: InputKey) -> Estimate:
        """Return one input as an estimate. Raises AccountError or NoValueError."""
        if isinstance(key, DateValue):
            if not self.tells(key):
                date = self.dates[key.date]
                raise NoValueError(
                    f"There are too few samples of {key.body} along {key.axis} about "
                    f"“{date.name}”, {date.t:.4g} s. Move that date."
                )
            return self._at(key.body, key.date)[key]
        if isinstance(key, MassOf):
            known = self.facts.masses.get(key.body)
            if known is None:
                raise AccountError(key.body, f"The mass of {key.body} is missing.")
            return Estimate(known[1].si, {}, {known[0]: 1.0})
        if isinstance(key, FactOf):
            return self._fact(key)
        if isinstance(key, Through):
            return self._through(key)
        raise AccountError(self.context.trial.name, f"{key} belongs to a contact.")

    def tells(self, key: DateValue) -> bool:
        """Return whether a motion can be read at a date. Raises NoValueError where there are too
        few samples for position or velocity.
        """
        return key in self._at(key.body, key.date)

    def _fact(self, key: FactOf) -> Estimate:
        if key.symbol == SLOWING:
            return self.slowing[key.body]
        for body in (key.body, ""):
            known = self.context.setup.get((key.symbol, body))
            if known is not None:
                return Estimate(known[1].si, {}, {known[0]: 1.0})
        raise NoValueError(f"The setup does not say {FACT_LABELS.get(key.symbol, key.symbol)} yet.")

    # -- at a date ---------------------------------------------------------------------------------

    def _at(self, body: str, place: int) -> dict[InputKey, Estimate]:
        """Position, velocity and acceleration of a body at a date along all its axes."""
        if (body, place) not in self._read and not self.context.trial.body(body).axes:
            self._read[body, place] = self._aboard(body, place)
        if (body, place) not in self._read:
            date = self.dates[place]
            span = self.span_at(body, date)
            made = self.fit(body, span) if span is not None else None
            self.by[body, place] = span.name if made is not None and span is not None else ""
            self._read[body, place] = (
                self._by_local_fits(body, place, date)
                if made is None
                else in_frame(
                    {
                        DateValue(order, body, axis, place): made.estimate(
                            axis, date.t, order, None
                        )
                        for axis in made.fits
                        for order in range(len(ORDERS))
                    },
                    self.facts,
                )
            )
        return self._read[body, place]

    def span_at(self, body: str, date: Date) -> Span | None:
        """Return the steady span of a body whose fit is read at a date: the one it lies in, or the
        nearest on its side, with no event between.
        """
        own = self.context.spans.of(body)
        steady = [s for s in own if s.kind.steady]
        inside = [s for s in steady if s.start <= date.t <= s.stop]
        if inside:
            return inside[-1] if date.side > 0 else inside[0]
        if date.side < 0:
            before = [s for s in steady if s.stop <= date.t]
            near = max(before, key=lambda s: s.stop, default=None)
            between = (near.stop, date.t) if near else (0.0, 0.0)
        elif date.side > 0:
            since = [s for s in steady if s.start >= date.t]
            near = min(since, key=lambda s: s.start, default=None)
            between = (date.t, near.start) if near else (0.0, 0.0)
        else:
            return None
        events = (s for s in own if s.kind.event)
        apart = any(e.start < between[1] and e.stop > between[0] for e in events)
        return None if apart else near

    def _aboard(self, body: str, place: int) -> dict[InputKey, Estimate]:
        """The velocity of a body that was not followed, gained since the first date as the
        accelerometer aboard has it, which is taken to be level while the body rests.
        """
        t = self.context.trial.t
        rows = np.array(
            [min(int(np.searchsorted(t, self.dates[k].t)), len(t) - 1) for k in (0, place)]
        )
        shown = QuantityRef(Quantity.DERIVED, "v_lev", "m/s")
        values = quantity_values(self.context, shown, body, t[rows], rows)
        gained = values.estimate(np.array([-1.0, 1.0])) if place else Estimate(0.0)
        return {DateValue(1, body, "x", place): gained}

    def _by_local_fits(self, body: str, place: int, date: Date) -> dict[InputKey, Estimate]:
        found: dict[InputKey, Estimate] = {}
        time = np.nextafter(date.t, np.inf * date.side) if date.side else date.t
        for axis in self.context.trial.body(body).axes:
            for order, quantity in enumerate(ORDERS):
                shown = QuantityRef(quantity, axis)
                values = quantity_values(self.context, shown, body, np.array([time]))
                if np.isfinite(values.values).all():
                    found[DateValue(order, body, axis, place)] = values.estimate(np.ones(1))
                elif order < 2:
                    raise NoValueError(
                        f"There are too few samples of {body} about “{date.name}”, "
                        f"{date.t:.4g} s. Move that date."
                    )
        return found

    # -- through a period --------------------------------------------------------------------------

    def _through(self, key: Through) -> Estimate:
        start, stop = self.dates[key.period].t, self.dates[key.period + 1].t
        if key.what is Integral.PATH and len(self.context.trial.body(key.body).axes) == 1:
            return self._path(key.body, key.period)
        if key.what is Integral.IMPULSE:
            return self.impulse(key.body, key.axis, start, stop)
        if key.what is Integral.PATH:
            shown = QuantityRef(Quantity.SPEED)
        else:
            aboard = key.what is Integral.WORK and not self.context.trial.body(key.body).axes
            one = WORK_ABOARD if aboard else FORMULAS[key.what]
            shown = QuantityRef(Quantity.DERIVED, one.symbol, one.unit)
        return integral(self._with_formulas, shown, key.body, start, stop)

    @cached_property
    def _with_formulas(self) -> TrialContext:
        """The trial with the formulas that periods are summed up by."""
        own = {one.symbol: one for one in (*FORMULAS.values(), WORK_ABOARD)}
        return replace(self.context, derived={**self.context.derived, **own})

    def _path(self, body: str, period: int) -> Estimate:
        """The way along one axis: between the dates, and the turning points there are between."""
        axis = self.context.trial.body(body).axes[0]
        start, stop = self.dates[period], self.dates[period + 1]
        turns = [
            0.5 * (s.start + s.stop)
            for s in self.context.spans.of(body)
            if s.kind is SpanKind.TURN and start.t < 0.5 * (s.start + s.stop) < stop.t
        ]
        shown = QuantityRef(Quantity.POSITION, axis)
        inner = [
            quantity_values(self.context, shown, body, np.array([t])).estimate(np.ones(1))
            for t in turns
        ]
        places = [
            self._at(body, period)[DateValue(0, body, axis, period)],
            *inner,
            self._at(body, period + 1)[DateValue(0, body, axis, period + 1)],
        ]
        terms: list[tuple[float, Estimate]] = []
        for one, two in pairwise(places):
            way = 1.0 if two.value >= one.value else -1.0
            terms += [(way, two), (-way, one)]
        return weighted_sum(terms)

    def impulse(self, body: str, axis: str, start: float, stop: float) -> Estimate:
        """Return the impulse of a recorded force in N·s between two times in s, above its zero as
        the quiet spans before and after tell it. Raises NoValueError.
        """
        whole = integral(self.context, QuantityRef(Quantity.SENSOR, axis), body, start, stop)
        level = self._baseline(body, axis, start, stop)
        return whole if level is None else weighted_sum([(1.0, whole), (-1.0, level)])

    def _baseline(self, body: str, axis: str, start: float, stop: float) -> Estimate | None:
        """∫ of the line through the quiet samples on both sides; of a constant, where there are
        some on one side only.
        """
        context = self.context
        t, y = context.trial.t, context.sensor(body, axis).si
        quiet = np.zeros(len(t), dtype=bool)
        for span in context.spans:
            if span.kind.steady:
                quiet[span.rows(t)] = True
        quiet &= np.isfinite(y) & ((t < start) | (t > stop))
        rows = np.flatnonzero(quiet)
        if len(rows) < BASELINE_ROWS:
            return None
        sides = (int(np.sum(t[rows] < start)), int(np.sum(t[rows] > stop)))
        tau = t[rows] - t[rows].mean()
        weights = np.full(len(rows), 1.0 / len(rows))
        if min(sides) >= BASELINE_ROWS:
            middle = 0.5 * (start + stop) - t[rows].mean()
            weights = weights + middle * tau / (tau @ tau)
        spread = np.zeros(rows[-1] - rows[0] + 1)
        spread[rows - rows[0]] = weights * (stop - start)
        channel = context.trial.channel_id(body, axis)
        value = float(spread[rows - rows[0]] @ y[rows])
        return Estimate(value, {channel: SampleWeights(int(rows[0]), spread)})


def integral(
    context: TrialContext, shown: QuantityRef, body: str, start: float, stop: float
) -> Estimate:
    """Return ∫ of a quantity over time in SI between two times in s, as straight lines between
    samples have it, with what that may leave out (trapezoid rule; Davis & Rabinowitz, *Methods of
    Numerical Integration*, 2nd ed., 1984, 2.1). Raises NoValueError where samples are missing.
    """
    t = context.trial.t
    first = max(int(np.searchsorted(t, start, "right")) - 1, 0)
    last = min(int(np.searchsorted(t, stop, "left")), len(t) - 1)
    rows = np.arange(first, last + 1)
    whole = quantity_values(context, shown, body, t[rows], rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < 2:
        raise NoValueError(f"There are too few samples from {start:.4g} s to {stop:.4g} s.")
    c = np.zeros(len(rows))
    c[good] = _line_weights(t[rows[good]], start, stop)
    estimate = whole.estimate(c)
    y = whole.values[good]
    variance = np.zeros(len(y))
    if shown.quantity is Quantity.SENSOR:
        noise = context.clock_noise.reading[context.trial.channel_id(body, shown.axis)][1]
        variance = noise.of_one(len(t))[rows[good]]
    left = float(
        np.hypot(trapezoid_error(t[rows[good]], y), sudden_error(t[rows[good]], y, variance))
    )
    slopes = {**estimate.sensitivities, context.rule_bias_fact: left}
    return Estimate(estimate.value, estimate.weights, slopes)


def _line_weights(t: Array, start: float, stop: float) -> Array:
    """What each of n samples at times t in s counts for in ∫ of the straight lines between them,
    from start to stop; what lies beyond the first and the last keeps their values.
    """
    found = np.zeros(len(t))
    low, high = np.clip(t[:-1], start, stop), np.clip(t[1:], start, stop)
    length, step = high - low, np.diff(t)
    right = (0.5 * (low + high) - t[:-1]) / step  # where the middle of each piece is, 0 to 1
    found[:-1] += length * (1.0 - right)
    found[1:] += length * right
    found[0] += max(t[0] - start, 0.0)
    found[-1] += max(stop - t[-1], 0.0)
    return found
