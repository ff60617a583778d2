"""How often stated intervals of fitted parameters hold the truth: simulated trials, noise, time
stamps and their errors estimated as from any recording.

    python benchmarks/model_coverage.py CASE [TRIALS] [FIRST SEED]

CASE is one of those below; "series": one friction coefficient over five trials, with g inside its
limits; "held": friction after a start that a span says, which is not adjusted.

The motions are worked out here, from the equations of a textbook, by an integrator of its own with
fine steps; nothing of the program's models is used for them. Of each case sign, spacing, number of
samples, noise, jitter and rounding vary from trial to trial.
"""

import sys
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy.integrate import quad

from inertian.analysis.evaluation import Evaluator
from inertian.models.definitions.model import Model, Start
from inertian.models.definitions.typed_forces import parse_force
from inertian.models.fitting.fit import fit_model
from inertian.models.fitting.residual_patterns import residual_pattern
from inertian.models.fitting.trial_model import trial_model
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.units import unit_of

G = 9.81
Slopes = Callable[[float, np.ndarray], np.ndarray]


def motion(slopes: Slopes, state: list[float], t: np.ndarray, fine: int = 8) -> np.ndarray:
    """States at all t, (states, n), by Runge and Kutta's steps between them."""
    y = np.array(state, dtype=float)
    rows = [y]
    for a, b in pairwise(t):
        h = (b - a) / fine
        for k in range(fine):
            s = a + k * h
            k1 = slopes(s, y)
            k2 = slopes(s + h / 2, y + h / 2 * k1)
            k3 = slopes(s + h / 2, y + h / 2 * k2)
            k4 = slopes(s + h, y + h * k3)
            y = y + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4)
        rows.append(y)
    return np.array(rows).T


@dataclass
class Simulated:
    """A trial: true places of bodies by axis, forces of the model, facts, and true parameters by
    name.
    """

    t: np.ndarray
    places: dict[str, dict[str, np.ndarray]]
    speeds: dict[str, dict[str, np.ndarray]]
    forces: tuple[str, ...]
    facts: tuple[str, ...]
    truth: dict[str, float]
    force: np.ndarray | None = None  # what a gauge on the only body reads without noise


def times(
    rng: np.random.Generator, duration: float, least: int = 40, most: int = 300
) -> np.ndarray:
    """Moments of even or uneven spacing."""
    n = int(rng.integers(least, most))
    t = np.linspace(0.0, duration, n)
    if rng.random() < 0.3:
        t[1:-1] += rng.uniform(-0.3, 0.3, n - 2) * t[1]
    return t + rng.choice([0.0, 3.7])


def true_mass(rng: np.random.Generator, value: float, half: float) -> float:
    """A mass as it truly is, inside the limits that are stated of it."""
    return value + rng.uniform(-half, half)


def friction(rng: np.random.Generator) -> Simulated:
    """A stone that glides, and perhaps stops."""
    mu, v0, sign = rng.uniform(0.004, 0.05), rng.uniform(0.5, 2.0), rng.choice([-1.0, 1.0])
    t = times(rng, rng.uniform(0.6, 1.6) * v0 / (mu * G) if rng.random() < 0.5 else 3.0)
    s = t - t[0]
    stop = v0 / (mu * G)
    gone = np.minimum(s, stop)
    x = sign * (v0 * gone - 0.5 * mu * G * gone**2)
    v = sign * (v0 - mu * G * gone)
    return Simulated(t, {"A": {"x": x}}, {"A": {"x": v}}, ("sliding friction g=9.81 m/s²",),
                     (), {"μ": mu})  # fmt: skip


def _drag(rng: np.random.Generator, power: int) -> Simulated:
    m = true_mass(rng, 6.4, 0.02)
    v0, sign = rng.uniform(0.8, 3.0), rng.choice([-1.0, 1.0])
    c = rng.uniform(0.05, 1.5) * (1.0 if power == 2 else 1.5)
    t = times(rng, rng.uniform(3.0, 8.0))
    y = motion(lambda _, y: np.array([y[1], -c / m * y[1] * abs(y[1]) ** (power - 1)]),
               [0.3, sign * v0], t)  # fmt: skip
    name, symbol = ("linear drag", "b") if power == 1 else ("quadratic drag", "c")
    return Simulated(t, {"A": {"x": y[0]}}, {"A": {"x": y[1]}}, (name,),
                     ("mass of A = 6.40 ± 0.02 kg",), {symbol: c})  # fmt: skip


