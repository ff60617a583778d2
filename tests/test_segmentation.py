"""How a recording is cut into steady pieces, and how a change of velocity between two is timed."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inertian.motion.spans.pulses import averaged_far_out, fit_pulse
from inertian.motion.spans.segmentation import steady_segments

SIGMA = 1e-3


def cut(t, *channels):
    return steady_segments(t, channels, [np.full(len(t), SIGMA)] * len(channels))


def around(t, x, at):
    """What a body does around a moment, as a change of velocity is fitted to it."""
    weight = np.full((1, len(t)), SIGMA**-2)
    return averaged_far_out(t, x[None], weight, (False, False), False, (at, at))


@given(
    st.integers(0, 1000),
    st.floats(-2.0, 2.0),
    st.floats(-2.0, 2.0),
    st.integers(20, 100),
    st.sampled_from([0.0, 1.7e9]),
)
def test_pieces_cover_a_recording_in_order_and_a_clear_kink_is_where_it_was(seed, v1, v2, at, t0):
    t = 0.02 * np.arange(120) + t0
    x = np.where(t < t[at], v1 * (t - t[at]), v2 * (t - t[at]))
    x = x + SIGMA * np.random.default_rng(seed).normal(size=len(t))
    pieces = cut(t, x)
    assert pieces[0].start == 0
    assert pieces[-1].stop == len(t)
    assert [p.stop for p in pieces[:-1]] == [p.start for p in pieces[1:]]
    if abs(v2 - v1) > 0.5:
        assert min(abs(p.start - at) for p in pieces[1:]) <= 2


@pytest.mark.parametrize(("curve", "degree"), [((0.0, 0.0), 0), ((0.4, 0.0), 1), ((0.4, -0.9), 2)])
def test_one_steady_motion_is_one_piece_of_its_degree(curve, degree):
    t = np.sort(np.random.default_rng(2).uniform(0.0, 3.0, 150))
    x = 0.2 + curve[0] * t + curve[1] * t**2
    (piece,) = cut(t, x + SIGMA * np.random.default_rng(3).normal(size=len(t)))
    assert piece.degree == degree


def test_too_few_samples_have_no_pieces():
    assert cut(np.array([0.0, 1.0]), np.array([0.0, 1.0])) == []


@given(st.integers(0, 500), st.floats(0.5, 3.0), st.sampled_from([-1.0, 1.0]))
def test_a_blow_is_timed_to_a_part_of_a_step_and_its_size_is_right(seed, kick, sign):
    rng, step = np.random.default_rng(seed), 0.01
    t = step * np.arange(161)
    moment = 0.8 + rng.uniform(-0.5, 0.5) * step
    x = 0.3 * t + sign * kick * np.maximum(t - moment, 0.0) + SIGMA * rng.normal(size=len(t))
    pulse = fit_pulse([around(t, x, 0.8)], (0.79, 0.81), step, 0.05)
    # A line of 80 samples on each side: u of where they meet is about 2σ/(√80 · kick)
    u = 2.0 * SIGMA / np.sqrt(80.0) / kick
    assert pulse.moment == pytest.approx(moment, abs=6.0 * u + 0.05 * step)
    assert pulse.dv[0][0] == pytest.approx(sign * kick, abs=0.02)
    assert pulse.z > 20.0


def test_a_slow_push_is_seen_from_start_to_stop():
    rng, step = np.random.default_rng(5), 0.01
    t = step * np.arange(201)
    inside = np.clip((t - 0.8) / 0.4, 0.0, 1.0)
    v = inside - np.sin(2.0 * np.pi * inside) / (2.0 * np.pi)
    x = np.concatenate([[0.0], np.cumsum(0.5 * (v[1:] + v[:-1]) * step)])
    pulse = fit_pulse([around(t, x + SIGMA * rng.normal(size=len(t)), 1.0)], (0.9, 1.1), step, 0.1)
    assert pulse.start == pytest.approx(0.8, abs=0.06)
    assert pulse.stop == pytest.approx(1.2, abs=0.06)
    assert pulse.dv[0][0] == pytest.approx(1.0, abs=0.02)
