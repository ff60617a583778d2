"""Journeys through the real window: real clicks, drags and keys, and what a person would then
see.
"""

import math

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QLabel, QMessageBox

from inertian.desktop.intake.file_questions import FileQuestions
from inertian.desktop.ledger.typed_entry_dialog import TypedEntryDialog
from inertian.desktop.look import words
from inertian.desktop.look.tokens import DARK, LIGHT
from inertian.desktop.shell import project_files
from inertian.physics.accounts.account_inputs import OPENING, DateValue
from inertian.project.project import Project
from pointing import LEFT, move, press, release, strip_x


def shown_strips(window):
    return {(str(s.shown.quantity), s.shown.axis) for s in window.bench.strips()}


def numbers(window):
    """What the margin shows of the trial in hand."""
    shown = {(k.body, k.axis, k.date): v.text() for k, v in window.margin.readings.items()}
    shown.update({law: amount.text() for law, amount in window.margin.unaccounted.items()})
    return shown


def test_a_first_look_shows_speeds_verdict_and_signs(open_window, demo, qtbot):
    window = open_window(demo)
    shown = numbers(window)
    assert " ± " in shown["heavy", "x", OPENING]
    assert shown["heavy", "x", OPENING].endswith("m/s")
    lines = window.verdicts.lines  # the answer stands above all pages, and leads to its ledger
    assert lines["momentum x"].said.text() == "= no imbalance seen"
    assert "would show in 95 %" in lines["momentum x"].toolTip()
    assert lines["kinetic energy"].said.text() == shown["kinetic energy"]
    assert "became other forms of energy" in lines["kinetic energy"].toolTip()
    below = window.margin.mapToGlobal(QPoint(0, 0)).y()
    assert all(line.mapToGlobal(QPoint(0, line.height())).y() < below for line in lines.values())
    qtbot.mouseClick(lines["kinetic energy"], LEFT)
    assert window.ledger.isVisible()
    assert window.ledger.accounts["kinetic energy"].property("selected") == "true"
    window.show_stage(words.BENCH)
    assert len(window.shelf.trials.verdicts) == 11
    assert "0.0" in window.margin.slowing["heavy"].text()


