"""Journeys over the bench: set aside, mark, read off, fit, treat the others; with the mouse and
with keys alone.
"""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QLabel

from conftest import recording
from inertian.desktop.bench.bench_menus import (
    copy_numbers,
    copy_picture,
    span_menu,
    strip_menu,
    unit_menu,
)
from inertian.desktop.look import words
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.spans.spans import SpanKind
from inertian.physics.accounts.account_inputs import OPENING, DateValue
from inertian.project.project import Project, Series, with_trials
from person import Person, entry, plot
from pointing import CTRL, SHIFT, click, drag, move, place, press, release, strip_x


def tidy_text(window):
    """What the tidy page says about the steps."""
    QApplication.processEvents()
    return [
        label.text() for label in window.tidy.widget().findChildren(QLabel) if label.isVisible()
    ]


def tick(window, qtbot):
    """Click the box of the first step."""
    QApplication.processEvents()
    box = window.tidy.checks[0]
    qtbot.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))


def at_sample(window, body, row):
    trial = entry(window).prepared.whole
    return place(plot(window), trial.t[row], trial.body(body).channel("x").si[row])


def test_the_end_of_a_span_is_dragged_by_three_samples_and_taken_back(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    stop, step = person.spans["before"].stop, entry(window).trial.step()
    shown = window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text()
    person.drag_end("before", "stop", -3)
    assert person.spans["before"].stop == pytest.approx(stop - 3 * step, abs=step)
    assert window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text() != shown
    window.document.undo()
    assert person.spans["before"].stop == stop


# -- setting aside ---------------------------------------------------------------------------------


def test_samples_are_set_aside_by_click_and_rectangle_and_come_back(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_TIDY)
    before = window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text()
    view = plot(window).viewport()
    click(view, *at_sample(window, "heavy", 30), CTRL)
    assert entry(window).prepared.aside["heavy"].tolist() == [30]
    assert len(window.bench.strip("position", "x").traces[0].crosses[0]) == 1
    (x1, y1), (x2, y2) = at_sample(window, "heavy", 14), at_sample(window, "heavy", 18)
    drag(view, (x1 - 3, y1 + 6), (x2 + 3, y2 - 6), CTRL)
    assert entry(window).prepared.aside["heavy"].tolist() == [14, 15, 16, 17, 18, 30]
    assert not len(entry(window).prepared.aside["light"])
    assert any("6 samples set aside: not part of the motion" in text for text in tidy_text(window))
    window.pages.show_page(words.PAGE_ACCOUNT)
    assert window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text() != before
    window.bench.rail.setFocus()
    person.press("3")  # they were blurred
    assert [s.reason for s in entry(window).steps] == ["blurred"]
    assert window.document.history.undo_name == "Set 6 aside: blurred"
    # The last reason is not needed to let one count again
    click(view, *at_sample(window, "heavy", 16), CTRL)
    assert entry(window).prepared.aside["heavy"].tolist() == [14, 15, 17, 18, 30]
    while window.document.history.undo_name:
        window.document.undo()
    assert window.document.project is demo
    window.margin.refresh()
    assert window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text() == before


def test_the_mouse_can_set_aside_without_a_key_and_steps_are_switched_in_the_margin(
    open_window, demo, qtbot
):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_TIDY)
    qtbot.mouseClick(window.tidy.mouse, Qt.MouseButton.LeftButton)
    click(plot(window).viewport(), *at_sample(window, "light", 70))
    assert entry(window).prepared.aside["light"].tolist() == [70]
    assert window.bench.view.line is None  # the click did not move the plumb line
    tick(window, qtbot)
    assert not entry(window).steps[0].on
    assert any("switched off" in text for text in tidy_text(window))
    tick(window, qtbot)
    assert entry(window).prepared.aside["light"].tolist() == [70]
    window.bench.rail.setFocus()
    person.press("S")
    assert not window.tidy.mouse.isChecked()


