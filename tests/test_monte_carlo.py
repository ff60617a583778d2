"""Monte Carlo and budgets against the worked examples of the Guide: JCGM 101, 9.2, and JCGM 100,
H.1 to H.3.
"""

from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import t as student

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.fits.curves import fit_curve
from inertian.physics.definitions.derived_quantities import DerivedQuantity
from inertian.physics.definitions.requests import NamedReading, Quantity, QuantityRef, ReadingKind
from inertian.physics.readings.reading_monte_carlo import draw_reading
from inertian.physics.readings.readings import read_named
from inertian.project.project import Project, Series, with_trials
from inertian.quantities.coverage import coverage_factor
from inertian.quantities.estimates import ErrorSource, JointScalars, Pools, SourceCovariance
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.monte_carlo import Cancelled, distribution, shortest_interval, tolerance_of
from inertian.quantities.propagation import propagate
from inertian.quantities.units import unit_of


def independent(values, us, bounded=(), dofs=None):
    """Independent inputs by name, each a source and a pool of its own."""
    names = tuple(values)
    parts = []
    for i, name in enumerate(names):
        matrix = np.zeros((len(names), len(names)))
        matrix[i, i] = us[name] ** 2
        parts.append(SourceCovariance(ErrorSource(name, "fact", name, name in bounded), matrix))
    relative = {(n, n): 2.0 / v for n, v in (dofs or {}).items() if np.isfinite(v)}
    return JointScalars(names, np.array([values[n] for n in names]), tuple(parts), Pools(relative))


def added(q):
    return {"Y": q["a"] + q["b"] + q["c"] + q["d"]}


@pytest.mark.parametrize(
    ("u", "bounded", "interval", "does"),
    [
        ((1.0, 1.0, 1.0, 1.0), (), 4.00, True),  # 9.2.2, for 95.45 % instead of 95 %
        ((1.0, 1.0, 1.0, 1.0), "abcd", 3.94, False),  # 9.2.3: four rectangles
        ((1.0, 1.0, 1.0, 10.0), "abcd", 17.2, False),  # 9.2.4: one rectangle dominates
    ],
)
def test_the_additive_model_of_jcgm_101(u, bounded, interval, does):
    names = "abcd"
    joint = independent(dict.fromkeys(names, 0.0), dict(zip(names, u, strict=True)), bounded)
    found = distribution(added, joint, "Y")
    assert found.u == pytest.approx(np.sqrt(np.sum(np.square(u))), rel=0.01)
    assert found.shortest95[1] == pytest.approx(interval, rel=0.02)
    assert found.shortest95[0] == pytest.approx(-interval, rel=0.02)
    assert found.first_order_does is does
    assert found.settled


def test_draws_are_reproducible_and_can_be_stopped():
    joint = independent(
        {"a": 0.0, "b": 1.0, "c": 0.0, "d": 0.0}, {"a": 1.0, "b": 0.0, "c": 1.0, "d": 0.0}
    )
    one, same, other = (distribution(added, joint, "Y", seed) for seed in (1, 1, 2))
    assert (
        (one.mean, one.shortest95) == (same.mean, same.shortest95) != (other.mean, other.shortest95)
    )
    with pytest.raises(Cancelled):
        distribution(added, joint, "Y", progress=lambda share: share < 0.02)
    assert (tolerance_of(0.0321), tolerance_of(9.9), tolerance_of(0.0)) == (
        pytest.approx(5e-4),
        pytest.approx(0.05),
        0.0,
    )


def test_an_energy_near_rest_has_a_one_sided_interval():
    joint = independent({"m": 2.0, "v": 0.0}, {"m": 0.01, "v": 0.1})
    found = distribution(lambda q: {"E": 0.5 * q["m"] * q["v"] ** 2}, joint, "E")
    assert 0.0 <= found.shortest95[0] < 1e-5
    # V² / σ² is χ² of one degree of freedom: 4 at 95.45 %
    assert found.shortest95[1] == pytest.approx(0.04, rel=0.03)
    assert not found.first_order_does