def test_an_edge_dragged_in_the_rail_changes_every_number_before_release(open_window, demo, qtbot):
    window = open_window(demo)
    rail, start = window.bench.rail, numbers(window)
    span = window.document.entry.spans.named("before")
    y, x0 = 30, rail.x_of(span.stop)
    contact = window.document.entry.spans.contact
    press(rail, x0 - 1, y)
    move(rail, rail.x_of(0.3), y)
    during = numbers(window)
    assert all(
        during[k] != start[k]
        for k in (
            ("heavy", "x", OPENING),
            ("light", "x", OPENING),
            "momentum x",
            "kinetic energy",
        )
    )
    assert window.document.history.undo_name is None
    release(rail, rail.x_of(0.3), y)
    assert window.document.history.undo_name == "Move stop of “before”"
    assert window.document.entry.spans.named("before").stop == pytest.approx(0.3, abs=0.01)
    assert window.document.entry.spans.contact == contact
    assert numbers(window) == during
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert numbers(window) == start
    qtbot.keyClick(
        window,
        Qt.Key.Key_Z,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    assert numbers(window) == during


def test_a_contact_dragged_into_the_hit_spoils_the_verdict_and_esc_forgets_it(
    open_window, demo, qtbot
):
    window = open_window(demo)
    plot, start = window.bench.strip("velocity", "x").plot, numbers(window)
    viewport, contact = plot.viewport(), window.document.entry.spans.contact
    middle, y = 0.5 * (contact.start + contact.stop), viewport.height() / 2
    press(viewport, strip_x(plot, middle), y)
    move(viewport, strip_x(plot, middle + 0.2), y)
    assert window.document.entry.spans.contact.start == pytest.approx(contact.start + 0.2, abs=0.02)
    qtbot.keyClick(plot, Qt.Key.Key_Escape)
    assert window.document.entry.spans.contact == contact
    release(viewport, strip_x(plot, middle + 0.2), y)
    assert window.document.history.undo_name is None
    assert numbers(window) == start
    press(viewport, strip_x(plot, middle), y)
    move(viewport, strip_x(plot, middle + 0.2), y)
    release(viewport, strip_x(plot, middle + 0.2), y)
    assert not window.margin.notes.isVisible()
    # Now the edge of “before”: take it across the hit
    press(viewport, strip_x(plot, contact.start), y)
    move(viewport, strip_x(plot, middle + 0.15), y)
    evaluator, trial = window.document.evaluator, demo.entries[0].trial.id
    spoilt, sound = (
        evaluator.accounts(p, trial).ledgers[0].unaccounted for p in (window.document.project, demo)
    )
    assert spoilt.u > 3 * sound.u  # this trial is doubted,
    elsewhere = demo.entries[1].trial.id  # and the others of the series are not
    again, once = (
        evaluator.accounts(p, elsewhere).ledgers[0].unaccounted
        for p in (window.document.project, demo)
    )
    assert again.u == pytest.approx(once.u, rel=0.05)
    release(viewport, strip_x(plot, middle + 0.15), y)
    qtbot.waitUntil(lambda: bool(window.margin.notes.cards), timeout=20_000)
    assert "“before”" in window.margin.notes.cards[0].text.text()
    assert window.margin.notes.cards[0].note.code == "span-holds-event"


def test_spans_move_by_their_body_in_a_strip_and_stop_at_the_wall(open_window, demo):
    window = open_window(demo)
    plot = window.bench.strip("position", "x").plot
    viewport, y = plot.viewport(), plot.viewport().height() / 2
    edge = strip_x(plot, 0.0)
    press(viewport, edge + 1, y)
    move(viewport, strip_x(plot, 0.4), y)
    release(viewport, strip_x(plot, 0.4), y)
    before, contact = (
        window.document.entry.spans.named("before"),
        window.document.entry.spans.contact,
    )
    assert before.start == pytest.approx(0.4, abs=0.01)
    press(viewport, strip_x(plot, 0.6), y)
    move(viewport, strip_x(plot, 0.5), y)
    assert window.document.entry.spans.named("before").stop == pytest.approx(
        before.stop - 0.1, abs=0.01
    )
    move(viewport, strip_x(plot, 1.9), y)
    release(viewport, strip_x(plot, 1.9), y)
    assert window.document.entry.spans.named("before").stop == pytest.approx(contact.start)
    assert window.document.entry.spans.contact == contact


def test_spans_are_marked_with_keys_alone(open_window, demo, qtbot):
    window = open_window(demo)
    rail, t = window.bench.rail, window.document.entry.trial.t
    rail.setFocus()
    assert (rail.active.span, rail.active.part) == ("before", "start")
    qtbot.keyClick(rail, Qt.Key.Key_Right)
    assert window.document.entry.spans.named("before").start == t[1]
    qtbot.keyClick(rail, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert window.document.entry.spans.named("before").start == t[11]
    qtbot.keyClick(rail, Qt.Key.Key_Left)
    assert window.document.entry.spans.named("before").start == t[10]
    qtbot.keyClick(rail, Qt.Key.Key_Return)
    field = rail._field
    field.selectAll()
    qtbot.keyClicks(field, "0,123")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert window.document.entry.spans.named("before").start == pytest.approx(0.123)
    qtbot.keyClick(rail, Qt.Key.Key_Up)
    assert (rail.active.span, rail.active.part) == ("after", "stop")
    for _ in range(5):
        qtbot.keyClick(rail, Qt.Key.Key_Down)
    assert (rail.active.span, rail.active.part) == ("contact", "body")
    contact = window.document.entry.spans.contact
    qtbot.keyClick(rail, Qt.Key.Key_Right)
    later = window.document.entry.spans.contact
    assert later.start in t
    assert contact.start < later.start <= contact.start + 0.041
    assert later.length == pytest.approx(contact.length)
    plot = window.bench.strip("position", "x").plot
    press(plot.viewport(), strip_x(plot, 0.5), 50)
    release(plot.viewport(), strip_x(plot, 0.5), 50)
    assert window.document.history.undo_name == "Move “contact”"  # a click moves nothing
    qtbot.keyClick(plot, Qt.Key.Key_Left)
    assert window.document.history.undo_name == "Move “before”"
    assert window.document.entry.spans.named("before").start == pytest.approx(t[6])


def _type_mass(window, qtbot, text):
    line = window.margin.masses["heavy"].line
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def test_a_mass_typed_in_any_spelling_changes_the_account(open_window, demo, qtbot):
    window = open_window(demo)
    start = numbers(window)
    _type_mass(window, qtbot, "25000 g")
    assert window.document.history.undo_name == "Set mass of heavy"
    changed = numbers(window)
    assert "does not balance" in window.verdicts.lines["momentum x"].said.text()
    assert changed["heavy", "x", OPENING] == start["heavy", "x", OPENING]
    _type_mass(window, qtbot, "19,1 ± 0,1 kg")
    assert numbers(window) == start
    _type_mass(window, qtbot, "rather heavy")
    assert not window.margin.masses["heavy"].trouble.isHidden()
    assert "rather heavy" in window.margin.masses["heavy"].trouble.text()
    assert numbers(window) == start
    qtbot.keyClick(window.margin.masses["heavy"].line, Qt.Key.Key_Escape)
    assert window.margin.masses["heavy"].line.text().startswith("19.1 ± 0.1")
    assert window.margin.masses["heavy"].trouble.isHidden()


def test_reading_noise_can_be_typed_and_given_back(open_window, demo, qtbot):
    window = open_window(demo)
    form = window.margin.noise_form
    assert not form.noise_field.isVisible()  # rarely changed: it folds
    qtbot.mouseClick(form.head, LEFT)
    start, line = numbers(window), form.noise_field.line

    def type_noise(text):
        line.setFocus()
        line.selectAll()
        qtbot.keyClick(line, Qt.Key.Key_Delete)
        qtbot.keyClicks(line, text)
        qtbot.keyClick(line, Qt.Key.Key_Return)

    type_noise("1 cm")
    assert window.margin.noise_form.noise.text() == words.AS_TYPED
    rough = window.document.evaluator.collision_inputs(
        window.document.project, demo.entries[0].trial.id
    ).inputs
    fine = window.document.evaluator.collision_inputs(demo, demo.entries[0].trial.id).inputs
    assert rough.u(DateValue(1, "heavy", "x", OPENING)) > 6 * fine.u(
        DateValue(1, "heavy", "x", OPENING)
    )
    type_noise("0.1 mm")
    qtbot.waitUntil(lambda: "smaller than the" in window.margin.notes.said(), timeout=20_000)
    type_noise("")
    assert numbers(window) == start
    assert window.document.history.undo_name == "Clear reading noise"


def test_the_ledger_adds_up_on_screen_and_its_expectation_can_be_changed(open_window, demo, qtbot):
    window = open_window(demo)
    qtbot.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    assert window.ledger.isVisible()
    account = window.ledger.accounts["momentum x"]
    cells = {k: v.text().replace("−", "-") for k, v in account.table.cells.items()}
    before, after, outside, left = (
        float(cells[place].split(" ± ")[0])
        for place in (
            (words.TOTAL, "0"),
            (words.TOTAL, "1"),
            ("outside forces", "+0"),
            (words.UNACCOUNTED, "+0"),
        )
    )
    assert left == pytest.approx(after - before - outside, abs=0.02)
    assert account.verdict.text() == "= no imbalance seen"
    budgets = window.ledger.budgets
    assert budgets["momentum x"].budget.rows[0][0].startswith("mass of")
    ys = {law: part.y() for law, part in budgets.items()}
    assert ys["momentum x"] < ys["kinetic energy"]  # that of the account in hand first
    energy = window.ledger.accounts["kinetic energy"]
    qtbot.keyClick(energy.expectation, Qt.Key.Key_Up)
    energy.expectation.activated.emit(energy.expectation.currentIndex())
    assert window.ledger.accounts["kinetic energy"].verdict.text() == "≠ does not balance"
    window.document.undo()
    assert "became other forms" in window.ledger.accounts["kinetic energy"].verdict.text()
    qtbot.mouseClick(energy, LEFT, pos=QPoint(20, 20))
    assert "kinetic energy" in budgets["kinetic energy"].title.text()
    qtbot.waitUntil(lambda: budgets["kinetic energy"].y() < budgets["momentum x"].y())
    window.document.select(demo.entries[-1].trial.id)
    assert "x and y together" in window.ledger.together.text()
    menu = {action.text(): action for action in window.ledger.accounts_menu().actions()}
    menu["Angular momentum"].trigger()
    spin = window.ledger.accounts["angular momentum"]
    assert spin.verdict.text() == "= no imbalance seen"
    menu = {action.text(): action for action in window.ledger.accounts_menu().actions()}
    menu["Angular momentum first"].trigger()
    assert next(iter(window.ledger.accounts)) == "angular momentum"
    menu = {action.text(): action for action in window.ledger.accounts_menu().actions()}
    menu["As usual"].trigger()
    assert list(window.ledger.accounts) == ["momentum x", "momentum y", "kinetic energy"]


def test_save_close_reopen_gives_the_same_values_to_the_last_digit(
    open_window, demo, qtbot, tmp_path, monkeypatch
):
    window = open_window(demo)
    rail = window.bench.rail
    press(rail, rail.x_of(0.0), 30)
    move(rail, rail.x_of(0.3123), 30)
    release(rail, rail.x_of(0.3123), 30)
    _type_mass(window, qtbot, "19.3 ± 0.2 kg")
    assert window.isWindowModified()
    path = tmp_path / "mine.inertian"
    monkeypatch.setattr(
        project_files.QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "mine"), "")
    )
    with qtbot.waitSignal(window.document.saved, timeout=5000):
        qtbot.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert not window.isWindowModified()
    before = (
        numbers(window),
        window.document.evaluator.accounts(window.document.project, demo.entries[0].trial.id),
    )
    again = open_window(Project("empty"))
    with qtbot.waitSignal(again.document.saved, timeout=5000):
        again.project_files.open_files([path])
    qtbot.waitUntil(
        lambda: bool(again.margin.unaccounted) and "±" in numbers(again)["momentum x"],
        timeout=5000,
    )
    assert numbers(again) == before[0]
    after = again.document.evaluator.accounts(again.document.project, demo.entries[0].trial.id)
    for a, b in zip(before[1].ledgers, after.ledgers, strict=True):
        assert a.unaccounted == b.unaccounted


