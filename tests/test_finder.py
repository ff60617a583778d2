"""The span finder against simulated scenes whose truth is known, and against recordings it must
survive.
"""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import span_judge as judge
from conftest import recording
from inertian.motion.numerics.outliers import outlier_rows, robust_scatter
from inertian.motion.spans.finder import find_spans
from inertian.motion.spans.spans import SpanKind
from inertian.rink.scenes import Course, record, stones_meet

UNSEEN = 200_000  # seeds that neither tuning nor the table in the documents used


def found_share(tally, kind):
    return 1.0 - tally.missed[kind] / tally.asked[kind]


def judged(count):
    tally = judge.run(count, UNSEEN)
    for kind in judge.EVENTS:
        assert found_share(tally, kind) >= 0.95 or tally.missed[kind] <= 1, (kind, tally.bad)
    assert np.mean(tally.edges["contact"] + tally.edges["bounce"] + tally.edges["end stop"]) >= 0.95
    assert np.mean(tally.edges["interaction"]) >= 0.9
    assert tally.false <= 0.02 * tally.spans, tally.bad
    assert tally.holding <= 0.003 * tally.spans, tally.bad
    return tally


def test_what_happens_is_found_in_scenes_never_seen_before():
    judged(64)


@pytest.mark.slow
def test_what_happens_is_found_in_many_scenes():
    tally = judged(504)
    speeds = np.array(tally.speeds)
    usual = np.clip(speeds, 0.0, 5.0 * np.median(speeds[:, 0]))
    rms = np.sqrt((usual**2).mean(axis=0))
    assert rms[1] <= 1.2 * rms[0]
    print("\n".join(judge.report(tally)))


