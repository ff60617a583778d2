"""Velocities and accelerations: exact on polynomials, honest about noise, never across an impact;
and their command.
"""

import csv
import json
import warnings
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import lfilter

from conftest import recording
from inertian.motion.derivatives.derive import Method, derive, noise_of_bodies
from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest
from inertian.motion.derivatives.smoothed_stretch import smoothed_stretch
from inertian.motion.noise.local_noise import (
    NOTICED,
    LocalNoise,
    NoiseSegment,
    noise_of_segments,
    with_given,
)
from inertian.motion.numerics.sliding_fits import basis, sliding_estimates
from inertian.motion.smoothing.smooth_motion import smooth_motion
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.quantities.coverage import P68, P95, coverage_factor
from inertian.quantities.units import unit_of
from motions import MOTIONS, recorded
from test_cli import inertian

UNKNOWN = LocalNoise(float("nan"), 0.0, 0.0, 0.0, 0.0)


@given(
    st.integers(0, 2**32 - 1),
    st.sampled_from([0.0, 1.7e9]),
    st.sampled_from(["even", "uneven", "gaps"]),
    st.sampled_from([7, 12, 31, 81, 400]),
)
def test_polynomials_come_back_exactly_whatever_the_spacing_and_the_time_offset(
    seed, offset, spacing, window
):
    rng = np.random.default_rng(seed)
    t = {
        "even": np.arange(160) * 0.01,
        "uneven": np.cumsum(rng.uniform(0.2, 1.8, 160)) * 0.01,
        "gaps": np.delete(np.arange(200) * 0.01, np.r_[60:70, 130:133, 150]),
    }[spacing] + offset
    tau = t - t[0]
    for order, degree in ((0, 4), (1, 4), (2, 5)):
        polynomial = np.poly1d(rng.normal(size=degree + 1))
        truth = polynomial.deriv(order)(tau) if order else polynomial(tau)
        value, norm = sliding_estimates(
            t, polynomial(tau) + 5.0 * (order > 0), window, [(order, degree)]
        )[0]
        np.testing.assert_allclose(value, truth, atol=1e-9 * np.abs(truth).max())
        k = 80
        first = np.clip(k - (window | 1) // 2, 0, max(len(t) - (window | 1), 0))
        own = basis(t[first : first + (window | 1)], t[k : k + 1], degree, order)
        np.testing.assert_allclose(norm[k], own.norms()[0], rtol=1e-6)


@given(st.integers(2, 40), st.sampled_from(list(Method)), st.integers(0, 2**32 - 1))
def test_any_few_samples_give_numbers_with_uncertainties_or_nothing(n, method, seed):
    rng = np.random.default_rng(seed)
    x = np.where(
        rng.random(n) < 0.2, np.nan, rng.choice([0.0, 1e-15, 1.0, 1e12]) * rng.normal(size=n)
    )
    t = np.cumsum(rng.uniform(0.001, 1.0, n))
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        (body,) = derive(
            recording(t, {"sled": {"x": x}}),
            method=method,
            window=rng.choice([BY_DATA, WindowRequest(5)]),
        )
    for one in body.axes.values():
        for value, u in ((one.v, one.u_v), (one.a, one.u_a)):
            known = np.isfinite(value)
            assert (
                np.all(u[known] > 0.0) or np.isnan(body.noise.sigma) or not x[np.isfinite(x)].any()
            )


def test_no_velocity_reaches_across_an_impact():
    t = np.arange(100) * 0.02
    x = np.where(t < 1.0, t, 2.0 - t) + np.random.default_rng(3).normal(0.0, 5e-4, 100)
    hit = Spans((Span("contact", SpanKind.CONTACT, 0.97, 1.03),))
    (body,) = derive(recording(t, {"stone": {"x": x}}), hit)
    d = body.axes["x"]
    for side, speed in ((d.t < 0.97, 1.0), (d.t > 1.03, -1.0)):
        assert np.all(np.abs(d.v[side] - speed) < 5.0 * d.u_v[side])
        assert np.max(np.abs(d.v[side] - speed)) < 0.1
    (blurred,) = derive(recording(t, {"stone": {"x": x}}), window=WindowRequest(samples=15))
    assert np.min(np.abs(blurred.axes["x"].v)) < 0.2  # what the wall is there to prevent


def test_differences_have_their_larger_uncertainties():
    t = np.arange(60) * 0.03
    x = np.sin(2.0 * t) + np.random.default_rng(1).normal(0.0, 1e-3, 60)
    trial = recording(t, {"stone": {"x": x}})
    local, central, plain = (derive(trial, method=m)[0].axes["x"] for m in Method)
    truth = 2.0 * np.cos(2.0 * t)
    inner = slice(3, -3)
    assert np.median(local.u_v[inner]) < 0.5 * np.median(central.u_v[inner])
    assert np.median(central.u_v[inner]) < np.median(plain.u_v[inner])
    for one in (central, plain):
        assert 0.5 < np.mean(np.abs(one.v - truth)[inner] < one.u_v[inner]) < 0.9


def _noise(rng, n, rho, sigma):
    return (
        sigma * lfilter([1.0], [1.0, -rho], rng.normal(size=n + 100) * np.sqrt(1.0 - rho**2))[100:]
    )


def test_correlated_noise_is_noticed_nine_times_in_ten():
    rng, t = np.random.default_rng(8), np.arange(100) * 0.02
    found = [
        noise_of_segments(
            [[NoiseSegment(t, 0.4 * np.sin(2.5 * t) + _noise(rng, 100, rho, 1e-3))]], [0.0]
        )[0]
        for rho in (0.5, 0.0)
        for _ in range(100)
    ]
    noticed = np.array([one.alike > NOTICED for one in found])
    assert np.mean(noticed[:100]) >= 0.9
    assert np.mean(noticed[100:]) <= 0.1
    assert 0.4 < np.median([one.correlation for one in found[:100]]) < 0.6
    assert "err alike" in next(one.remark for one in found if one.alike > NOTICED)


def test_time_jitter_is_told_from_reading_noise_and_shared_by_the_bodies_of_a_clock():
    rng, t = np.random.default_rng(5), np.arange(600) * 0.01
    late = rng.normal(0.0, 1e-3, 600)
    bodies = [
        [NoiseSegment(t, a * np.sin(3.0 * (t + late)) + rng.normal(0.0, 2e-4, 600))]
        for a in (1.0, 0.8)
    ]
    first, second = noise_of_segments(bodies, [0.0, 0.0])
    assert first.stamp == second.stamp == pytest.approx(1e-3, rel=0.15)
    assert 1e-4 < first.sigma < 4e-4  # most of what is seen is jitter


def test_given_noise_is_used_unless_the_samples_clearly_scatter_more():
    rng, t = np.random.default_rng(2), np.arange(200) * 0.01
    (found,) = noise_of_segments([[NoiseSegment(t, t + rng.normal(0.0, 1e-3, 200))]], [1e-4])
    assert with_given(found, 2e-3).sigma == 2e-3
    assert np.isinf(with_given(found, 2e-3).dof)
    refused = with_given(found, 5e-4)
    assert refused.sigma == found.sigma
    assert "scatter more" in refused.remark
    still = noise_of_segments([[NoiseSegment(t, np.full(200, 0.3))]], [0.01])[0]
    assert still.sigma == pytest.approx(0.01 / np.sqrt(12.0))
    assert "step" in with_given(still, 1e-4).remark


@pytest.mark.parametrize("step", [0.025, 0.01])
@pytest.mark.parametrize("kick", [0.3, 1.3, -3.0])
def test_a_hit_of_a_few_samples_is_not_taken_for_noise(step, kick):
    t, found = np.arange(0.0, 2.0, step), []
    kinds = (SpanKind.VELOCITY, SpanKind.CONTACT, SpanKind.VELOCITY)
    edges = (0.0, 0.969, 1.031, 2.0)
    spans = Spans(Span(str(k), kinds[k], edges[k], edges[k + 1]) for k in range(3))
    for seed in range(20):
        x = 0.3 * t + kick * np.maximum(t - 1.0, 0.0)
        x += np.random.default_rng(seed).normal(0.0, 1e-3, len(t))
        found.append(noise_of_bodies(recording(t, {"stone": {"x": x}}), spans)[0].sigma)
    assert np.sqrt(np.mean(np.square(found))) == pytest.approx(1e-3, rel=0.08)


def test_a_body_at_rest_in_coarse_steps_may_creep_by_a_step():
    t = np.arange(50) * 0.02
    (body,) = derive(recording(t, {"stone": {"x": np.full(50, 0.37)}}))
    d = body.axes["x"]
    assert np.all(np.abs(d.v) < 1e-12)
    # M over s: a good part of a step in the second that was watched
    assert d.u_v[25] > 0.2 * 0.01 / 1.0


@pytest.mark.parametrize(("step", "seen"), [(5.0, 5.0), (2.5, 2.5), (12.7, 12.7)])
def test_the_step_of_a_recording_is_that_between_its_readings(step, seen):
    t = np.arange(120) * 0.05
    x = np.round((37.0 * t + 2.0 * np.sin(t)) / step) * step + 0.3
    (body,) = recording(t, {"sled": {"x": np.round(x, 1)}}, unit=unit_of("length", "mm")).bodies
    assert body.channels[0].resolution == pytest.approx(seen * 1e-3)
    (exact,) = recording(t, {"sled": {"x": 9.0 * np.arange(120)}}).bodies
    assert exact.channels[0].resolution == 1.0  # exactly even motion says nothing of a step


def test_derive_writes_the_long_table_and_says_how(tmp_path):
    rng, t = np.random.default_rng(4), np.arange(80) * 0.025
    good, out = tmp_path / "glide;x.csv", tmp_path / "out.csv"
    rows = "\n".join(
        f"{a:.3f};{100 * (0.5 * a - 0.1 * a * a) + e:.3f}"
        for a, e in zip(t, rng.normal(0, 0.05, 80), strict=True)
    )
    good.write_text(f"t (s);x (cm)\n{rows}\n".replace(".", ","))
    bad = tmp_path / "notes.txt"
    bad.write_text("nothing here\n")
    done = inertian("derive", good, bad, "--out", out, "--json")
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "notes.txt" in done.stderr
    made = json.loads(done.stdout, parse_constant=pytest.fail)
    schema = json.loads((Path(__file__).parents[1] / "docs/schemas/derive-1.json").read_text())
    (body,) = made["files"][0]["trials"][0]["bodies"]
    assert (set(made), set(body)) == (
        set(schema["required"]),
        set(schema["$defs"]["body"]["required"]),
    )
    assert body["noise"] == pytest.approx(5e-4, rel=0.3)
    assert body["dof"] > 50
    assert made["method"] == "local"
    table = list(csv.reader(out.read_text().splitlines()))
    assert (
        ",".join(table[0])
        == "trial,body,axis,t (s),x (m),u_x (m),v (m/s),u_v (m/s),a (m/s2),u_a (m/s2)"
    )
    assert len(table) == 81 == made["rows"] + 1
    v, u = np.array([[float(r[6]), float(r[7])] for r in table[1:]]).T
    assert np.mean(np.abs(v - (0.5 - 0.2 * t)) < 2.0 * u) > 0.7


def test_derive_takes_method_window_and_noise_and_refuses_nonsense_in_one_line(tmp_path):
    path, out = tmp_path / "a.csv", tmp_path / "o.csv"
    path.write_text(
        "t,x\n" + "".join(f"{k * 0.1:.1f},{(k * 0.1) ** 2 / 7:.4f}\n" for k in range(30))
    )
    asked = ("--method", "central", "--window", "0.5 s", "--noise", "2 mm", "--json")
    done = inertian("derive", path, "--out", out, *asked)
    (body,) = json.loads(done.stdout)["files"][0]["trials"][0]["bodies"]
    assert (done.returncode, body["method"], body["noise"], body["dof"], body["given"]) == (
        0,
        "central",
        2e-3,
        None,
        True,
    )
    by_hand = json.loads(inertian("derive", path, "--out", out, "--window", "9", "--json").stdout)
    assert by_hand["files"][0]["trials"][0]["bodies"][0]["window"]["v"]["samples"] == 9
    for wrong in (
        ("--method", "guess"),
        ("--window", "wide"),
        ("--noise", "-1 mm"),
        ("--window", "2"),
    ):
        done = inertian("derive", path, "--out", out, *wrong)
        assert (done.returncode, "Traceback" in done.stderr, done.stderr.count("\n")) == (
            2,
            False,
            1,
        ), done.stderr
    done = inertian("derive", path, "--out", tmp_path / "none" / "o.csv")
    assert done.returncode == 2
    assert "cannot be written" in done.stderr


# Samples, spacing, noise; limits of 68 % and 95 % coverage on average over all motions, of v and a,
# at the sharpest and at the ends at least; as the methods say
SWINGS = {"six swings": 6, "damped swings": 4}
CELLS = {
    (15, "even", "white"): ((0.62, 0.86), (0.87, 1.0), 0.70),
    (60, "even", "white"): ((0.66, 0.84), (0.94, 1.0), 0.84),
    (60, "uneven", "white"): ((0.66, 0.84), (0.94, 1.0), 0.84),
    (60, "gap", "white"): ((0.66, 0.84), (0.94, 1.0), 0.84),
    (60, "even", "0.5"): ((0.58, 0.80), (0.87, 1.0), 0.78),
    (60, "even", "jitter"): ((0.66, 0.86), (0.92, 1.0), 0.78),
    (300, "even", "0.5"): ((0.62, 0.84), (0.92, 1.0), 0.84),
}


@pytest.mark.slow
@pytest.mark.parametrize("cell", CELLS, ids=str)
def test_intervals_of_velocity_and_acceleration_cover_as_the_methods_say(cell):
    narrow, wide, least = CELLS[cell]
    hits = {1: [], 2: []}
    for k in range(24):
        for name in MOTIONS:
            if cell[0] < 4 * SWINGS.get(name, 0):  # too few samples a swing for anyone to tell
                continue
            made = recorded(np.random.default_rng([k, len(name)]), name, *cell)
            (body,) = derive(recording(made.t, {"body": {"x": made.x}}))
            d, k68 = body.axes["x"], coverage_factor(P68, body.noise.dof)
            k95 = coverage_factor(P95, body.noise.dof)
            sharp = int(np.argmax(np.abs(made.true[2] - np.median(made.true[2]))))
            for order, (value, u) in {1: (d.v, d.u_v), 2: (d.a, d.u_a)}.items():
                off = np.abs(value - made.true[order]) / u
                ends = off[[0, sharp, -1]] < k95
                hits[order].append((np.mean(off < k68), np.mean(off < k95), *ends))
    for order, found in hits.items():
        c68, c95, *places = np.mean(found, axis=0)
        print(cell, order, np.round(np.mean(found, axis=0), 3))
        assert narrow[0] <= c68 <= narrow[1], (order, c68)
        assert wide[0] <= c95 <= wide[1], (order, c95)
        assert min(places) >= least, (order, places)


def test_velocity_is_as_good_as_in_the_best_window_there_is():
    """And follows a bump and a push better than any one window does."""
    better = {"six swings": 1.15, "damped swings": 1.3, "bump": 0.95, "repulsion": 1.1}
    for name, most in better.items():
        mine = best = 0.0
        for k in range(6):
            made = recorded(np.random.default_rng([7, k]), name)
            (body,) = derive(recording(made.t, {"body": {"x": made.x}}))
            mine += np.mean((body.axes["x"].v - made.true[1]) ** 2)
            best += min(
                np.mean((sliding_estimates(made.t, made.x, w, [(1, p)])[0][0] - made.true[1]) ** 2)
                for w in range(5, 61, 2)
                for p in (2, 4)
            )
        assert np.sqrt(mine / best) < most, name


def test_smooth_motion_is_linear_in_the_samples_it_was_made_of():
    """Its weights give it, keep polynomials, and give its u."""
    rng = np.random.default_rng(3)
    t = np.sort(rng.uniform(5.0, 8.0, 40))
    x = 1e3 + np.sin(2.0 * t) + 1e-3 * rng.normal(size=40)
    motion = smooth_motion(t, x)
    for order in range(4):
        weights = motion.space.at(t, order) @ motion.sample_weights
        value, _, _ = motion.at(t, order)
        own = weights @ (x - motion.level) + (motion.level if order == 0 else 0.0)
        np.testing.assert_allclose(own, value, atol=1e-8 * np.abs(value).max())
        cubic = np.poly1d([1.0, -2.0, 0.5, 3.0])
        wanted = cubic.deriv(order)(t) if order else cubic(t)
        scale = np.abs(weights).sum(1).max() * np.abs(cubic(t)).max()
        np.testing.assert_allclose(weights @ cubic(t), wanted, atol=1e-9 * scale)


@pytest.mark.parametrize("width", [0.03, 0.1, 0.3])
def test_a_blow_of_a_few_samples_is_followed_and_not_taken_for_noise(width):
    """A force of 40 N that is over after six samples was read off as −7 N, or as nothing."""
    rng, t = np.random.default_rng(int(100 * width)), np.arange(200) * 0.005
    for _ in range(4):
        middle = rng.uniform(0.4, 0.6)
        hill = 40.0 * np.exp(-0.5 * ((t - middle) / (width / 4.0)) ** 2)
        motion = smoothed_stretch(t, hill + 0.1 * rng.normal(size=200), UNKNOWN)
        value, _, missing = motion.at(np.array([middle, 0.1]), 0)
        assert abs(value[0] - 40.0) < 0.6
        assert abs(value[1]) < 0.3
        assert missing[0] < 0.5


def test_a_jump_keeps_its_row_and_sways_nothing(tmp_path):
    path, out = tmp_path / "jump.csv", tmp_path / "o.csv"
    rng = np.random.default_rng(9)
    t = np.arange(50) * 0.02
    x = 0.8 * t + rng.normal(0.0, 5e-4, 50)
    x[20] += 0.7
    path.write_text(
        "t (s),x (m)\n" + "".join(f"{a:.2f},{b:.5f}\n" for a, b in zip(t, x, strict=True))
    )
    (body,) = json.loads(inertian("derive", path, "--out", out, "--json").stdout)["files"][0][
        "trials"
    ][0]["bodies"]
    assert (body["set_aside"], "left out: 1" in body["remark"]) == (1, True)
    assert body["noise"] < 1e-3
    table = list(csv.reader(out.read_text().splitlines()))
    assert len(table) == 51
    assert (float(table[21][4]), table[21][5:]) == (round(x[20], 5), [""] * 5)
    assert all(abs(float(row[6]) - 0.8) < 0.1 for row in table[6:46] if row[6])


@pytest.mark.slow
@pytest.mark.parametrize(("n", "even"), [(60, True), (300, True), (300, False), (1500, True)])
def test_jitter_of_the_clock_asks_for_wider_windows_where_the_body_is_fast_and_is_covered(n, even):
    """Read as misfits, errors of the time stamps made windows narrow: u of v was 3 to 60 times as
    large.
    """
    rng, hits, widths = np.random.default_rng(n + even), [], []
    for _ in range(40 if n < 1000 else 12):
        w, phase = rng.uniform(2.5, 5.0), rng.uniform(0.0, 6.0)
        t = (
            np.arange(n) * 2.0 / n
            if even
            else np.sort(rng.uniform(0.0, 0.8, n) + np.arange(n)) * 2.0 / n
        )
        shaken = t + 0.003 * rng.normal(size=n)
        trial = recording(
            t, {"sled": {"x": 0.3 * np.sin(w * shaken + phase) + 3e-4 * rng.normal(size=n)}}
        )
        (body,) = derive(trial)
        d, true = body.axes["x"], 0.3 * w * np.cos(w * t + phase)
        off = np.abs(d.v - true) / d.u_v
        # At the turning points stamps matter little, but windows reach into fast motion
        slow = np.abs(true) < 0.1 * w
        hits.append([np.mean(off < 1.0), np.mean(off < 2.0), np.mean(off[slow] < 2.0)])
        widths.append(np.median(d.u_v) / (0.3 * w))
    shares = np.mean(hits, axis=0)
    assert 0.58 < shares[0] < 0.85
    assert shares[1] > 0.9
    assert shares[2] > 0.85
    assert np.median(widths) < 0.03 * np.sqrt(60.0 / n) + 0.002


@pytest.mark.parametrize("turns", [30, 60, 150])
def test_regular_motion_too_fast_for_one_set_of_splines_is_not_taken_for_noise(turns):
    rng, t, q = np.random.default_rng(turns), np.linspace(0.0, 1.0, 2500), 2.0 * np.pi * turns
    x = np.sin(q * t) + rng.normal(0.0, 0.02, t.size)
    (found,) = derive(recording(t, {"a": {"x": x}}))
    one = found.axes["x"]
    assert found.noise.sigma < 0.06  # was that of the motion, 0.28 to 0.7
    z = np.abs(one.v - q * np.cos(q * one.t)) / one.u_v
    assert np.mean(z < 1.0) > 0.5
    assert np.mean(z < 2.0) > 0.85