def drop(window, paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    enter = QDragEnterEvent(
        QPoint(400, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    down = QDropEvent(
        QPointF(400, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(window, down)


def bring_in(window, qtbot, paths):
    """Drop files, wait until they are understood, and press the button."""
    before = len(window.document.project.entries)
    drop(window, paths)
    desk = window.import_controller.desk
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    qtbot.mouseClick(window.import_controller.stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) > before, timeout=10_000)


def test_files_dropped_on_the_window_become_trials_and_bad_ones_are_told(
    open_window, qtbot, tmp_path
):
    from inertian.rink.day import day

    paths = []
    for file in day()[:3]:
        paths.append(tmp_path / file.name)
        paths[-1].write_bytes(file.content)
    (tmp_path / "diary.txt").write_text("Dear diary,\nno numbers today.\n")
    window = open_window(Project("empty"))
    assert window.demo_button.isVisible()
    drop(window, [*paths, tmp_path / "diary.txt"])
    desk, stage = window.import_controller.desk, window.import_controller.stage
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert stage.isVisible()
    assert stage.heading.text() == "3 files of one make"
    assert stage.bring_in.text() == "Bring in 3 trials"
    said = [w.text() for w in window.import_controller.margin.findChildren(QLabel)]
    assert any("diary.txt: this is text, but no table of numbers" in text for text in said)
    assert stage.view.toPlainText().startswith("# ice rink, lane 2")
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 3, timeout=10_000)
    qtbot.waitUntil(window.bench.isVisible, timeout=5000)
    assert window.document.history.undo_name == "Bring in 3 trials"
    assert [s.name for s in window.document.entry.spans] == ["before", "contact", "after"]
    qtbot.waitUntil(lambda: window.margin.results_ready, timeout=20_000)
    assert "The mass of heavy is missing" in window.verdicts.reason.text()
    assert (
        "±" in window.margin.readings[DateValue(1, "heavy", "x", OPENING)].text()
    )  # speeds need no masses
    window.show_stage(words.LEDGER)
    for text in ("19.1 ± 0.1 kg", "11.3 ± 0.1 kg"):
        qtbot.keyClicks(window.ledger.mass.line, text)
        qtbot.keyClick(window.ledger.mass.line, Qt.Key.Key_Return)
    assert "no imbalance seen" in window.ledger.accounts["momentum x"].verdict.text()


def test_a_damaged_project_is_told_in_one_message_and_changes_nothing(
    open_window, demo, qtbot, tmp_path, monkeypatch
):
    said = []
    monkeypatch.setattr(project_files, "tell", lambda _window, title, text: said.append(text))
    window = open_window(demo)
    bad = tmp_path / "bad.inertian"
    bad.write_bytes(b"PK\x03\x04 half a file")
    window.project_files.open_files([bad])
    qtbot.waitUntil(lambda: bool(said), timeout=5000)
    assert said == [
        "bad.inertian: it is damaged or is not an Inertian project; nothing was opened."
    ]
    assert window.document.project is demo


def test_closing_asks_about_unsaved_changes(open_window, demo, monkeypatch):
    window = open_window(demo)
    answers, asked = [QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Discard], []

    def answer(_window, title, text, buttons):
        asked.append(text)
        return answers[len(asked) - 1]

    monkeypatch.setattr(project_files, "ask", answer)
    window.bench_actions.mark_spans()
    window.document.do(window_edit(window))
    assert not window.close()
    assert window.isVisible()
    assert "changes that are not saved" in asked[0]
    assert window.close()
    assert len(asked) == 2


def window_edit(window):
    from inertian.project.edits import edge_moved

    project = window.document.committed
    return edge_moved(project, project.entries[0].trial.id, "before", "start", 0.2)


def test_work_left_by_a_kill_is_offered_at_the_next_start(
    open_window, demo, qtbot, tmp_path, monkeypatch
):
    from inertian.project import recovery

    window = open_window(demo)
    window.document.do(window_edit(window))
    folder = tmp_path / "recovery"
    # On disk within about a second
    qtbot.waitUntil(lambda: bool(list(folder.glob("*/index.json"))), timeout=1500)
    monkeypatch.setattr(recovery, "_started", lambda pid: "another boot")
    monkeypatch.setattr(project_files, "ask", lambda *a: QMessageBox.StandardButton.Yes)
    again = open_window(Project("empty"))
    qtbot.waitUntil(lambda: len(again.document.project.entries) == 11, timeout=20_000)
    assert again.document.entry.spans.named("before").start == pytest.approx(0.2)
    assert again.document.history.unsaved
    left = (
        again.project_files._taken_back
    )  # the old copy goes only when this session has written its own
    assert left is None or left.exists()
    qtbot.waitUntil(lambda: again.project_files._taken_back is None, timeout=5000)
    assert list(folder.glob("*/index.json"))


def test_closing_on_purpose_leaves_no_recovery_copy(
    open_window, demo, qtbot, tmp_path, monkeypatch
):
    window = open_window(demo)
    window.document.do(window_edit(window))
    folder = tmp_path / "recovery"
    qtbot.waitUntil(lambda: bool(list(folder.glob("*/index.json"))), timeout=1500)
    window.document.undo()
    window.document.redo()  # a copy is on its way when the window closes
    monkeypatch.setattr(project_files, "ask", lambda *a: QMessageBox.StandardButton.Discard)
    assert window.close()
    assert list(folder.iterdir()) == []


def test_two_drops_in_a_row_both_come_in(open_window, qtbot, tmp_path):
    from inertian.rink.day import day

    window = open_window(Project("empty"))
    for file in day()[:4]:
        (tmp_path / file.name).write_bytes(file.content)
    paths = sorted(tmp_path.glob("*.tsv"))
    window.project_files.open_files(paths[:2])
    window.project_files.open_files(paths[2:])
    qtbot.waitUntil(
        lambda: window.import_controller.stage.heading.text() == "4 files of one make", timeout=5000
    )
    qtbot.keyClick(window.import_controller.stage.bring_in, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 4, timeout=5000)


def test_files_of_two_makes_come_in_together(open_window, qtbot, tmp_path):
    from inertian.rink.day import day

    file = day()[0]
    (tmp_path / file.name).write_bytes(file.content)
    (tmp_path / "other.csv").write_text(
        "ms;puck (cm)\n" + "".join(f"{20 * k};{3 * abs(k - 9)}\n" for k in range(30))
    )
    window = open_window(Project("empty"))
    drop(window, sorted(tmp_path.iterdir()))
    stage = window.import_controller.stage
    qtbot.waitUntil(lambda: stage.bring_in.text() == "Bring in 2 trials", timeout=10_000)
    assert stage.heading.text() == "2 files of 2 makes"
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 2, timeout=10_000)


def test_names_from_files_are_shown_as_they_are(open_window, qtbot, tmp_path):
    (tmp_path / "a.tsv").write_text(
        "time (s)\t<b>puck</b> (m)\n" + "".join(f"{t}\t{abs(t - 9)}\n" for t in range(20))
    )
    window = open_window(Project("empty"))
    bring_in(window, qtbot, [tmp_path / "a.tsv"])
    label = window.margin.masses["<b>puck</b>"].label
    assert (label.text(), label.textFormat()) == ("Mass of <b>puck</b>", Qt.TextFormat.PlainText)


def test_trials_are_taken_from_the_shelf_by_mouse_and_keys(open_window, demo, qtbot):
    window = open_window(demo)
    shelf = window.shelf
    third = shelf.trials.index_of(demo.entries[2].trial.id)
    qtbot.mouseClick(shelf.viewport(), LEFT, pos=shelf.visualRect(third).center())
    assert window.document.entry.trial.name == "In line 03"
    shelf.setFocus()
    qtbot.keyClick(shelf, Qt.Key.Key_Down)
    assert window.document.entry.trial.name == "In line 04"
    assert window.file_label.text().startswith("In line 04.tsv")
    qtbot.mouseClick(shelf.viewport(), LEFT, pos=shelf.visualRect(shelf.trials.index(0)).center())
    assert shelf.trials.rowCount() == 3
    qtbot.keyClick(window, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ControlModifier)
    assert window.document.entry.trial.name == "In line 05"
    window.document.select(demo.entries[-1].trial.id)
    assert shown_strips(window) == {(q, a) for q in ("position", "velocity") for a in "xy"}


def test_actions_are_found_by_typing_and_panes_fold(open_window, demo, qtbot):
    from inertian.desktop.shell.actions import FindAction

    window = open_window(demo)
    finder = FindAction(window, window.menus.all)
    qtbot.keyClicks(finder.field, "margin")
    assert finder.list.count() == 1
    qtbot.keyClick(finder.field, Qt.Key.Key_Return)
    assert not window.margin.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_F9)
    assert not window.shelf.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_F6)
    assert QApplication.focusWidget() is window.bench.rail


