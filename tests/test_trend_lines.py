"""Lines through the points of a trend: certified and closed-form answers, what trials share, what
scatters beyond the stated ±, and what is said of residuals.
"""

import re
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inertian.analysis.trends.between_trials import with_spread_between_trials
from inertian.analysis.trends.by_hand import (
    mean_of_ratios,
    slope_of_two_points,
    steepest_and_flattest,
)
from inertian.analysis.trends.line_fit import TrendError, fit_line
from inertian.analysis.trends.points import Points, SharedErrors, plain_points
from inertian.analysis.trends.remarks import Remark, residual_remarks
from inertian.analysis.trends.repeats import pooled
from inertian.analysis.trends.trend_lines import TrendLine

REFERENCE = Path(__file__).parents[1] / ".venv" / "reference"

# Pearson's data with York's weights (York, Can. J. Phys. 44 (1966) 1079-1086)
X = np.array([0.0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4])
Y = np.array([5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5])
WX = np.array([1e3, 1e3, 5e2, 8e2, 2e2, 80, 60, 20, 1.8, 1.0])
WY = np.array([1, 1.8, 4, 8, 20, 20, 70, 70, 1e2, 5e2])

# Norris, of the NIST's Statistical Reference Datasets for linear regression
NORRIS_X = [
    0.2, 337.4, 118.2, 884.6, 10.1, 226.5, 666.3, 996.3, 448.6, 777.0, 558.2, 0.4, 0.6, 775.5,
    666.9, 338.0, 447.5, 11.6, 556.0, 228.1, 995.8, 887.6, 120.2, 0.3, 0.3, 556.8, 339.1, 887.2,
    999.0, 779.0, 11.1, 118.3, 229.2, 669.1, 448.9, 0.5,
]  # fmt: skip
NORRIS_Y = [
    0.1, 338.8, 118.1, 888.0, 9.2, 228.1, 668.5, 998.5, 449.1, 778.9, 559.2, 0.3, 0.1, 778.1,
    668.8, 339.3, 448.9, 10.8, 557.7, 228.3, 998.0, 888.8, 119.6, 0.3, 0.6, 557.6, 339.3, 888.0,
    998.5, 778.9, 10.2, 117.6, 228.9, 668.4, 449.2, 0.2,
]  # fmt: skip


def shared(n, x, y, us, dof=np.inf):
    """Errors that move x and y of n points by so much for one unit of each, with their u."""
    k = len(us)
    names = tuple(f"shared {i}" for i in range(k))
    return SharedErrors(
        names,
        np.asarray(x, dtype=float).reshape(n, k),
        np.asarray(y, dtype=float).reshape(n, k),
        np.diag(np.square(us)),
        np.full(k, dof),
    )


def with_shared(points, x, y, us):
    """Points that share errors."""
    both = shared(len(points), x, y, us)
    return Points(points.x, points.y, points.own, both, points.dof, points.pools)


def test_pearsons_points_with_yorks_weights_give_the_published_line():
    fit = fit_line(plain_points(X, Y, WX**-0.5, WY**-0.5), TrendLine.STRAIGHT)
    assert fit.parameter("slope").value == pytest.approx(-0.480533407, abs=5e-9)
    assert fit.parameter("intercept").value == pytest.approx(5.47991022, abs=5e-9)
    assert fit.u_own("slope") == pytest.approx(0.057985009, abs=5e-8)
    assert fit.u_own("intercept") == pytest.approx(0.294970735, abs=5e-8)
    assert fit.chi_squared == pytest.approx(11.86635, abs=5e-6)


def test_norris_comes_out_to_the_certified_digits():
    fit = fit_line(plain_points(NORRIS_X, NORRIS_Y), TrendLine.STRAIGHT)
    assert fit.parameter("intercept").value == pytest.approx(-0.262323073774029, rel=1e-12)
    assert fit.parameter("slope").value == pytest.approx(1.00211681802045, rel=1e-13)
    assert fit.u_own("intercept") == pytest.approx(0.232818234301152, rel=1e-11)
    assert fit.u_own("slope") == pytest.approx(0.429796848199937e-3, rel=1e-11)
    assert fit.residuals @ fit.residuals / fit.dof == pytest.approx(0.884796396144373**2, rel=1e-11)
    assert fit.chi_squared is None
    assert fit.parameter("slope").dof == 34
    assert residual_remarks(fit)[-1].remark is Remark.NO_U


