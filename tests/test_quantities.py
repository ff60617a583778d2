"""Units, facts, rounding, estimates, propagation and coverage."""

import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inertian.quantities.coverage import (
    P68,
    P95,
    Scalar,
    coverage_factor,
    equivalent_z,
    two_sided_p,
)
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import (
    ChannelId,
    ClockNoise,
    ErrorShape,
    ErrorSource,
    Estimate,
    JointScalars,
    Pools,
    ReadingNoise,
    SampleWeights,
    SharedPart,
    SourceCovariance,
    joint_scalars,
)
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact, parse_positive
from inertian.quantities.propagation import Results, propagate
from inertian.quantities.rounding import last_place, write_estimate, write_number
from inertian.quantities.units import PIXEL, kind_of, symbols, unit_of

KG = unit_of("mass", "kg")


@pytest.mark.parametrize(
    ("value", "u", "text"),
    [
        (2.4136, 0.0312, "2.41 ± 0.03"),
        (2.4136, 0.0996, "2.41 ± 0.10"),
        (123.4, 9.96, "123 ± 10"),
        (2.4136, 0.0151, "2.414 ± 0.015"),
        (2.4136, 0.0249, "2.414 ± 0.025"),
        (19.1, 0.0577, "19.10 ± 0.06"),
        (-0.0004, 0.03, "0.00 ± 0.03"),
        (-1.96, 0.4, "−2.0 ± 0.4"),
        (1234.5, 40.0, "1230 ± 40"),
        (5.0, 0.0, "5 (exact)"),
        (None, 0.1, "—"),
        (float("nan"), 0.1, "—"),
        (3.14159, None, "3.142 ± —"),
        (6.02214e23, 3.1e20, "(6.022 ± 0.003) × 10²³"),
        (2.5e-9, 1.2e-9, "(2.5 ± 1.2) × 10⁻⁹"),
        # u on either side of the change from two figures to one
        (1.5, 0.249, "1.50 ± 0.25"),
        (1.5, 0.2949, "1.50 ± 0.29"),
        (1.5, 0.295, "1.5 ± 0.3"),
        (1.5, 0.299, "1.5 ± 0.3"),
        (1.5, 0.3, "1.5 ± 0.3"),
        (1.54, 0.349, "1.5 ± 0.3"),
        (15.4, 2.96, "15 ± 3"),
        (154.4, 29.6, "150 ± 30"),
        (1544.0, 296.0, "1500 ± 300"),
        (0.0154, 0.00296, "0.015 ± 0.003"),
        # u that carries into the next place
        (1.234, 0.95, "1.2 ± 1.0"),
        (1.234, 0.949, "1.2 ± 0.9"),
        (1.234, 0.0951, "1.23 ± 0.10"),
        (1.234, 0.0095, "1.234 ± 0.010"),
        (1.234, 0.0949, "1.23 ± 0.09"),
        (1234.0, 99.6, "1230 ± 100"),
        (1.234, 0.1995, "1.23 ± 0.20"),
        (1.234, 0.01, "1.234 ± 0.010"),
        (1.234, 0.1, "1.23 ± 0.10"),
        (10.0, 1.0, "10.0 ± 1.0"),
        # halves go to the even figure, as the decimal that is written, not its binary neighbour
        (2.5, 5.0, "2 ± 5"),
        (3.5, 5.0, "4 ± 5"),
        (0.125, 0.15, "0.12 ± 0.15"),
        (2.675, 0.12, "2.68 ± 0.12"),
        (-2.5, 5.0, "−2 ± 5"),
        # nothing, next to nothing, and signs
        (0.0, 0.03, "0.00 ± 0.03"),
        (-0.0, 0.03, "0.00 ± 0.03"),
        (-0.006, 0.03, "−0.01 ± 0.03"),
        (0.0, 3e-7, "(0 ± 3) × 10⁻⁷"),
        (0.0, 5e-324, "(0 ± 5) × 10⁻³²⁴"),
        (5e-324, 5e-324, "(5 ± 5) × 10⁻³²⁴"),
        (1e-300, 1e300, "(0.0 ± 1.0) × 10³⁰⁰"),
        (-1e300, 4e299, "(−1.0 ± 0.4) × 10³⁰⁰"),
        # where powers of ten begin and end
        (0.00047, 0.00003, "(4.7 ± 0.3) × 10⁻⁴"),
        (0.000012, 0.000004, "(1.2 ± 0.4) × 10⁻⁵"),
        (0.0000047, 0.0000004, "(4.7 ± 0.4) × 10⁻⁶"),
        (999999.7, 0.5, "999999.7 ± 0.5"),
        (999999.7, 3.0, "(1.000000 ± 0.000003) × 10⁶"),
        (123000.0, 4000.0, "123000 ± 4000"),
        (123000.0, 40000.0, "(1.2 ± 0.4) × 10⁵"),
        (12.0, 45000.0, "(0 ± 4) × 10⁴"),
        (12.0, 250.0, "10 ± 250"),
        (9.9996e6, 4e3, "(1.0000 ± 0.0004) × 10⁷"),
        (9.9994e-8, 3e-12, "(9.9994 ± 0.0003) × 10⁻⁸"),
        # known to all figures, or better than that
        (1e-5, 0.0, "1 × 10⁻⁵ (exact)"),
        (1e-6, 0.0, "1 × 10⁻⁶ (exact)"),
        (-9.80665, 0.0, "−9.80665 (exact)"),
        (299792458.0, 0.0, "2.99792458 × 10⁸ (exact)"),
        (0.0, 0.0, "0 (exact)"),
        (3.0, 2e-19, "3 ± 2 × 10⁻¹⁹"),
        (1e20, 3.7, "1 × 10²⁰ ± 4"),
        # no uncertainty that could be told
        (1e-7, None, "1 × 10⁻⁷ ± —"),
        (-12345.6, None, "−12346 ± —"),
        (2.0, math.inf, "2 ± —"),
        (math.inf, 1.0, "—"),
        # numbers of other kinds
        (np.float64(2.4136), np.float64(0.0312), "2.41 ± 0.03"),
        (np.float32(2.5), np.float32(0.5), "2.5 ± 0.5"),
        (np.int64(7), np.int64(2), "7.0 ± 2.0"),
        (7, 2, "7.0 ± 2.0"),
    ],
)
def test_values_are_rounded_by_their_uncertainty(value, u, text):
    assert write_estimate(value, u) == text