def linear(rng: np.random.Generator) -> Simulated:
    """Drag that grows with the speed."""
    return _drag(rng, 1)


def quadratic(rng: np.random.Generator) -> Simulated:
    """Drag that grows with the square of the speed."""
    return _drag(rng, 2)


def spring(rng: np.random.Generator) -> Simulated:
    """A sled on a spring, damped or not."""
    m, k = true_mass(rng, 6.4, 0.02), rng.uniform(20.0, 300.0)
    rest, b = rng.uniform(-0.5, 0.5), rng.choice([0.0, rng.uniform(0.5, 3.0)])
    period = 2 * np.pi / np.sqrt(k / m)
    t = times(rng, period * rng.uniform(0.8, 6.0), 60)
    y = motion(lambda _, y: np.array([y[1], (-k * (y[0] - rest) - b * y[1]) / m]),
               [rest + rng.uniform(-0.2, 0.2), rng.choice([-1, 1]) * rng.uniform(0.2, 1.0)],
               t)  # fmt: skip
    truth = {"k": k, "x_0": rest}
    name = "spring"
    if b:
        name, truth["b"] = "damped spring", b
    return Simulated(t, {"A": {"x": y[0]}}, {"A": {"x": y[1]}}, (name,),
                     ("mass of A = 6.40 ± 0.02 kg",), truth)  # fmt: skip


def cord(rng: np.random.Generator) -> Simulated:
    """A sled pulled by a weight on a cord over a pulley, against friction."""
    m, mh = true_mass(rng, 6.4, 0.02), rng.uniform(0.2, 1.2)
    inertia, r, mu = 2.0e-4, 0.03, rng.uniform(0.005, 0.02)
    sign = float(rng.choice([-1.0, 1.0]))
    a = (mh * G - mu * m * G) / (m + mh + inertia / r**2)
    t = times(rng, rng.uniform(0.8, 2.0), 30)
    s = t - t[0]
    v0 = 0.3
    x, v = sign * (v0 * s + 0.5 * a * s**2), sign * (v0 + a * s)
    force = f"cord over a pulley I=2.0e-4±0 kg·m² r=3.0±0 cm s={sign:.0f} g=9.81±0 m/s²"
    return Simulated(
        t, {"A": {"x": x}}, {"A": {"x": v}},
        (force, f"sliding friction mu={mu:.6f}±0 g=9.81±0 m/s²"),
        ("mass of A = 6.40 ± 0.02 kg",), {"m_h": mh},
    )  # fmt: skip


def repelled(rng: np.random.Generator) -> Simulated:
    """Two stones that repel one another without touch."""
    m1, m2 = true_mass(rng, 19.1, 0.05), true_mass(rng, 11.3, 0.05)
    n, size = float(rng.choice([1.0, 2.0, 3.0])), rng.uniform(2.0, 20.0)
    v0 = rng.uniform(0.4, 1.2)

    def slopes(_: float, y: np.ndarray) -> np.ndarray:
        f = size * (0.1 / (y[1] - y[0])) ** n
        return np.array([y[2], y[3], -f / m1, f / m2])

    t = times(rng, rng.uniform(2.0, 4.0), 60)
    other = rng.choice([0.0, -0.3])
    y = motion(slopes, [0.0, 1.0, v0, other], t, 30)
    # Closer than some centimetres the steps here would be too coarse
    meeting = 0.5 * m1 * m2 / (m1 + m2) * (v0 - other) ** 2
    to_there = size * 0.1**n * quad(lambda r: r**-n, 0.05, 1.0)[0]
    if to_there < meeting:
        return repelled(rng)
    return Simulated(
        t, {"A": {"x": y[0]}, "B": {"x": y[1]}}, {"A": {"x": y[2]}, "B": {"x": y[3]}},
        (f"repulsion n={n:g}",), ("mass of A = 19.10 ± 0.05 kg", "mass of B = 11.30 ± 0.05 kg"),
        {"F": size},
    )  # fmt: skip


def pendulum(rng: np.random.Generator) -> Simulated:
    """A pendulum, seen from the side or by its way across alone."""
    length, flat = rng.uniform(0.4, 2.0), rng.random() < 0.4
    period = 2 * np.pi * np.sqrt(length / G)
    t = times(rng, period * rng.uniform(1.5, 5.0), 80)
    y = motion(lambda _, y: np.array([y[1], -G / length * np.sin(y[0])]),
               [rng.uniform(0.1, 0.9) * rng.choice([-1, 1]), rng.uniform(-0.5, 0.5)],
               t, 12)  # fmt: skip
    xp, yp = rng.uniform(-0.5, 0.5), rng.uniform(0.5, 2.5)
    x, v = xp + length * np.sin(y[0]), length * y[1] * np.cos(y[0])
    places, speeds = {"x": x}, {"x": v}
    if not flat:
        places["y"], speeds["y"] = yp - length * np.cos(y[0]), length * y[1] * np.sin(y[0])
    return Simulated(t, {"A": places}, {"A": speeds}, ("pendulum g=9.81±0 m/s²",), (),
                     {"l": length})  # fmt: skip


