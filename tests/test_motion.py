"""Trials, spans, fits, noise, glide deceleration, local velocity and suggested spans."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from conftest import recording
from inertian.motion.derivatives.local_fit_cache import LocalFitCache
from inertian.motion.derivatives.local_fits import ChannelSamples
from inertian.motion.fits.condensed_samples import SpanSamples
from inertian.motion.fits.free_motion import FreeMotion, fit_body, shared_deceleration
from inertian.motion.fits.polynomial_fits import TooFewSamplesError, fit_samples
from inertian.motion.noise.reading_noise import (
    READINGS,
    STAMPS,
    component_variances,
    noise_of_free_motion,
)
from inertian.motion.noise.stated_noise import SCATTER_USED
from inertian.motion.recording.trials import TrialError
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Span, SpanError, SpanKind, Spans, move_edge, move_span

FREE, CONTACT = SpanKind.FREE, SpanKind.CONTACT


def fit_polynomial(t, x, degree, rows, sigma=None, span="span"):
    """Fit a polynomial to some rows of one channel, weighed by 1/σ² where σ is given."""
    used = np.isfinite(x[rows])
    local = t[rows] - t[0]
    at = local[used]
    ends = {"": (float(at[0]), float(at[-1]))}
    values = {"": np.where(used, x[rows], 0.0)}
    samples = SpanSamples(rows.start, float(t[0]), local, {"": used.astype(float)}, values, ends)
    return fit_samples(samples, "", degree, span, None if sigma is None else 1.0 / sigma[rows])


@settings(max_examples=60)
@given(
    st.integers(1, 2),
    st.floats(0, 1.7e9),
    st.floats(-5, 5),
    st.floats(-3, 3),
    st.floats(-2, 2),
    st.integers(0, 1000),
)
def test_fits_are_exact_on_their_own_polynomials_at_any_time_offset(degree, offset, a, b, c, seed):
    rng = np.random.default_rng(seed)
    local = np.sort(rng.uniform(0, 2, 40))
    t = offset + local
    local = t - offset  # what the stored times still say
    curvature = c if degree == 2 else 0.0
    x = a + b * local + curvature * local**2
    x[5] = np.nan
    fit = fit_polynomial(t, x, degree, slice(0, 40))
    size = np.nanmax(np.abs(x)) + 1.0
    assert fit.at(offset + 1.0) == pytest.approx(a + b + curvature, abs=1e-11 * size)
    assert fit.at(offset + 1.0, 1) == pytest.approx(b + 2 * curvature, abs=1e-9 * size)
    assert fit.sum_of_squares <= (1e-11 * size) ** 2 * 40
    assert fit.dof == 39 - degree - 1


def test_fit_covariance_agrees_with_a_simulation_and_weights_with_values():
    rng = np.random.default_rng(2)
    t = np.sort(rng.uniform(0, 1, 25))
    sigma = np.where(t < 0.5, 0.01, 0.03)
    fit = fit_polynomial(t, np.zeros(25), 1, slice(0, 25), sigma)
    weights = fit.weights(0.8, 1).values
    slopes = rng.normal(0, sigma, (20_000, 25)) @ weights
    assert np.std(slopes) == pytest.approx(np.sqrt(weights**2 @ sigma**2), rel=0.02)
    design = np.column_stack([np.ones(25), t]) / sigma[:, None]
    best = np.sqrt(np.linalg.inv(design.T @ design)[1, 1])  # Gauss-Markov: no weights do better
    assert np.sqrt(weights**2 @ sigma**2) == pytest.approx(best, rel=1e-9)


def test_chi_squared_and_coefficient_covariance_are_those_of_their_definition():
    rng = np.random.default_rng(6)
    t = np.sort(rng.uniform(0, 1, 30))
    draws = [
        fit_polynomial(t, 2 * t + rng.normal(0, 0.01, 30), 2, slice(0, 30)) for _ in range(4000)
    ]
    stated = draws[0].covariance(0.01**2)
    assert np.cov(np.array([fit.coefficients for fit in draws]).T) == pytest.approx(
        stated, rel=0.1, abs=3e-7
    )
    chi = np.array([fit.chi_squared(0.01**2) for fit in draws])
    assert chi.mean() == pytest.approx(draws[0].dof, rel=0.02)
    assert chi.var() == pytest.approx(2 * draws[0].dof, rel=0.1)


def test_a_span_with_too_few_samples_says_how_many_it_needs():
    with pytest.raises(
        TooFewSamplesError,
        match=r"“before” holds 1 usable samples; this fit needs 2\. Widen the span",
    ):
        fit_polynomial(
            np.arange(3.0), np.array([1.0, np.nan, np.nan]), 1, slice(0, 3), span="before"
        )


def test_trials_refuse_what_cannot_be_a_recording_and_lock_their_data():
    with pytest.raises(TrialError, match="time does not always increase"):
        recording([0, 2, 1], {"a": {"x": [1, 2, 3]}})
    with pytest.raises(TrialError, match="at least 2 samples"):
        recording([0], {"a": {"x": [1]}})
    with pytest.raises(TrialError, match="one value for each time stamp"):
        recording([0, 1], {"a": {"x": [1, 2, 3]}})
    raw = np.array([1.0, 2.0])
    trial = recording([0, 1], {"a": {"x": raw}})
    raw[0] = 99.0
    assert trial.bodies[0].channels[0].si[0] == 1.0
    with pytest.raises(ValueError, match="read-only"):
        trial.bodies[0].channels[0].si[0] = 5.0


THREE = Spans(
    (
        Span("before", FREE, 0.0, 1.0),
        Span("contact", CONTACT, 1.0, 1.2),
        Span("after", FREE, 1.2, 2.0),
    )
)


@settings(max_examples=300)
@example(
    [
        ("contact", "start", 0.0),
        ("contact", "stop", 0.0),
        ("after", "stop", 0.0),
        ("after", "start", 0.0),
    ]
)
@given(
    st.lists(
        st.tuples(
            st.sampled_from(["before", "contact", "after"]),
            st.sampled_from(["start", "stop", "body"]),
            st.floats(-3, 5),
        ),
        max_size=12,
    )
)
def test_no_gesture_makes_a_span_empty_or_lets_one_reach_across_the_contact(gestures):
    spans = THREE
    for name, part, value in gestures:
        if part == "body":
            spans = move_span(spans, name, value, 0.02, (0.0, 2.0))
        else:
            spans = move_edge(spans, name, part, value, 0.02, (0.0, 2.0))
        wall = spans.contact
        assert [s.name for s in spans] == ["before", "contact", "after"]
        assert all(s.length >= 0.02 - 1e-12 for s in spans)
        assert spans.named("before").stop <= wall.start
        assert spans.named("after").start >= wall.stop
        assert spans.named("before").start >= -1e-12
        assert spans.named("after").stop <= 2.0 + 1e-12


def test_an_empty_span_is_refused():
    with pytest.raises(SpanError, match="it would start at 1 s and end at 1 s"):
        Span("before", FREE, 1.0, 1.0)


def _glides(rng, spans, noise=0.0, jitter=0.0, a=0.1, n=60):
    """Recordings of one or two bodies that slow down with `a`; `spans` lists their starting
    speeds.
    """
    fits = []
    for number, speeds in enumerate(spans):
        t = np.arange(n) * 0.02
        shown = t + rng.normal(0, jitter, n)
        channels = {
            f"b{i}": {"x": v * shown - 0.5 * np.sign(v) * a * shown**2 + rng.normal(0, noise, n)}
            for i, v in enumerate(speeds)
        }
        trial = recording(t, channels, f"t{number}")
        span = Span("before", FREE, 0.0, float(t[-1]))
        fits.append([fit_body(trial, b.name, span, FreeMotion.GLIDE) for b in trial.bodies])
    return fits


def test_shared_deceleration_is_exact_without_noise_and_its_estimates_carry_it():
    fits = _glides(np.random.default_rng(0), [(1.5,), (-0.9,), (0.7,)], a=0.12)
    flat = [f for group in fits for f in group]
    a = shared_deceleration(flat)
    assert a == pytest.approx(0.12, rel=1e-10)
    velocity = flat[1].estimate("x", 1.0, 1, ("a", a))
    assert velocity.value == pytest.approx(-0.9 + 0.12, rel=1e-10)
    moved = flat[1].estimate("x", 1.0, 1, ("a", a + 1e-3))
    assert (moved.value - velocity.value) / 1e-3 == pytest.approx(
        velocity.sensitivities["a"], rel=1e-6
    )
    assert flat[1].estimate("x", 1.0, 2, ("a", a)).value == pytest.approx(0.12, rel=1e-10)
    assert np.abs(flat[0].residuals("x", a)).max() < 1e-12


def test_a_resting_body_has_no_direction_and_no_deceleration():
    fits = _glides(np.random.default_rng(4), [(0.0,)] * 3, noise=0.001)
    assert not any(f.moving for group in fits for f in group)
    assert shared_deceleration([f for group in fits for f in group]) is None


def test_line_estimates_and_the_deceleration_are_uncorrelated():
    fits = _glides(np.random.default_rng(0), [(1.5,), (0.8,)])
    flat = [f for group in fits for f in group]
    information = sum(f.information for f in flat)
    for fit in flat:
        of_a = fit.bent["x"] / information
        assert abs(fit.fits["x"].weights(0.5, 1).values @ of_a) < 1e-12


def test_readings_are_not_taken_for_free_of_noise_by_chance():
    """A few residuals larger where it was faster: else samples at rest would count for all."""
    speed2, mean, freedom = (
        np.array([0.116, 0.0526]),
        np.array([2.02e-6, 7.04e-7]),
        np.array([14.0, 35.0]),
    )
    a, b, _ = component_variances(speed2, mean * freedom, freedom, 1e-14)
    assert b == 0.0
    assert a == pytest.approx(mean @ freedom / freedom.sum())
    sure = 200.0 * freedom  # the same from so many samples is no chance
    a, b, _ = component_variances(speed2, mean * sure, sure, 1e-14)
    assert b > 1e-5
    assert a < 0.01 * mean.max()


@pytest.mark.parametrize(
    ("jitter", "speeds"), [(0.0, (1.5, 0.0)), (0.0008, (1.5, 0.0)), (0.0008, (1.6, -1.2))]
)
def test_reading_noise_and_jitter_are_told_apart_without_bias(jitter, speeds):
    found = []
    for seed in range(120):
        fits = _glides(np.random.default_rng(seed), [speeds] * 3, noise=0.0012, jitter=jitter)
        a = {
            b: shared_deceleration([f for g in fits for f in g if f.body == b and f.moving])
            for b in ("b0", "b1")
        }
        noise = noise_of_free_motion(fits, {b: v for b, v in a.items() if v is not None}, 0.0)
        found.append((noise.reading**2, noise.stamp**2, noise.pools.relative[READINGS, READINGS]))
    reading, stamp, relative = np.mean(found, axis=0)
    if jitter:
        assert reading == pytest.approx(0.0012**2, rel=0.03)
        assert stamp == pytest.approx(jitter**2, rel=0.05)
        spread = np.var([f[0] for f in found]) / 0.0012**4
        assert spread == pytest.approx(relative, rel=0.45)
    else:
        # σ_t² cannot be negative, so where there is no jitter a little of the reading noise is
        # taken for it
        assert 0.92 * 0.0012**2 < reading < 1.01 * 0.0012**2
        assert reading + stamp * 1.5**2 == pytest.approx(0.0012**2, rel=0.06)


def test_typed_noise_is_used_unless_the_scatter_is_larger():
    fits = _glides(np.random.default_rng(1), [(1.5, 0.0)] * 3, noise=0.0012)
    larger = noise_of_free_motion(fits, {}, 0.0, given=0.02)
    assert (larger.reading, larger.dof, larger.remark) == (0.02, np.inf, "")
    smaller = noise_of_free_motion(fits, {}, 0.0, given=0.0002)
    assert smaller.reading > 0.001
    assert smaller.remark == SCATTER_USED
    assert (STAMPS, READINGS) not in larger.pools.relative


def test_a_true_typed_noise_is_hardly_ever_called_too_small():
    called = 0
    for seed in range(200):
        fits = _glides(np.random.default_rng(seed), [(1.5, 0.0)] * 2, noise=0.0012)
        called += bool(noise_of_free_motion(fits, {}, 0.0, given=0.0012).remark)
    assert called <= 3  # in under 1 % of series, where the rule may be taken for exact


def test_noise_is_never_below_the_step_of_the_readings():
    trial = recording(
        np.arange(30) * 0.1, {"a": {"x": np.zeros(30)}}, unit=recording.__globals__["CENTIMETRE"]
    )
    fit = fit_body(trial, "a", Span("before", FREE, 0.0, 2.9), FreeMotion.LINE)
    assert noise_of_free_motion([[fit]], {}, 0.01).reading == pytest.approx(0.01 / np.sqrt(12))


def velocity(t, x, walls):
    return LocalFitCache().of(ChannelSamples("a", "x", t, x), 1, walls)


@settings(max_examples=50)
@example(386, 0.0, 1.6223661843044396e-157)  # squares of such speeds run out of digits
@given(st.integers(0, 1000), st.floats(-3, 3), st.floats(-3, 3))
def test_local_velocity_is_exact_on_parabolas_with_uneven_times(seed, b, c):
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.01, 0.04, 60))
    x = b * t + c * t**2
    x[20] = np.nan
    v = velocity(t, x, []).value
    good = np.isfinite(x)
    assert v[good] == pytest.approx((b + 2 * c * t)[good], abs=1e-9)
    assert np.isnan(v[20])


def test_local_velocity_never_reaches_across_a_wall():
    t = np.arange(60) * 0.02
    x = np.where(t < 0.6, t, 0.6 - 2.0 * (t - 0.6))
    found = velocity(t, x, [0.59, 0.61])
    v, norm = found.value, found.norm
    assert v[t < 0.59] == pytest.approx(1.0, abs=1e-9)
    assert v[t > 0.61] == pytest.approx(-2.0, abs=1e-9)
    inside = velocity(t, x, [0.57, 0.63]).value[(t > 0.57) & (t < 0.63)]
    assert np.all(np.isnan(inside))  # three samples across the hit tell no velocity
    assert np.isfinite(velocity(t[:6], x[:6], [0.05, 0.055]).value).all()
    rng = np.random.default_rng(3)
    operator = LocalFitCache().fits(ChannelSamples("a", "x", t, x), [0.59, 0.61]).operator(t, 1)
    drawn = np.array([operator.applied(rng.normal(0, 0.001, 60)) for _ in range(600)])
    good = np.isfinite(v)
    assert np.std(drawn[:, good], axis=0) == pytest.approx(0.001 * norm[good], rel=0.15)


def test_suggested_spans_enclose_the_hit_and_nothing_is_suggested_without_one(demo):
    from inertian.rink.day import day

    for file, entry in zip(day(), demo.entries, strict=True):
        contact = entry.spans.contact
        assert contact.start < file.truth.begin < file.truth.end < contact.stop
        assert contact.length <= 3.5 * entry.trial.step()
    t = np.arange(80) * 0.02
    smooth = recording(
        t, {"a": {"x": 1.2 * t - 0.1 * t**2 + np.random.default_rng(1).normal(0, 0.001, 80)}}
    )
    (glide,) = suggest_spans(smooth)
    assert (glide.kind, glide.start, glide.stop) == (SpanKind.ACCELERATION, t[0], t[-1])
    assert suggest_spans(recording(t[:5], {"a": {"x": t[:5]}})) == Spans()


@pytest.mark.parametrize("offset", [0.0, 1.7e9])
@pytest.mark.parametrize("uneven", [False, True])
@pytest.mark.parametrize("rows", [(0, 40_000), (513, 37_111)])
def test_blocks_stand_for_all_samples_in_every_fit_to_the_last_digit(offset, uneven, rows):
    rng = np.random.default_rng(7)
    t = np.arange(40_000) * 5e-4
    t = np.sort(t + rng.uniform(0, 4e-4, t.size)) if uneven else t
    x, y = 0.4 + 0.6 * t - 0.004 * t**2, -0.2 * t
    noisy = {"x": x + rng.normal(0, 1e-3, t.size), "y": y + rng.normal(0, 1e-3, t.size)}
    noisy["x"][20_000:20_010] = np.nan
    trial = recording(
        t + offset, {"a": noisy, "b": {"x": y + rng.normal(0, 1e-3, t.size), "y": 0 * t}}
    )
    span = Span("s", FREE, float(trial.t[rows[0]]), float(trial.t[rows[1] - 1]))
    for model in (FreeMotion.GLIDE, FreeMotion.PARABOLA):
        pair = [
            [fit_body(trial, b, span, model, condensed) for b in "ab"]
            for condensed in (True, False)
        ]
        (short, _), (full, _) = pair
        assert len(short.fits["x"].tau) < 0.2 * len(full.fits["x"].tau)
        for axis in "xy":
            one, other = short.fits[axis], full.fits[axis]
            u = 1e-3 * np.linalg.norm(other.operator, axis=1)
            ends = [
                [f.at(e, k) for e in (span.start, span.stop) for k in (0, 1)] for f in (one, other)
            ]
            assert ends[0][::2] == pytest.approx(ends[1][::2], abs=1e-12 * float(np.ptp(x)))
            assert np.all(np.abs(one.coefficients - other.coefficients) <= 1e-6 * u)
            assert one.operator @ one.operator.T == pytest.approx(
                other.operator @ other.operator.T, rel=1e-9
            )
            assert (one.count, one.dof) == (other.count, other.dof)
            assert one.sum_of_squares == pytest.approx(other.sum_of_squares, rel=1e-9)
            assert short.pattern(axis, 0.01) == pytest.approx(full.pattern(axis, 0.01), abs=0.2)
        assert (short.information, short.pull) == pytest.approx(
            (full.information, full.pull), rel=1e-8
        )
        pulled = [
            sum(float(np.sum((f.bent[a] * f.velocity(a, 0.01)) ** 2)) for a in "xy")
            for f in (short, full)
        ]
        assert pulled[0] == pytest.approx(pulled[1], rel=1e-8)
        noises = [noise_of_free_motion([fits], {"a": 0.01}, 0.0) for fits in pair]
        assert noises[0].reading == pytest.approx(noises[1].reading, rel=1e-9)
        assert noises[0].dof == pytest.approx(noises[1].dof, rel=1e-6)
