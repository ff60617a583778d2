"""Noise that is not one white error of every reading: stated in columns, of coarse steps, alike
next to next.
"""

import csv
import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from scipy.signal import lfilter
from typer.testing import CliRunner

from conftest import CENTIMETRE, METRE, SECOND, recording
from inertian.analysis.evaluation import Evaluator
from inertian.cli import make_app
from inertian.desktop.look import words
from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of
from inertian.motion.derivatives.derive import Method, derive, stated_sigma
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.noise.local_noise import LocalNoise, pool_noise
from inertian.motion.numerics.operators import identity_operator
from inertian.motion.numerics.quantisation import (
    harmonic_amplitudes,
    harmonic_patterns,
    white_variance,
)
from inertian.motion.recording.frame import Frame, in_frame
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.requests import (
    CurveRequest,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.quantity_values import at_all_samples, quantity_values
from inertian.physics.readings.reading_monte_carlo import draw_reading
from inertian.physics.readings.readings import fit_curve_request, read_named
from inertian.project.project import Entry, Project, Series, with_trials
from inertian.project.saving import load, save
from inertian.quantities.coverage import P68
from inertian.quantities.estimates import ReadingNoise, SampleWeights
from inertian.quantities.facts import Fact, FactId, Meaning

APP = make_app(lambda demo, paths: 0, lambda folder: [])
SPAN = Spans([Span("part", SpanKind.FREE, 0.3, 1.7)])
VELOCITY = QuantityRef(Quantity.VELOCITY, "x")
AT_ONE = NamedReading("v", ReadingKind.VALUE, VELOCITY, "sled", (1.0,))


def stated(t, x, u, unit=METRE):
    """A trial of one sled along x whose file states the uncertainty of each reading."""
    channel = Channel("x", "x", unit, np.asarray(x), u=np.asarray(u))
    return Trial("t", "made", "time", SECOND, t, (Body("sled", (channel,)),))


def context(trial, spans=SPAN):
    project = Project("made", (Entry(trial, "s", spans),), (Series("s"),))
    return Evaluator().trial_context(project, project.entries[0])


def inside(share, runs, p=0.6827):
    """Whether a share lies within the two-sided 99.9 % limits of that many runs."""
    return abs(share - p) < 3.3 * np.sqrt(p * (1.0 - p) / runs)


# -- files -----------------------------------------------------------------------------------------

HEADERS = {
    "t (s),x (m),u_x (m)": {"body x": 1.0},
    "t (s);x [cm];u(x) [mm]": {"body x": 0.1},
    "Zeit/s\tStein A/cm\tUnsicherheit Stein A/cm": {"Stein A x": 1.0},
    "time (s),heavy x (m),heavy x error (m),heavy y (m),σ_y (m)": {"heavy x": 1.0, "heavy y": 1.0},
    "time (s),position (m),±": {"body x": 1.0},
    "time (s),heavy (m),light (m),light uncertainty (m)": {"light x": 1.0},
    "time (s),u(sled) (m),sled (m)": {"sled x": 1.0},
    "time (s),U x (m),V x (m)": {},  # two bodies
    "time (s),x (m),error (J)": {},  # another kind of quantity
    "time (s),x (m),tracking error": {},  # an error of something else
    "time (s),x (m),u_z (m)": {},
}


@pytest.mark.parametrize("header", HEADERS)
def test_a_column_of_uncertainties_is_known_by_its_title(header):
    mark = next(m for m in ("\t", ";", ",") if m in header)
    names = header.split(mark)
    places = [
        k
        for k, n in enumerate(names)
        if any(w in n for w in ("u_", "u(", "Unsicher", "rror", "σ", "±", "uncert"))
    ]
    cells = [[f"{1.0 + 0.1 * i + 0.01 * k:.2f}" for k in range(len(names))] for i in range(6)]
    for i, row in enumerate(cells):
        row[0] = f"{0.05 * i:.2f}"
        for k in places:
            row[k] = "0.5"
    rows = [mark.join(row) for row in cells]
    (trial,) = trials_of(read_bytes("made.csv", "\n".join([header, *rows]).encode()))
    found = {f"{b.name} {c.axis}": c for b in trial.bodies for c in b.channels if c.u is not None}
    assert {name: c.u[0] / 0.5 for name, c in found.items()} == pytest.approx(HEADERS[header])
    assert not any(
        c.column in ("u_x (m)", "±") for b in trial.bodies for c in (*b.channels, *b.sensors)
    )


def test_stated_uncertainties_are_kept_and_found_again(tmp_path):
    u = np.array([0.1, np.nan, 0.3, 0.1 + 0.2])
    project = Project(
        "p", (Entry(stated(np.arange(4.0), np.arange(4.0), u, CENTIMETRE), "s"),), (Series("s"),)
    )
    save(project, tmp_path / "p.inertian")
    (channel,) = load(tmp_path / "p.inertian").entries[0].trial.bodies[0].channels
    assert np.array_equal(channel.u, u, equal_nan=True)
    assert channel.stated[[0, 2]] == pytest.approx([1e-3, 3e-3])
    # Blank: the usual
    assert channel.stated[1] == pytest.approx(0.01 * np.sqrt(np.mean(u[[0, 2, 3]] ** 2)))


@given(st.floats(0.0, 6.3), st.booleans())
def test_turned_axes_mix_stated_uncertainties(angle, flipped):
    channels = tuple(
        Channel(a, a, METRE, np.arange(5.0), u=np.full(5, u)) for a, u in (("x", 0.3), ("y", 0.4))
    )
    trial = Trial("t", "t", "time", SECOND, np.arange(5.0), (Body("b", channels),))
    turned = in_frame(
        trial, Frame(origin=(1.0, 2.0), angle=angle, flipped=("x",) if flipped else ())
    )
    ux, uy = (c.stated[0] for c in turned.bodies[0].channels)
    assert ux**2 + uy**2 == pytest.approx(0.25)
    assert ux**2 == pytest.approx((0.3 * np.cos(angle)) ** 2 + (0.4 * np.sin(angle)) ** 2)


# -- without a window ------------------------------------------------------------------------------


def derived(tmp_path, *more, text):
    (tmp_path / "made.csv").write_text(text)
    ask = [
        "derive",
        str(tmp_path / "made.csv"),
        "--out",
        str(tmp_path / "out.csv"),
        "--json",
        *more,
    ]
    result = CliRunner().invoke(APP, ask)
    assert result.exit_code == 0, result.output
    rows = list(csv.DictReader((tmp_path / "out.csv").read_text().splitlines()))
    return json.loads(result.stdout)["files"][0]["trials"][0]["bodies"][0], rows


def test_derive_uses_the_column_unless_told_otherwise(tmp_path):
    rng = np.random.default_rng(1)
    u = np.where(np.arange(80) % 2, 2e-3, 5e-4)
    lines = [f"{0.02 * k:.2f},{0.5 * 0.02 * k + u[k] * rng.normal():.6f},{u[k]}" for k in range(80)]
    text = "\n".join(["t (s),x (m),u_x (m)", *lines])
    body, rows = derived(tmp_path, text=text)
    assert body["given"]
    assert body["noise"] == pytest.approx(np.sqrt(np.mean(u**2)))
    assert [float(r["u_x (m)"]) for r in rows] == pytest.approx(list(u))
    assert derived(tmp_path, "--noise", "column", text=text)[0]["given"]
    assert not derived(tmp_path, "--noise", "estimated", text=text)[0]["given"]
    assert derived(tmp_path, "--noise", "3 mm", text=text)[0]["noise"] == 0.003
    bare = "\n".join(line.rsplit(",", 1)[0] for line in text.splitlines())
    body, _ = derived(tmp_path, "--noise", "column", text=bare)
    assert not body["given"]
    assert "no column states" in body["remark"]


@pytest.mark.slow
@pytest.mark.parametrize("method", list(Method))
def test_derived_uncertainties_follow_the_column(method):
    rng, t, runs = np.random.default_rng(8), np.arange(61) * 0.03, 200
    u = np.where(t < 0.9, 3e-4, 2e-3)
    hits, away = [], []
    for _ in range(runs):
        trial = stated(t, 0.3 + 0.8 * t - 0.1 * t * t + u * rng.normal(size=61), u)
        given = {"sled": stated_sigma(trial.bodies[0])}
        d = derive(trial, Spans(), method, given=given)[0].axes["x"]
        hits.append([abs(d.v[k] - (0.8 - 0.2 * t[k])) < d.u_v[k] for k in (15, 45)])
        away.append([(d.v[k] - (0.8 - 0.2 * t[k])) / d.u_v[k] for k in (15, 45)])
    assert d.u_v[45] > 1.1 * d.u_v[15]  # smoothed more where readings are worse
    shares = np.mean(hits, axis=0)
    print(method, shares, 1.0 / np.std(away, axis=0))
    if method is Method.LOCAL:  # a parabola is smoother than smooth motion may take it for
        assert np.all(shares > P68 - 3.3 * np.sqrt(P68 * (1.0 - P68) / runs))
        assert np.all(np.std(away, axis=0) > 1.0 / 1.5)
    else:
        assert all(inside(share, runs) for share in shares)


def test_few_samples_share_what_they_know_of_the_noise(tmp_path):
    rng = np.random.default_rng(3)
    sizes = [1e-3] * 12 + [2e-2]
    lines = ["t (s),x (m)"]
    for size in sizes:
        lines += [f"{0.1 * k:.1f},{0.5 * 0.1 * k + size * rng.normal():.7f}" for k in range(8)]
    (tmp_path / "made.csv").write_text("\n".join(lines))
    ask = ["derive", str(tmp_path / "made.csv"), "--out", str(tmp_path / "out.csv"), "--json"]
    trials = json.loads(CliRunner().invoke(APP, ask).stdout)["files"][0]["trials"]
    noises = [t["bodies"][0] for t in trials]
    assert len(noises) == 13
    alike = [n for n in noises[:12] if n["dof"] > 20.0]
    assert len(alike) >= 10
    assert all(0.7e-3 < n["noise"] < 1.4e-3 for n in alike)
    assert noises[12]["dof"] < 10.0  # another instrument, by the look of it


def test_what_is_known_well_or_of_another_step_is_not_pooled():
    few, sure, other = (
        LocalNoise(s, 0.0, d, 0.0, step)
        for s, d, step in ((1.0, 4.0, 0.1), (1.2, 50.0, 0.1), (1.1, 9.0, 0.2))
    )
    found = pool_noise([few, sure, other])
    assert found[1:] == [sure, other]
    assert found[0].dof == 54.0
    assert found[0].sigma == pytest.approx(np.sqrt((4.0 + 50.0 * 1.44) / 54.0))


# -- in the window ---------------------------------------------------------------------------------


@pytest.mark.slow
def test_readings_of_a_trial_with_a_column_cover_their_truth():
    rng, t, runs = np.random.default_rng(5), np.arange(60) * 0.033, 200
    u = np.where(t < 1.0, 4e-4, 2e-3)
    hits, slopes = (
        [],
        CurveRequest(QuantityRef(Quantity.POSITION, "x"), "sled", "part", CurveShape.LINE),
    )
    mean = NamedReading("m", ReadingKind.MEAN, VELOCITY, "sled", (), "part")
    for _ in range(runs):
        one = context(stated(t, 0.2 + 0.7 * t + u * rng.normal(size=60), u))
        found = [
            read_named(one, AT_ONE),
            read_named(one, mean),
            fit_curve_request(one, slopes).parameters[1][1],
        ]
        hits.append([abs(f.value - 0.7) < f.u for f in found])
    assert one.noise.given
    assert all(inside(share, runs) for share in np.mean(hits, axis=0))
    early, late = at_all_samples(one, VELOCITY, "sled")[1][[12, 48]]
    assert late > 1.5 * early


def test_a_column_that_states_too_little_is_stretched_to_the_scatter():
    rng, t = np.random.default_rng(6), np.arange(100) * 0.02
    u = np.where(np.arange(100) % 2, 1e-4, 3e-4)
    one = context(stated(t, 0.5 * t + 10.0 * u * rng.normal(size=100), u))
    assert not one.noise.given
    assert "scatter" in one.noise.remark
    spread = np.sqrt(one.noise.variance(one.trial.bodies[0].channels[0]))
    assert spread[1] / spread[0] == pytest.approx(1.0 / 3.0)
    assert spread[0] == pytest.approx(3e-3, rel=0.3)


@pytest.mark.slow
def test_readings_in_coarse_steps_cover_their_truth():
    """A sled that creeps: without the pattern of rounding, means and speeds would cover about half
    as often.
    """
    rng, t, runs, hits = np.random.default_rng(7), np.arange(60) * 0.033, 200, []
    mean = NamedReading(
        "m", ReadingKind.MEAN, QuantityRef(Quantity.POSITION, "x"), "sled", (), "part"
    )
    request = CurveRequest(QuantityRef(Quantity.POSITION, "x"), "sled", "part", CurveShape.LINE)
    for _ in range(runs):
        start, speed = rng.uniform(0.0, 0.01), rng.uniform(0.002, 0.03)
        one = context(recording(t, {"sled": {"x": np.round(start + speed * t, 2)}}))
        rows = SPAN[0].rows(t)
        truth = start + speed * t[rows].mean()
        found, slope = read_named(one, mean), fit_curve_request(one, request).parameters[1][1]
        hits.append([abs(found.value - truth) < found.u, abs(slope.value - speed) < slope.u])
    shares = np.mean(hits, axis=0)
    assert np.all(shares > 0.6)
    assert np.all(shares < 0.95)


@pytest.mark.slow
def test_readings_that_err_alike_cover_their_truth():
    rng, t, runs, hits = np.random.default_rng(9), np.arange(120) * 0.0165, 200, []
    mean = NamedReading(
        "m", ReadingKind.MEAN, QuantityRef(Quantity.POSITION, "x"), "sled", (), "part"
    )
    rows = SPAN[0].rows(t)
    for _ in range(runs):
        errors = lfilter([1.0], [1.0, -0.6], rng.normal(size=320))[200:] * 1e-3 * 0.8
        one = context(recording(t, {"sled": {"x": 0.2 + 0.5 * t + errors}}))
        found = [read_named(one, mean), read_named(one, AT_ONE)]
        truths = (0.2 + 0.5 * t[rows].mean(), 0.5)
        hits.append([abs(f.value - truth) < f.u for f, truth in zip(found, truths, strict=True)])
    shares = np.mean(hits, axis=0)
    print(shares)
    assert np.all(shares > 0.58)  # as white noise: 0.40 for the mean


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["column", "steps", "alike"])
def test_draws_agree_with_first_order(kind):
    rng, t = np.random.default_rng(11), np.arange(120) * 0.0165
    x = 0.2 + 0.11 * t
    if kind == "column":
        u = np.where(t < 1.0, 4e-4, 2e-3)
        trial = stated(t, x + u * rng.normal(size=120), u)
    elif kind == "steps":
        trial = recording(t, {"sled": {"x": np.round(x, 2)}})
    else:
        errors = lfilter([1.0], [1.0, -0.7], rng.normal(size=320))[200:] * 1e-3
        trial = recording(t, {"sled": {"x": x + errors}})
    one = context(trial)
    noise = one.clock_noise.reading[one.trial.channel_id("sled", "x")][1]
    assert {"column": np.ndim(noise.variance), "steps": len(noise.rounding), "alike": noise.alike}[
        kind
    ]
    first = read_named(one, AT_ONE)
    drawn = draw_reading(one, AT_ONE, first)
    assert drawn.u == pytest.approx(
        first.u * (np.sqrt(first.dof / (first.dof - 2.0)) if np.isfinite(first.dof) else 1.0),
        rel=0.05,
    )
    _, at_samples = at_all_samples(one, VELOCITY, "sled")
    assert np.interp(1.0, t, at_samples) == pytest.approx(first.u, rel=0.15)