def with_jumps():
    t = np.arange(120) * 0.02
    rng = np.random.default_rng(4)
    x = 0.2 + 0.9 * t + rng.normal(0, 0.001, 120)
    x[[20, 77]] += (0.06, -0.09)
    x[[50, 51, 52]] = np.nan
    trial = recording(t, {"sled": {"x": x}}, name="sled")
    return with_trials(Project("p", series=(Series("s"),)), [trial], "s")


def test_jumps_are_shown_before_they_are_set_aside_and_a_gap_is_bridged(open_window, qtbot):
    window = open_window(with_jumps(), verdicts=False)
    window.show_page(words.PAGE_TIDY)
    qtbot.mouseClick(window.tidy.find_jumps_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(window.tidy.apply.isVisible, timeout=5000)
    assert "2 of sled" in window.tidy.found.text()
    assert len(window.bench.strip("position", "x").traces[0].rings[0]) == 2
    assert not entry(window).steps
    qtbot.mouseClick(window.tidy.apply, Qt.MouseButton.LeftButton)
    assert any(
        "2 samples set aside: jumps over 6 local spreads" in text for text in tidy_text(window)
    )
    assert not len(window.bench.strip("position", "x").traces[0].rings[0])
    click(plot(window).viewport(), strip_x(plot(window), 1.02), 40)
    qtbot.mouseClick(window.tidy.bridge, Qt.MouseButton.LeftButton)
    assert any("3 missing samples bridged; never fitted" in text for text in tidy_text(window))
    assert len(window.bench.strip("position", "x").traces[0].bridged[0]) == 3
    window.tidy.trim_from.setText("0,2")
    window.tidy.trim_to.setText("0.19")
    qtbot.mouseClick(window.tidy.trim, Qt.MouseButton.LeftButton)
    assert "Fewer than 2 samples" in window.tidy.trouble.text()
    window.tidy.trim_to.setText("2")
    qtbot.mouseClick(window.tidy.trim, Qt.MouseButton.LeftButton)
    assert any("outside 0.200 s to 2.000 s" in text.replace(",", ".") for text in tidy_text(window))


# -- spans and the plumb line ----------------------------------------------------------------------


def test_a_span_is_drawn_in_a_strip_named_and_its_readings_follow_the_mouse(
    open_window, demo, qtbot
):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_READINGS)
    view, x = plot(window).viewport(), lambda t: strip_x(plot(window), t)
    press(view, x(0.3), 60, SHIFT)
    move(view, x(0.5), 60, SHIFT)
    assert [s.name for s in entry(window).spans] == ["before", "span", "contact", "after"]
    move(view, x(0.7), 60, SHIFT)
    release(view, x(0.7), 60, SHIFT)
    person.write("early")
    span = entry(window).spans.named("early")
    assert (span.start, span.stop) == pytest.approx((0.3, 0.7), abs=0.01)
    assert window.readings.span_title.text() == "Over “early”"
    assert window.bench.rail.height() > 44  # it overlaps another, so it has a lane of its own
    mean = window.readings.span_rows
    before = {kind: row.value.text() for kind, row in mean.items()}
    assert all(" ± " in text for text in before.values())
    press(view, x(0.7) - 1, 60)
    move(view, x(0.8), 60)
    assert all(
        row.value.text() != before[kind] for kind, row in mean.items() if kind not in ("least",)
    )
    qtbot.keyClick(plot(window), Qt.Key.Key_Escape)
    assert {kind: row.value.text() for kind, row in mean.items()} == before
    release(view, x(0.8), 60)
    window.document.undo()
    window.document.undo()
    assert window.document.project is demo