def test_the_shortest_interval_of_a_skewed_distribution():
    drawn = np.random.default_rng(1).exponential(1.0, 200_000)
    low, high = shortest_interval(drawn, 0.95)
    assert low == pytest.approx(0.0, abs=1e-3)
    assert high == pytest.approx(-np.log(0.05), rel=0.02)


def test_h_1_the_end_gauge():
    def gauge(q):
        return {"l": q["l_s"] + q["d"] - q["l_s"] * (q["da"] * q["theta"] + q["a_s"] * q["dt"])}

    # Lengths in nm
    values = {
        "l_s": 50_000_623.0,
        "d": 215.0,
        "da": 0.0,
        "theta": -0.1,
        "a_s": 11.5e-6,
        "dt": 0.0,
    }
    us = {"l_s": 25.0, "d": 9.7, "da": 0.58e-6, "theta": 0.41, "a_s": 1.2e-6, "dt": 0.029}
    dofs = {"l_s": 18.0, "d": 25.6, "da": 50.0, "dt": 2.0}
    found = propagate(gauge, independent(values, us, ("a_s", "theta"), dofs)).joint
    shares = {source.name: round(float(np.sqrt(v)), 1) for source, v in found.shares("l").items()}
    assert (shares["l_s"], shares["d"], shares["da"]) == (25.0, 9.7, 2.9)
    assert shares["dt"] == pytest.approx(16.6, abs=0.1)  # printed as 16.6, from 16.675
    assert round(found.values[0]) == 50_000_838
    assert round(found.u("l")) in (31, 32)  # 31.7 before it is rounded
    assert int(found.dof("l")) == 16
    assert round(float(student.ppf(0.995, 16)), 2) == 2.92
    assert round(2.92 * found.u("l")) in (92, 93)


READINGS = {
    "V": (5.007, 4.994, 5.005, 4.990, 4.999),
    "I": (19.663e-3, 19.639e-3, 19.640e-3, 19.685e-3, 19.678e-3),
    "φ": (1.0456, 1.0438, 1.0468, 1.0428, 1.0433),
}


def test_h_2_resistance_and_reactance_with_their_correlations():
    table = np.array(list(READINGS.values()))
    covariance = np.cov(table) / table.shape[1]
    joint = JointScalars(
        tuple(READINGS),
        table.mean(axis=1),
        (SourceCovariance(ErrorSource("all", "readings"), covariance),),
        Pools(),
    )

    def ohm(q):
        z = q["V"] / q["I"]
        return {"R": z * np.cos(q["φ"]), "X": z * np.sin(q["φ"]), "Z": z}

    found = propagate(ohm, joint).joint
    assert [round(float(v), 3) for v in found.values] == [127.732, 219.847, 254.260]
    # X printed as 0.295, from 0.29558
    assert [round(found.u(n), 3) for n in found.names] == [0.071, 0.296, 0.236]
    u = np.sqrt(np.diag(found.covariance))
    r = found.covariance / np.outer(u, u)
    assert [round(float(r[i, j]), 3) for i, j in ((0, 1), (0, 2), (1, 2))] == [
        -0.588,
        -0.485,
        0.993,
    ]


THERMOMETER = (
    (21.521, -0.171), (22.012, -0.169), (22.512, -0.166), (23.003, -0.159), (23.507, -0.164),
    (23.999, -0.165),
    (24.513, -0.156), (25.002, -0.157), (25.503, -0.159), (26.010, -0.161), (26.511, -0.160),
)  # fmt: skip


def test_h_3_the_calibration_line_of_a_thermometer():
    t, b = np.array(THERMOMETER).T
    fit = fit_curve(t, b, CurveShape.LINE, 20.0)
    covariance = fit.scatter**2 * fit.operator @ fit.operator.T
    u = np.sqrt(np.diag(covariance))
    assert (round(fit.values[0], 4), round(fit.values[1], 5)) == (-0.1712, 0.00218)
    assert (round(u[0], 4), round(u[1], 5)) == (0.0029, 0.00067)
    assert round(covariance[0, 1] / (u[0] * u[1]), 3) == -0.930
    assert round(fit.scatter, 4) == 0.0035
    at = np.array([1.0, 30.0 - 20.0])
    assert (round(float(at @ fit.values), 4), round(float(np.sqrt(at @ covariance @ at)), 4)) == (
        -0.1494,
        0.0041,
    )
    assert fit.dof == 9
    assert round(coverage_factor(0.95, 9), 2) == 2.26