def test_noint_comes_out_to_the_certified_digits():
    x, y = np.arange(60.0, 71.0), np.arange(130.0, 141.0)
    fit = fit_line(plain_points(x, y), TrendLine.ORIGIN)
    assert fit.parameter("slope").value == pytest.approx(2.07438016528926, rel=1e-13)
    assert fit.u_own("slope") == pytest.approx(0.165289256198347e-1, rel=1e-11)
    assert fit.parameter("slope").dof == 10


def test_pontius_comes_out_to_the_certified_digits():
    source = REFERENCE / "test_pontius.c"
    if not source.exists():
        pytest.skip("the reference data could not be had")
    text = source.read_text()

    def numbers(name):
        found = re.search(rf"{name}\[[^\]]*\]\s*=\s*\{{(.*?)\}}", text, re.S)
        return [float(v) for v in re.findall(r"[-+.\dE]+", found[1])]

    x, y = np.array(numbers("pontius_x")), np.array(numbers("pontius_y"))
    fit = fit_line(plain_points(x, y), TrendLine.FORMULA, "a + b x + c x^2")
    certified = [0.673565789473684e-03, 0.732059160401003e-06, -0.316081871345029e-14]
    us = [0.107938612033077e-03, 0.157817399981659e-09, 0.486652849992036e-16]
    assert fit.values == pytest.approx(certified, rel=1e-9)
    assert [fit.u_own(n) for n in fit.names] == pytest.approx(us, rel=1e-9)


def test_exact_x_and_known_y_are_the_textbook_formulas():
    rng = np.random.default_rng(3)
    x, u = rng.uniform(-2, 5, 9), rng.uniform(0.1, 0.4, 9)
    y = 1.5 - 0.7 * x + u * rng.normal(size=9)
    fit = fit_line(plain_points(x, y, 0.0, u), TrendLine.STRAIGHT)
    w = u**-2
    d = w.sum() * (w @ x**2) - (w @ x) ** 2
    assert fit.parameter("slope").value == pytest.approx(
        (w.sum() * (w @ (x * y)) - (w @ x) * (w @ y)) / d, rel=1e-12
    )
    assert fit.u_own("slope") == pytest.approx(np.sqrt(w.sum() / d), rel=1e-12)
    mean = fit_line(plain_points(x, y, 0.0, u), TrendLine.CONSTANT)
    assert mean.parameter("value").value == pytest.approx(w @ y / w.sum(), rel=1e-12)
    # x of a constant does not matter, whatever its ±
    loose = fit_line(plain_points(x, y, 3.0, u), TrendLine.CONSTANT)
    assert loose.parameter("value") == mean.parameter("value")


@pytest.mark.parametrize(
    ("line", "true", "curve"),
    [
        (TrendLine.POWER, (0.8, -1.7), lambda x, a, n: a * x**n),
        (TrendLine.POWER, (-2.4, 0.5), lambda x, a, n: a * x**n),
        (TrendLine.EXPONENTIAL, (3.1, -0.9), lambda x, a, k: a * np.exp(k * x)),
        (TrendLine.EXPONENTIAL, (-0.02, 2.2), lambda x, a, k: a * np.exp(k * x)),
    ],
)
def test_bent_lines_are_found_with_errors_along_both_axes(line, true, curve):
    x = np.linspace(0.4, 3.0, 12)
    exact = curve(x, *true)
    fit = fit_line(plain_points(x, exact, 0.01, 0.02 * np.abs(exact)), line)
    assert fit.values == pytest.approx(true, rel=1e-8)
    # ± as the curve's own slope leads it through: away from the exact points by their u
    rng, found = np.random.default_rng(5), []
    for _ in range(150):
        px = x + 0.01 * rng.normal(size=12)
        py = exact * (1 + 0.02 * rng.normal(size=12))
        one = fit_line(plain_points(px, py, 0.01, 0.02 * np.abs(exact)), line)
        found.append((one.values - true) / [one.u_own(n) / one.widened for n in one.names])
    assert 0.8 < np.sqrt(np.mean(np.square(found))) < 1.2