# -- the algebra -----------------------------------------------------------------------------------


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.sampled_from([0.0, 0.5, -0.3]), st.booleans(), st.integers(0, 2))
def test_covariances_of_readings_are_those_of_the_whole_matrix(seed, alike, own, patterned):
    rng, n = np.random.default_rng(seed), 30
    variance = rng.uniform(0.5, 2.0, n) if own else 1.7
    rounding = tuple(rng.normal(size=n) for _ in range(patterned))
    noise = ReadingNoise(variance, alike, rounding)
    root = np.sqrt(np.zeros(n) + variance)
    whole = root[:, None] * alike ** np.abs(np.subtract.outer(np.arange(n), np.arange(n))) * root
    whole = whole + sum(np.outer(p, p) for p in rounding)
    weights, rows = [], []
    for _ in range(3):
        start = int(rng.integers(0, n - 5))
        values = rng.normal(size=int(rng.integers(1, n - start)))
        weights.append(SampleWeights(start, values))
        rows.append(np.zeros(n))
        rows[-1][start : start + len(values)] = values
    rows = np.array(rows)
    assert noise.covariance(weights) == pytest.approx(rows @ whole @ rows.T, rel=1e-9, abs=1e-9)
    assert noise.applied(rows[0]) == pytest.approx(whole @ rows[0], rel=1e-9, abs=1e-9)
    assert noise.of_one(n) == pytest.approx(np.diag(whole))


