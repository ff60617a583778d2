"""The same curve in several trials: the common value covers its truth, shared errors stay,
differences are seen.
"""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.desktop.look import words
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.fact_names import SCALE
from inertian.physics.definitions.requests import CurveRequest, Quantity, QuantityRef
from inertian.project.marking_edits import curve_added
from inertian.project.project import Entry, Project, Series
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import PIXEL, Unit, unit_of

T = np.arange(60) * 0.03
SPAN = Spans([Span("swing", SpanKind.FREE, 0.0, 1.8)])
SINE = CurveRequest(QuantityRef(Quantity.POSITION, "x"), "disc", "swing", CurveShape.SINE)
LINE = CurveRequest(QuantityRef(Quantity.POSITION, "x"), "disc", "swing", CurveShape.LINE)


def always(_done, _of):
    return True


def swings(rng, periods, sigma=1e-3):
    trials = [
        recording(
            T,
            {
                "disc": {
                    "x": a * np.sin(2.0 * np.pi * T / period + phase)
                    + sigma * rng.normal(size=len(T))
                }
            },
            f"trial {k}",
        )
        for k, (period, a, phase) in enumerate(
            zip(
                periods,
                rng.uniform(0.05, 0.4, len(periods)),
                rng.uniform(0.0, 6.0, len(periods)),
                strict=True,
            )
        )
    ]
    return Project("p", tuple(Entry(t, "s", SPAN) for t in trials), (Series("s"),))


@pytest.mark.slow
def test_a_period_that_trials_share_covers_its_truth_and_is_known_better_than_from_one():
    rng, runs, hits, gains = np.random.default_rng(4), 150, [], []
    for _ in range(runs):
        found = Evaluator().curve_in_series(swings(rng, [0.9] * 5), "s", SINE, always)
        period = found.together["T"]
        hits.append(abs(period.value.value - 0.9) < period.value.u)
        best = min(dict(result.parameters)["T"].u for _, result in found.trials)
        gains.append(period.value.u / best)
    assert abs(np.mean(hits) - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / runs)
    assert np.mean(gains) < 1.0
    assert period.agree
    assert period.dof == 4


def test_trials_that_differ_are_told_and_their_scatter_counts():
    found = Evaluator().curve_in_series(
        swings(np.random.default_rng(5), [0.8, 0.9, 1.0]), "s", SINE, always
    )
    period = found.together["T"]
    assert not period.agree
    assert period.value.u > 0.02
    assert period.value.dof == 2


def test_a_shared_scale_does_not_average_out():
    rng, pixel = np.random.default_rng(6), Unit(PIXEL, "length", 0.005)
    for count in (2, 20):
        trials = [
            recording(T, {"disc": {"x": 100.0 * T + 0.02 * rng.normal(size=len(T))}}, f"{k}", pixel)
            for k in range(count)
        ]
        scale = Fact(0.005, 0.00005, Meaning.STANDARD, unit_of("length", "m"))
        made = Project(
            "p",
            tuple(Entry(t, "s", SPAN) for t in trials),
            (Series("s"),),
            {FactId(SCALE, "series s"): scale},
        )
        evaluator = Evaluator()
        assert SCALE in evaluator.trial_context(made, made.entries[0]).shared
        found = evaluator.curve_in_series(made, "s", LINE, always).together["y₁"]
        alone = replace(made, setup={})
        random = Evaluator().curve_in_series(alone, "s", LINE, always).together["y₁"].value.u
        assert found.value.value == pytest.approx(0.5, abs=0.001)
        assert found.value.u == pytest.approx(np.hypot(0.005, random), rel=0.01)
        assert random < 0.0005 / np.sqrt(count)  # what is a trial's own does average out


def test_trials_without_the_span_or_the_body_say_why_and_work_can_be_stopped():
    rng = np.random.default_rng(7)
    project = swings(rng, [0.9, 0.9, 0.9])
    first, second, third = project.entries
    bare = Entry(second.trial, "s")
    other = Entry(recording(T, {"sled": {"x": 0.1 * T}}, "other"), "s", SPAN)
    made = Project("p", (first, bare, third, other), project.series)
    found = Evaluator().curve_in_series(made, "s", SINE, always)
    reasons = {name: str(result) for name, result in found.trials if isinstance(result, Exception)}
    assert set(reasons) == {"trial 1", "other"}
    assert found.together["T"].dof == 1
    stopped = Evaluator().curve_in_series(made, "s", SINE, lambda done, _of: done < 1)
    assert len(stopped.trials) == 1
    assert not stopped.together


def test_the_same_curve_in_all_trials_is_shown_and_copied_in_the_window(open_window, qtbot):
    project = swings(np.random.default_rng(8), [0.9] * 4)
    project = curve_added(project, project.entries[0].trial.id, SINE).project
    window = open_window(project, verdicts=False)
    window.show_page(words.PAGE_READINGS)
    form = window.readings.fits
    button = form.results[0][1]["together"]
    assert button.text() == words.SAME_IN_ALL
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    dialog = form.together
    qtbot.waitUntil(dialog.copy.isEnabled, timeout=20_000)
    assert "trial 3" in dialog.table.text()
    assert words.TOGETHER_ROW in dialog.table.text()
    assert "they agree" in dialog.table.text()
    qtbot.mouseClick(dialog.copy, Qt.MouseButton.LeftButton)
    rows = [line.split("\t") for line in QApplication.clipboard().text().splitlines()]
    assert rows[0][:2] == [words.TOGETHER_TRIAL, "y₀ (m)"]
    assert len(rows) == 7
    assert all("±" in cell for row in rows[1:6] for cell in row[1:])
    close = next(b for b in dialog.findChildren(QPushButton) if b.text() == words.CLOSE_DIALOG)
    qtbot.mouseClick(close, Qt.MouseButton.LeftButton)
    assert not dialog.isVisible()
