"""Integrals: their order of convergence, the growth of their uncertainty, and a towed sled from its accelerometer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inertian.motion.numerics.integrals import (
    Rule,
    baseline,
    integrate,
    integrate_twice,
    running_weights,
    sample_weights,
)
from inertian.quantities.errors import Refusal


@pytest.mark.parametrize(
    ("rule", "order"), [(Rule.STEP, 1), (Rule.TRAPEZOID, 2), (Rule.SIMPSON, 4)]
)
@pytest.mark.parametrize("even", [True, False])
def test_rules_converge_with_the_order_they_are_known_for(rule, order, even):
    errors = []
    for n in (41, 81, 161, 321):
        s = np.linspace(0.0, 1.0, n)
        t = s if even else s + 0.15 * np.sin(2.0 * np.pi * s) / np.pi  # smoothly uneven
        errors.append(abs(integrate(t, np.exp(2.0 * t), 0.0, rule).value[-1] - np.expm1(2.0) / 2.0))
    measured = np.log2(np.array(errors[:-1]) / errors[1:])
    assert np.all(np.abs(measured - order) < 0.25), measured


@given(st.lists(st.floats(0.01, 1.0), min_size=3, max_size=30), st.sampled_from(list(Rule)))
def test_weights_and_running_sums_agree_at_any_spacing(steps, rule):
    t = np.concatenate([[5.0], 5.0 + np.cumsum(steps)])
    y = np.cos(t)
    assert sample_weights(t, rule) @ y == pytest.approx(
        integrate(t, y, 0.0, rule).value[-1], abs=1e-9
    )
    if rule is Rule.SIMPSON:
        parabola = integrate(t, 3.0 * t**2 - t, 0.0, rule).value[-1]
        assert parabola == pytest.approx(
            t[-1] ** 3 - t[0] ** 3 - (t[-1] ** 2 - t[0] ** 2) / 2.0, rel=1e-9
        )


def test_the_step_sum_states_its_error():
    t = np.linspace(0.0, 2.0, 41)
    made = integrate(t, t**2, 0.0, Rule.STEP)
    assert made.left_out[-1] == pytest.approx(made.value[-1] - 8.0 / 3.0, rel=0.05)


def _towed(rng, n, tilt=0.0, sigma=0.05):
    """A sled that rests for 1 s, is towed for 3 s and rests again: times, readings, distance, velocity."""
    t = np.linspace(0.0, 5.0, n)
    pull = np.where((t > 1.0) & (t < 4.0), np.sin((t - 1.0) * 2.0 * np.pi / 3.0), 0.0)
    omega = 2.0 * np.pi / 3.0
    inside = np.clip(t - 1.0, 0.0, 3.0)
    v = (1.0 - np.cos(omega * inside)) / omega
    x = (inside - np.sin(omega * inside) / omega) / omega
    drift = 0.01 * (t - 2.0)
    return t, pull + 0.3 + drift + tilt + rng.normal(0.0, sigma, n), x, v


@pytest.mark.parametrize("n", [60, 400])
def test_distance_and_velocity_of_a_towed_sled_cover_the_truth_as_claimed(n):
    rng = np.random.default_rng(n)
    hits = []
    for _ in range(600):
        t, a, x, v = _towed(rng, n)
        base = baseline(t, a, [(0.0, 0.95), (4.05, 5.0)], drifts=True)
        velocity = integrate(t, a, 0.05, base=base)
        distance = integrate_twice(t, a, 0.05, base=base)
        k = int(np.searchsorted(t, 3.9))
        hits.append(
            [
                abs(velocity.value[k] - v[k]) < velocity.u[k],
                abs(distance.value[k] - x[k]) < distance.u[k],
            ]
        )
    for share in np.mean(hits, axis=0):
        assert abs(share - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / 600) + (
            0.02 if n < 100 else 0.0
        ), share


def test_uncertainties_grow_as_they_must():
    t = np.linspace(0.0, 100.0, 10_001)
    y = np.zeros(len(t))
    once, twice = integrate(t, y, 0.1).u, integrate_twice(t, y, 0.1).u
    k = [1_000, 10_000]
    assert np.log10(once[k[1]] / once[k[0]]) == pytest.approx(0.5, abs=0.01)
    assert np.log10(twice[k[1]] / twice[k[0]]) == pytest.approx(1.5, abs=0.01)
    tilted = integrate_twice(t, y, 0.0, offset=9.81 * 0.001, rate=(0.0, 0.02))
    assert tilted.u[-1] == pytest.approx(np.hypot(9.81e-3 * 100.0**2 / 2.0, 0.02 * 100.0))


def test_a_baseline_needs_quiet_samples_and_carries_its_uncertainty():
    t = np.linspace(0.0, 1.0, 50)
    with pytest.raises(Refusal, match="too few samples"):
        baseline(t, t, [(0.3, 0.31)], drifts=True)
    y = 0.2 + np.random.default_rng(1).normal(0.0, 0.01, 50)
    still = baseline(t, y, [(0.0, 0.5)], drifts=False)
    assert still.drift == 0.0
    assert integrate(t, y, 0.0, base=still).u[-1] == pytest.approx(
        np.sqrt(still.covariance[0, 0]), rel=1e-3
    )


@given(st.integers(0, 10_000), st.integers(3, 40), st.sampled_from(list(Rule)))
def test_running_weights_are_the_running_integral_at_any_spacing(seed, n, rule):
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.01, 1.0, n)) + rng.choice([0.0, 1e6])
    y = rng.normal(size=n)
    found = running_weights(t, t, rule) @ y
    assert found == pytest.approx(integrate(t, y, 0.0, rule).value, rel=1e-6, abs=1e-9)
    assert found[-1] == pytest.approx(sample_weights(t, rule) @ y, rel=1e-6, abs=1e-9)
    outside = running_weights(t, np.array([t[0] - 1.0, t[-1] + 1.0]), rule) @ y
    assert outside == pytest.approx([0.0, found[-1]], abs=1e-9)
    between = np.sort(rng.uniform(t[0], t[-1], 5))
    ones = running_weights(t, between, rule) @ np.ones(n)
    # A constant is exact by any rule, also between samples
    assert ones == pytest.approx(between - t[0], rel=1e-6)


@given(st.integers(0, 10_000), st.integers(4, 30))
def test_simpson_is_exact_on_parabolas_and_trapezoids_on_lines(seed, n):
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.05, 1.0, n))
    a, b, c = rng.normal(size=3)
    whole = a * t + 0.5 * b * t**2 + c * t**3 / 3.0
    assert running_weights(t, t, Rule.SIMPSON) @ (a + b * t + c * t**2) == pytest.approx(
        whole - whole[0], abs=1e-8
    )
    line = a * t + 0.5 * b * t**2
    assert running_weights(t, t, Rule.TRAPEZOID) @ (a + b * t) == pytest.approx(
        line - line[0], abs=1e-9
    )
    middle = 0.5 * (t[1:] + t[:-1])  # a trapezoid is exact on lines between samples as well
    assert running_weights(t, middle, Rule.TRAPEZOID) @ (a + b * t) == pytest.approx(
        a * middle + 0.5 * b * middle**2 - line[0], abs=1e-9
    )