# -- readings, drawn anew --------------------------------------------------------------------------


def sled(rng, turn=None, n=60):
    """A sled on a parabola that turns at a time, or never: what is seen of it, and its true speed
    as a function.
    """
    t = np.arange(n) * 2.0 / n
    at = 5.0 if turn is None else turn
    x = -0.4 * (t - at) ** 2 + rng.normal(0.0, 1e-3, n)
    made = with_trials(
        Project(series=(Series("made"),)), [recording(t, {"sled": {"x": x}})], "made"
    )
    mass = Fact(2.0 + rng.normal(0.0, 0.02), 0.02, Meaning.STANDARD, unit_of("mass", "kg"))
    made = made.with_fact(FactId("mass of sled"), mass)
    return Evaluator().trial_context(made, made.entries[0]), lambda time: -0.8 * (time - at)


ASKED = {
    "energy": (Quantity.KINETIC, ReadingKind.VALUE, "", (1.0,)),
    "momentum between": (Quantity.MOMENTUM, ReadingKind.DIFFERENCE, "x", (0.6, 1.4)),
    "slope": (Quantity.VELOCITY, ReadingKind.SLOPE, "x", (1.0,)),
    "formula": (Quantity.DERIVED, ReadingKind.VALUE, "P", (1.0,)),
    "area of a formula": (Quantity.DERIVED, ReadingKind.VALUE, "J_F", (1.5,)),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", ASKED)
def test_draws_of_a_reading_agree_with_first_order_where_it_does(name):
    context, _ = sled(np.random.default_rng(2))
    if name == "area of a formula":
        context = replace(
            context,
            derived={
                **context.derived,
                "J_F": DerivedQuantity("Impulse", "J_F", "N·s", "area(m a_x)"),
            },
        )
    quantity, kind, axis, times = ASKED[name]
    named = NamedReading(
        "r", kind, QuantityRef(quantity, axis, "W" if axis == "P" else "N·s"), "sled", times
    )
    first = read_named(context, named)
    found = draw_reading(context, named, first)
    assert first.way == "first order"
    assert found.mean == pytest.approx(first.value, abs=0.05 * first.u)
    dof = first.dof
    wider = np.sqrt(dof / (dof - 2.0)) if np.isfinite(dof) else 1.0
    assert first.u * 0.97 < found.u < 1.03 * wider * first.u
    assert found.shortest95[1] - found.shortest95[0] == pytest.approx(
        2.0 * first.k95 * first.u, rel=0.04
    )
    same = draw_reading(context, named, first)
    assert (same.mean, same.shortest95) == (found.mean, found.shortest95)
    with pytest.raises(Cancelled):
        draw_reading(context, named, first, progress=lambda _share: False)


@pytest.mark.slow
@pytest.mark.parametrize("away", [0.0, 0.0007, 0.0014])
def test_a_kinetic_energy_near_rest_is_mapped_and_covers(away):
    rng, hits, ways, at = np.random.default_rng(8), [], set(), 1.0 + away
    for _ in range(250):
        context, speed = sled(rng, turn=1.0)
        found = read_named(
            context,
            NamedReading("r", ReadingKind.VALUE, QuantityRef(Quantity.KINETIC, ""), "sled", (at,)),
        )
        ways.add(found.way)
        (low, high), wide = found.interval68, found.interval95
        truth, tiny = speed(at) ** 2, 1e-15
        assert -tiny <= low <= found.value <= high
        hits.append((low - tiny <= truth <= high, wide[0] - tiny <= truth <= wide[1]))
    assert ways == {"mapped"}
    narrow, wide = np.mean(hits, axis=0)
    # Two speeds give one energy: never less
    assert 0.6827 - 3.3 * np.sqrt(0.6827 * 0.3173 / 250) < narrow < 0.95
    assert wide > 0.9545 - 3.3 * np.sqrt(0.9545 * 0.0455 / 250)