@pytest.mark.parametrize(
    ("value", "figures", "text"),
    [
        (4.7e-4, 2, "4.7 × 10⁻⁴"),
        (4.7e-6, 2, "4.7 × 10⁻⁶"),
        (1e-5, 1, "1 × 10⁻⁵"),
        (0.99996, 3, "1.00"),
        (9.996e-7, 3, "1.00 × 10⁻⁶"),
        (12345.0, 3, "12345"),
        (999999.7, 3, "1.00 × 10⁶"),
        (-1.25e9, 2, "−1.2 × 10⁹"),
        (0.0, 3, "0"),
        (math.nan, 3, "—"),
        (np.float32(0.5), 2, "0.50"),
    ],
)
def test_numbers_without_uncertainty_are_written_alike(value, figures, text):
    assert write_number(value, figures) == text


def test_unit_and_decimal_mark_are_written():
    assert write_estimate(2.4136, 0.0312, "m/s") == "2.41 ± 0.03 m/s"
    assert write_estimate(2.4136, 0.0312, "m/s", ",") == "2,41 ± 0,03 m/s"
    assert write_estimate(5.0, 0.0, "kg") == "5 kg (exact)"


@given(st.floats(1e-12, 1e12), st.floats(-1e6, 1e6))
def test_rounding_keeps_the_uncertainty_to_a_fifth(u, ratio):
    place = last_place(u)
    shown = round(u / 10.0**place)
    assert 3 <= shown <= 29
    assert abs(shown * 10.0**place - u) <= 0.5000001 * 10.0**place
    assert abs(shown * 10.0**place / u - 1) <= 0.2
    assert write_estimate(ratio * u, u).count("±") == 1


