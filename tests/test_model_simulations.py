"""Models where several things come together, on motions worked out here by an integrator of its
own: rows of contacts, turning bodies, drag in a plane in several trials, noise of one kind alone.
"""

from dataclasses import replace

import numpy as np
import pytest

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.models.definitions.model import Model, Start
from inertian.models.definitions.typed_forces import parse_force
from inertian.models.fitting.fit import fit_model
from inertian.models.fitting.residual_patterns import residual_pattern
from inertian.models.fitting.trial_model import trial_model
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact

G = 9.81
MOST_OFF = 3.6  # u, of some dozens of numbers


def moved(slopes, state, t, fine=8):
    """States at all t, (states, n), by Runge and Kutta's steps between them."""
    y, rows = np.array(state, dtype=float), []
    for k, at in enumerate(t):
        h = (at - t[k - 1]) / fine if k else 0.0
        for j in range(fine if k else 0):
            s = t[k - 1] + j * h
            k1 = slopes(s, y)
            k2 = slopes(s + h / 2, y + h / 2 * k1)
            k3 = slopes(s + h / 2, y + h / 2 * k2)
            k4 = slopes(s + h, y + h * k3)
            y = y + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4)
        rows.append(y)
    return np.array(rows).T


def fitted(trials, forces, *facts, shared=(), start=None):
    """Fit forces to recordings of one series."""
    project = with_trials(Project(), trials, "series")
    for fact in facts:
        project = with_typed_fact(project, fact)
    model = Model("m", tuple(parse_force(f) for f in forces), start=start or Start())
    evaluator = Evaluator()
    made = [trial_model(evaluator.trial_context(project, e), model) for e in project.entries]
    return fit_model(made, shared)


def off(fit, symbol, true, force=None):
    """By how many u a fitted number is off."""
    one = next(s for s in fit.free if s.symbol == symbol and force in (None, s.force))
    found = fit.scalar(one.code)
    return (found.value - true) / found.u


@pytest.mark.parametrize("seed", [0, pytest.param(1, marks=pytest.mark.slow), 2])
def test_two_contacts_of_a_row_are_told_apart(seed):
    """A hits B, and B hits C soon after; k and the damping of both are of the textbook's kind."""
    rng = np.random.default_rng([seed, 1])
    m, e, k, d = np.array([6.0, 4.0, 5.0]), rng.uniform(0.5, 0.95, 2), 6e4, 0.2
    reduced = m[:-1] * m[1:] / (m[:-1] + m[1:])
    loss = -np.log(e) / np.hypot(np.pi, np.log(e))
    damping = 2.0 * loss * np.sqrt(k * reduced)

    def slopes(_t, y):
        x, v = y[:3], y[3:]
        into = d - np.diff(x)
        push = np.where(into > 0.0, k * into - damping * np.diff(v), 0.0)
        return np.concatenate([v, (np.append(0.0, push) - np.append(push, 0.0)) / m])

    t = np.linspace(0.0, 2.0, 201)
    x = moved(slopes, [0.0, 0.8, 1.5, 1.2, 0.0, 0.0], t, fine=200)[:3]
    x = x + rng.normal(0, 5e-4, x.shape)
    noisy = {name: {"x": one} for name, one in zip("ABC", x, strict=True)}
    contact = f"k={k:g}±0 N/m d={d}±0 m e=free"
    fit = fitted(
        [recording(t, noisy)], (f"contact on A, B {contact}", f"contact on B, C {contact}"),
        *(f"mass of {n} = {one} ± 0 kg" for n, one in zip("ABC", m, strict=True)),
    )  # fmt: skip
    for place in (0, 1):
        assert abs(off(fit, "e", e[place], place)) < MOST_OFF


@pytest.mark.parametrize("sign", [-1.0, 1.0])
def test_the_drag_of_a_turning_disc_is_found_by_a_formula(sign):
    rng = np.random.default_rng(5)
    inertia, drag = 0.12, 0.02
    slopes = lambda _t, y: np.array([y[1], -drag * y[1] * abs(y[1]) / inertia])  # noqa: E731
    t = np.linspace(0.0, 5.0, 400)
    turned = moved(slopes, [0.4, sign * 6.0], t)[0]
    places = {
        "x": 0.1 + 0.3 * np.cos(turned) + rng.normal(0, 1e-3, 400),
        "y": -0.2 + 0.3 * np.sin(turned) + rng.normal(0, 1e-3, 400),
    }
    fit = fitted(
        [recording(t, {"disc": places})], ('formula "-q*ω*abs(ω)"',),
        "moment of inertia of disc = 0.12 ± 0 kg·m²",
    )  # fmt: skip
    assert next(s.unit for s in fit.free if s.symbol == "q") == "kg·m²"
    assert abs(off(fit, "q", drag)) < MOST_OFF