def test_a_mass_that_all_trials_share_does_not_average_out():
    """p = m v: the slope is the mass, and errs as it does, however many trials there are."""
    rng = np.random.default_rng(8)
    for n in (5, 50, 500):
        v = rng.uniform(0.5, 2.0, n)
        points = plain_points(v, 3.0 * v, 0.002, 0.004)
        p = with_shared(points, np.zeros((n, 1)), v[:, None], [0.06])  # ∂p/∂m = v
        fit = fit_line(p, TrendLine.ORIGIN)
        assert fit.u_shared("slope") == pytest.approx(0.06, rel=1e-6)
        assert fit.parameter("slope").u > 0.06
        assert fit.u_own("slope") < 0.02 / np.sqrt(n)
        # and scatters nothing
        assert fit.chi_squared < n
    # a scale that stretches both axes alike moves no ratio of them
    both = with_shared(points, v[:, None], 3.0 * v[:, None], [0.02])
    assert fit_line(both, TrendLine.ORIGIN).u_shared("slope") < 1e-9


@settings(max_examples=60)
@given(
    st.integers(4, 30),
    st.sampled_from([TrendLine.STRAIGHT, TrendLine.ORIGIN, TrendLine.EXPONENTIAL]),
    st.floats(-1.0, 1.0),
    st.integers(0, 10_000),
)
def test_shared_errors_move_parameters_as_moved_points_do(n, line, correlation, seed):
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(0.5, 3.0, n))
    y = 2.0 * np.exp(-0.4 * x) * (1 + 0.01 * rng.normal(size=n))
    points = plain_points(x, y, 0.01, 0.02)
    points.own[:, 0, 1] = points.own[:, 1, 0] = 0.9 * correlation * 0.01 * 0.02
    sx, sy = rng.normal(size=(n, 1)), rng.normal(size=(n, 1))
    fit = fit_line(with_shared(points, sx, sy, [1e-3]), line)
    step = 1e-3
    ends = []
    for way in (1.0, -1.0):
        moved = plain_points(x + way * step * sx[:, 0], y + way * step * sy[:, 0], 0.01, 0.02)
        moved.own[:] = points.own
        ends.append(fit_line(moved, line).values)
    slope = (ends[0] - ends[1]) / (2 * step)
    assert fit.moved[:, 0] == pytest.approx(slope, rel=1e-2, abs=1e-2 * np.abs(slope).max())


@settings(max_examples=40)
@given(st.floats(1e-3, 1e3), st.floats(1e-3, 1e3), st.integers(0, 10_000))
def test_a_line_does_not_hang_on_the_units(fx, fy, seed):
    rng = np.random.default_rng(seed)
    x = rng.uniform(-1, 2, 7)
    y = 0.3 + 1.2 * x + 0.05 * rng.normal(size=7)
    one = fit_line(plain_points(x, y, 0.02, 0.05), TrendLine.STRAIGHT)
    two = fit_line(plain_points(fx * x, fy * y, fx * 0.02, fy * 0.05), TrendLine.STRAIGHT)
    assert two.values == pytest.approx(one.values * [fy, fy / fx], rel=1e-6, abs=1e-9 * fy)
    assert two.chi_squared == pytest.approx(one.chi_squared, rel=1e-6)


def test_points_that_scatter_more_are_told_and_never_get_a_small_u():
    rng = np.random.default_rng(11)
    x = np.linspace(1, 3, 10)
    points = plain_points(x, 2.0 * x + 0.2 * rng.normal(size=10), 0.0, 0.02)
    plain = fit_line(points, TrendLine.STRAIGHT)
    told = [one for one in residual_remarks(plain) if one.remark is Remark.WIDENED]
    assert told[0].number == pytest.approx(np.sqrt(plain.chi_squared / 8), rel=1e-12)
    assert plain.u_own("slope") > 5 * 0.02 / np.sqrt(np.sum((x - 2) ** 2))
    # two thirds of further points lie within their band, as they scatter now
    inside = np.abs(plain.residuals) < plain.u_of_point(x)
    assert 5 <= inside.sum() <= 9
    fit, between = with_spread_between_trials(points, TrendLine.STRAIGHT)
    assert between.interval95[0] < 0.2 < between.interval95[1]
    assert between.interval95[0] > 0.08
    assert fit.parameter("slope").dof == pytest.approx(8)
    # equal ±: then the likelihood's own answer is s² − u²
    scatter = float(plain.residuals @ plain.residuals) / 8
    assert between.value == pytest.approx(np.sqrt(scatter - 0.02**2), rel=1e-3)