def test_units_agree_with_an_independent_library():
    import pint

    registry = pint.UnitRegistry()
    name = {
        "°": "degree",
        "m/s²": "m/s**2",
        "cm/s²": "cm/s**2",
        "in": "inch",
        "t": "metric_ton",
        "%": "percent",
        "in/s": "inch/s",
    }
    base = {
        "length": "m",
        "time": "s",
        "mass": "kg",
        "speed": "m/s",
        "acceleration": "m/s**2",
        "force": "N",
    }
    name |= {
        "gₙ": "standard_gravity",
        "lbf": "force_pound",
        "kp": "kgf",
        "mm/s²": "mm/s**2",
        "ft/s²": "ft/s**2",
        "gf": "gram_force",
    }
    for kind in ("length", "time", "mass", "speed", "acceleration", "force"):
        for symbol in set(symbols(kind)) - {PIXEL}:
            theirs = registry.Quantity(1.0, name.get(symbol, symbol)).to(base[kind]).magnitude
            assert unit_of(kind, symbol).factor == pytest.approx(theirs, rel=1e-15), symbol
    assert unit_of("angle", "°").factor == pytest.approx(math.pi / 180, rel=1e-15)


def test_unit_names_are_found_and_wrong_ones_refused():
    assert kind_of("ms") == "time"
    assert kind_of("Seconds") == "time"
    assert kind_of("MS") is None
    for spelling in ("m/s^2", "m s-2", "m·s⁻²", "m/s/s", "(m/s²)", "m/s**2", "ms^-2"):
        assert unit_of("acceleration", spelling).symbol == "m/s²"
    for spelling in ("m/s", "m s^-1", "m·s⁻¹", "m/sec"):
        assert unit_of("speed", spelling).symbol == "m/s"
    assert kind_of("") is None
    with pytest.raises(
        InertianError, match=r"“furlong” is not a unit of length. Write, for example, m, cm"
    ):
        unit_of("length", "furlong")


@pytest.mark.parametrize(
    ("text", "si", "u"),
    [
        ("19.1 ± 0.1 kg", 19.1, 0.1 / math.sqrt(3)),
        ("19,1 ± 0,1 kg", 19.1, 0.1 / math.sqrt(3)),
        ("19,1 kg", 19.1, 0.1 / math.sqrt(12)),
        ("19100 g", 19.1, 0.001 / math.sqrt(12)),
        ("19.10(5) kg", 19.1, 0.05),
        ("19.1 kg ± 100 g", 19.1, 0.1 / math.sqrt(3)),
        ("19.1+/-0.1", 19.1, 0.1 / math.sqrt(3)),
        ("19.1 kg ± 1 %", 19.1, 0.191 / math.sqrt(3)),
        ("19.1 ± 0 kg", 19.1, 0.0),
        ("1.91e1 kg", 19.1, 0.1 / math.sqrt(12)),
        ("1.91 × 10^1 kg", 19.1, 0.1 / math.sqrt(12)),
        ("191·10⁻¹ kg", 19.1, 0.1 / math.sqrt(12)),
        ("(1.91 ± 0.01) × 10^4 g", 19.1, 0.1 / math.sqrt(3)),
        ("1,91 x 10**1 ± 1 × 10^−1 kg", 19.1, 0.1 / math.sqrt(3)),
        ("19.1±0.1kg", 19.1, 0.1 / math.sqrt(3)),
    ],
)
def test_facts_are_read_as_people_write_them(text, si, u):
    fact = parse_fact(text, "mass", KG)
    assert fact.si == pytest.approx(si, rel=1e-12)
    assert fact.u == pytest.approx(u, rel=1e-9, abs=1e-15)


@pytest.mark.parametrize(
    "text", ["", "heavy", "19.1 ± kg", "1,234.5 kg", "19 m", "-3 kg", "0 kg", "1e999 kg", "19 ± -1"]
)
def test_facts_that_make_no_sense_are_refused_in_words(text):
    with pytest.raises(InertianError) as refusal:
        parse_positive(text, "mass", KG)
    assert len(str(refusal.value)) > 20