def test_the_plumb_line_reads_every_strip_and_pins_are_compared(open_window, demo, qtbot):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_READINGS)
    click(plot(window).viewport(), strip_x(plot(window), 0.60), 100)
    assert window.bench.view.line == pytest.approx(0.6, abs=0.01)
    qtbot.waitUntil(lambda: "±" in plot(window, "velocity").flag.text(), timeout=3000)
    flag = plot(window).flag.text()
    assert "heavy" in flag
    assert flag.count("±") == 4  # value and slope of two bodies
    assert "m/s²" in plot(window, "velocity").flag.text()
    window.bench.rail.setFocus()
    person.press("L")
    person.press("P")
    line = window.bench.view.line
    person.press("Right", Qt.KeyboardModifier.ShiftModifier)
    assert window.bench.view.line - line == pytest.approx(0.2, abs=0.021)
    person.press("P")
    assert len(window.bench.view.pins) == 2
    qtbot.waitUntil(
        lambda: " ± " in window.readings.pin_rows["difference"].value.text(), timeout=3000
    )
    qtbot.mouseClick(window.readings.pin_rows["difference"].keep, Qt.MouseButton.LeftButton)
    window.readings.name_field.setText("way")
    qtbot.keyClick(window.readings.name_field, Qt.Key.Key_Return)
    shown = window.readings.named_values["way"].text()
    assert shown == window.readings.pin_rows["difference"].value.text()
    assert entry(window).named[0].times == tuple(window.bench.view.pins)
    window.document.undo()
    assert not window.readings.named_values
    window.bench.rail.setFocus()
    person.press("Escape")
    assert window.bench.view.line is None


def test_a_trial_is_marked_with_keys_alone(open_window, qtbot):
    window = open_window(with_jumps(), verdicts=False)
    person = Person(window, qtbot)
    qtbot.keyClick(window, Qt.Key.Key_F6)
    while not window.bench.rail.hasFocus():
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_F6)
    for left in reversed(range(len(entry(window).spans))):
        window.bench.rail.activate(None)
        person.press("Up")
        taken = window.bench.rail.span_in_hand()
        person.press("Delete")
        assert taken
        assert len(entry(window).spans) == left
        assert taken not in [s.name for s in entry(window).spans]
    person.press("N", Qt.KeyboardModifier.ShiftModifier)
    person.write("0,2 0.9")
    person.press("F2")
    person.write("uphill")
    uphill = entry(window).spans.named("uphill")
    assert (uphill.start, uphill.stop) == (0.2, 0.9)
    person.press("L")
    person.press("Return")
    person.write("1.5")
    assert window.bench.view.line == 1.5
    person.press("N")
    for _ in range(3):
        person.press("Right")
    person.press("N")
    person.write("contact")
    contact = entry(window).spans.named("contact")
    assert contact.kind is SpanKind.CONTACT  # its name says what it is
    assert (contact.start, contact.stop) == pytest.approx((1.5, 1.56))
    row = int(np.searchsorted(entry(window).trial.t, 1.56 - 1e-9))
    person.press("L")
    person.press("X")
    assert entry(window).prepared.aside["sled"].tolist() == [row]
    person.press("1")
    assert entry(window).steps[0].reason == "marker lost"
    person.press("X")
    assert not entry(window).steps
    assert window.bench.rail.hasFocus()


def test_a_span_is_begun_on_an_empty_rail_split_copied_and_removed_from_its_menu(
    open_window, demo, qtbot
):
    window = open_window(demo)
    person = Person(window, qtbot)
    document, rail = window.document, window.bench.rail
    drag(rail, (rail.x_of(0.2), 30), (rail.x_of(0.5), 30), SHIFT)
    person.confirm()

    def act(span, text):
        menu = span_menu(window.bench, document, span)
        found = [a for a in menu.actions() if a.text().startswith(text)]
        assert found, text
        found[0].trigger()

    act("span", words.SPAN_COPY)
    others = [e for e in document.project.entries if e.series == "in line"]
    assert all(any(s.name == "span" for s in e.spans) for e in others)
    gaps = {round(e.spans.contact.start - e.spans.named("span").start, 9) for e in others}
    assert len(gaps) == 1  # aligned to each one's own contact
    act("span", words.SPAN_SPLIT)
    assert {"span (heavy)", "span (light)"} <= {s.name for s in entry(window).spans}
    act("span (light)", words.SPAN_REMOVE[:6])
    act("span (heavy)", words.SPAN_ZOOM)
    low, high = plot(window).getPlotItem().vb.viewRange()[0]
    assert 0.1 < low < 0.2
    assert 0.5 < high < 0.6
    window.bench.zoom_back()
    assert plot(window).getPlotItem().vb.viewRange()[0][1] > 2.0


