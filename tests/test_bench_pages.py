"""The pages and corners of the bench: what they say when something is missing, long, odd or done
twice.
"""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from conftest import recording
from inertian.desktop.bench.batch_dialog import BatchDialog
from inertian.desktop.bench.pyramid import LONG, Pyramid
from inertian.desktop.look import words
from inertian.desktop.look.tokens import DARK
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import SpanKind
from inertian.physics.accounts.account_inputs import OPENING, DateValue
from inertian.physics.definitions.requests import TOTAL, Quantity, QuantityRef, ReadingKind
from inertian.project.encoding import decode, encode
from inertian.project.marking_edits import span_kind_set
from inertian.project.project import Project, Series, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.units import unit_of
from person import Person, entry, plot
from pointing import CTRL, SHIFT, click, drag, move, place, press, release, strip_x

LEFT = Qt.MouseButton.LeftButton


def type_fact(qtbot, field, text):
    field.line.setText(text)
    field.line.setModified(True)
    qtbot.keyClick(field.line, Qt.Key.Key_Return)


def project_of(*trials):
    return with_trials(Project("p", series=(Series("s"),)), trials, "s")


def test_an_outlier_is_caught_among_the_residuals_of_a_fit(open_window, demo, qtbot):
    window = open_window(demo)
    window.show_page(words.PAGE_READINGS)
    window.readings.fits.ask(CurveShape.PARABOLA)
    QApplication.processEvents()
    strip = window.bench.strip("position", "x", True)
    (trace,) = strip.traces
    worst = int(np.argmax(np.abs(trace.y)))
    before = window.readings.fits.results[0][1]["chi"].text()
    click(strip.plot.viewport(), *place(strip.plot, trace.t[worst], trace.y[worst]), CTRL)
    assert entry(window).prepared.aside["heavy"].tolist() == [int(trace.raw_rows[worst])]
    assert entry(window).trial.t[trace.raw_rows[worst]] == trace.t[worst]
    assert window.readings.fits.results[0][1]["chi"].text() != before
    assert len(strip.traces[0].t) == len(trace.t) - 1


def test_a_reason_is_typed_and_a_threshold_that_is_none_is_told(open_window, demo, qtbot):
    window = open_window(demo)
    window.show_page(words.PAGE_TIDY)
    line = window.tidy.reason.lineEdit()
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, "glare of the lamp")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert window.bench.view.reason == "glare of the lamp"
    trial = entry(window).trial
    view = plot(window).viewport()
    click(view, *place(plot(window), trial.t[40], trial.body("heavy").channel("x").si[40]), CTRL)
    assert entry(window).steps[0].reason == "glare of the lamp"
    for text in ("many", "-3", ""):
        window.tidy.threshold.setText(text)
        qtbot.mouseClick(window.tidy.find_jumps_button, LEFT)
        assert "not a number above zero" in window.tidy.trouble.text()
    window.tidy.threshold.setText("5,5")
    qtbot.mouseClick(window.tidy.find_jumps_button, LEFT)
    qtbot.waitUntil(window.tidy.found.isVisible, timeout=5000)
    assert not window.tidy.trouble.isVisible()
    qtbot.mouseClick(window.tidy.bridge, LEFT)  # no line, so it is not enabled
    assert len(entry(window).steps) == 1


def test_a_disc_gets_its_centre_from_a_circle_and_strips_of_its_turning(open_window, qtbot):
    t = np.arange(150) * 0.02
    rng = np.random.default_rng(3)
    phi = 4.0 * t - 0.3 * t**2
    places = {"x": 0.7 + 0.3 * np.cos(phi), "y": 0.4 + 0.3 * np.sin(phi)}
    noisy = {a: x + rng.normal(0, 5e-4, 150) for a, x in places.items()}
    window = open_window(project_of(recording(t, {"disc": noisy}, name="disc")), verdicts=False)
    document = window.document
    window.show_page(words.PAGE_TIDY)
    form = window.tidy.frame
    assert form.circle.text().startswith("Fit a circle")
    qtbot.mouseClick(form.circle, LEFT)
    assert entry(window).frame.centre == pytest.approx((0.7, 0.4), abs=1e-3)
    assert "0.3" in form.said.text().replace(",", ".")
    assert " ± " in form.centres["x"].line.text()
    window.bench.view.choose_strips(
        [QuantityRef(Quantity.ANGLE), QuantityRef(Quantity.ANGULAR_SPEED)]
    )
    omega = window.bench.strip("angular speed", "").traces[0].y
    assert np.nanmedian(np.abs(omega - (4.0 - 0.6 * t))) < 0.05
    type_fact(qtbot, form.centres["x"], "")
    assert entry(window).frame.centre is None
    assert {s.shown.quantity for s in window.bench.strips()} == {
        Quantity.POSITION,
        Quantity.VELOCITY,
    }
    document.undo()
    assert entry(window).frame.centre is not None