@given(
    st.floats(1e-3, 1e5),
    st.floats(0, 10),
    st.sampled_from(list(Meaning)),
    st.sampled_from(["kg", "g", "t"]),
    st.sampled_from([1.0, 1e-9, 1e6]),
)
def test_a_fact_shown_and_read_again_is_the_same(value, plus_minus, meaning, unit, size):
    typed = round(value, 4) * size, round(plus_minus, 4) * size
    fact = Fact(*typed, meaning, unit_of("mass", unit))
    assert not re.search(r"\de", str(fact))
    again = parse_fact(str(fact), "mass", KG, meaning)
    assert again.typed == fact.typed
    assert again.unit == fact.unit
    if fact.plus_minus > 0 or meaning is Meaning.EXACT:
        assert again.u == pytest.approx(fact.u, rel=1e-9, abs=1e-300)


A, B = ChannelId("t", "heavy", "x"), ChannelId("t", "light", "x")


def _two_estimates(rng):
    wa, wb = SampleWeights(2, rng.normal(size=5)), SampleWeights(4, rng.normal(size=6))
    first = Estimate(1.0, {A: wa, B: wb}, {"scale": 2.0})
    second = Estimate(2.0, {A: wb}, {"scale": -1.0, "mass": 0.5})
    return first, second


def test_covariance_of_estimates_agrees_with_a_simulation():
    rng = np.random.default_rng(5)
    first, second = _two_estimates(rng)
    rate = {A: rng.normal(size=12), B: rng.normal(size=12)}
    source = ErrorSource("readings", "readings", "r")
    noise = ClockNoise(
        {A: (source, ReadingNoise(0.3**2)), B: (source, ReadingNoise(0.2**2))},
        rate,
        0.5**2,
        ErrorSource("stamps", "stamps", "s"),
    )
    shared = [
        SharedPart(ErrorSource("scale", "fact"), ("scale",), np.array([[0.1**2]])),
        SharedPart(ErrorSource("mass", "fact"), ("mass",), np.array([[0.4**2]])),
    ]
    stated = joint_scalars({"first": first, "second": second}, noise, shared).covariance
    n = 200_000
    jitter = rng.normal(0, 0.5, (n, 12))
    samples = {
        A: rng.normal(0, 0.3, (n, 12)) + jitter * rate[A],
        B: rng.normal(0, 0.2, (n, 12)) + jitter * rate[B],
    }
    facts = {"scale": rng.normal(0, 0.1, n), "mass": rng.normal(0, 0.4, n)}
    drawn = [
        sum(samples[c][:, w.start : w.stop] @ w.values for c, w in e.weights.items())
        + sum(s * facts[k] for k, s in e.sensitivities.items())
        for e in (first, second)
    ]
    assert np.cov(drawn) == pytest.approx(stated, rel=0.02, abs=0.01)


def test_copies_of_an_estimate_stay_fully_correlated():
    first, _ = _two_estimates(np.random.default_rng(1))
    copy = Estimate(first.value, dict(first.weights), dict(first.sensitivities))
    source = ErrorSource("readings", "readings")
    noise = ClockNoise(
        {A: (source, ReadingNoise(1.0)), B: (source, ReadingNoise(1.0))},
        {},
        0.0,
        ErrorSource("stamps", "stamps"),
    )
    pair = joint_scalars(
        {"a": first, "b": copy},
        noise,
        [SharedPart(ErrorSource("s", "fact"), ("scale",), np.eye(1))],
    )
    difference = propagate(lambda q: {"d": q["a"] - q["b"]}, pair).joint
    assert difference.u("d") == pytest.approx(0.0, abs=1e-12)


def test_a_budget_adds_up_and_dof_follow_welch_satterthwaite():
    parts = (
        SourceCovariance(ErrorSource("a", "readings", "a"), np.array([[4.0]])),
        SourceCovariance(ErrorSource("b", "readings", "b"), np.array([[9.0]])),
        SourceCovariance(ErrorSource("mass", "fact", "m"), np.array([[2.0]])),
    )
    pools = Pools({("a", "a"): 2 / 5, ("b", "b"): 2 / 11})
    made = JointScalars(("y",), np.array([1.0]), parts, pools)
    assert sum(made.shares("y").values()) == pytest.approx(made.u("y") ** 2)
    assert made.dof("y") == pytest.approx(15.0**2 / (4.0**2 / 5 + 9.0**2 / 11))