def _pulse(rng: np.random.Generator, begin: float, wide: float) -> Callable[[float], float]:
    """A push of a size of 1: round, a bell, with sudden edges, or sudden and fading."""
    kind = rng.integers(4)
    if kind == 0:
        return lambda s: np.sin(np.pi * (s - begin) / wide) if begin < s < begin + wide else 0.0
    if kind == 1:
        return lambda s: np.exp(-0.5 * ((s - begin - wide / 2) / (wide / 5)) ** 2)
    if kind == 2:
        return lambda s: 1.0 if begin < s < begin + wide else 0.0
    return lambda s: np.exp(-3.0 * (s - begin) / wide) if s > begin else 0.0


def gauged(rng: np.random.Generator) -> Simulated:
    """A sled that a gauge pushes or stops, whose factor and zero nobody told."""
    m = true_mass(rng, 6.4, 0.02)
    t = times(rng, 2.0, 80, 260)
    v0 = rng.choice([0.0, 0.6, -1.1])
    wide = rng.uniform(8, 60) * 2.0 / len(t)
    pulse = _pulse(rng, t[0] + rng.uniform(0.4, 1.4), wide)
    size = rng.choice([-1.0, 1.0]) * rng.uniform(0.5, 2.0) * m / wide
    y = motion(lambda s, y: np.array([y[1], size * pulse(s) / m]), [0.2, v0], t, fine=64)
    f, zero = rng.choice([-1.0, 1.0]) * rng.uniform(0.8, 1.25), rng.uniform(-2.0, 2.0)
    read = np.array([size * pulse(s) for s in t]) / f + zero
    return Simulated(t, {"A": {"x": y[0]}}, {"A": {"x": y[1]}}, ("recorded force f=free",),
                     ("mass of A = 6.40 ± 0.02 kg",), {"f": f, "F_0": zero}, read)  # fmt: skip


CASES = {
    "friction": friction, "linear": linear, "quadratic": quadratic, "spring": spring,
    "cord": cord, "repulsion": repelled, "pendulum": pendulum, "gauge": gauged,
}  # fmt: skip


def recorded(one: Simulated, rng: np.random.Generator) -> Project:
    """The trial as a camera or a range finder has it: noise, jitter, perhaps coarse steps."""
    sigma = rng.choice([3e-4, 1e-3, 3e-3])
    jitter = rng.choice([0.0, 0.0, 5e-4])
    off = rng.normal(0.0, 1.0, len(one.t)) * jitter
    step = rng.choice([0.0, 0.5 * sigma])
    bodies = []
    for name, axes in one.places.items():
        channels = []
        for axis, x in axes.items():
            seen = x + one.speeds[name][axis] * off + rng.normal(0.0, sigma, len(x))
            if step:
                seen = np.round(seen / step) * step
            channels.append(Channel(axis, f"{axis} {name}", unit_of("length", "m"), seen))
        sensors = ()
        if one.force is not None:
            rate = np.gradient(one.force, one.t)
            rough = rng.choice([0.05, 0.3, 1.0])
            read = one.force + rate * off + rng.normal(0.0, rough, len(one.t))
            sensors = (Channel("F", f"F {name}", unit_of("force", "N"), read),)
        bodies.append(Body(name, tuple(channels), sensors))
    trial = Trial("t", "trial", "t", unit_of("time", "s"), one.t, tuple(bodies))
    project = with_trials(Project(), [trial], "series")
    for fact in one.facts:
        project = with_typed_fact(project, fact)
    return project


