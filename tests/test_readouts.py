"""Quantities and their uncertainties against motions whose truth is known in closed form."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import recording
from inertian.motion.derivatives.local_derivatives import WindowRequest
from inertian.motion.derivatives.local_fit_cache import LocalFitCache
from inertian.motion.derivatives.local_fits import ChannelSamples
from inertian.motion.noise.reading_noise import InstrumentNoise
from inertian.motion.numerics.circles import CircleError, fit_circle
from inertian.motion.numerics.local_polynomials import local_operator
from inertian.motion.recording.frame import (
    ANGLE,
    CENTRE,
    FILE_FRAME,
    Frame,
    in_frame,
    lowest,
    zero_key,
)
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.derived_quantities import DerivedQuantity
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE, mass_key
from inertian.physics.definitions.reading_units import unit_of_reading
from inertian.physics.definitions.requests import (
    TOTAL,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.quantity_values import at_all_samples, quantity_values
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.physics.readings.budgets import budget_of
from inertian.physics.readings.readings import at_moment, over_span, read_named, scalars
from inertian.quantities.estimates import Pools
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

T = np.arange(200) * 0.01
WHOLE = Spans([Span("all", SpanKind.FREE, 0.0, 2.0)])
KG, RAD, METRE = unit_of("mass", "kg"), unit_of("angle", "rad"), unit_of("length", "m")
QUIET = InstrumentNoise(1e-4, 0.0, np.inf, Pools())


def mass(body, value, u=0.0):
    meaning = Meaning.STANDARD if u else Meaning.EXACT
    return {body: (FactId(mass_key(body)), Fact(value, u, meaning, KG))}


def context_of(trial, frame=FILE_FRAME, masses=None, shared=None, noise=QUIET, spans=WHOLE):
    return TrialContext(trial, spans, frame, noise, masses or {}, shared or {})


def circling(radius=0.4, omega=3.0, centre=(1.2, -0.3), turns_in=0.0):
    phi = 0.5 + omega * T + 0.5 * turns_in * T**2
    places = {"x": centre[0] + radius * np.cos(phi), "y": centre[1] + radius * np.sin(phi)}
    return recording(T, {"disc": places}), phi


def test_a_disc_on_the_ice_has_its_angle_speed_and_radius():
    trial, phi = circling(turns_in=-0.8)
    context = context_of(trial, Frame(centre=(1.2, -0.3)))
    angle, _ = at_all_samples(context, QuantityRef(Quantity.ANGLE), "disc")
    assert np.diff(angle) == pytest.approx(np.diff(phi), abs=1e-12)  # through 2π without a jump
    by_hand = replace(context, window=WindowRequest(samples=9))
    omega, u = at_all_samples(by_hand, QuantityRef(Quantity.ANGULAR_SPEED), "disc")
    assert omega[1:] == pytest.approx((3.0 - 0.8 * T)[1:], abs=0.01)  # the first is extrapolated
    # Of a quartic through 9 samples
    slope = np.linalg.norm([86, 142, 193, 126]) * np.sqrt(2.0) / 1188
    assert np.median(u) == pytest.approx(1e-4 / 0.4 / 0.01 * slope, rel=0.01)
    radius, _ = at_all_samples(context, QuantityRef(Quantity.RADIUS), "disc")
    assert radius == pytest.approx(np.full(200, 0.4))
    slope = at_moment(context, QuantityRef(Quantity.ANGLE), "disc", 1.0)[ReadingKind.SLOPE]
    assert slope.value == pytest.approx(2.2, abs=1e-3)


def angle_between(context, times):
    ask = NamedReading("turned", ReadingKind.DIFFERENCE, QuantityRef(Quantity.ANGLE), "disc", times)
    return read_named(context, ask).value


@given(
    st.floats(-14.0, 14.0),
    st.floats(-6.0, 6.0),
    st.tuples(st.floats(0.05, 1.95), st.floats(0.05, 1.95)).filter(
        lambda p: abs(p[0] - p[1]) > 0.05
    ),
)
@settings(max_examples=20)
def test_a_change_of_an_angle_counts_every_turn_in_either_direction(omega, faster, times):
    trial, _ = circling(omega=omega, turns_in=faster)
    context = context_of(trial, Frame(centre=(1.2, -0.3)))
    a, b = times
    truth = omega * (b - a) + 0.5 * faster * (b**2 - a**2)
    assert angle_between(context, times) == pytest.approx(truth, abs=0.01)


@pytest.mark.parametrize("sign", [1.0, -1.0])
@pytest.mark.parametrize(("rows", "hidden"), [(30, True), (8, False)])
def test_a_gap_that_may_hide_a_turn_is_said_and_a_short_one_is_not(sign, rows, hidden):
    trial, _phi = circling(omega=sign * 14.0)
    x, y = (np.array(trial.body("disc").channel(axis).si) for axis in "xy")
    x[80 : 80 + rows] = np.nan  # 0.3 s, in which the disc turns by 4 rad; or 0.08 s, by 1.1 rad
    context = context_of(recording(T, {"disc": {"x": x, "y": y}}), Frame(centre=(1.2, -0.3)))
    if hidden:
        with pytest.raises(NoValueError, match="whole turn"):
            angle_between(context, (0.5, 1.5))
    else:
        assert angle_between(context, (0.5, 1.5)) == pytest.approx(sign * 14.0, abs=0.01)
    assert angle_between(context, (0.2, 0.7)) == pytest.approx(sign * 7.0, abs=0.01)  # beside it


def test_a_centre_is_found_with_an_honest_uncertainty_and_refused_where_there_is_none():
    trial, _ = circling(omega=1.0)  # two radians of it
    x, y = (trial.body("disc").channel(a).si for a in "xy")
    rng, pulls = np.random.default_rng(1), []
    for _ in range(300):
        circle = fit_circle(x + rng.normal(0, 2e-3, 200), y + rng.normal(0, 2e-3, 200))
        pulls.append(
            [
                (circle.x - 1.2) / circle.u[0],
                (circle.y + 0.3) / circle.u[1],
                (circle.r - 0.4) / circle.u[2],
            ]
        )
    assert np.std(pulls, axis=0) == pytest.approx(np.ones(3), abs=0.15)
    assert np.mean(pulls, axis=0) == pytest.approx(np.zeros(3), abs=0.25)
    with pytest.raises(CircleError, match="at least 5"):
        fit_circle(x[:4], y[:4])
    with pytest.raises(CircleError, match="on a line"):
        fit_circle(T, 2.0 * T)
    with pytest.raises(CircleError, match="bend too little"):
        fit_circle(T[:30], 1e-4 * rng.normal(size=30))


def test_the_centre_carries_its_uncertainty_into_an_angle():
    trial, _ = circling()
    key, fact = FactId(CENTRE["y"], "trial made"), Fact(-0.3, 0.004, Meaning.STANDARD, METRE)
    plain = context_of(trial, Frame(centre=(1.2, -0.3)))
    known = context_of(trial, Frame(centre=(1.2, -0.3)), shared={CENTRE["y"]: (key, fact)})
    row = np.array([0])
    us = [
        scalars(
            s,
            {
                "φ": quantity_values(s, QuantityRef(Quantity.ANGLE), "disc", T[row], row).estimate(
                    np.ones(1)
                )
            },
        )["φ"].u
        for s in (plain, known)
    ]
    assert us[1] == pytest.approx(np.hypot(us[0], 0.004 * np.cos(0.5) / 0.4), rel=1e-3)


def two_stones():
    heavy = {"x": 0.2 + 0.9 * T, "y": 0.1 * T}
    light = {"x": 2.0 - 0.4 * T, "y": 0.3 - 0.2 * T}
    return recording(T, {"heavy": heavy, "light": light})


def test_totals_add_up_and_their_masses_share_the_blame():
    masses = mass("heavy", 19.1, 0.1) | mass("light", 11.3, 0.2)
    context = context_of(two_stones(), masses=masses)
    momentum, _ = at_all_samples(context, QuantityRef(Quantity.MOMENTUM, "x"), TOTAL)
    assert momentum == pytest.approx(np.full(200, 19.1 * 0.9 - 11.3 * 0.4))
    energy, u = at_all_samples(context, QuantityRef(Quantity.KINETIC), TOTAL)
    squares = np.array([0.9**2 + 0.1**2, 0.4**2 + 0.2**2])
    assert energy == pytest.approx(np.full(200, 0.5 * (19.1 * squares[0] + 11.3 * squares[1])))
    estimate = over_span(context, QuantityRef(Quantity.KINETIC), TOTAL, WHOLE[0], ReadingKind.MEAN)
    found = scalars(context, {"E": estimate})["E"]
    assert found.u == pytest.approx(0.5 * np.hypot(0.1 * squares[0], 0.2 * squares[1]), rel=0.02)
    assert np.median(u) > 0.999 * found.u  # one moment is not known better than the mean
    size, _ = at_all_samples(context, QuantityRef(Quantity.MOMENTUM, "magnitude"), "light")
    assert size == pytest.approx(np.full(200, 11.3 * np.hypot(0.4, 0.2)))


@pytest.mark.parametrize(
    ("shown", "lengths", "rates"),
    [
        (QuantityRef(Quantity.POSITION, "x"), 1, 0),
        (QuantityRef(Quantity.VELOCITY, "y"), 1, 1),
        (QuantityRef(Quantity.SPEED), 1, 1),
        (QuantityRef(Quantity.ACCELERATION, "magnitude"), 1, 2),
        (QuantityRef(Quantity.MOMENTUM, "x"), 1, 1),
        (QuantityRef(Quantity.KINETIC), 2, 2),
        (QuantityRef(Quantity.ANGULAR_SPEED), 0, 1),
    ],
)
def test_scale_and_time_base_stretch_each_quantity_by_its_dimensions(shown, lengths, rates):
    trial, _ = circling(turns_in=0.5)
    shared = {
        SCALE: (FactId(SCALE, "series s"), Fact(1.0, 0.02, Meaning.STANDARD, KG)),
        TIME_BASE: (FactId(TIME_BASE, "series s"), Fact(1.0, 0.03, Meaning.STANDARD, KG)),
    }
    quiet = InstrumentNoise(1e-12, 0.0, np.inf, Pools())
    context = context_of(trial, Frame(centre=(1.2, -0.3)), mass("disc", 2.0), shared, quiet)
    values, u = at_all_samples(context, shown, "disc")
    assert u[100] == pytest.approx(
        abs(values[100]) * np.hypot(0.02 * lengths, 0.03 * rates), rel=1e-6
    )
    assert unit_of_reading(shown, ReadingKind.TREND)
    assert unit_of_reading(shown, ReadingKind.RATIO) == ""


@given(st.floats(-3.0, 3.0), st.sampled_from(["x", "y"]), st.sampled_from([(), ("x",), ("y",)]))
@settings(max_examples=20)
def test_the_angle_of_the_axes_moves_components_as_turning_them_does(theta, axis, flipped):
    # Of no decimal step, which would be an error of its own
    trial = recording(T, {"heavy": {"x": np.sqrt(0.8) * T, "y": np.sqrt(0.011) * T}})
    key, fact = FactId(ANGLE, "trial made"), Fact(theta, 0.01, Meaning.STANDARD, RAD)
    frame = Frame(angle=theta, flipped=flipped)
    quiet = InstrumentNoise(1e-12, 0.0, np.inf, Pools())
    context = context_of(in_frame(trial, frame), frame, shared={ANGLE: (key, fact)}, noise=quiet)
    _, u = at_all_samples(context, QuantityRef(Quantity.VELOCITY, axis), "heavy")
    turned = context_of(in_frame(trial, replace(frame, angle=theta + 1e-6)), noise=quiet)
    plain, more = (
        at_all_samples(s, QuantityRef(Quantity.VELOCITY, axis), "heavy")[0][50]
        for s in (context, turned)
    )
    assert u[50] == pytest.approx(0.01 * abs(more - plain) / 1e-6, rel=1e-3, abs=1e-8)
    speed = at_all_samples(context, QuantityRef(Quantity.SPEED), "heavy")[1]
    assert speed[50] == pytest.approx(0.0, abs=1e-9)  # a length does not turn


def test_the_slope_of_an_energy_is_the_rate_that_a_formula_has():
    t = np.arange(80) * 0.02
    x = 0.4 * np.sin(3.0 * t) + 2e-4 * np.random.default_rng(2).normal(size=80)
    power = DerivedQuantity("power", "P", "W", "rate(½ m v²)")
    context = replace(
        context_of(recording(t, {"bob": {"x": x}}), masses=mass("bob", 2.0, 0.01)),
        derived={"P": power},
    )
    slope = at_moment(context, QuantityRef(Quantity.KINETIC), "bob", 0.613)[ReadingKind.SLOPE]
    formula = QuantityRef(Quantity.DERIVED, "P", "W")
    found = at_moment(context, formula, "bob", 0.613)
    assert ReadingKind.SLOPE not in found  # it would be the rate of a rate
    value = found[ReadingKind.VALUE]
    both = scalars(context, {"slope": slope, "value": value})
    assert both["slope"].value == pytest.approx(both["value"].value, rel=1e-12)
    assert both["slope"].u == pytest.approx(both["value"].u, rel=1e-9)
    true = 2.0 * (1.2 * np.cos(3.0 * 0.613)) * (-3.6 * np.sin(3.0 * 0.613))
    assert abs(both["slope"].value - true) < 4.0 * both["slope"].u < 1.0
    momentum = QuantityRef(Quantity.MOMENTUM, "x")
    force = scalars(context, {"": at_moment(context, momentum, "bob", 0.613)[ReadingKind.SLOPE]})
    assert abs(force[""].value + 2.0 * 3.6 * np.sin(3.0 * 0.613)) < 4.0 * force[""].u < 2.0


def test_the_slope_of_a_total_adds_up_over_the_bodies():
    masses = mass("heavy", 19.1, 0.1) | mass("light", 11.3, 0.2)
    t = T - 1.0
    trial = recording(T, {"heavy": {"x": 0.5 * t**2}, "light": {"x": -0.3 * t**2}})
    context = context_of(trial, masses=masses)
    for quantity, true in (
        (QuantityRef(Quantity.MOMENTUM, "x"), 19.1 - 0.6 * 11.3),
        (QuantityRef(Quantity.KINETIC), (19.1 + 0.36 * 11.3) * 0.3),
    ):
        found = at_moment(context, quantity, TOTAL, 1.3)[ReadingKind.SLOPE]
        assert found.value == pytest.approx(true, rel=1e-4)


def test_the_least_and_the_greatest_are_those_of_the_motion_and_not_of_its_noise():
    """Of sixty samples at rest the greatest was 2.3 σ too large, with a ± of 1 σ: never covered."""
    inside = []
    for k in range(30):
        rng, t = np.random.default_rng(k), np.linspace(0.0, 3.0, 60)
        true = 0.2 * np.sin(4.0 * t + k) if k % 2 else 0.3 + 0.0 * t
        noise = InstrumentNoise(2e-3, 0.0, np.inf, Pools())
        spans = Spans((Span("s", SpanKind.FREE, -0.01, 3.01),))
        trial = recording(t, {"bob": {"x": true + 2e-3 * rng.normal(size=60)}})
        context = context_of(trial, spans=spans, noise=noise)
        for kind, wanted in ((ReadingKind.LEAST, true.min()), (ReadingKind.GREATEST, true.max())):
            shown = QuantityRef(Quantity.POSITION, "x")
            found = over_span(context, shown, "bob", spans.named("s"), kind)
            one = scalars(context, {"": found})[""]
            inside.append(abs(one.value - wanted) < one.k95 * one.u)
            assert abs(one.value - wanted) < 5e-3  # 2.5 σ of a reading
    assert np.mean(inside) > 0.75


def with_force(zero=0.25):
    rng = np.random.default_rng(4)
    force = np.where((T > 0.8) & (T < 1.0), 12.0, 0.0) + zero + rng.normal(0, 0.05, 200)
    newton = unit_of("force", "N")
    body = Body("sled", (Channel("x", "x", METRE, 0.5 * T),), (Channel("F", "F", newton, force),))
    return Trial("f", "f", "t", unit_of("time", "s"), T, (body,))


def test_a_force_is_zeroed_over_a_quiet_span_and_its_impulse_knows_the_zero():
    trial = with_force()
    zero = float(trial.body("sled").sensors[0].si[:70].mean())
    frame = Frame(zeros=(("sled", "F", zero),))
    key = FactId(zero_key("sled", "F"), "trial f")
    fact = Fact(zero, 0.05 / np.sqrt(70), Meaning.STANDARD, unit_of("force", "N"))
    span = Span("push", SpanKind.PUSH, 0.7, 1.1)
    context = context_of(
        in_frame(trial, frame), frame, shared={key.name: (key, fact)}, spans=Spans([*WHOLE, span])
    )
    area = over_span(context, QuantityRef(Quantity.SENSOR, "F"), "sled", span, ReadingKind.AREA)
    found = scalars(context, {"J": area})["J"]
    assert found.value == pytest.approx(12.0 * 0.19, abs=0.08)
    # Where between two samples a force of 12 N sets in and ends, nothing says: two rectangles
    derived, offset, sudden = 0.05 * 0.01 * np.sqrt(40), 0.4 * fact.u, 12.0 * 0.01 / np.sqrt(6.0)
    assert found.u == pytest.approx(np.hypot(np.hypot(derived, offset), sudden), rel=0.2)
    spread = over_span(
        context,
        QuantityRef(Quantity.SENSOR, "F"),
        "sled",
        Span("q", SpanKind.FREE, 0, 0.7),
        ReadingKind.SPREAD,
    )
    assert spread.value == pytest.approx(0.05, rel=0.25)


@pytest.mark.parametrize(
    ("shown", "body", "why"),
    [
        (QuantityRef(Quantity.VELOCITY, "y"), "sled", "not followed along y"),
        (QuantityRef(Quantity.KINETIC), "sled", "mass of sled is not known"),
        (QuantityRef(Quantity.ANGLE), "sled", "centre of rotation"),
        (QuantityRef(Quantity.SENSOR, "a"), "sled", "no such sensor"),
    ],
)
def test_what_is_missing_is_said(shown, body, why):
    context = context_of(with_force())
    with pytest.raises(NoValueError, match=why):
        at_all_samples(context, shown, body)
    with pytest.raises(NoValueError, match=why):
        quantity_values(context, shown, body, np.array([0.5]))


def test_readings_at_walls_stay_on_their_side():
    x = np.where(T < 1.0, 0.8 * T, 0.8 - 0.5 * (T - 1.0))
    spans = Spans(
        [Span("hit", SpanKind.CONTACT, 0.985, 1.015), Span("after", SpanKind.FREE, 1.015, 2.0)]
    )
    context = context_of(recording(T, {"a": {"x": x}}), spans=spans)
    shown = QuantityRef(Quantity.VELOCITY, "x")
    for time, speed in ((0.9849, 0.8), (1.0151, -0.5), (0.2, 0.8), (1.9, -0.5)):
        assert at_moment(context, shown, "a", time)[ReadingKind.VALUE].value == pytest.approx(speed)
    # Three samples across the hit tell nothing
    assert ReadingKind.VALUE not in at_moment(context, shown, "a", 1.0)
    change = over_span(
        context, QuantityRef(Quantity.POSITION, "x"), "a", spans[1], ReadingKind.CHANGE
    )
    assert change.value == pytest.approx(-0.5 * 0.985)
    with pytest.raises(NoValueError, match="too few samples"):
        over_span(context, shown, "a", spans[0], ReadingKind.MEAN)


@given(st.integers(0, 10_000), st.floats(0, 1.7e9), st.integers(1, 2), st.booleans())
@settings(max_examples=40)
def test_local_fits_are_exact_on_parabolas_at_any_spacing_and_offset(seed, offset, order, even):
    rng = np.random.default_rng(seed)
    t = (np.arange(60) * 0.02 if even else np.cumsum(rng.uniform(0.005, 0.035, 60))) + offset
    local = t - offset
    a, b, c = rng.uniform(-2, 2, 3)
    x = a + b * local + c * local**2
    fits = LocalFitCache().fits(ChannelSamples("a", "x", t, x), [])
    value = fits.estimated(order).value
    exact = b + 2 * c * local if order == 1 else np.full(60, 2 * c)
    fine = 1e-9 + 3e-7 * (offset > 1.0) * 60**order  # what the stored times still tell
    assert value == pytest.approx(exact, abs=100 * fine)
    for operator in (fits.operator(t, order), local_operator(t, np.arange(60), t, [], order)):
        assert operator.applied(x) == pytest.approx(exact, abs=100 * fine)
        assert operator.matrix() @ (x - a) == pytest.approx(exact, abs=100 * fine)
        assert operator.norm == pytest.approx(np.linalg.norm(operator.matrix(), axis=1), rel=1e-9)
        assert operator.product(operator) == pytest.approx(operator.norm**2, rel=1e-9)
        c = rng.normal(0, 1, 60)
        gathered = operator.gathered(c)
        whole = np.zeros(60)
        whole[gathered.start : gathered.stop] = gathered.values
        assert whole == pytest.approx(
            c @ operator.matrix(), abs=1e-9 * np.abs(operator.matrix()).max()
        )
    assert fits.estimated(order).norm == pytest.approx(fits.operator(t, order).norm, rel=1e-4)


def test_the_lowest_point_is_over_all_bodies():
    trial = two_stones()
    assert lowest(trial, "y") == pytest.approx(float((0.3 - 0.2 * T).min()))


WALLS = (
    st.lists(st.floats(0.5, 9.5), min_size=2, max_size=6),
    st.integers(0, 1000),
    st.integers(1, 2),
)


@given(*WALLS)
@settings(max_examples=4)
def test_moved_walls_change_what_they_touch_and_nothing_else(times, seed, order):
    check_moved_walls(times, seed, order)


@pytest.mark.slow
@given(*WALLS)
@settings(max_examples=25)
def test_many_moved_walls_change_what_they_touch_and_nothing_else(times, seed, order):
    check_moved_walls(times, seed, order)


def check_moved_walls(times, seed, order):
    rng = np.random.default_rng(seed)
    n = 20_500
    t = np.arange(n) * (10.0 / n) + rng.uniform(0, 1e-4, n)
    x = np.sin(t) + rng.normal(0, 1e-3, n)
    x[rng.integers(0, n, 40)] = np.nan
    known, channel = LocalFitCache(), ChannelSamples("a", "x", t, x)
    for k in range(0, len(times) - 1, 2):
        walls = sorted(times[k : k + 2])
        found = known.of(channel, order, walls)
        exact = LocalFitCache().of(channel, order, walls)
        assert np.array_equal(np.isnan(found.value), np.isnan(exact.value))
        assert np.nanmax(np.abs(found.value - exact.value)) <= 1e-6 * np.nanmax(np.abs(exact.value))
        assert found.norm == pytest.approx(exact.norm, rel=1e-6, nan_ok=True)
        assert found.bias == pytest.approx(exact.bias, rel=1e-6, abs=1e-12, nan_ok=True)


@pytest.mark.parametrize("even", [True, False])
def test_readings_of_a_long_recording_are_those_of_the_motion(even):
    rng, n = np.random.default_rng(3), 30_000
    t = (
        np.arange(n) * 2.0 / n
        if even
        else np.sort(rng.uniform(0.0, 0.8, n) + np.arange(n)) * 2.0 / n
    )
    trial = recording(t, {"a": {"x": 0.3 * np.sin(3.0 * t) + 1e-3 * rng.normal(size=n)}})
    span = Span("part", SpanKind.FREE, 0.3, 1.7)
    context = context_of(trial, spans=Spans([span]))
    context = replace(
        context,
        noise=replace(context.noise, reading=1e-3),
        derived={"Q": DerivedQuantity("", "Q", "m²/s²", "v_x²")},
    )
    moved = 0.3 * (np.sin(5.1) - np.sin(0.9))
    for kind, truth in ((ReadingKind.MEAN, moved / 1.4), (ReadingKind.AREA, moved)):
        found = scalars(
            context, {"": over_span(context, QuantityRef(Quantity.VELOCITY, "x"), "a", span, kind)}
        )[""]
        assert abs(found.value - truth) < 4.0 * found.u < 0.01
    shown = QuantityRef(Quantity.DERIVED, "Q", "m²/s²")
    value, u = at_all_samples(context, shown, "a")
    rows = np.array([100, 9_000, 15_003, 29_000])
    same = quantity_values(context, shown, "a", t[rows], rows)
    assert value[rows] == pytest.approx(same.values, rel=1e-6)
    for k, row in enumerate(rows):
        one = scalars(context, {"": same.estimate(np.eye(4)[k])})[""]
        assert u[row] == pytest.approx(one.u, rel=0.05)
    assert np.all(np.abs(value - (0.9 * np.cos(3.0 * t)) ** 2) < 6.0 * u + 1e-4)


# -- windows by the data, and what they leave out --------------------------------------------------


@st.composite
def interrupted(draw):
    """A recording with missing samples, a long gap and contacts: times, positions, walls."""
    rng = np.random.default_rng(draw(st.integers(0, 10_000)))
    n = draw(st.integers(12, 160))
    t = np.arange(n) * 0.02 if draw(st.booleans()) else np.cumsum(rng.uniform(0.008, 0.03, n))
    if draw(st.booleans()):
        t[n // 3 :] += 1.0
    x = np.sin(3.0 * t) + 1e-3 * rng.normal(size=n)
    x[rng.integers(0, n, n // 10)] = np.nan
    walls = sorted(rng.uniform(t[0], t[-1], 2 * draw(st.integers(0, 2))))
    return t, x, walls


@given(interrupted(), st.integers(0, 2))
@settings(max_examples=60)
def test_no_window_reaches_across_a_wall_or_a_gap_and_strips_are_what_operators_say(made, order):
    t, x, walls = made
    fits = LocalFitCache().fits(ChannelSamples("a", "x", t, x), walls)
    usable = fits.usable
    operator = fits.operator(t[usable], order)
    weights, derived = operator.matrix() != 0.0, t[usable]
    place = np.searchsorted(walls, derived)
    gap = np.searchsorted(
        np.flatnonzero(np.diff(derived) > 10.0 * np.median(np.diff(derived))),
        np.arange(len(derived)),
    )
    for row, used in enumerate(weights):
        assert np.all(place[used] == place[row])
        assert np.all(gap[used] == gap[row])
    found = fits.estimated(order)
    values, norms = operator.applied(x), operator.norm
    assert np.array_equal(np.isfinite(values), np.isfinite(found.value[usable]))
    size = np.nanmax(np.abs(values), initial=1.0)
    assert found.value[usable] == pytest.approx(values, abs=1e-6 * size, nan_ok=True)
    assert found.norm[usable] == pytest.approx(norms, rel=1e-6, nan_ok=True)


def test_a_window_too_wide_by_hand_owns_up_to_what_it_leaves_out():
    rng, t = np.random.default_rng(2), np.arange(300) * 0.01
    true = 0.3 * 6.0 * np.cos(6.0 * t)
    trial = recording(t, {"a": {"x": 0.3 * np.sin(6.0 * t) + 1e-4 * rng.normal(size=300)}})
    context = replace(context_of(trial), window=WindowRequest(seconds=1.2))
    v, u = at_all_samples(context, QuantityRef(Quantity.VELOCITY, "x"), "a")
    inner = slice(60, 240)
    norms = context.derivative("a", "x", 1).norm
    # Smoothed too much
    assert np.abs(v - true)[inner].max() > 20.0 * (context.noise.reading * norms)[inner].max()
    # Not just where what is left out changes sign
    assert np.mean(np.abs(v - true)[inner] < 3.0 * u[inner]) > 0.9
    mean = over_span(
        context,
        QuantityRef(Quantity.VELOCITY, "x"),
        "a",
        Span("s", SpanKind.FREE, 1.0, 1.1),
        ReadingKind.MEAN,
    )
    found = scalars(context, {"": mean})[""]
    assert abs(found.value - np.mean(true[100:111])) < 3.0 * found.u
    lines = budget_of(context, mean)
    assert lines[0].kind == "local fits"
    assert sum(line.share for line in lines) == pytest.approx(1.0)