def _walls_in_swings(seeds):
    """Recordings of swings, damped and not, with gaps and without, and in how many a wall is
    seen.
    """
    count = seen = 0
    for seed in seeds:
        rng = np.random.default_rng([5, seed])
        samples = int(rng.choice([8, 10, 12, 14, 20, 50]))
        n, period = samples * int(rng.choice([1, 3, 8])) + 1, rng.uniform(0.5, 2.0)
        t, size = np.arange(n) * period / samples, rng.uniform(0.05, 0.5)
        decay = rng.choice([0.0, 1.5]) / t[-1]
        x = size * np.exp(-decay * t) * np.sin(2.0 * np.pi * t / period + rng.uniform(0.0, 6.3))
        x += size * rng.choice([0.002, 0.01, 0.03]) * rng.normal(size=n)
        for _ in range(int(rng.choice([0, 1 + n // 60]))):
            first = rng.integers(1, n - 2)
            x[first : first + rng.integers(1, max(2, samples // 4))] = np.nan
        kinds = {s.kind.value for s in find_spans(recording(t, {"bob": {"x": x}}))}
        count, seen = count + 1, seen + bool(kinds & {"contact", "bounce", "end stop"})
    return seen / count


def test_a_swing_has_no_walls():
    """Every second recording of ten to fourteen samples a period had bounces or contacts."""
    assert _walls_in_swings(range(40)) <= 0.06


@pytest.mark.slow
def test_hardly_any_of_many_swings_has_a_wall():
    assert _walls_in_swings(range(1000, 1300)) <= 0.06  # aim 0.02


def test_an_impact_is_told_apart_with_eight_samples_on_each_side(demo):
    t = np.arange(17) / 12.0
    noise = np.random.default_rng(5).normal(0.0, 0.001, (2, 17))
    heavy = np.where(t < 0.66, 1.2 * (t - 0.66), 0.3 * (t - 0.66)) + noise[0]
    light = np.where(t < 0.66, 0.0, 1.1 * (t - 0.66)) + 0.3 + noise[1]
    spans = {
        (s.kind.value, s.bodies)
        for s in find_spans(recording(t, {"heavy": {"x": heavy}, "light": {"x": light}}))
    }
    assert ("contact", ("heavy", "light")) in spans
    assert ("rest", ("light",)) in spans
    assert any(kind == "steady velocity" and "heavy" in bodies for kind, bodies in spans)


def test_offset_times_and_shifted_axes_change_nothing():
    rng = np.random.default_rng(4)
    t, x = record(stones_meet(rng), rng, 60.0, 0.001)
    plain = find_spans(recording(t, {b: {"x": v[:, 0]} for b, v in x.items()}))
    moved = find_spans(recording(t + 1.7e9, {b: {"x": 40.0 - v[:, 0]} for b, v in x.items()}))
    assert [(s.kind, s.name, s.bodies) for s in plain] == [
        (s.kind, s.name, s.bodies) for s in moved
    ]
    assert np.allclose([s.t0 for s in plain], [s.t0 - 1.7e9 for s in moved], atol=2e-3)


@given(
    st.integers(4, 60),
    st.integers(0, 2**31),
    st.sampled_from(["noise", "steps", "stuck", "spikes", "walk"]),
)
@settings(max_examples=60)
def test_anything_is_survived_and_spans_lie_inside(n, seed, kind):
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.exponential(0.05, n)) + rng.choice([0.0, 1e9])
    x = {
        "noise": rng.normal(0, 1, n),
        "steps": np.round(rng.uniform(0, 3, n)),
        "stuck": np.full(n, 0.3),
        "spikes": np.where(rng.random(n) < 0.2, 1e6, 0.0),
        "walk": np.cumsum(rng.normal(0, 1, n)),
    }[kind]
    x = np.where(rng.random(n) < 0.1, np.nan, x)
    for span in find_spans(recording(t, {"a": {"x": x}, "b": {"x": rng.normal(0, 1e-3, n)}})):
        assert span.t0 < span.t1
        assert t[0] - 1.0 <= span.t0
        assert span.t1 <= t[-1] + 1.0
        assert json.dumps([span.name, span.why, span.t0, span.t1, *span.bodies], allow_nan=False)


def test_glitches_are_found_beside_a_hit_and_the_hit_is_none():
    rng = np.random.default_rng(2)
    t = np.arange(120) / 60.0
    x = np.where(t < 1.0, 1.5 * t, 3.0 - 1.5 * t) + rng.normal(0, 0.001, 120)
    assert outlier_rows(t, x).size == 0
    x[[20, 57, 90]] += 0.08
    assert outlier_rows(t, x).tolist() == [20, 57, 90]


def test_the_scatter_is_that_of_the_readings_whatever_the_motion():
    rng = np.random.default_rng(3)
    t = np.sort(rng.uniform(0, 10, 2000))
    assert robust_scatter(t, 3.0 * np.sin(t) + rng.normal(0, 0.01, 2000)) == pytest.approx(
        0.01, rel=0.1
    )


def test_a_course_is_continuous():
    course = (
        Course("a", np.array([0.0]), np.array([1.0]))
        .glide(1.0, 0.1)
        .push(0.2, np.array([-2.0]))
        .glide(1.0, 0.1)
    )
    t = np.linspace(0.0, course.t, 20_001)
    assert np.abs(np.diff(course.position(t)[:, 0])).max() < 1.3e-4


def swinging(rng, per_period, periods, damping):
    n = int(per_period * periods)
    t = np.arange(n) / per_period
    wave = np.exp(-damping * t) * np.cos(2.0 * np.pi * t + rng.uniform(0.0, 6.3))
    return t, 0.2 * wave + rng.normal(0.0, 0.002, n)


@pytest.mark.parametrize("per_period", [10, 14, 40, 200])
def test_a_pendulum_is_one_swing_with_its_moments(per_period):
    """It was taken for sixteen spans, four of them interactions."""
    rng = np.random.default_rng(per_period)
    for periods, damping in ((2.5, 0.0), (5.0, 0.1), (15.0, 0.0)):
        t, x = swinging(rng, per_period, periods, damping)
        found = find_spans(recording(t, {"bob": {"x": x}}))
        swings = [f for f in found if f.kind is SpanKind.SWING]
        assert len(swings) == 1
        assert swings[0].t1 - swings[0].t0 > 0.9 * t[-1]
        others = {f.kind for f in found} - {SpanKind.SWING}
        assert others <= {SpanKind.TURN, SpanKind.MIDDLE}
        if periods <= 6.0:
            assert abs(sum(f.kind is SpanKind.TURN for f in found) - 2 * periods) <= 1.0


def test_a_pendulum_that_hangs_still_first_swings_afterwards():
    rng, t = np.random.default_rng(3), np.arange(300) * 0.02
    x = 0.2 * np.where(t < 2.0, 1.0, np.cos(4.0 * (t - 2.0))) + rng.normal(0.0, 0.001, 300)
    kinds = [f.kind for f in find_spans(recording(t, {"bob": {"x": x}}))]
    assert kinds.count(SpanKind.REST) == kinds.count(SpanKind.SWING) == 1
    assert SpanKind.INTERACTION not in kinds


@pytest.mark.parametrize("rate", [0.5, 1.0, 2.0])
def test_a_glide_slowed_by_air_is_one_span_and_one_slowed_by_friction_stays_steady(rate):
    rng, t = np.random.default_rng(int(10 * rate)), np.arange(150) * 0.02
    noise = rng.normal(0.0, 0.001, 150)
    found = find_spans(recording(t, {"sled": {"x": np.log1p(1.5 * rate * t) / rate + noise}}))
    assert [f.kind for f in found] == [SpanKind.GLIDE]
    found = find_spans(recording(t, {"sled": {"x": 1.5 * t - 0.2 * rate * t * t + noise}}))
    assert SpanKind.GLIDE not in [f.kind for f in found]
    assert SpanKind.SWING not in [f.kind for f in found]


@pytest.mark.parametrize("seed", range(24))
def test_a_soft_bounce_is_one_event_however_long_or_noisy(seed):
    rng = np.random.default_rng([17, seed])
    start, lasts = rng.uniform(0.6, 1.1), rng.uniform(0.03, 0.3)
    v, keeps, way = rng.uniform(0.3, 1.4), rng.uniform(0.2, 0.98), rng.choice([-1.0, 1.0])
    t = np.arange(0.0, start + lasts + 0.8, 1.0 / rng.choice([60.0, 100.0, 200.0]))
    fine = np.linspace(0.0, t[-1], 40001)
    phase = np.clip((fine - start) / lasts, 0.0, 1.0)
    speed = v - v * (1.0 + keeps) * 0.5 * (1.0 - np.cos(np.pi * phase))
    x = np.concatenate([[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) * np.diff(fine))])
    read = way * np.interp(t, fine, x) + rng.choice([2e-4, 1e-3, 3e-3]) * rng.normal(size=len(t))
    found = find_spans(recording(t, {"sled": {"x": read}}))
    events = [s for s in found if s.kind.value in ("contact", "interaction")]
    assert len(events) == 1, [(s.kind, s.t0, s.t1) for s in found]
    assert events[0].t0 < start + 0.5 * lasts < events[0].t1
    steady = [s for s in found if s.kind.steady]
    assert min(s.t0 for s in steady) < start < start + lasts < max(s.t1 for s in steady)
    assert sum(s.t1 - s.t0 for s in steady) > 0.75 * (t[-1] - lasts)
