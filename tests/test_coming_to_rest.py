"""A body that a hit nearly stops, and that comes to rest unseen in the span after it."""

import numpy as np
import pytest

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.motion.fits.coming_to_rest import stop_of
from inertian.motion.fits.free_motion import FreeMotion, fit_body
from inertian.motion.spans.spans import Span, SpanKind
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from test_second_look import FACTS, MASSES, NOISE, hit


def slowing(speed, angle=None, noise=1e-4, a=0.05):
    """The fit over a second of a body that is slowed by `a`, along an axis or in the plane."""
    t, rng = np.arange(0.0, 1.0, 1.0 / 120.0), np.random.default_rng(4)
    moving = np.minimum(t, abs(speed) / a)
    way = speed * moving - 0.5 * np.sign(speed) * a * moving**2
    parts = {"x": way} if angle is None else {"x": way * np.cos(angle), "y": way * np.sin(angle)}
    read = {axis: x + rng.normal(0.0, noise, len(t)) for axis, x in parts.items()}
    trial = recording(t, {"A": read})
    return fit_body(trial, "A", Span("after", SpanKind.FREE, 0.0, 1.0), FreeMotion.GLIDE, False)


@pytest.mark.parametrize("speed", [-0.02, 0.02, 0.03])
def test_a_stop_is_told_with_its_moment_and_its_way(speed):
    found = stop_of(slowing(speed), 0.05, 1e-4)
    assert found.time == pytest.approx(abs(speed) / 0.05, abs=0.06)
    assert found.way == {"x": np.sign(speed)}
    plane = stop_of(slowing(speed, 2.1), 0.05, 1e-4)
    cosines = np.sign(speed) * np.array([np.cos(2.1), np.sin(2.1)])
    assert [plane.way["x"], plane.way["y"]] == pytest.approx(cosines, abs=0.1)


def test_a_body_at_rest_may_have_moved_for_a_while_and_a_fast_one_does_not_stop():
    found = stop_of(slowing(0.0), 0.05, 1e-4)
    assert found.way == {}
    assert 0.0 < found.time < 0.4
    assert stop_of(slowing(0.2), 0.05, 1e-4) is None
    assert stop_of(slowing(0.04), 0.0, 1e-4) is None


def turned(found, angle, rng):
    """A motion along x, filmed in the plane on a track at an angle."""
    if angle is None:
        return found
    return {
        body: {
            axis: part * own["x"] + rng.normal(0.0, NOISE, len(own["x"]))
            for axis, part in zip("xy", (np.cos(angle), np.sin(angle)), strict=True)
        }
        for body, own in found.items()
    }


def momentum_z(seed, plane):
    """|z| of the momentum account of a hit that leaves A with hardly any speed."""
    rng = np.random.default_rng([7, seed])
    rub, angle, project = (
        rng.uniform(0.02, 0.1),
        rng.uniform(0.2, 1.3) if plane else None,
        Project("p"),
    )
    for k in range(3):
        t, found = hit(rng, 0.8, (0.5 + 0.1 * k, -0.3), rub=rub)
        project = with_trials(project, [recording(t, turned(found, angle, rng), f"run{k}")], "s")
    m1, m2 = MASSES.values()
    left = rng.uniform(-1.1, 1.1) * rub
    other = (m1 * 0.8 - m2 * 0.3 - m1 * left) / m2
    t, found = hit(rng, v=(0.8, -0.3), rub=rub, after=(left, other))
    project = with_trials(project, [recording(t, turned(found, angle, rng), "slow")], "s")
    for text in FACTS:
        project = with_typed_fact(project, text)
    ledgers = Evaluator().accounts(project, "slow").ledgers
    return abs(next(led.judgement.z for led in ledgers if led.law == "momentum x"))


@pytest.mark.slow
@pytest.mark.parametrize("plane", [False, True])
def test_momentum_holds_where_a_hit_nearly_stops_a_body(plane):
    """Before, 17 % along an axis and 40 % in the plane were beyond 3 u, the worst 11 and 14."""
    z = np.array([momentum_z(seed, plane) for seed in range(50)])
    assert np.mean(z > 3.0) <= 0.08
    assert z.max() < 6.0