def test_a_force_gauge_is_zeroed_and_its_area_is_an_impulse(open_window, qtbot):
    t = np.arange(200) * 0.01
    rng = np.random.default_rng(8)
    force = 0.3 + np.where((t > 1.0) & (t < 1.2), 8.0, 0.0) + rng.normal(0, 0.02, 200)
    x = 0.4 * np.minimum(t, 1.0) - 0.3 * np.maximum(t - 1.2, 0.0) + rng.normal(0, 5e-4, 200)
    channels = (Channel("x", "x", unit_of("length", "m"), x),)
    sensors = (Channel("F", "F", unit_of("force", "N"), force),)
    trial = Trial(
        "gauge", "gauge", "t", unit_of("time", "s"), t, (Body("sled", channels, sensors),)
    )
    window = open_window(project_of(trial), verdicts=False)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_TIDY)
    button = window.tidy.frame.sensor_zeros[0][0]
    assert button.text().startswith("Zero the force of sled over")
    assert button.isEnabled()
    window.tidy.frame._zero_sensor("sled", "F")
    assert entry(window).frame.zeros[0][2] == pytest.approx(0.3, abs=0.02)
    shown = window.bench.strip("sensor", "F").traces[0].y
    assert np.median(shown) == pytest.approx(0.0, abs=0.01)
    drag(
        window.bench.rail,
        (window.bench.rail.x_of(0.9), 30),
        (window.bench.rail.x_of(1.3), 30),
        SHIFT,
    )
    person.confirm()
    window.bench.view.take(QuantityRef(Quantity.SENSOR, "F"))
    window.show_page(words.PAGE_READINGS)
    area = window.readings.span_rows[ReadingKind.AREA].value.text().replace(",", ".")
    assert area.endswith("N·s")
    assert float(area.split()[0]) == pytest.approx(8.0 * 0.19, abs=0.1)


def test_readings_of_all_bodies_and_in_other_units_and_what_is_missing(open_window, demo, qtbot):
    window = open_window(demo)
    view = window.bench.view
    view.choose_strips([QuantityRef(Quantity.POSITION, "x"), QuantityRef(Quantity.KINETIC)])
    window.show_page(words.PAGE_READINGS)
    page = window.readings
    view.use_unit(unit_of("length", "cm"), "m")
    assert page.span_rows[ReadingKind.MEAN].value.text().endswith("cm")
    assert page.span_rows[ReadingKind.TREND].value.text().endswith("m/s")
    page.quantity.setCurrentIndex(1)
    page.quantity.activated.emit(1)
    assert page.body.itemText(page.body.count() - 1) == words.ALL_BODIES
    page.body.setCurrentIndex(page.body.count() - 1)
    page.body.activated.emit(page.body.count() - 1)
    assert view.in_hand() == (QuantityRef(Quantity.KINETIC), TOTAL)
    mean = page.span_rows[ReadingKind.MEAN].value.text()
    assert mean.endswith("\N{NO-BREAK SPACE}J")
    qtbot.mouseClick(page.span_rows[ReadingKind.MEAN].keep, LEFT)
    assert page.name_field.text() == "mean before"
    qtbot.keyClick(page.name_field, Qt.Key.Key_Return)
    assert page.named_values["mean before"].text() == mean
    for body in ("heavy", "light"):
        window.document.do(window_without_mass(window, body))
    assert "mass of" in page.trouble.text()
    assert page.named_values["mean before"].text() == "—"
    assert "mass of" in page.named_values["mean before"].toolTip()
    assert "mass of" in window.bench.strip("kinetic energy", "").why.text()


def window_without_mass(window, body):
    from inertian.project.edits import fact_set

    key, _fact = window.document.project.masses(entry(window))[body]
    return fact_set(window.document.committed, key, None)


