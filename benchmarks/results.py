"""How often intervals of results contain the truth: readings, energies, fits and integrals of
simulated trials.

Run: python benchmarks/results.py [RUNS] [SAMPLES ...] [NAMES ...]; a name is that of a result, or
its beginning. Noise is estimated by the program from each trial alone, facts are drawn within their
±. A cell is well where its share lies within the two-sided 99.9 % limits for so many trials; the
last column compares the mean width with that from noise that is known.
"""

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.stats import binom

from inertian.analysis.evaluation import Evaluator
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.noise.reading_noise import InstrumentNoise
from inertian.motion.recording.frame import ANGLE, CENTRE
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.requests import (
    CurveRequest,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.quantity_values import at_all_samples
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.physics.readings.readings import (
    correlated_scalars,
    fit_curve_request,
    over_span,
    read_named,
)
from inertian.project.project import Entry, Project, Series
from inertian.quantities.coverage import P68, P95, Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Pools
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

Array = NDArray[np.float64]
# A result, the truth, and u if the noise were known; NaN if not asked
Drawn = tuple[Scalar, float, float]
M, KG, DEGREE = unit_of("length", "m"), unit_of("mass", "kg"), unit_of("angle", "°")
NEWTON, ACCELERATION, STIFFNESS = (
    unit_of("force", "N"),
    unit_of("acceleration", "m/s²"),
    unit_of("stiffness", "N/m"),
)
SIGMA = 1e-3
SPAN = Spans([Span("part", SpanKind.FREE, 0.3, 1.7), Span("later", SpanKind.FREE, 0.9, 1.9)])


def times(n: int, even: bool, rng: np.random.Generator) -> Array:
    """Return n moments in two seconds."""
    return (
        np.arange(n) * 2.0 / n
        if even
        else np.sort(rng.uniform(0.0, 0.8, n) + np.arange(n)) * 2.0 / n
    )


def trial_context(
    t: Array,
    axes: dict[str, Array],
    facts: dict[str, Fact],
    spans: Spans = SPAN,
    jitter: float = 0.0,
) -> TrialContext:
    """Return a made trial of one body as the program sees it."""
    channels = tuple(Channel(a, a, M, x) for a, x in axes.items())
    trial = Trial("t", "made", "time", unit_of("time", "s"), t, (Body("sled", channels),))
    setup = {FactId(name): fact for name, fact in facts.items()}
    project = Project("made", (Entry(trial, "s", spans),), (Series("s"),), setup)
    return Evaluator().trial_context(project, project.entries[0])


def known(context: TrialContext, stamp: float = 0.0) -> TrialContext:
    """Return the same with noise that is known."""
    return replace(context, noise=InstrumentNoise(SIGMA, stamp, float("inf"), Pools(), True))


def measured(true: float, u: float, unit: object, rng: np.random.Generator) -> Fact:
    """Return a fact that is off by its standard uncertainty."""
    return Fact(true + u * rng.normal(), u, Meaning.STANDARD, unit)


def _read(
    context: TrialContext,
    quantity: Quantity,
    axis: str,
    kind: ReadingKind,
    at: tuple[float, ...] = (),
    si: str = "",
) -> Scalar:
    return read_named(
        context,
        NamedReading("r", kind, QuantityRef(quantity, axis, si), "sled", at, "" if at else "part"),
    )


def _swinging(
    n: int, even: bool, rng: np.random.Generator
) -> tuple[Array, Array, Callable[[float], tuple[float, float]]]:
    """A body that swings: times, readings, and position and velocity at a moment."""
    t, w, phase = times(n, even, rng), rng.uniform(2.0, 4.0), rng.uniform(0.0, 6.0)
    x = 0.3 * np.sin(w * t + phase) + SIGMA * rng.normal(size=n)
    return t, x, lambda s: (0.3 * np.sin(w * s + phase), 0.3 * w * np.cos(w * s + phase))


def momentum(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """m v at a moment."""
    t, x, true = _swinging(n, even, rng)
    context = trial_context(t, {"x": x}, {"mass of sled": measured(2.0, 0.01, KG, rng)})
    at = (float(rng.uniform(0.4, 1.6)),)
    ask = (Quantity.MOMENTUM, "x", ReadingKind.VALUE, at)
    return _read(context, *ask), 2.0 * true(at[0])[1], _read(known(context), *ask).u


def kinetic(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """½ m v² at a moment of at least a third of the greatest speed."""
    t, x, true = _swinging(n, even, rng)
    context = trial_context(t, {"x": x}, {"mass of sled": measured(2.0, 0.01, KG, rng)})
    at = max((float(s) for s in rng.uniform(0.4, 1.6, 8)), key=lambda s: abs(true(s)[1]))
    ask = (Quantity.KINETIC, "", ReadingKind.VALUE, (at,))
    return _read(context, *ask), true(at)[1] ** 2, _read(known(context), *ask).u


def kinetic_near_rest(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """½ m v² within a tenth of a second of a turning point."""
    t, a = times(n, even, rng), rng.uniform(-1.0, -0.5)
    turn = rng.uniform(0.8, 1.2)
    x = 0.5 * a * (t - turn) ** 2 + SIGMA * rng.normal(size=n)
    context = trial_context(t, {"x": x}, {"mass of sled": measured(2.0, 0.01, KG, rng)}, Spans())
    at = turn + rng.uniform(-0.02, 0.02)
    return (
        _read(context, Quantity.KINETIC, "", ReadingKind.VALUE, (at,)),
        (a * (at - turn)) ** 2,
        float("nan"),
    )


def incline(n: int, even: bool, rng: np.random.Generator, symbol: str, at: float = 1.0) -> Drawn:
    """m g x sin θ, or that and ½ m v², up and down a bank."""
    t = times(n, even, rng)
    x = 1.5 * t - 0.85 * t * t + SIGMA * rng.normal(size=n)
    facts = {
        "mass of sled": measured(2.0, 0.01, KG, rng),
        "incline": measured(10.0, 0.2, DEGREE, rng),
        "gravity": measured(9.81, 0.002, ACCELERATION, rng),
    }
    context = trial_context(t, {"x": x}, facts, Spans())
    true = 2.0 * 9.81 * np.sin(np.radians(10.0)) * (1.5 * at - 0.85 * at * at)
    true += (1.5 - 1.7 * at) ** 2 if symbol == "E_mi" else 0.0
    ask = (Quantity.DERIVED, symbol, ReadingKind.VALUE, (at,), "J")
    return _read(context, *ask), true, _read(known(context), *ask).u


def impulse(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """∫ F dt over a push."""
    t = times(n, even, rng)
    force = 20.0 * np.exp(-0.5 * ((t - 1.0) / 0.2) ** 2) + 0.3 * rng.normal(size=n)
    sensor = Channel("F", "F", NEWTON, force)
    trial = Trial("t", "made", "time", unit_of("time", "s"), t, (Body("sled", (), (sensor,)),))
    project = Project("made", (Entry(trial, "s", SPAN),), (Series("s"),), {})
    context = Evaluator().trial_context(project, project.entries[0])
    from scipy.special import erf

    rows = SPAN[0].rows(t)
    first, last = t[rows][0], t[rows][-1]
    ends = erf((last - 1.0) / 0.2 / np.sqrt(2.0)) - erf((first - 1.0) / 0.2 / np.sqrt(2.0))
    true = 20.0 * 0.2 * np.sqrt(np.pi / 2.0) * float(ends)
    counts = 0.5 * (np.append(np.diff(t[rows]), 0.0) + np.insert(np.diff(t[rows]), 0, 0.0))
    return (
        _read(context, Quantity.SENSOR, "F", ReadingKind.AREA),
        true,
        0.3 * float(np.linalg.norm(counts)),
    )


def angular_speed(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """ω about a centre that was measured, of a disc that spins down."""
    t, w0, a = times(n, even, rng), rng.uniform(2.0, 4.0), -0.5
    angle = w0 * t + 0.5 * a * t * t
    off = 0.001 * rng.normal(size=2)
    x, y = (0.4 * f(angle) + SIGMA * rng.normal(size=n) for f in (np.cos, np.sin))
    facts = {
        name: Fact(float(off[k]), 0.001, Meaning.STANDARD, M)
        for k, name in enumerate(CENTRE.values())
    }
    context = trial_context(t, {"x": x, "y": y}, facts, Spans())
    frame = replace(context.frame, centre=(float(off[0]), float(off[1])))
    centre = {name: (FactId(name), fact) for name, fact in facts.items()}
    context = replace(context, frame=frame, shared={**context.shared, **centre})
    at = (float(rng.uniform(0.4, 1.6)),)
    ask = (Quantity.ANGULAR_SPEED, "", ReadingKind.VALUE, at)
    return _read(context, *ask), w0 + a * at[0], _read(known(context), *ask).u


def rotated(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """v along an axis that was turned by an angle known to 0.5°."""
    t = times(n, even, rng)
    off = np.radians(0.5) * rng.normal()
    x, y = 0.9 * t - 0.2 * t * t, 0.7 * t
    xs = np.cos(off) * x + np.sin(off) * y + SIGMA * rng.normal(size=n)
    ys = -np.sin(off) * x + np.cos(off) * y + SIGMA * rng.normal(size=n)
    context = trial_context(t, {"x": xs, "y": ys}, {}, Spans())
    angle = Fact(0.0, float(np.radians(0.5)), Meaning.STANDARD, unit_of("angle", "rad"))
    context = replace(context, shared={**context.shared, ANGLE: (FactId(ANGLE), angle)})
    ask = (Quantity.VELOCITY, "x", ReadingKind.VALUE, (1.0,))
    return _read(context, *ask), 0.5, _read(known(context), *ask).u


def area(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """∫ v dt over a span: the change of position."""
    t, x, true = _swinging(n, even, rng)
    context = trial_context(t, {"x": x}, {}, SPAN)
    rows = SPAN[0].rows(t)
    ask = (Quantity.VELOCITY, "x", ReadingKind.AREA)
    return (
        _read(context, *ask),
        true(t[rows][-1])[0] - true(t[rows][0])[0],
        _read(known(context), *ask).u,
    )


def overlapping(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """The difference of the mean velocities over two spans that overlap."""
    t, x, true = _swinging(n, even, rng)
    context, found, truths = trial_context(t, {"x": x}, {}, SPAN), [], []
    for span in SPAN:
        found.append(
            over_span(context, QuantityRef(Quantity.VELOCITY, "x"), "sled", span, ReadingKind.MEAN)
        )
        truths.append(np.mean([true(s)[1] for s in t[span.rows(t)]]))
    us = []
    for one in (context, known(context)):
        both = correlated_scalars(one, dict(zip("12", found, strict=True)))
        us.append(float(np.sqrt(np.array([1.0, -1.0]) @ both.covariance @ [1.0, -1.0])))
    return (
        Scalar(float(both.values[0] - both.values[1]), us[0], context.noise.dof),
        truths[0] - truths[1],
        us[1],
    )


def fitted(n: int, even: bool, rng: np.random.Generator, shape: CurveShape, place: int) -> Drawn:
    """A parameter of a curve fitted over a span."""
    t = times(n, even, rng)
    start = SPAN[0].start
    tau = t - start
    if shape is CurveShape.SINE:
        clean, true = 0.1 + 0.3 * np.sin(2 * np.pi * tau / 0.8 + 0.5), (0.1, 0.3, 0.8, 0.5)
    elif shape is CurveShape.LINE:
        clean, true = 0.2 + 0.8 * tau, (0.2, 0.8)
    else:
        clean, true = 0.2 + 0.8 * tau - 0.5 * 0.6 * tau**2, (0.2, 0.8, -0.6)
    context = trial_context(t, {"x": clean + SIGMA * rng.normal(size=n)}, {}, Spans(SPAN[:1]))
    request = CurveRequest(QuantityRef(Quantity.POSITION, "x"), "sled", "part", shape)
    result = fit_curve_request(context, request).parameters[place][1]
    return result, true[place], fit_curve_request(known(context), request).parameters[place][1].u


def jittered(n: int, even: bool, rng: np.random.Generator) -> Drawn:
    """v at a moment where time stamps are off by 3 ms."""
    t = times(n, even, rng)
    shaken = t + 0.003 * rng.normal(size=n)
    x = 1.5 * shaken - 0.4 * shaken**2 + 0.3 * SIGMA * rng.normal(size=n)
    context = trial_context(t, {"x": x}, {}, Spans())
    at = float(rng.uniform(0.5, 1.5))
    return (
        _read(context, Quantity.VELOCITY, "x", ReadingKind.VALUE, (at,)),
        1.5 - 0.8 * at,
        float("nan"),
    )


def towed(n: int, even: bool, rng: np.random.Generator, twice: bool) -> Drawn:
    """Velocity, or distance, of a towed sled from its accelerometer, with a baseline that
    drifts.
    """
    t = 2.5 * times(n, even, rng)
    inside, w = np.clip(t - 1.0, 0.0, 3.0), 2.0 * np.pi / 3.0
    pull = np.where((t > 1.0) & (t < 4.0), np.sin(inside * w), 0.0)
    a = pull + 0.3 + 0.01 * (t - 2.0) + 0.05 * rng.normal(size=n)
    rests = [Span("first", SpanKind.REST, 0.0, 0.95), Span("last", SpanKind.REST, 4.05, 5.0)]
    sensor = Channel("a", "a", ACCELERATION, a)
    trial = Trial("t", "made", "time", unit_of("time", "s"), t, (Body("sled", (), (sensor,)),))
    project = Project("made", (Entry(trial, "s", Spans(rests)),), (Series("s"),), {})
    context = Evaluator().trial_context(project, project.entries[0])
    shown = QuantityRef(Quantity.DERIVED, *(("x_lev", "m") if twice else ("v_lev", "m/s")))
    value, u = at_all_samples(context, shown, "sled")
    k = int(np.searchsorted(t, 3.9))
    late = inside[k]
    true = (late - np.sin(w * late) / w) / w if twice else (1.0 - np.cos(w * late)) / w
    quiet = int(np.sum((t < 0.95) | (t > 4.05))) - 2
    return Scalar(float(value[k]), float(u[k]), float(quiet)), true, float("nan")


CELLS: dict[str, tuple[Callable[..., Drawn], dict[str, object]]] = {
    "p at a moment": (momentum, {}),
    "½mv² at a moment": (kinetic, {}),
    "½mv² near rest": (kinetic_near_rest, {}),
    "mgx sin θ": (incline, {"symbol": "E_i"}),
    "½mv² + mgx sin θ": (incline, {"symbol": "E_mi"}),
    "impulse of a force": (impulse, {}),
    "ω about a centre": (angular_speed, {}),
    "v along turned axes": (rotated, {}),
    "v with time jitter": (jittered, {}),
    "area of v": (area, {}),
    "means over overlapping spans": (overlapping, {}),
    "slope of a line": (fitted, {"shape": CurveShape.LINE, "place": 1}),
    "a of a parabola": (fitted, {"shape": CurveShape.PARABOLA, "place": 2}),
    "period of a sine": (fitted, {"shape": CurveShape.SINE, "place": 2}),
    "velocity from acceleration": (towed, {"twice": False}),
    "distance from acceleration": (towed, {"twice": True}),
}


def cell(request: tuple[str, int, bool, int]) -> tuple[str, int, bool, list[float], float]:
    """Return the shares inside 68 and 95 % intervals of one cell, and the width against known
    noise.
    """
    name, n, even, runs = request
    work, more = CELLS[name]
    rng = np.random.default_rng([list(CELLS).index(name), n, even])
    hits, widths = [], []
    for _ in range(runs):
        try:
            found, truth, least = work(n, even, rng, **more)
        except InertianError:  # too few samples for it
            continue
        (low68, high68), (low95, high95) = found.interval68, found.interval95
        hits.append((low68 <= truth <= high68, low95 <= truth <= high95))
        widths.append((found.u, least))
    if not hits:
        return name, n, even, [], float("nan")
    mean = np.mean(widths, axis=0)
    return name, n, even, [float(h) for h in np.mean(hits, axis=0)], float(mean[0] / mean[1])


def main(runs: int, samples: list[int], names: list[str]) -> None:
    """Print the table."""
    limits = [binom.ppf((0.0005, 0.9995), runs, p) / runs for p in (P68, P95)]
    print(
        f"{runs} trials a cell; 99.9 % limits "
        + ", ".join(f"{100 * a:.1f} to {100 * b:.1f}" for a, b in limits)
    )
    print("result | samples | spacing | 68 % | 95 % | width ÷ known noise")
    chosen = [name for name in CELLS if not names or name.startswith(tuple(names))]
    cells = [(name, n, even, runs) for n in samples for name in chosen for even in (True, False)]
    with ProcessPoolExecutor(2) as pool:
        for name, n, even, shares, width in pool.map(cell, cells):
            if not shares:
                print(
                    f"{name} | {n} | {'even' if even else 'uneven'} | too few samples for it",
                    flush=True,
                )
                continue
            marks = [
                "" if a <= s <= b else ("!" if s < a else "+")
                for s, (a, b) in zip(shares, limits, strict=True)
            ]
            said = " | ".join(f"{100 * s:.1f}{m}" for s, m in zip(shares, marks, strict=True))
            print(
                f"{name} | {n} | {'even' if even else 'uneven'} | {said} | {width:.2f}", flush=True
            )


if __name__ == "__main__":
    numbers = [int(a) for a in sys.argv[1:] if a.isdigit()]
    main(
        numbers[0] if numbers else 2000,
        numbers[1:] or [60],
        [a for a in sys.argv[1:] if not a.isdigit()],
    )