def test_a_narrow_window_has_room_for_one_pane_the_one_asked_for_last(open_window, demo, qtbot):
    window = open_window(demo)

    def seen():
        return window.shelf.isVisible(), window.pages.isVisible()

    window.resize(683, 384)  # a projector at twice the size
    qtbot.waitUntil(lambda: seen() == (False, True), timeout=5000)
    qtbot.waitUntil(
        lambda: window.pages.mapTo(window, window.pages.rect().topRight()).x() < window.width(),
        timeout=5000,
    )
    qtbot.keyClick(window, Qt.Key.Key_F9)
    assert seen() == (True, False)
    qtbot.keyClick(window, Qt.Key.Key_F10)
    assert seen() == (False, True)
    qtbot.keyClick(window, Qt.Key.Key_F10)
    assert seen() == (False, False)
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: seen() == (True, True), timeout=5000)


def test_every_measured_number_has_unit_and_uncertainty(open_window, demo):
    window = open_window(demo)
    for text in numbers(window).values():
        assert "±" in text
        assert any(unit in text for unit in ("m/s", "J"))
    for label in (
        window.margin.noise_form.noise,
        window.margin.noise_form.stamps,
        *window.margin.slowing.values(),
    ):
        assert "±" in label.text()
        assert any(unit in label.text() for unit in (" mm", " ms", "m/s²"))
    window.show_stage(words.LEDGER)
    for law, account in window.ledger.accounts.items():
        units = [
            w.text() for w in account.findChildren(QLabel) if w.text() in ("in kg·m/s", "in J")
        ]
        assert len(units) == 1, law
        assert all("±" in cell.text() for cell in account.table.cells.values())