def of_series(rng: np.random.Generator) -> tuple[float, Scalar]:
    """μ of five glides, shared, and what was found of it."""
    mu, g = rng.uniform(0.005, 0.03), 9.81 + rng.uniform(-0.03, 0.03)
    trials = []
    for number in range(5):
        v0, sign = rng.uniform(0.6, 2.0), rng.choice([-1.0, 1.0])
        t = times(rng, rng.uniform(1.5, 4.0))
        s = np.minimum(t - t[0], v0 / (mu * g))
        x, v = sign * (v0 * s - 0.5 * mu * g * s**2), sign * (v0 - mu * g * s)
        one = Simulated(t, {"A": {"x": x}}, {"A": {"x": v}}, (), (), {})
        trials.append(replace(recorded(one, rng).entries[0].trial, id=f"t{number}"))
    project, evaluator = with_trials(Project(), trials, "series"), Evaluator()
    model = Model("m", (parse_force("sliding friction"),))
    made = [trial_model(evaluator.trial_context(project, e), model) for e in project.entries]
    return mu, fit_model(made, ["mu"]).scalar("mu")


def held_start(rng: np.random.Generator) -> tuple[float, Scalar]:
    """μ after a start from a span that is held, and what was found of it."""
    mu, v0, sign = rng.uniform(0.005, 0.03), rng.uniform(0.8, 2.0), rng.choice([-1.0, 1.0])
    t = times(rng, 3.0)
    s = np.minimum(t - t[0], v0 / (mu * G))
    x, v = sign * (v0 * s - 0.5 * mu * G * s**2), sign * (v0 - mu * G * s)
    one = Simulated(t, {"A": {"x": x}}, {"A": {"x": v}}, (), (), {})
    project = recorded(one, rng)
    spans = Spans([Span("first", SpanKind.FREE, float(t[0]), float(t[0]) + 1.0)])
    project = project.with_entry(replace(project.entries[0], spans=spans))
    context = Evaluator().trial_context(project, project.entries[0])
    start = Start(span="first", fitted=False)
    model = Model("m", (parse_force("sliding friction g=9.81±0 m/s²"),), start=start)
    return mu, fit_model([trial_model(context, model)]).scalar("mu")


def several(case: str, trials: int, first: int) -> None:
    """Print coverage of one parameter of a case with a way of its own."""
    rows = []
    for seed in range(first, first + trials):
        rng = np.random.default_rng([seed, 77])
        true, found = (of_series if case == "series" else held_start)(rng)
        off = abs(found.value - true)
        rows.append((off <= found.k68 * found.u, off <= found.k95 * found.u, off / found.u))
    a, b, z = np.array(rows, dtype=float).T
    print(f"{case} μ: {100 * a.mean():.1f} {100 * b.mean():.1f} % of {len(rows)}, "
          f"rms {np.sqrt(np.mean(z**2)):.3f}, largest {z.max():.1f} u", flush=True)  # fmt: skip


def main(case: str, trials: int, first: int) -> None:
    """Print coverage of every free parameter, and how often a true model is called structured."""
    held: dict[str, list[tuple[bool, bool, float]]] = {}
    structured, refused, wide = 0, 0, []
    for seed in range(first, first + trials):
        rng = np.random.default_rng([seed, sum(map(ord, case))])
        one = CASES[case](rng)
        project = recorded(one, rng)
        context = Evaluator().trial_context(project, project.entries[0])
        model = Model("m", tuple(parse_force(f) for f in one.forces))
        try:
            fit = fit_model([trial_model(context, model)])
        except InertianError as error:
            refused += 1
            print("refused", seed, error, file=sys.stderr)
            continue
        wide.append(fit.wider)
        structured += residual_pattern(fit.trials[0]).structured
        for setting in fit.free:
            if setting.name not in one.truth:
                continue
            found, true = fit.scalar(setting.code), one.truth[setting.name]
            off = abs(found.value - true)
            held.setdefault(setting.name, []).append(
                (off <= found.k68 * found.u, off <= found.k95 * found.u, off / found.u)
            )
            if off > 5 * found.u:
                print("far", case, seed, setting.name, found.value, found.u, true, file=sys.stderr)
    done = trials - refused
    for name, rows in held.items():
        a, b, z = np.array(rows, dtype=float).T
        print(f"{case} {name}: {100 * a.mean():.1f} {100 * b.mean():.1f} % of {len(rows)}, "
              f"rms {np.sqrt(np.mean(z**2)):.3f}, largest {z.max():.1f} u")  # fmt: skip
    print(f"{case}: called structured {100 * structured / max(done, 1):.1f} %, refused {refused}, "
          f"widened {np.mean(wide):.3f}", flush=True)  # fmt: skip


if __name__ == "__main__":
    many = int(sys.argv[2]) if len(sys.argv) > 2 else 2000
    begin = int(sys.argv[3]) if len(sys.argv) > 3 else 0
    (main if sys.argv[1] in CASES else several)(sys.argv[1], many, begin)
