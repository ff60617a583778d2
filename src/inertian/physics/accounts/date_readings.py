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
from inertian.physics.accounts.drag_curves import DragCurve
from inertian.physics.accounts.events import push_spans
from inertian.physics.accounts.forms import ANGLE
from inertian.physics.accounts.interactions import TURNING, travel_between
from inertian.physics.accounts.period_integrals import impulse, integral
from inertian.physics.accounts.push_edges import PushEdges, push_edges
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.turning_readings import turning_at
from inertian.physics.definitions.derived_quantities import (
    ACCOUNT_FACTS,
    SETUP_FACTS,
    DerivedQuantity,
)
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import LeftOut, NoValueError, TrialContext
from inertian.quantities.estimates import (
    Estimate,
    JointScalars,
    fact_part,
    joint_scalars,
    weighted_sum,
)

ORDERS = (Quantity.POSITION, Quantity.VELOCITY, Quantity.ACCELERATION)
FORMULAS = {
    Integral.WORK: DerivedQuantity("power of the gauge", "P_g", "W", "F v_x"),
    Integral.SQUARE: DerivedQuantity("speed squared", "v_2", "m²/s²", "v^2"),
    Integral.CUBE: DerivedQuantity("speed cubed", "v_3", "m³/s³", "abs(v)^3"),
}
ALONG = {
    axis: DerivedQuantity(
        f"speed times velocity along {axis}", f"v_v{axis}", "m²/s²", f"abs(v) v_{axis}"
    )
    for axis in ("x", "y")
}
WORK_ABOARD = DerivedQuantity("power of the gauge", "P_a", "W", "F v_lev")
FACT_LABELS = {one.symbol: one.label for one in (*SETUP_FACTS, *ACCOUNT_FACTS)}
FitOf = Callable[[str, Span], BodyFit | None]


@dataclass(eq=False)
class DateReader:
    """Reads a trial at the dates of an account and through its periods.

    `fit` gives the fit of a body over a steady span, or None where it does not hold. `told` are
    facts that the motion itself tells, in SI, by symbol and body, such as a deceleration by
    friction; `curves` those of bodies that drag slows down. `by`
    says afterwards which span each body was read from at each date, "" where it was local fits.
    """

    context: TrialContext
    fit: FitOf
    facts: CollisionFacts
    dates: Sequence[Date]
    told: Mapping[tuple[str, str], Estimate] = field(default_factory=dict)
    curves: Mapping[str, DragCurve] = field(default_factory=dict)
    by: dict[tuple[str, int], str] = field(default_factory=dict)
    _read: dict[tuple[str, int], dict[InputKey, Estimate]] = field(default_factory=dict)
    _turned: dict[tuple[str, int], tuple[Estimate, Estimate, Estimate]] = field(
        default_factory=dict
    )

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
        if isinstance(key, DateValue) and key.axis == ANGLE:
            return self._turning(key.body, key.date)[key.order]
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
        for body in (key.body, ""):
            if (key.symbol, body) in self.told:
                return self.told[key.symbol, body]
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
            curve = self.curves.get(body)
            if curve is not None and span is not None and span.name == curve.span.name:
                self.by[body, place] = span.name
                plain = {
                    DateValue(order, body, curve.axis, place): curve.at(
                        self.context, body, date.t, order
                    )
                    for order in range(len(ORDERS))
                }
                self._read[body, place] = in_frame(plain, self.facts)
                return self._read[body, place]
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

    def _turning(self, body: str, place: int) -> tuple[Estimate, Estimate, Estimate]:
        """Angle, angular velocity and angular acceleration of a body at a date."""
        if (body, place) not in self._turned:
            date = self.dates[place]
            self._turned[body, place] = turning_at(self.context, body, date.t, date.side)
        return self._turned[body, place]

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
            return impulse(self.context, key.body, key.axis, start, stop)
        if key.what in (Integral.PUSHED_WAY, Integral.PUSHED_TIME):
            return self._pushed(key, start, stop)
        if key.what is Integral.DIRECTION:
            travel = travel_between(self.context, key.body, start, stop)
            turning = LeftOut(TURNING.format(body=key.body), f"trial {self.context.trial.id}")
            found = travel.lasting[key.axis]
            return Estimate(found, {}, {turning: travel.turning[key.axis]})
        powers = {Integral.SQUARE: (2, False), Integral.CUBE: (3, False)}
        powers[Integral.SIGNED_SQUARE] = (2, True)
        curve = self.curves.get(key.body)
        if key.what in powers and curve is not None and curve.covers(start, stop):
            return curve.summed(self.context, key.body, (start, stop), *powers[key.what])
        if key.what is Integral.PATH:
            shown = QuantityRef(Quantity.SPEED)
        elif key.what is Integral.PLACE:
            shown = QuantityRef(Quantity.POSITION, key.axis)
        elif key.what is Integral.SIGNED_SQUARE:
            shown = QuantityRef(Quantity.DERIVED, ALONG[key.axis].symbol, ALONG[key.axis].unit)
        else:
            aboard = key.what is Integral.WORK and not self.context.trial.body(key.body).axes
            one = WORK_ABOARD if aboard else FORMULAS[key.what]
            shown = QuantityRef(Quantity.DERIVED, one.symbol, one.unit)
        return integral(self._with_formulas, shown, key.body, start, stop)

    @cached_property
    def _with_formulas(self) -> TrialContext:
        """The trial with the formulas that periods are summed up by."""
        own = {one.symbol: one for one in (*FORMULAS.values(), *ALONG.values(), WORK_ABOARD)}
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

    def _pushed(self, key: Through, start: float, stop: float) -> Estimate:
        """The time in which a push acts that is known by its force, or the way in it: in the spans
        of a push, or all the time where there are none.
        """
        own = push_spans(self.context.spans.of(key.body))
        windows = [push_edges(self.context, key.body, key.axis, span) for span in own]
        terms = list[tuple[float, Estimate]]()
        ends = Estimate(start), Estimate(stop)
        for window in windows or [PushEdges(*ends)]:
            low = window.start if window.start.value > start else ends[0]
            high = window.stop if window.stop.value < stop else ends[1]
            if high.value > low.value:
                terms += [(1.0, self._moment(key, high)), (-1.0, self._moment(key, low))]
        return weighted_sum(terms)

    def _moment(self, key: Through, time: Estimate) -> Estimate:
        """A time, or the place of a body then."""
        if key.what is Integral.PUSHED_TIME:
            return time
        for place, date in enumerate(self.dates):
            if date.t == time.value:
                return self._at(key.body, place)[DateValue(0, key.body, key.axis, place)]
        at = np.array([time.value])
        known = [
            quantity_values(self.context, QuantityRef(order, key.axis), key.body, at)
            for order in ORDERS[:2]
        ]
        moved = weighted_sum([(float(known[1].values[0]), replace(time, value=0.0))])
        return weighted_sum([(1.0, known[0].estimate(np.ones(1))), (1.0, moved)])