@given(st.floats(0.05, 2.0), st.floats(0.0, 1.0))
def test_patterns_and_what_is_white_add_up_to_the_variance(step, more):
    sigma = np.hypot(step / np.sqrt(12.0), more * step)
    found = harmonic_patterns(np.linspace(0.0, 3.0, 40), np.arange(40.0), 20.0, step, sigma)
    total = sum((p**2 for p in found), np.zeros(40)) + white_variance(step, sigma)
    assert total == pytest.approx(np.full(40, sigma**2))
    assert (
        bool(found) == bool(harmonic_amplitudes(step, sigma)) == (more < 0.28) or 0.2 < more < 0.4
    )


def test_strips_of_local_fits_have_the_same_u_as_readings_at_their_samples():
    t = np.arange(80) * 0.025
    u = np.linspace(3e-4, 2e-3, 80)
    one = context(
        stated(
            t, 0.4 * t + 0.05 * np.sin(2.0 * t) + u * np.random.default_rng(2).normal(size=80), u
        )
    )
    strip = at_all_samples(one, VELOCITY, "sled")[1]
    for k in (3, 40, 77):
        reading = read_named(
            one, NamedReading("v", ReadingKind.VALUE, VELOCITY, "sled", (float(t[k]),))
        )
        assert strip[k] == pytest.approx(reading.u, rel=1e-6)
    whole = quantity_values(one, QuantityRef(Quantity.POSITION, "x"), "sled", t, np.arange(80))
    assert isinstance(whole.terms[0][1], type(identity_operator(np.arange(80), np.arange(80))))