def _inputs(values, u, bounded=False):
    covariance = [np.diag([v**2 if i == j else 0 for j in range(len(u))]) for i, v in enumerate(u)]
    parts = tuple(
        SourceCovariance(ErrorSource(str(i), "fact", str(i), bounded), c)
        for i, c in enumerate(covariance)
    )
    return JointScalars(tuple("abc"[: len(values)]), np.array(values, dtype=float), parts, Pools())


def test_propagation_is_exact_for_products_and_quotients():
    law = propagate(
        lambda q: {"y": 0.5 * q["a"] * q["b"] ** 2 / q["c"]},
        _inputs([2.0, 3.0, 4.0], [0.02, 0.01, 0.03]),
    ).joint
    y = 0.5 * 2 * 9 / 4
    assert law.values[0] == pytest.approx(y, rel=1e-15)
    assert law.u("y") == pytest.approx(
        y * math.sqrt(0.01**2 + (2 * 0.01 / 3) ** 2 + (0.03 / 4) ** 2), rel=1e-12
    )


def test_a_square_near_zero_goes_to_monte_carlo_and_covers():
    rng = np.random.default_rng(3)
    hits, way = 0, set()
    for v in rng.normal(0.0, 1.0, 300):
        e = Results(lambda q: {"e": q["a"] ** 2}, _inputs([v], [1.0]))["e"]
        way.add(e.way)
        hits += abs(e.value - 0.0) <= e.k95 * e.u
    assert "Monte Carlo" in way
    assert hits / 300 >= 0.93


@pytest.mark.parametrize(
    ("spread", "dof", "widths"),
    [(0.0, math.inf, (1.0,)), (0.3, 5.0, (1.0, 0.5)), (1.0, 12.0, (0.4,)), (0.5, math.inf, (1.0,))],
)
def test_intervals_with_limits_inside_cover_as_they_claim(spread, dof, widths):
    rng = np.random.default_rng(8)
    n = 400_000
    free = rng.standard_t(dof, n) if math.isfinite(dof) else rng.standard_normal(n)
    error = spread * free + sum(rng.uniform(-w, w, n) for w in widths)
    u = math.sqrt(spread**2 + sum(w * w / 3 for w in widths))
    made = Scalar(0.0, u, dof, ErrorShape(spread, dof, widths))
    for k, claimed in ((made.k68, P68), (made.k95, P95)):
        assert np.mean(np.abs(error) <= k * u) == pytest.approx(claimed, abs=0.004)


def test_coverage_factors_and_equivalent_z_match_the_t_tables():
    assert coverage_factor(0.95, 10) == pytest.approx(2.228, abs=5e-4)
    assert coverage_factor(P95, math.inf) == pytest.approx(2.0, abs=1e-12)
    assert coverage_factor(P68, math.inf) == pytest.approx(1.0, abs=1e-12)
    assert two_sided_p(2.228, 10) == pytest.approx(0.05, abs=1e-4)
    assert equivalent_z(2.228, 10) == pytest.approx(1.96, abs=1e-3)
    assert equivalent_z(-2.5, math.inf) == -2.5
    large = [equivalent_z(r, 300) for r in (20.0, 60.0, 200.0, 1e4, 1e8)]
    assert np.all(np.isfinite(large))
    assert np.all(np.diff(large) > 0)


def test_facts_are_told_apart_by_name_and_scope():
    assert FactId("mass of heavy") == FactId("mass of heavy", "project")
    assert FactId("mass of heavy", "series a") != FactId("mass of heavy", "series b")


@given(
    st.one_of(st.floats(-1e300, 1e300), st.floats(-1e12, 1e12)),
    st.one_of(st.floats(0, 1e300), st.floats(1e-12, 1e12)),
)
def test_any_value_and_any_u_can_be_written(value, u):
    text = write_estimate(value, u, "m")
    assert text.endswith(("m", "m (exact)"))
    assert "nan" not in text
    assert not re.search(r"\de", text + write_number(value))
    within = u > 1e-18 and max(u, abs(value)) < 9e14 and (abs(value) > 1e-15 or not value)
    if within and u > 1e-15 * abs(value):  # what a laboratory has
        read = parse_fact(text.removesuffix(" m"), "number", unit_of("number", ""))
        assert abs(read.typed - value) <= 0.17 * u * (1 + 1e-9)  # half of the last of 3 to 29