def test_keys_that_need_a_line_or_a_span_say_so(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    person.press("X")
    assert person.told == words.NO_LINE
    person.press("N")
    assert person.told == words.NO_LINE
    person.press("P")
    assert window.bench.view.pins == []
    window.bench.rail.activate(None)
    person.press("Delete")
    assert person.told == words.NOT_A_SPAN
    assert len(entry(window).spans) == 3
    person.click_at(0.5)
    start = entry(window).spans.before.start
    window.bench.rail.activate(None)
    person.press("BracketLeft")
    assert entry(window).spans.before.start == pytest.approx(0.5, abs=0.01) != start
    person.press("BracketRight")
    assert entry(window).spans.before.stop > entry(window).spans.before.start
    person.press("Z")
    low, high = plot(window).getPlotItem().vb.viewRange()[0]
    assert high - low < 1.0
    person.press("Z", Qt.KeyboardModifier.ShiftModifier)
    assert plot(window).getPlotItem().vb.viewRange()[0][1] > 2.0
    name = window.document.history.undo_name
    person.press("Backspace")  # no fits: nothing happens
    assert window.document.history.undo_name == name


def test_a_name_that_is_taken_is_told_and_the_field_stays(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    rail = window.bench.rail
    rail.type_name("before")
    person.write("after")
    assert "already" in person.told
    assert {s.name for s in entry(window).spans} == {"before", "contact", "after"}
    rail.type_span()
    person.write("0.2")
    assert words.SPAN_TIMES_WRONG in person.told
    assert len(entry(window).spans) == 3


def test_a_span_in_the_second_lane_is_taken_by_its_flag(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    rail = window.bench.rail
    drag(rail, (rail.x_of(0.3), 30), (rail.x_of(0.7), 30), SHIFT)
    person.confirm()
    press(rail, rail.x_of(0.5), 52)
    assert rail.active.span == "span"
    move(rail, rail.x_of(0.6), 52)
    release(rail, rail.x_of(0.6), 52)
    moved = entry(window).spans.named("span")
    assert (moved.start, moved.stop) == pytest.approx((0.4, 0.8), abs=0.01)
    press(rail, rail.x_of(0.5), 30)
    assert rail.active.span == "before"
    release(rail, rail.x_of(0.5), 30)
    window.document.do(
        span_kind_set(window.document.committed, entry(window).trial.id, "span", SpanKind.PUSH)
    )
    assert entry(window).spans.named("before").stop == entry(window).spans.named("span").start


def test_the_whole_series_is_marked_from_the_menu_while_the_window_stays_awake(
    open_window, demo, qtbot
):
    window = open_window(demo)
    person = Person(window, qtbot)
    person.press("Up")
    person.press("Delete")
    assert len(entry(window).spans) == 2
    qtbot.keyClick(window, Qt.Key.Key_M, CTRL | SHIFT)
    assert "Looking for spans in 10 trials" in person.told
    qtbot.waitUntil(lambda: len(entry(window).spans) == 3, timeout=20_000)
    assert window.document.history.undo_name == "Mark spans in 1 trials"


def test_treating_the_others_can_be_stopped_and_changes_nothing(
    open_window, demo, qtbot, monkeypatch
):
    window = open_window(demo)
    said = []

    def stop(dialog):
        dialog.show()
        for k in range(3):
            dialog.list.item(k).setCheckState(Qt.CheckState.Unchecked)
        said.append(dialog.go.text())
        qtbot.mouseClick(dialog.go, LEFT)
        qtbot.mouseClick(dialog.stop, LEFT)

    monkeypatch.setattr(BatchDialog, "exec", stop)
    window.bench_actions.treat_others()
    assert said == ["Treat 6 trials"]
    assert window.document.project is demo
    assert window.note_label.text() == words.TREAT_STOPPED
    window.document.select(demo.entries[10].trial.id)
    window.bench_actions.treat_others()
    assert window.note_label.text() == words.NO_OTHERS


def test_what_was_marked_is_there_after_saving_and_opening_again(
    open_window, demo, qtbot, tmp_path
):
    from inertian.project.saving import load, save

    window = open_window(demo)
    trial = entry(window).trial
    view = plot(window).viewport()
    click(view, *place(plot(window), trial.t[40], trial.body("heavy").channel("x").si[40]), CTRL)
    window.readings.fits.ask(CurveShape.LINE)
    window.show_page(words.PAGE_READINGS)
    shown = [part["chi"].text() for _, part in window.readings.fits.results]
    save(window.document.project, tmp_path / "p.inertian")
    again = open_window(load(tmp_path / "p.inertian"))
    again.show_page(words.PAGE_READINGS)
    assert [part["chi"].text() for _, part in again.readings.fits.results] == shown
    assert len(again.bench.strip("position", "x").traces[0].crosses[0]) == 1
    again.use_theme(DARK)
    assert len(again.bench.strip("position", "x").traces[0].crosses[0]) == 1


def test_a_long_recording_is_drawn_from_its_pyramid_and_its_numbers_follow(open_window, qtbot):
    n = 60_000
    t = np.arange(n) * 1e-4
    rng = np.random.default_rng(2)
    heavy = np.where(t < 3, 0.5 * t, 1.5 + 0.1 * (t - 3)) + rng.normal(0, 1e-3, n)
    light = np.where(t < 3, 1.8, 1.8 + 0.6 * (t - 3)) + rng.normal(0, 1e-3, n)
    trial = recording(t, {"heavy": {"x": heavy}, "light": {"x": light}}, name="long")
    window = open_window(project_of(trial), verdicts=False)
    qtbot.waitUntil(
        lambda: "±" in window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text(),
        timeout=20_000,
    )
    drawn = window.bench.strip("position", "x")._drawn[0]
    x, _ = drawn._line.getData()
    assert 500 < len(x) < 8000
    low, high = drawn.extent((0.0, 6.0))
    assert (low, high) == (heavy.min(), heavy.max())
    before = window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text()
    press(plot(window).viewport(), strip_x(plot(window), entry(window).spans.before.start) + 1, 60)
    move(plot(window).viewport(), strip_x(plot(window), 1.5), 60)
    assert window.document.previewing
    assert window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text() != before
    release(plot(window).viewport(), strip_x(plot(window), 1.5), 60)
    assert entry(window).spans.before.start == pytest.approx(1.5, abs=0.02)
    # Velocities are derived anew on the worker; what was drawn stays until they are there
    strip = window.bench.strip("velocity", "x")
    assert window.document.awaits(entry(window))
    assert strip.why.text() == words.DERIVING
    assert len(strip.traces) == 2
    qtbot.waitUntil(lambda: not window.document.awaits(entry(window)), timeout=20_000)
    assert strip.why.isHidden()
    before = window.document.project
    window.bench_actions.mark_spans()  # the finder, too, searches on the worker
    assert window.document.project is before
    qtbot.waitUntil(lambda: window.document.project is not before, timeout=20_000)
    assert [s.name for s in entry(window).spans] == ["before", "contact", "after"]
    window.bench.view.use_method(strip.shown, "central")
    qtbot.waitUntil(lambda: strip.why.text() == words.METHODS_SAID["central"], timeout=20_000)


@pytest.mark.parametrize("n", [100, LONG, 300_001])
def test_a_pyramid_never_hides_a_peak(n):
    rng = np.random.default_rng(n)
    t, y = np.linspace(0, 1, n), rng.normal(0, 1, n)
    peak = n // 3
    y[peak] = 50.0
    y[n // 2 : n // 2 + 3] = np.nan
    pyramid = Pyramid(t, y)
    for start, stop in ((0.0, 1.0), (0.2, 0.5), (t[peak] - 1e-4, t[peak] + 1e-4), (0.9, 1.0)):
        x, seen = pyramid.seen(start, stop, 700)
        inside = y[(t >= start) & (t <= stop)]
        assert len(x) == len(seen) < 9000 + 2 * LONG * (n <= LONG)
        assert np.nanmax(seen) >= np.nanmax(inside)
        assert np.nanmin(seen) <= np.nanmin(inside)
        assert np.all(np.diff(x) >= 0)


def test_what_was_put_right_while_reading_stands_among_the_steps(open_window, qtbot, tmp_path):
    from PyQt6.QtWidgets import QLabel

    rows = [f"{k * 0.02:.2f},{1.1 * k * 0.02:.4f}" for k in range(40)]
    rows[5], rows[6] = rows[6], rows[5]
    rows.insert(20, rows[19])
    (tmp_path / "mixed.csv").write_text("time (s),sled (m)\n" + "\n".join(rows) + "\n")
    window = open_window(Project("p"))
    window.project_files.open_files([tmp_path / "mixed.csv"])
    qtbot.waitUntil(
        lambda: (
            bool(window.import_controller.desk.groups) and not window.import_controller.desk.busy
        ),
        timeout=10_000,
    )
    window.import_controller.bring_in()
    qtbot.waitUntil(lambda: window.document.entry is not None, timeout=10_000)
    window.show_page(words.PAGE_TIDY)
    QApplication.processEvents()
    said = [
        label.text() for label in window.tidy.widget().findChildren(QLabel) if label.isVisible()
    ]
    assert any("put in order" in text for text in said)
    assert any("the time of another one; the first counts" in text for text in said)
    assert len(window.document.entry.trial.t) == 40


def test_a_formula_of_ones_own_is_typed_fitted_saved_and_refused_in_words(
    open_window, demo, qtbot, tmp_path
):
    from inertian.project.saving import load, save

    window = open_window(demo)
    window.show_page(words.PAGE_READINGS)
    form = window.readings.fits
    next(a for a in form.menu().actions() if a.text() == words.OWN_FORMULA).trigger()
    for text, why in (
        ("x0 + v t +", "something is missing"),
        ("a + b", "does not occur"),
        ("t", "nothing to fit"),
    ):
        form.formula.setText(text)
        qtbot.keyClick(form.formula, Qt.Key.Key_Return)
        assert why in form.trouble.text()
        assert not entry(window).curves
    form.formula.setText("x0 + v t − ½ a t²")
    qtbot.keyClick(form.formula, Qt.Key.Key_Return)
    ((request, _parts),) = form.results
    assert request.shape is CurveShape.FORMULA
    assert not form.trouble.isVisible()
    window.readings.fits.ask(CurveShape.PARABOLA)
    _, parabola = window.readings.fits.results[1]
    mine, theirs = (
        p[s].text().replace("−", "") for p, s in ((form.results[0][1], "a"), (parabola, "y₂"))
    )
    assert theirs.startswith(mine)  # the same number; only its unit is not known here
    save(window.document.project, tmp_path / "p.inertian")
    assert load(tmp_path / "p.inertian").entries[0].curves == entry(window).curves


def test_what_the_mouse_does_goes_back_to_usual_with_esc_or_with_the_page(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_TIDY)
    qtbot.mouseClick(window.tidy.mouse, LEFT)
    assert window.bench.view.setting_aside
    person.press("Escape")
    assert not window.bench.view.setting_aside
    assert not window.tidy.mouse.isChecked()
    qtbot.mouseClick(window.tidy.frame.drag_origin, LEFT)
    assert window.bench.view.dragging_origin is not None
    window.show_page(words.PAGE_ACCOUNT)
    assert window.bench.view.dragging_origin is None
    start = entry(window).spans.before.start
    drag(
        plot(window).viewport(),
        (strip_x(plot(window), start) + 1, 80),
        (strip_x(plot(window), 0.4), 80),
    )
    assert entry(window).frame.origin == (0.0, 0.0)
    assert entry(window).spans.before.start == pytest.approx(0.4, abs=0.02)


def test_the_window_of_local_fits_is_typed_kept_and_taken_back(demo, open_window, qtbot):
    window = open_window(demo)
    margin, document = window.margin, window.document
    assert "samples for velocities here" in margin.noise_form.window_now.text()
    chosen = margin.noise_form.window_now.text()
    qtbot.mouseClick(margin.noise_form.head, Qt.MouseButton.LeftButton)
    u_before = velocity_u(document)
    qtbot.keyClicks(margin.noise_form.window_field, "7 samples")
    qtbot.keyClick(margin.noise_form.window_field, Qt.Key.Key_Return)
    assert document.committed.series_named("in line").window == "7 samples"
    assert margin.noise_form.window_now.text() == "7 samples for velocities here"
    assert velocity_u(document) > 2.0 * u_before
    again = decode("a", encode(document.committed).__getitem__)
    assert again.series_named("in line").window == "7 samples"
    document.undo()
    assert margin.noise_form.window_now.text() == chosen
    qtbot.keyClicks(margin.noise_form.window_field, "two")
    qtbot.keyClick(margin.noise_form.window_field, Qt.Key.Key_Return)
    assert document.committed.series_named("in line").window == ""
    assert "“two” is not a window" in margin.noise_form.window_now.text()
    document.history.mark_saved(document.committed)


def velocity_u(document):
    band = document.evaluator.band(
        document.project, document.entry, QuantityRef(Quantity.VELOCITY, "x"), "heavy"
    )
    return float(np.nanmedian(band[1]))


def test_a_glide_whose_drag_is_fitted_is_shown_though_nothing_is_left_to_check(open_window, qtbot):
    t = np.arange(0.0, 2.5, 0.01)
    x = np.log1p(0.84 * t) / 0.6 + np.random.default_rng(1).normal(0, 3e-4, len(t))
    project = project_of(recording(t, {"sled": {"x": x}}))
    window = open_window(with_typed_fact(project, "mass of sled = 1.50 ± 0.01 kg"), verdicts=False)
    qtbot.waitUntil(lambda: window.margin.results_ready, timeout=20_000)
    window.show_stage(words.LEDGER)
    account = window.ledger.accounts["kinetic energy"]
    assert account.table.cells["air resistance", "+0"].text().startswith("−")
    assert "fits" in account.table.cells["air resistance", "+0"].toolTip()
    assert "quadratic drag" in window.margin.results.text()