def type_into(qtbot, line, text):
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def test_what_a_file_leaves_open_is_asked_answered_and_remembered(open_window, qtbot, tmp_path):
    text = "frame\theavy (px)\n" + "".join(
        f"{k}\t{412 * (0.1 + 0.02 * k):.2f}\n" for k in range(30)
    )
    (tmp_path / "film 1.txt").write_text(text)
    (tmp_path / "film 2.txt").write_text(text.replace("41.20", "41.30"))
    window = open_window(Project("empty"))
    drop(window, [tmp_path / "film 1.txt"])
    desk, stage, margin = (
        window.import_controller.desk,
        window.import_controller.stage,
        window.import_controller.margin,
    )
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert not stage.bring_in.isEnabled()
    assert "film 1.txt leaves something open" in stage.hint.text()
    type_into(qtbot, margin.fields["frame rate"], "fast")
    assert not stage.bring_in.isEnabled()
    type_into(qtbot, margin.fields["frame rate"], "25")
    qtbot.waitUntil(
        lambda: "frame rate" not in {str(q.topic) for q in desk.parsed.questions}, timeout=5000
    )
    type_into(qtbot, margin.fields["scale"], "412 ± 2 px = 1.000 m")
    qtbot.waitUntil(stage.bring_in.isEnabled, timeout=5000)
    type_into(qtbot, margin.fields["time base"], "300 as 25")
    qtbot.waitUntil(lambda: desk.group.recipe.time_base is not None, timeout=5000)
    type_into(qtbot, margin.fields["name heavy"], "granite")
    qtbot.waitUntil(lambda: desk.group.bodies() == ("granite",), timeout=5000)
    type_into(qtbot, margin.fields["mass granite"], "19.1 ± 0.1 kg")
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 1, timeout=10_000)
    trial = window.document.entry.trial
    assert trial.t[-1] == pytest.approx(29 / 25 / 12)
    assert trial.body("granite").channel("x").si[0] == pytest.approx(0.1, abs=1e-6)
    assert {k.name for k in window.document.project.setup} == {
        "mass of granite",
        "scale",
        "time base",
    }
    drop(window, [tmp_path / "film 2.txt"])  # the next of this make: nothing is asked
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert desk.parsed.questions == ()
    assert stage.bring_in.isEnabled()
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 2, timeout=10_000)
    assert window.document.entry.trial.t[-1] == pytest.approx(29 / 25 / 12)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(window.document.project.entries) == 1


def test_how_many_bodies_nameless_columns_are_is_asked_with_a_picture_of_each_answer(
    open_window, qtbot, tmp_path
):
    rows = [f"{0.1 * k:.1f},{k},{0.1 * k:.1f},{9 - k},{0.2 * k:.1f}\n" for k in range(9)]
    for number in (10, 2):
        (tmp_path / f"run {number}.csv").write_text("".join(rows[: 9 - number % 3]))
    window = open_window(Project("empty"))
    drop(window, [tmp_path / "run 10.csv", tmp_path / "run 2.csv"])
    controller = window.import_controller
    desk, stage, margin = controller.desk, controller.stage, controller.margin
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert not stage.bring_in.isEnabled()
    asked = margin.findChild(FileQuestions)
    plots = {k: len(p.ci.items) for k, p in asked.previews.items()}
    assert plots == {"bodies 2": 4, "bodies 4": 2}  # a title and a plot for each of x, y
    qtbot.mouseClick(margin.choices["bodies 4"], LEFT)
    qtbot.waitUntil(stage.bring_in.isEnabled, timeout=5000)
    assert desk.group.bodies() == ("body 1", "body 2", "body 3", "body 4")
    margin.choices["bodies"].setCurrentIndex(0)  # and changed once more, in what was understood
    margin.choices["bodies"].activated.emit(0)
    qtbot.waitUntil(lambda: desk.group.bodies() == ("body 1", "body 2"), timeout=5000)
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 2, timeout=10_000)
    assert [e.trial.name for e in window.document.project.entries] == ["run 2", "run 10"]


def test_a_column_is_put_to_another_use_and_a_problem_shows_its_line(open_window, qtbot, tmp_path):
    (tmp_path / "log.csv").write_text(
        "time (s),heavy (m),light (m)\n0,1,2\n1,2,2\nbattery low\n2,3,2.5\n3,4,3\n"
    )
    window = open_window(Project("empty"))
    drop(window, [tmp_path / "log.csv"])
    desk, stage, margin = (
        window.import_controller.desk,
        window.import_controller.stage,
        window.import_controller.margin,
    )
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    qtbot.mouseClick(margin.problems[0], LEFT)
    assert stage.view.textCursor().selectedText() == "battery low"
    choice = margin.choices["role 2"]
    choice.setFocus()
    choice.setCurrentIndex(choice.findData("other"))
    choice.activated.emit(choice.currentIndex())
    qtbot.waitUntil(lambda: desk.group.bodies() == ("heavy",), timeout=5000)
    unit = margin.choices["unit 1"]
    unit.setCurrentIndex(unit.findData("cm"))
    unit.activated.emit(unit.currentIndex())
    qtbot.waitUntil(
        lambda: desk.parsed.trials[0].bodies[0].channels[0].unit.symbol == "cm", timeout=5000
    )
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 1, timeout=10_000)
    assert [b.name for b in window.document.entry.trial.bodies] == ["heavy"]
    assert window.document.entry.trial.provenance.unusable[0][0] == 4