def test_points_as_good_as_their_u_have_no_spread_between_trials():
    x = np.linspace(1, 3, 8)
    y = 2.0 * x + 0.02 * np.array([1, -1, 0.5, -0.5, 1, -1, 0.2, -0.2])
    _, between = with_spread_between_trials(plain_points(x, y, 0.0, 0.03), TrendLine.STRAIGHT)
    assert between.value == 0.0
    assert between.interval95[0] == 0.0 < between.interval95[1]


def test_residuals_are_put_into_words():
    rng = np.random.default_rng(2)
    x = np.linspace(0, 4, 14)
    noise = 0.05 * rng.normal(size=14)

    def told(y, u=0.05):
        return residual_remarks(fit_line(plain_points(x, y, 0.0, u), TrendLine.STRAIGHT))

    assert [one.remark for one in told(1 + 2 * x + noise)] == [Remark.SCATTER]
    assert told(1 + 2 * x + noise + 0.3 * x**2)[0].remark is Remark.BENT
    assert told(1 + 2 * x + noise, 0.5)[-1].remark is Remark.LESS
    odd = 1 + 2 * x + noise
    odd[5] += 0.6
    assert told(odd)[0].remark is Remark.APART
    assert told(odd)[0].trial == "6"


def test_a_column_against_one_that_is_made_of_it_is_a_line_all_the_same():
    """Perfectly correlated errors: the points lie on the line whatever their errors are."""
    x = np.array([1.0, 1.4, 2.0, 3.1])
    for sign in (1.0, -1.0):
        points = plain_points(x, sign * 2.0 * x, 0.1, 0.2)
        points.own[:, 0, 1] = points.own[:, 1, 0] = sign * 0.1 * 0.2
        again = Points(points.x, points.y, points.own, points.shared, points.dof, points.pools)
        for line in (TrendLine.STRAIGHT, TrendLine.ORIGIN, TrendLine.POWER):
            fit = fit_line(again, line)
            assert fit.line(x) == pytest.approx(sign * 2.0 * x, rel=1e-9)
            assert fit.p > 0.01


def test_what_cannot_be_fitted_is_refused_in_a_sentence():
    def refused(points, line):
        with pytest.raises(TrendError) as error:
            fit_line(points, line)
        return str(error.value)

    assert "at least 3" in refused(plain_points([1, 2], [1, 2], 0, 1), TrendLine.STRAIGHT)
    assert "above zero" in refused(plain_points([-1, 2, 3, 4], [1, 2, 3, 4]), TrendLine.POWER)
    assert "same" in refused(plain_points([2, 2, 2], [1, 2, 3]), TrendLine.STRAIGHT)
    mixed = plain_points([1, 2, 3, 4], [1, 2, 3, 4], 0.0, [0.1, 0.1, 0.0, 0.1])
    assert "no ±" in refused(mixed, TrendLine.ORIGIN)
    with pytest.raises(TrendError, match="No point has"):
        with_spread_between_trials(plain_points([1, 2, 3], [1, 2, 4]), TrendLine.ORIGIN)


def test_by_hand_is_what_a_class_would_have():
    assert slope_of_two_points(1, 2, 3, 8).value == 3.0
    assert slope_of_two_points(1, 2, 1, 8) is None
    x, y = np.array([1.0, 2.0, 3.0]), np.array([1.0, 2.0, 3.0])
    lines = steepest_and_flattest(plain_points(x, y, 0.0, 0.1))
    # through the top of the first bar and the foot of the last, and the other way round
    assert lines.value == pytest.approx(1.0)
    assert lines.plus_minus == pytest.approx(0.1)
    assert steepest_and_flattest(plain_points(x, [1.0, 2.5, 3.0], 0.0, 0.1)) is None
    falling = steepest_and_flattest(plain_points(x, -y, 0.05, 0.1))
    assert abs(falling.ends[1][0]) > abs(falling.ends[0][0])  # the steepest is the last
    ratios = mean_of_ratios(plain_points([1, 2, 4], [2, 4.2, 8.4]))
    assert ratios.value == pytest.approx(np.mean([2, 2.1, 2.1]))
    assert ratios.plus_minus == pytest.approx(np.std([2, 2.1, 2.1], ddof=1) / np.sqrt(3))
    assert mean_of_ratios(plain_points([0, 1], [1, 2])) is None