def test_one_drag_in_a_plane_is_found_in_several_throws():
    rng = np.random.default_rng(8)
    m, c = 0.45, 0.02

    def slopes(_t, y):
        v = y[2:]
        return np.concatenate([v, -c / m * np.hypot(*v) * v - [0.0, G]])

    rows = []
    for seed in range(8):
        trials = []
        for k in range(3):
            t = np.linspace(0.0, rng.uniform(0.6, 1.2), 90)
            way = rng.choice([-1.0, 1.0])
            y = moved(slopes, [0.0, 1.0, way * rng.uniform(3.0, 7.0), rng.uniform(2.0, 5.0)], t)
            x, y = y[:2] + rng.normal(0, 1.5e-3, (2, 90))
            trials.append(recording(t, {"A": {"x": x, "y": y}}, name=f"go {seed} {k}"))
        fit = fitted(trials, ("weight g=9.81±0 m/s²", "quadratic drag"), "mass of A = 0.45 ± 0 kg",
                     shared=["c"])  # fmt: skip
        rows.append(off(fit, "c", c))
    assert np.max(np.abs(rows)) < MOST_OFF
    assert 0.4 < np.sqrt(np.mean(np.square(rows))) < 1.7


@pytest.mark.parametrize(
    ("sigma", "jitter", "step"),
    [(2e-5, 2e-3, 0.0), (2e-3, 0.0, 0.0), (1e-4, 0.0, 2e-3), (5e-4, 1e-3, 5e-4)],
    ids=["stamps alone", "readings alone", "coarse steps", "all"],
)
def test_intervals_hold_whatever_kind_of_noise_there_is(sigma, jitter, step):
    rows, patterns = [], 0
    for seed in range(24):
        rng = np.random.default_rng([seed, 3])
        mu, v, way = rng.uniform(0.01, 0.05), rng.uniform(0.8, 2.0), rng.choice([-1.0, 1.0])
        t = np.linspace(0.0, rng.uniform(2.0, 4.0), int(rng.integers(60, 250)))
        s = np.minimum(np.maximum(t + rng.normal(0, jitter, len(t)), 0.0), v / (mu * G))
        x = way * (v * s - 0.5 * mu * G * s**2) + rng.normal(0, sigma, len(t))
        x = np.round(x / step) * step if step else x
        fit = fitted([recording(t, {"A": {"x": x}})], ("sliding friction g=9.81±0 m/s²",))
        rows.append(off(fit, "μ", mu))
        patterns += residual_pattern(fit.trials[0]).structured
    assert np.max(np.abs(rows)) < MOST_OFF
    assert 0.5 < np.sqrt(np.mean(np.square(rows))) < 1.5
    assert patterns <= 4


def test_a_missing_body_of_a_row_is_no_reason_to_stop():
    """Samples that are missing of one body, and late or early ends, leave the others in use."""
    rng = np.random.default_rng(2)
    t = np.linspace(0.0, 3.0, 150)
    places = [0.2 + 0.8 * t - 0.05 * t**2, 2.0 - 0.4 * t + 0.05 * t**2]
    bodies = {n: {"x": x + rng.normal(0, 1e-3, 150)} for n, x in zip("AB", places, strict=True)}
    bodies["B"]["x"][:40] = np.nan
    bodies["A"]["x"][100:] = np.nan
    bodies["A"]["x"][rng.integers(0, 100, 15)] = np.nan
    fit = fitted([recording(t, bodies)], ("sliding friction g=9.81±0 m/s²",))
    assert abs(off(fit, "μ", 0.1 / G)) < MOST_OFF
    assert fit.dof == int(sum(np.isfinite(b["x"]).sum() for b in bodies.values())) - 5


def test_the_time_base_of_a_file_does_not_change_what_is_found():
    """Footage at 300 frames/s that says 25: the same motion, twelve times slower."""
    rng = np.random.default_rng(4)
    t = np.linspace(0.0, 2.0, 200)
    x = 1.4 * t - 0.5 * 0.02 * G * t**2 + rng.normal(0, 1e-3, 200)
    trial = recording(t, {"A": {"x": x}})
    slow = replace(trial, raw_time=trial.raw_time * 12.0, time_base=1.0 / 12.0)
    found = [
        fitted([one], ("sliding friction g=9.81±0 m/s²",)).scalar("mu") for one in (trial, slow)
    ]
    assert found[0].value == pytest.approx(found[1].value, rel=1e-9)
    assert found[0].u == pytest.approx(found[1].u, rel=1e-6)