def test_a_table_is_pasted_or_typed_and_follows_the_typing(open_window, qtbot, monkeypatch):
    window = open_window(Project("empty"))
    QApplication.clipboard().setText("t (s)\theavy (cm)\n0,0\t10,0\n0,1\t26,0\n0,2\t42,0\n")
    qtbot.keyClick(
        window,
        Qt.Key.Key_V,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    desk, stage = window.import_controller.desk, window.import_controller.stage
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert len(desk.parsed.trials[0].time.values) == 3
    stage.view.moveCursor(stage.view.textCursor().MoveOperation.End)
    stage.view.setFocus()
    qtbot.keyClicks(stage.view, "0,3")
    qtbot.keyClick(stage.view, Qt.Key.Key_Tab)
    qtbot.keyClicks(stage.view, "58,0")
    qtbot.waitUntil(lambda: len(desk.parsed.trials[0].time.values) == 4, timeout=5000)
    asked = []
    with monkeypatch.context() as patch:
        patch.setattr(
            "inertian.desktop.intake.import_controller.ask",
            lambda *a: asked.append(a[2]) or QMessageBox.StandardButton.Cancel,
        )
        window.close()
    assert window.isVisible()  # a typed table is not lost without a question
    assert "not in the project yet" in asked[0]
    window.import_controller.clear()
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    for key in "0\t1\n1\t2\n2\t4\n":
        qtbot.keyClick(stage.view, {"\t": Qt.Key.Key_Tab, "\n": Qt.Key.Key_Return}.get(key, key))
    qtbot.waitUntil(
        lambda: bool(desk.parsed) and len(desk.parsed.trials[0].time.values) == 3, timeout=5000
    )
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: len(window.document.project.entries) == 1, timeout=10_000)


def test_a_file_is_read_again_by_a_corrected_recipe_and_its_spans_stay(open_window, demo, qtbot):
    window = open_window(demo)
    before = window.document.entry
    window.import_controller.read_again()
    desk, stage, margin = (
        window.import_controller.desk,
        window.import_controller.stage,
        window.import_controller.margin,
    )
    qtbot.waitUntil(lambda: not desk.empty and stage.isVisible(), timeout=5000)
    assert stage.bring_in.text() == "Read “In line 01” this way"
    unit = margin.choices["unit 1"]
    unit.setCurrentIndex(unit.findData("mm"))
    unit.activated.emit(unit.currentIndex())
    qtbot.waitUntil(
        lambda: desk.parsed.trials[0].bodies[0].channels[0].unit.symbol == "mm", timeout=5000
    )
    qtbot.mouseClick(stage.bring_in, LEFT)
    qtbot.waitUntil(lambda: window.document.project is not demo, timeout=5000)
    after = window.document.entry
    assert (after.trial.id, after.spans) == (before.trial.id, before.spans)
    assert after.trial.bodies[0].channels[0].si[0] == pytest.approx(
        before.trial.bodies[0].channels[0].si[0] / 10
    )
    assert window.document.history.undo_name == "Read “In line 01” again"


def test_reading_many_files_can_be_stopped_and_one_bad_file_stops_nothing(
    open_window, qtbot, tmp_path, monkeypatch
):
    import time

    from inertian.desktop.intake import intake_desk

    honest = intake_desk._read
    monkeypatch.setattr(intake_desk, "_read", lambda source: time.sleep(0.05) or honest(source))
    for k in range(40):
        (tmp_path / f"run {k:02d}.csv").write_text(
            "time (s),heavy (m)\n0,1\n1,2\n2,4\n" if k != 1 else ""
        )
    window = open_window(Project("empty"))
    drop(window, [tmp_path])
    desk, stage = window.import_controller.desk, window.import_controller.stage
    qtbot.waitUntil(lambda: stage.progress.value() >= 3, timeout=10_000)
    assert stage.stop.isVisible()
    qtbot.mouseClick(stage.stop, LEFT)
    qtbot.waitUntil(lambda: not desk.busy, timeout=10_000)
    assert 2 <= len(desk.files()) < 39
    assert [r.file for r in desk.refused] == ["run 01.csv"]
    assert "Stopped after" in window.note_label.text()
    qtbot.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: len(window.document.project.entries) >= 2, timeout=10_000)


def test_two_recorders_are_joined_in_the_window(open_window, qtbot):
    from inertian.desktop.intake.join_dialog import JoinDialog
    from inertian.project.history import Edit
    from inertian.project.project import with_trials
    from test_intake import two_recorders

    window = open_window(Project("p"))
    window.document.do(Edit("two recorders", with_trials(Project("p"), two_recorders(), "s")))
    dialog = JoinDialog(window, window.document, window.theme, window.document.entry)
    qtbot.addWidget(dialog)
    dialog.show()
    assert dialog.facing.isChecked()  # they saw the motion run opposite ways
    assert dialog.offset.text().startswith("0.1")
    type_into(qtbot, dialog.offset, "soon")
    assert "soon" in dialog.trouble.text()
    assert not dialog.join.isEnabled()
    qtbot.mouseClick(dialog.find_offset_button, LEFT)
    dialog.length.setFocus()
    qtbot.keyClicks(dialog.length, "5.0 m")
    qtbot.mouseClick(dialog.join, LEFT)
    assert [b.name for b in window.document.entry.trial.bodies] == ["heavy", "light"]
    assert window.document.history.undo_name == "Join “right” to “left”"
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(window.document.project.entries) == 2