# -- strips, fits, frame ---------------------------------------------------------------------------


def test_strips_are_added_moved_and_shown_in_other_units_and_copied(open_window, demo, qtbot):
    window = open_window(demo)

    def choose(strip, *texts):
        menu = strip_menu(window.bench, window.document, strip)
        for text in texts[:-1]:
            menu = next(a for a in menu.actions() if a.text() == text).menu()
        next(a for a in menu.actions() if a.text() == texts[-1]).trigger()

    choose(
        window.bench.strip("position", "x"),
        words.ADD_STRIP,
        "Momentum and energy",
        "Kinetic energy",
    )
    titles = [s.title.text() for s in window.bench.strips()]
    assert titles == ["Position x", "Kinetic energy", "Velocity x"]
    energy = window.bench.strip("kinetic energy", "")
    assert energy.unit.text() == "in J"
    assert np.nanmax(energy.traces[0].y) == pytest.approx(0.5 * 19.1 * 1.6**2, rel=0.1)
    velocity = window.bench.strip("velocity", "x")
    fitted = np.nanmedian(velocity.traces[0].u)
    choose(velocity, words.METHOD_MENU, words.METHOD_NAMES["two-point"])
    velocity = window.bench.strip("velocity", "x")
    assert velocity.why.text() == "by two-point differences"
    assert np.nanmedian(velocity.traces[0].u) > 5.0 * fitted  # as a class has it, with its own ±
    choose(velocity, words.METHOD_MENU, words.METHOD_NAMES["local"])
    assert np.nanmedian(window.bench.strip("velocity", "x").traces[0].u) == fitted
    choose(energy, words.STRIP_DOWN)
    assert [s.title.text() for s in window.bench.strips()] == [
        "Position x",
        "Velocity x",
        "Kinetic energy",
    ]
    metres = window.bench.strip("position", "x").traces[0].y[0]
    next(a for a in unit_menu(window.bench, "m").actions() if a.text() == "cm").trigger()
    assert window.bench.strip("position", "x").unit.text() == "in cm"
    assert window.bench.strip("position", "x").traces[0].y[0] == pytest.approx(100 * metres)
    copy_numbers(window.bench, energy)
    rows = QApplication.clipboard().text().split("\n")
    names = ["heavy", "light", words.ALL_BODIES]
    assert rows[0].split("\t") == [
        "time (s)",
        *(t for n in names for t in (f"{n} (J)", f"u {n} (J)")),
    ]
    assert len(rows) == len(entry(window).trial.t) + 1
    copy_picture(window.bench, energy)
    assert not QApplication.clipboard().pixmap().isNull()
    choose(energy, words.STRIP_REMOVE)
    window.document.select(demo.entries[10].trial.id)
    assert len(window.bench.strips()) == 2
    window.bench.toggle_side(True)
    assert window.bench.side.across.currentText() == "Position x"
    assert window.bench.side.up.currentText() == "Position y"
    assert len(window.bench.side.plot.listDataItems()) == 2


def test_a_curve_is_fitted_its_residuals_shown_a_parameter_held_and_all_go_with_one_key(
    open_window, demo, qtbot
):
    window = open_window(demo)
    person = Person(window, qtbot)
    window.show_page(words.PAGE_READINGS)
    menu = window.readings.fits.menu()
    texts = [a.text() for a in menu.actions()]
    assert len(texts) == len(CurveShape)  # the last is a formula of one's own
    assert "parabola:  y = y₀ + y₁ t + ½ y₂ t²" in texts
    assert not menu.actions()[2].icon().isNull()
    menu.actions()[1].trigger()
    ((_, line),) = window.readings.fits.results
    assert "too simple here" in line["remark"].text()
    assert window.bench.strip("position", "x", True).isVisible()
    menu.actions()[2].trigger()
    _, parabola = window.readings.fits.results[1]
    assert "without a pattern" in parabola["remark"].text()
    assert parabola["y₂"].text().endswith("m/s²")
    assert parabola["y₂"].text()[:4] in ("−0.0", "−0.1")  # 0.09 m/s² of friction
    assert "R² = 0.99" in parabola["r2"].text()
    qtbot.mouseClick(parabola["hold y₂"], Qt.MouseButton.LeftButton)
    field = window.readings.fits.results[-1][1]["y₂"]
    field.setText("0")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    held = window.readings.fits.results[-1][1]
    assert held["y₁"].text() == line["y₁"].text()  # with no curvature it is the line again
    window.bench.rail.setFocus()
    person.press("Backspace")
    assert not entry(window).curves
    assert all(not s.residuals for s in window.bench.strips())