# -- on the screen ---------------------------------------------------------------------------------


def test_a_column_is_made_the_uncertainty_of_another_in_the_intake_and_counts(
    open_window, qtbot, tmp_path
):
    rng = np.random.default_rng(2)
    lines = [f"{0.05 * k:.2f},{0.3 * 0.05 * k + 2e-3 * rng.normal():.5f},0.002" for k in range(40)]
    (tmp_path / "made.csv").write_text("\n".join(["t (s),sled (m),weight", *lines]))
    window = open_window(Project())
    window.import_controller.receive([tmp_path / "made.csv"])
    qtbot.waitUntil(lambda: bool(window.import_controller.desk.groups), timeout=10_000)
    role = window.import_controller.margin.choices["role 2"]
    assert role.currentData() == "other"
    role.setCurrentIndex(role.findData("uncertainty"))
    role.activated.emit(role.currentIndex())
    qtbot.waitUntil(
        lambda: window.import_controller.desk.parsed.trials[0].bodies[0].channels[0].u is not None,
        timeout=10_000,
    )
    assert (
        window.import_controller.margin.choices["role 2"].currentText()
        == words.ROLE_NAMES["uncertainty"]
    )
    window.import_controller.bring_in()
    qtbot.waitUntil(
        lambda: window.document.entry is not None and window.stages.currentWidget() is window.bench,
        timeout=10_000,
    )
    qtbot.waitUntil(lambda: bool(window.margin.noise_form.noise.text()), timeout=10_000)
    assert window.margin.noise_form.noise.text() == words.AS_STATED.format(sigma="2.0 mm")
    qtbot.mouseClick(window.margin.noise_form.head, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(window.margin.noise_form.noise_field.line, "5 mm")
    qtbot.keyClick(window.margin.noise_form.noise_field.line, Qt.Key.Key_Return)
    assert window.margin.noise_form.noise.text() == words.AS_TYPED  # what is typed comes first


def test_a_long_trial_is_derived_on_the_worker_and_its_neighbours_ahead(open_window, qtbot):
    t = np.arange(30_000) * 1e-3
    rng = np.random.default_rng(3)
    trials = [
        recording(t, {"sled": {"x": np.sin(0.3 * t) + 1e-3 * rng.normal(size=len(t))}}, name)
        for name in ("one", "two", "three")
    ]
    made = with_trials(replace(Project(), series=(Series("s"),)), trials, "s")
    window = open_window(made, verdicts=False)
    _, second, third = window.document.project.entries
    window.document.select(third.trial.id)  # before it can be known
    strip = window.bench.strip("velocity", "x")
    assert not strip.traces
    assert strip.why.text() == words.DERIVING
    qtbot.waitUntil(lambda: bool(strip.traces), timeout=30_000)
    assert not strip.why.text()
    assert np.nanmedian(np.abs(strip.traces[0].y - 0.3 * np.cos(0.3 * t))) < 3.0 * np.nanmedian(
        strip.traces[0].u
    )
    qtbot.waitUntil(lambda: second.used_trial in window.document.known, timeout=30_000)
    window.document.select(second.trial.id)
    assert window.bench.strip("velocity", "x").traces  # at once


HOSTILE = {
    "below zero": ["-0.1"] * 6,
    "all zero": ["0"] * 6,
    "mostly blank": ["0.1", "", "", "", "", ""],
    "words": ["good", "good", "bad", "good", "good", "bad"],
    "not numbers": ["nan", "inf", "-", "0.1", "n/a", ""],
}


@pytest.mark.parametrize("kind", HOSTILE)
def test_a_column_that_cannot_be_an_uncertainty_is_left_out_and_spoils_nothing(kind):
    rows = [f"{0.1 * k:.1f},{1.0 + 0.2 * k:.1f},{cell}" for k, cell in enumerate(HOSTILE[kind])]
    reading = read_bytes("made.csv", "\n".join(["t (s),x (m),u_x (m)", *rows]).encode())
    (trial,) = trials_of(reading)
    (channel,) = trial.bodies[0].channels
    assert channel.u is None
    assert np.isfinite(channel.si).all()
    assert len(trial.bodies) == 1


def test_a_few_bad_cells_of_a_column_get_the_usual_uncertainty():
    cells = ["0.1", "0.2", "?", "0.2", "-1", "0.1", "", "0.2"]
    rows = [f"{0.1 * k:.1f};{1.0 + 0.2 * k:.1f};{cell}" for k, cell in enumerate(cells)]
    (trial,) = trials_of(
        read_bytes("made.csv", "\n".join(["t (s);x (cm);σ_x (cm)", *rows]).encode())
    )
    (channel,) = trial.bodies[0].channels
    usual = 0.01 * np.sqrt(np.mean(np.square([0.1, 0.2, 0.2, 0.1, 0.2])))
    assert channel.stated == pytest.approx([1e-3, 2e-3, usual, 2e-3, usual, 1e-3, usual, 2e-3])
    assert np.isfinite(channel.si).all()


def test_stated_uncertainties_follow_their_rows_through_clocks_blocks_and_large_files():
    two = "t (s),A (m),u(A) (m),t (s),B (m),u(B) (m)\n" + "\n".join(
        f"{0.1 * k:.1f},{k},{0.1 + 0.01 * k:.2f},{0.1 * k + 0.05:.2f},{2 * k},{0.2 + 0.01 * k:.2f}"
        for k in range(6)
    )
    (trial,) = trials_of(read_bytes("two.csv", two.encode()))
    a, b = (body.channels[0] for body in trial.bodies)
    assert a.u[::2] == pytest.approx(0.1 + 0.01 * np.arange(6))
    assert b.u[1::2] == pytest.approx(0.2 + 0.01 * np.arange(6))
    assert np.isnan(a.u[1::2]).all()
    shuffled = np.random.default_rng(1).permutation(9)
    long = "t (s),stone,x (m),uncertainty (m)\n" + "\n".join(
        f"{0.1 * k:.1f},{name},{k + j},{0.1 * (j + 1) + 0.01 * k:.2f}"
        for k in shuffled
        for j, name in enumerate("AB")
    )
    (trial,) = trials_of(read_bytes("long.csv", long.encode()))
    for j, body in enumerate(trial.bodies):
        assert body.channels[0].u == pytest.approx(0.1 * (j + 1) + 0.01 * np.arange(9))
    large = "t (s),x (m),u_x (m)\n" + "\n".join(
        f"{k * 1e-3:.3f},{k % 97},{1 + k % 7}" for k in range(60_000)
    )
    (trial,) = trials_of(read_bytes("large.csv", large.encode()))
    assert np.array_equal(trial.bodies[0].channels[0].u, 1.0 + np.arange(60_000) % 7)


def test_a_typed_noise_is_held_against_the_scatter_also_where_nothing_is_marked():
    rng, t = np.random.default_rng(2), np.arange(100) * 0.02
    trial = recording(t, {"sled": {"x": 0.4 * t + 2e-3 * rng.normal(size=100)}})
    for typed, used in ((1e-4, False), (5e-3, True)):
        project = Project(
            "p",
            (Entry(trial, "s"),),
            (Series("s"),),
            {FactId("reading noise"): Fact(typed, 0.0, Meaning.EXACT, METRE)},
        )
        noise = Evaluator().trial_context(project, project.entries[0]).noise
        assert noise.given is used
        assert noise.reading == pytest.approx(typed if used else 2e-3, rel=0.2)
        assert bool(noise.remark) is not used


@pytest.mark.slow
def test_a_sine_with_uncertain_times_is_fitted_along_both_axes_in_a_trial():
    rng, t, runs = np.random.default_rng(12), np.arange(100) * 0.03, 60
    request, hits, errs = (
        CurveRequest(QuantityRef(Quantity.POSITION, "x"), "sled", "all", CurveShape.SINE),
        [],
        [],
    )
    whole = Spans([Span("all", SpanKind.FREE, 0.0, 3.0)])
    for _ in range(runs):
        shaken = t + 0.004 * rng.normal(size=100)
        one = context(
            recording(
                t,
                {
                    "sled": {
                        "x": 0.3 * np.sin(2.0 * np.pi * shaken / 1.1) + 3e-4 * rng.normal(size=100)
                    }
                },
            ),
            whole,
        )
        fit = fit_curve_request(one, request)
        values = dict(fit.parameters)
        hits.append(
            [
                abs(values["A"].value - 0.3) < values["A"].u,
                abs(values["T"].value - 1.1) < values["T"].u,
            ]
        )
        errs.append([values["A"].value - 0.3, one.noise.stamp])
    found = np.array(errs)
    assert np.median(found[:, 1]) == pytest.approx(0.004, rel=0.3)
    assert np.sqrt(np.mean(found[:, 0] ** 2)) < 4e-4  # unweighted least squares err by 1.1e-3
    assert np.all(np.mean(hits, axis=0) > 0.5)


@pytest.mark.slow
@pytest.mark.parametrize("shape", [CurveShape.LINE, CurveShape.SINE])
@pytest.mark.parametrize(("alike", "jitter"), [(0.5, 0.0), (0.7, 0.0), (0.0, 4e-3)])
def test_curves_cover_their_truth_where_readings_or_time_stamps_are_not_white(shape, alike, jitter):
    """Taken for white noise, a sine was covered 28/57 instead of 68/95."""
    rng, t, found = np.random.default_rng(int(10 * alike) + 3), np.linspace(0.0, 2.0, 60), []
    for _ in range(60):
        period, phase = rng.uniform(0.7, 1.4), rng.uniform(0.0, 6.0)
        errors = lfilter([1.0], [1.0, -alike], rng.normal(size=260))[200:]
        at = t + rng.normal(0.0, jitter, 60)
        clean, true = 0.2 + 0.7 * at, {"y₁": 0.7}
        if shape is CurveShape.SINE:
            clean = 0.1 + 0.2 * np.sin(2.0 * np.pi * at / period + phase)
            true = {"A": 0.2, "T": period}
        one = context(
            recording(t, {"sled": {"x": clean + 1e-3 * np.sqrt(1.0 - alike**2) * errors}})
        )
        request = CurveRequest(QuantityRef(Quantity.POSITION, "x"), "sled", "part", shape)
        got = dict(fit_curve_request(one, request).parameters)
        found += [
            (
                abs(got[k].value - v) < got[k].k68 * got[k].u,
                abs(got[k].value - v) < got[k].k95 * got[k].u,
            )
            for k, v in true.items()
        ]
    rates = np.mean(found, axis=0)
    print(shape, alike, jitter, rates)
    assert 0.52 < rates[0] < 0.86
    assert rates[1] > 0.85