def test_repeats_with_unequal_u_are_weighed_and_what_they_share_stays():
    u = np.array([0.1, 0.2, 0.4, 0.1])
    y = np.array([5.0, 5.2, 4.7, 5.1])
    points = with_shared(plain_points(y, y, u, u), np.ones((4, 1)), np.ones((4, 1)), [0.3])
    found = pooled("", points)
    w = u**-2
    assert found.mean.value == pytest.approx(w @ y / w.sum())
    assert found.u_own == pytest.approx(w.sum() ** -0.5)
    assert found.u_shared == pytest.approx(0.3)
    assert found.mean.u == pytest.approx(np.hypot(w.sum() ** -0.5, 0.3))
    assert found.spread == pytest.approx(y.std(ddof=1))
    assert found.p > 0.05
    wild = pooled("", plain_points(y, [5, 9, 2, 7], u, u))
    assert wild.p < 1e-6
    assert wild.mean.u == pytest.approx(np.std([5, 9, 2, 7], ddof=1) / 2)


def test_the_exact_answer_of_a_fit_by_rational_numbers():
    """Unweighted lines against exact arithmetic, at a far-off origin."""
    x = [10_000_001 + k for k in range(7)]
    y = [3 * k * k - 5 for k in range(7)]
    n, sx, sy = 7, sum(x), sum(y)
    slope = Fraction(
        n * sum(a * b for a, b in zip(x, y, strict=True)) - sx * sy,
        n * sum(a * a for a in x) - sx * sx,
    )
    fit = fit_line(plain_points(x, y), TrendLine.STRAIGHT)
    assert fit.parameter("slope").value == pytest.approx(float(slope), rel=1e-11)


@pytest.mark.slow
@pytest.mark.parametrize("n", [4, 10, 30])
@pytest.mark.parametrize("spread", [0.0, 3.0])
def test_intervals_of_a_line_cover_as_often_as_they_claim(n, spread):
    """Errors along both axes, unequal ±, an estimated noise, shared mass and scale; a spread beyond
    the ± told by restricted maximum likelihood.
    """
    many, held = 2000, np.zeros((2, 2))
    rng = np.random.default_rng(n)
    x, size = np.linspace(-1.0, 2.5, n), np.geomspace(0.4, 2.5, n)
    true = np.array([0.4, -1.7])
    for _ in range(many):
        own = np.zeros((n, 2, 2))
        own[:, 0, 0], own[:, 1, 1] = (0.02 * size) ** 2, (0.04 * size) ** 2
        e = rng.normal(size=(2, n)) * np.sqrt([own[:, 0, 0], own[:, 1, 1]])
        mass, scale = 0.02 * rng.normal(), 0.01 * rng.normal()
        px = (x + e[0]) * (1 + scale)
        more = spread * 0.04 * rng.normal(size=n)
        py = (true[0] + true[1] * x + more + e[1]) * (1 + scale) * (1 + mass)
        told = rng.chisquare(40) / 40
        both = shared(n, np.stack([0 * px, px], 1), np.stack([py, py], 1), [0.02, 0.01])
        points = Points(px, py, told * own, both, np.full(n, 40.0), ("s",) * n)
        if spread:
            fit, _ = with_spread_between_trials(points, TrendLine.STRAIGHT)
        else:
            fit = fit_line(points, TrendLine.STRAIGHT)
        for k, name in enumerate(("intercept", "slope")):
            one = fit.parameter(name)
            away = abs(one.value - true[k])
            held[k] += away <= one.k68 * one.u, away <= one.k95 * one.u
    for share, wanted in ((held[:, 0] / many, 0.6827), (held[:, 1] / many, 0.9545)):
        limit = 3.29 * np.sqrt(wanted * (1 - wanted) / many)
        assert np.all(share > wanted - limit), held / many
        assert np.all(share < wanted + limit + 0.025), held / many