def test_a_recipe_is_exported_imported_and_refused_in_words(
    open_window, qtbot, tmp_path, monkeypatch
):
    from inertian.desktop.intake import import_controller

    said = []
    monkeypatch.setattr(import_controller, "tell", lambda _window, _title, text: said.append(text))
    (tmp_path / "a.csv").write_text("frame,heavy (px)\n0,100\n1,200\n2,300\n")
    window = open_window(Project("empty"))
    drop(window, [tmp_path / "a.csv"])
    desk, margin = window.import_controller.desk, window.import_controller.margin
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    type_into(qtbot, margin.fields["frame rate"], "50")
    qtbot.waitUntil(lambda: len(desk.parsed.questions) == 1, timeout=5000)
    type_into(qtbot, margin.fields["scale"], "100 px = 1 m")
    qtbot.waitUntil(lambda: desk.parsed.questions == (), timeout=5000)
    target = tmp_path / "camera.json"
    monkeypatch.setattr(
        import_controller.QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), "")
    )
    window.import_controller.export_recipe()
    assert "camera" in target.read_text()
    window.import_controller.clear()
    drop(window, [tmp_path / "a.csv"])
    qtbot.waitUntil(lambda: not desk.busy and not desk.empty, timeout=10_000)
    assert desk.parsed.questions
    monkeypatch.setattr(
        import_controller.QFileDialog, "getOpenFileName", lambda *a, **k: (str(target), "")
    )
    window.import_controller.use_recipe()
    qtbot.waitUntil(lambda: desk.parsed.questions == (), timeout=5000)
    assert desk.parsed.trials[0].time.seconds[-1] == pytest.approx(0.04)
    target.write_text("{}")
    window.import_controller.use_recipe()
    assert "no recipe" in said[-1]


def test_a_scale_is_corrected_in_the_margin_for_the_whole_series(open_window, qtbot, tmp_path):
    rows = "".join(f"{k / 50},{100 + 3 * k if k < 30 else 190 + k - 30}\n" for k in range(60))
    (tmp_path / "a.csv").write_text("# 100 px = 1.00 m\ntime (s),heavy (px)\n" + rows)
    window = open_window(Project("empty"))
    bring_in(window, qtbot, [tmp_path / "a.csv"])
    field = window.margin.scale_fields["scale"]
    assert field.line.text().startswith("10.00 ± 0.04")  # mm/px, as the file itself says
    before = window.document.entry.trial.bodies[0].channels[0].si[0]
    type_into(qtbot, field.line, "200 px = 1.00 m")
    assert window.document.entry.trial.bodies[0].channels[0].si[0] == pytest.approx(before / 2)
    assert window.document.history.undo_name == "Set scale"
    type_into(qtbot, field.line, "a long way")
    assert not field.trouble.isHidden()
    assert "a.csv" in window.margin.source.text()
    assert "SHA-256" in window.margin.source.text()


def test_a_force_beside_positions_is_a_strip_of_its_own(open_window, qtbot):
    from pathlib import Path

    window = open_window(Project("empty"))
    bring_in(window, qtbot, [Path(__file__).parent / "ugly" / "force.csv"])
    qtbot.waitUntil(window.bench.isVisible, timeout=5000)
    assert window.bench.strip("sensor", "F").title.text() == "Force"
    bring_in(window, qtbot, [Path(__file__).parent / "ugly" / "gates.csv"])
    qtbot.waitUntil(lambda: ("sensor", "v") in shown_strips(window), timeout=5000)
    said = [w.text() for w in window.margin.findChildren(QLabel)]
    assert words.NO_POSITIONS in said
    window.show_stage(words.LEDGER)


def test_every_pane_of_the_intake_is_reached_with_f6(open_window, qtbot, tmp_path):
    (tmp_path / "a.csv").write_text("time (s),heavy (m)\n0,1\n1,2\n2,4\n")
    window = open_window(Project("empty"))
    drop(window, [tmp_path / "a.csv"])
    qtbot.waitUntil(lambda: bool(window.import_controller.desk.groups), timeout=10_000)
    seen = set()
    for _ in range(6):
        qtbot.keyClick(window, Qt.Key.Key_F6)
        focus = QApplication.focusWidget()
        for name, pane in (
            ("file", window.import_controller.stage.view),
            ("button", window.import_controller.stage.bring_in),
            # Fmt: skip
            ("margin", window.import_controller.margin),
            ("shelf", window.shelf),
        ):
            if focus is pane or pane.isAncestorOf(focus):
                seen.add(name)
    assert seen == {"file", "button", "margin", "shelf"}


def test_a_slope_lab_from_a_dropped_file_to_a_verdict(open_window, qtbot, tmp_path):
    up, pull, rub = 0.8, 1.2, 0.3
    turns, t = up / (pull + rub), np.arange(0, 1.3, 0.02)
    back = np.maximum(t - turns, 0)
    x = np.where(t < turns, up * t - 0.75 * t**2, 0.5 * up * turns - 0.45 * back**2)
    x = x + np.random.default_rng(3).normal(0, 5e-4, len(t))
    rows = "".join(f"{a:.2f};{100 * b:.3f}\n" for a, b in zip(t, x, strict=True))
    (tmp_path / "bank.csv").write_text("t (s);sled (cm)\n" + rows)
    window = open_window(Project("empty"))
    bring_in(window, qtbot, [tmp_path / "bank.csv"])
    qtbot.waitUntil(lambda: window.margin.results_ready, timeout=20_000)
    assert "The mass of sled is missing" in window.verdicts.reason.text()
    window.show_stage(words.LEDGER)
    type_into(qtbot, window.ledger.mass.line, "2.0 ± 0.01 kg")
    assert window.ledger.event_line.text() == "Up and back on a slope"
    assert list(window.ledger.accounts) == ["kinetic energy"]  # no height without the incline
    theta = math.degrees(math.asin(pull / 9.81))
    type_into(qtbot, window.ledger.facts.fields["incline"].line, f"{theta:.2f} ± 0.1 °")
    account = window.ledger.accounts["mechanical energy"]
    assert account.verdict.text() == "= no imbalance seen"
    heads = [account.table.heads[str(k)].text().split("<")[0] for k in range(3)]
    assert heads == ["start", "turning point", "end"]
    qtbot.mouseClick(window.ledger.panel.buttons[words.PANEL_HOW], LEFT)
    assert "friction coefficient" in window.ledger.panel.how.results.text()
    assert "from the fit of the span “up”" in window.ledger.panel.how.lines.text()
    qtbot.mouseClick(account.table.switches["sliding friction"], LEFT, pos=QPoint(6, 8))
    account = window.ledger.accounts["mechanical energy"]
    assert account.verdict.text() == "≠ does not balance"
    window.document.undo()
    menu = window.ledger.dates_menu()
    next(a for a in menu.actions() if a.text() == "5 evenly over “up”").trigger()
    account = window.ledger.accounts["mechanical energy"]
    assert len([name for name in account.table.heads if name.isdigit()]) == 5
    assert account.verdict.text() == "= no imbalance seen"
    qtbot.mouseClick(window.ledger.panel.buttons[words.PANEL_IN_TIME], LEFT)
    assert window.ledger.panel.energy.plot.isVisible()
    window.bench.view.move_line(0.3)
    assert window.ledger.panel.energy.line.value() == pytest.approx(0.3)
    window.use_theme(DARK)
    ground = window.ledger.panel.energy.plot.backgroundBrush().color().name()
    assert ground.upper() == DARK.sheet
    # A date is dragged on the bench, and the account follows before the mouse is let go
    window.show_stage(words.BENCH)
    strip = window.bench.strip("position", "x").plot
    second = window.document.entry.dates[1]
    press(strip.viewport(), strip_x(strip, second.t), 60)
    move(strip.viewport(), strip_x(strip, second.t + 0.03), 60)
    assert window.document.previewing
    assert window.document.entry.dates[1].t == pytest.approx(second.t + 0.03, abs=0.01)
    release(strip.viewport(), strip_x(strip, second.t + 0.03), 60)
    assert window.document.history.undo_name == "Move “point 2”"
    window.document.undo()
    assert window.document.entry.dates[1] == second
    # On the rail, its mark is dragged likewise
    rail = window.bench.rail
    press(rail, rail.x_of(second.t), 12)
    move(rail, rail.x_of(second.t + 0.03), 12)
    assert window.document.previewing
    release(rail, rail.x_of(second.t + 0.03), 12)
    assert window.document.entry.dates[1].t == pytest.approx(second.t + 0.03, abs=0.01)
    assert window.document.history.undo_name == "Move “point 2”"