def test_the_frame_is_typed_read_off_and_copied_to_the_series(open_window, demo, qtbot):
    window = open_window(demo)
    window.document.select(demo.entries[10].trial.id)
    window.show_page(words.PAGE_TIDY)
    form = window.tidy.frame
    form.angle.line.setText("30 ± 0,5 °")
    form.angle.line.setModified(True)
    qtbot.keyClick(form.angle.line, Qt.Key.Key_Return)
    assert entry(window).frame.angle == pytest.approx(np.radians(30))
    qtbot.mouseClick(form.at_lowest, Qt.MouseButton.LeftButton)
    assert entry(window).frame.origin[1] == pytest.approx(
        min(np.nanmin(b.channel("y").si) for b in entry(window).trial.bodies)
    )
    form.zero.setCurrentIndex(2)
    form.zero.activated.emit(2)
    assert entry(window).frame.time_zero == entry(window).spans.contact.start
    assert "now at" in form.zero_said.text()
    qtbot.mouseClick(form.drag_origin, Qt.MouseButton.LeftButton)
    strip = plot(window, "position", "x")
    low, high = strip.getPlotItem().vb.viewRange()[1]
    before = entry(window).used_trial.body("heavy").channel("x").si[0]
    drag(strip.viewport(), place(strip, 0.5, low), place(strip, 0.5, 0.5 * (low + high)))
    moved = before - entry(window).used_trial.body("heavy").channel("x").si[0]
    assert moved == pytest.approx(0.5 * (low + high), abs=0.03)
    assert "kg·m/s" in window.margin.unaccounted["momentum x"].text()
    while window.document.history.undo_name:
        window.document.undo()
    assert window.document.project is demo


# -- the others ------------------------------------------------------------------------------------


def test_the_others_are_treated_alike_in_one_edit_and_the_doubtful_are_stepped_through(
    open_window, demo, qtbot, monkeypatch
):
    from inertian.desktop.bench.batch_dialog import BatchDialog

    t = np.arange(100) * 0.02
    noise = np.random.default_rng(6)
    lone = recording(
        t,
        {b: {"x": 0.3 + 1.1 * t + noise.normal(0, 1e-3, 100)} for b in ("heavy", "light")},
        name="lone",
    )
    project = with_trials(demo, [lone], "in line")
    window = open_window(project)
    person = Person(window, qtbot)
    rail = window.bench.rail
    drag(rail, (rail.x_of(0.3), 30), (rail.x_of(0.6), 30), SHIFT)
    person.write("early")
    marked = window.document.project

    def accept(dialog):
        dialog.show()
        assert dialog.go.text() == "Treat 10 trials"
        qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: dialog.treated is not None, timeout=30_000)

    monkeypatch.setattr(BatchDialog, "exec", accept)
    window.bench_actions.treat_others()
    entries = window.document.project.entries_of("in line")
    assert all(
        [s.name for s in e.spans] == ["before", "early", "contact", "after"] for e in entries[:10]
    )
    assert window.document.doubts.keys() == {"lone"}
    assert "1 need" in person.told
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)
    qtbot.keyClick(window, Qt.Key.Key_F3)
    assert window.document.entry.trial.name == "lone"
    qtbot.waitUntil(lambda: "no contact was found" in window.margin.notes.said())
    qtbot.keyClick(window, Qt.Key.Key_F3)
    assert person.told == words.NOTHING_TO_LOOK_AT
    window.document.undo()
    assert window.document.project is marked
