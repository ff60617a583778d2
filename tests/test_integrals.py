"""Integrals: their order of convergence, exactness, and what a rule states that it leaves out."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inertian.motion.numerics.integrals import (
    Rule,
    rule_error,
    running_weights,
    sample_weights,
    sudden_error,
    trapezoid_error,
)


@pytest.mark.parametrize(
    ("rule", "order"), [(Rule.STEP, 1), (Rule.TRAPEZOID, 2), (Rule.SIMPSON, 4)]
)
@pytest.mark.parametrize("even", [True, False])
def test_rules_converge_with_the_order_they_are_known_for(rule, order, even):
    errors = []
    for n in (41, 81, 161, 321):
        s = np.linspace(0.0, 1.0, n)
        t = s if even else s + 0.15 * np.sin(2.0 * np.pi * s) / np.pi  # smoothly uneven
        found = sample_weights(t, rule) @ np.exp(2.0 * t)
        errors.append(abs(found - np.expm1(2.0) / 2.0))
    measured = np.log2(np.array(errors[:-1]) / errors[1:])
    assert np.all(np.abs(measured - order) < 0.25), measured


@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_a_rule_states_its_error(sign):
    t = np.linspace(0.0, 2.0, 41)
    y = sign * t**2
    steps = sample_weights(t, Rule.STEP) @ y - sign * 8.0 / 3.0
    assert rule_error(t, y, Rule.STEP)[-1] == pytest.approx(steps, rel=0.05)
    left = sample_weights(t, Rule.TRAPEZOID) @ y - sign * 8.0 / 3.0
    assert trapezoid_error(t, y) == pytest.approx(left, rel=0.15)
    assert not rule_error(t, y, Rule.SIMPSON).any()


@given(st.integers(0, 10_000), st.integers(3, 40), st.sampled_from(list(Rule)))
def test_running_weights_are_the_running_integral_at_any_spacing(seed, n, rule):
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(0.01, 1.0, n)) + rng.choice([0.0, 1e6])
    y = rng.normal(size=n)
    found = running_weights(t, t, rule) @ y
    parts = np.concatenate(
        [[0.0], *([sample_weights(t[: k + 1], rule) @ y[: k + 1]] for k in range(1, n))]
    )
    if rule is not Rule.SIMPSON:  # whose last step sees the sample after it
        assert found == pytest.approx(parts, rel=1e-6, abs=1e-9)
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


@pytest.mark.parametrize("spacing", ["even", "uneven"])
@pytest.mark.parametrize("shape", ["block", "half sine", "hill"])
@pytest.mark.parametrize("width", [0.02, 0.05, 0.2])
def test_what_a_short_blow_between_quiet_ends_costs_is_told(spacing, shape, width):
    """The slopes at the ends are those of nothing, and told that nothing is left out: inside 18 and
    37 %.
    """
    rng, off, told = np.random.default_rng(6), [], []
    for _ in range(400):
        own = width * rng.uniform(0.8, 1.2)  # no multiple of the step
        uneven = rng.uniform(0.0, 0.8, 300) if spacing == "uneven" else 0.0
        t = np.sort(np.arange(300) + uneven) * 0.005
        away = (t - rng.uniform(0.4, 1.0)) / own
        inside = np.abs(away) < 1.0
        y, area = {
            "block": (1.0 * inside, 2.0),
            "half sine": (np.cos(away * np.pi / 2.0) * inside, 4.0 / np.pi),
            "hill": (np.exp(-4.0 * away**2), np.sqrt(np.pi) / 2.0),
        }[shape]
        y = rng.choice([-40.0, 40.0]) * y
        noisy = y + 0.1 * rng.normal(size=300)
        weights = sample_weights(t, Rule.TRAPEZOID)
        off.append(abs(weights @ noisy - 40.0 * own * area * np.sign(y[np.argmax(np.abs(y))])))
        by_noise = 0.1 * np.linalg.norm(weights)
        told.append(np.hypot(sudden_error(t, noisy, np.full(300, 0.01)), by_noise))
    off, told = np.array(off), np.array(told)
    assert 0.58 < np.mean(off <= told) < 0.82
    assert np.mean(off <= 2.0 * told) > 0.88
    assert 0.85 < np.sqrt(np.mean(told**2) / np.mean(off**2)) < 1.3
    assert sudden_error(t, 3.0 - 2.0 * t, np.zeros(300)) == pytest.approx(0.0, abs=1e-9)