def test_a_bumper_lab_from_a_dropped_file_to_a_verdict(open_window, qtbot, tmp_path):
    t = np.arange(0, 2.4, 0.01)
    inside = np.clip((t - 1.0) / 0.2, 0, 1)
    gain = 1.6 * 0.5 * (1 - np.cos(np.pi * inside))
    x = 0.9 * t - np.concatenate([[0], np.cumsum(0.5 * (gain[1:] + gain[:-1]) * np.diff(t))])
    force = 1.5 * 1.6 * 0.5 * np.pi / 0.2 * np.sin(np.pi * inside) * (inside > 0) * (inside < 1)
    rng = np.random.default_rng(5)
    x, force = x + rng.normal(0, 5e-4, len(t)), force + 0.3 + rng.normal(0, 0.05, len(t))
    rows = "".join(f"{a:.2f}\t{b:.5f}\t{c:.3f}\n" for a, b, c in zip(t, x, force, strict=True))
    (tmp_path / "bumper.tsv").write_text("time (s)\tsled (m)\tF (N)\n" + rows)
    window = open_window(Project("empty"))
    bring_in(window, qtbot, [tmp_path / "bumper.tsv"])
    qtbot.waitUntil(lambda: window.margin.results_ready, timeout=20_000)
    window.show_stage(words.LEDGER)
    type_into(qtbot, window.ledger.mass.line, "1.5 ± 0.01 kg")
    assert window.ledger.event_line.text() == "A body against a bumper with a gauge"
    account = window.ledger.accounts["momentum x"]
    assert account.verdict.text() == "= no imbalance seen"
    assert "turned" in account.table.cells["impulse of the gauge", "+0"].toolTip()
    assert window.verdicts.lines["momentum x"].said.text() == "= no imbalance seen"
    assert "J became other forms" in window.ledger.accounts["kinetic energy"].verdict.text()
    menu = {action.text(): action for action in window.ledger.accounts_menu().actions()}
    menu[words.TURN_GAUGE].trigger()
    assert window.ledger.accounts["momentum x"].verdict.text() == "≠ does not balance"
    window.document.undo()
    assert window.ledger.accounts["momentum x"].verdict.text() == "= no imbalance seen"
    # An entry by hand: what it brings, with a reason, and taken out again
    accounts = window.document.evaluator.accounts(
        window.document.project, window.document.entry.trial.id
    )
    dialog = TypedEntryDialog(window, LIGHT, window.document, accounts.ledger("momentum x"))
    qtbot.addWidget(dialog)
    ok = dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Ok)
    qtbot.mouseClick(ok, Qt.MouseButton.LeftButton)
    assert dialog.trouble.text() == words.TYPED_NO_AMOUNT
    qtbot.keyClicks(dialog.name, "a hand")
    type_into(qtbot, dialog.amount.line, "-0.5 ± 0.01 kg·m/s")
    qtbot.keyClicks(dialog.reason, "seen in the film")
    qtbot.mouseClick(ok, Qt.MouseButton.LeftButton)
    account = window.ledger.accounts["momentum x"]
    assert account.table.cells["a hand", "+0"].text().startswith("−0.500")
    assert "seen in the film" in account.table.cells["a hand", "+0"].toolTip()
    assert account.verdict.text() == "≠ does not balance"
    menu = {action.text(): action for action in window.ledger.accounts_menu().actions()}
    menu[words.REMOVE_ENTRY.format(name="a hand")].trigger()
    assert window.ledger.accounts["momentum x"].verdict.text() == "= no imbalance seen"


def test_ready_projects_are_opened_from_the_file_menu_with_their_task(open_window, qtbot):
    window = open_window(Project("empty"))
    actions = {a.text(): a for a in window.menus.ready.actions()}
    assert list(actions)[:3] == ["Stones in line", "Glancing stones", "Sled up the bank"]
    assert len(actions) == 9
    actions["Hopping puck"].trigger()
    qtbot.waitUntil(lambda: window.document.project.name == "Hopping puck", timeout=20_000)
    assert window.note_label.text().startswith("A rubber puck hops along the ice")
    qtbot.waitUntil(lambda: window.margin.results_ready, timeout=20_000)
    window.show_stage(words.LEDGER)
    assert window.ledger.event_line.text() == "Hops"
    table = window.ledger.accounts["mechanical energy"].table
    assert table.heads["1"].text().startswith("after bounce 1")
