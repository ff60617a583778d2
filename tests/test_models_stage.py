"""The models stage as a person uses it: by keys and clicks, looking at what is shown."""

import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu, QPushButton

from inertian.desktop.look import words
from inertian.desktop.models.without_data_dialog import WithoutDataDialog
from inertian.models.definitions.model import Model
from inertian.models.definitions.typed_forces import parse_force
from inertian.project.project import Project
from inertian.project.ready_projects import ready_project

ALT, NO_KEY = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton
pytestmark = pytest.mark.xdist_group("models")
BANK = "Sled up the bank"


@pytest.fixture
def at_models(open_window, qtbot):
    """Return a function that opens a window on a project, with the models in front."""

    def open_it(project):
        window = open_window(project, verdicts=False)
        qtbot.keyClick(window, Qt.Key.Key_5, ALT)
        known(window, qtbot)
        return window

    return open_it


def known(window, qtbot):
    """Wait until the models of the trial in hand are fitted."""
    state = window.models_controller.state

    def there():
        entry = window.document.entry
        return state.known_for == (window.document.committed, entry.trial.id)

    qtbot.waitUntil(there, timeout=30_000)


def choose(window, qtbot, name):
    """Click one of the models that are offered."""
    offered = {b.text(): b for b in window.models.empty.findChildren(QPushButton)}
    qtbot.mouseClick(offered[name], LEFT)
    known(window, qtbot)


def row(window, symbol):
    """The row of a parameter at the margin."""
    cards = window.models_controller.margin.cards
    return next(card.rows[symbol] for card in cards if symbol in card.rows)


def cells(window, line):
    table = window.models.table
    return [table.item(line, column).text() for column in range(1, table.columnCount())]


def type_over(qtbot, line, text):
    """Type over what stands in a field."""
    line.setFocus()
    qtbot.keyClick(line, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(line, Qt.Key.Key_Delete)
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def bank():
    """The sled on the bank, without the models that stand beside it."""
    made = ready_project(BANK).project
    return replace(made, entries=tuple(replace(e, models=()) for e in made.entries))


@pytest.fixture
def on_bank(at_models, qtbot):
    window = at_models(bank())
    choose(window, qtbot, "Weight and friction")
    return window


def test_an_empty_stage_offers_three_models_and_one_click_fits_one(at_models, qtbot):
    window = at_models(bank())
    assert words.MODEL_NONE_YET in window.models.empty_text.text()
    offered = [b.text() for b in window.models.empty.findChildren(QPushButton)]
    assert offered == ["Weight alone", "Weight and friction", "Weight, friction and drag"]
    choose(window, qtbot, "Weight and friction")
    name, fitted, chi, left, _ = cells(window, 0)
    assert name == "Weight and friction"
    assert fitted.startswith("μ 0.02")
    assert "±" in fitted
    assert chi.endswith("/ 111")
    assert left == "no pattern"
    assert "0.02" in row(window, "μ").found.text()
    assert row(window, "θ").line.placeholderText() == "5.2 ± 0.1 °"
    assert window.document.history.unsaved


def test_what_is_left_names_the_force_that_is_missing(at_models, qtbot):
    window = at_models(bank())
    choose(window, qtbot, "Weight alone")
    assert "sliding friction" in cells(window, 0)[3]
    assert "sliding friction" in window.models.said.text()


def test_what_a_reader_of_a_fit_must_know_is_said_under_the_table(at_models):
    project = bank()
    # Far too much friction, and a drag cannot push
    forces = ("weight along the incline", "sliding friction μ=0.3±0", "quadratic drag")
    model = Model("Too rough", tuple(parse_force(text) for text in forces))
    window = at_models(project.with_entry(replace(project.entries[0], models=(model,))))
    said = window.models.notes
    assert "c is at its bound of 0: the samples do not ask for it" in said.text()
    assert "each ± is widened" in said.text()
    assert said.isVisible()
    axis = window.models.left.item.getAxis("left")
    assert axis.label.mapRectToParent(axis.label.boundingRect()).top() >= 0.0  # nothing cut off


def test_a_value_that_is_typed_is_fixed_and_undo_frees_it_again(on_bank, qtbot):
    window = on_bank
    type_over(qtbot, row(window, "μ").line, "0,05 ± 0,01")
    known(window, qtbot)
    force = window.document.entry.models[0].forces[1]
    assert (force.parameters[0].fact.si, force.parameters[0].free) == (0.05, False)
    assert not row(window, "μ").free.isChecked()
    window.document.undo()
    known(window, qtbot)
    assert row(window, "μ").free.isChecked()


def test_what_is_no_value_stays_with_the_reason_under_it(on_bank, qtbot):
    mu = row(on_bank, "μ")
    type_over(qtbot, mu.line, "a lot")
    assert mu.trouble.isVisible()
    assert mu.line.text() == "a lot"
    type_over(qtbot, mu.line, "-3")
    assert "cannot be below" in mu.trouble.text()


def test_a_slider_moves_the_curve_while_it_moves_and_esc_drops_it(on_bank, qtbot):
    window, mu = on_bank, row(on_bank, "μ")
    before = window.document.committed
    mu.slider.setFocus()
    for _ in range(5):
        qtbot.keyClick(mu.slider, Qt.Key.Key_Right)
    drawn = window.models.curves._tried["Schlitten"]
    fitted = window.models_controller.state.curves[
        "Weight and friction", window.models.curves.shown
    ]
    tried = np.interp(fitted[0].moments, *drawn.getData())
    assert np.max(np.abs(tried - fitted[0].curve)) > 0.002
    assert window.models.said.text().startswith("tried")
    qtbot.keyClick(mu.slider, Qt.Key.Key_Escape)
    assert not window.models.curves._tried
    assert window.document.committed is before


def test_a_slider_that_rests_fixes_its_value_as_one_edit(on_bank, qtbot):
    window, mu = on_bank, row(on_bank, "μ")
    handle = mu.slider.rect().center()
    qtbot.mousePress(mu.slider, LEFT, pos=handle)
    for share in (3, 6, 9):
        qtbot.mouseMove(mu.slider, handle + QPoint(share, 0))
    qtbot.mouseRelease(mu.slider, LEFT, pos=handle + QPoint(9, 0))
    known(window, qtbot)
    one = window.document.entry.models[0].forces[1].parameter("μ")
    assert not one.free
    assert 0.021 < one.fact.si < 0.03


def test_a_force_is_switched_off_and_on_by_its_sentence(on_bank, qtbot):
    window = on_bank
    card = window.models_controller.margin.cards[1]
    assert card.on.text() == "Sliding friction"
    card.on.setFocus()
    qtbot.keyClick(card.on, Qt.Key.Key_Space)
    known(window, qtbot)
    assert not window.document.entry.models[0].forces[1].on
    assert "sliding friction" in cells(window, 0)[3]
    card = window.models_controller.margin.cards[1]
    card.on.setFocus()
    qtbot.keyClick(card.on, Qt.Key.Key_Space)
    known(window, qtbot)
    assert cells(window, 0)[3] == "no pattern"


def in_menu(text):
    """Click an entry of the menu that opens next."""

    def click():
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            QTimer.singleShot(20, click)
            return
        action = next(a for a in menu.actions() if a.text().startswith(text))
        menu.setActiveAction(action)
        action.trigger()
        menu.close()

    QTimer.singleShot(0, click)


def test_a_force_is_added_from_the_list_and_removed_again(on_bank, qtbot):
    window, margin = on_bank, on_bank.models_controller.margin
    assert "Repulsion without touch" not in [k.label for k in margin.offered_forces()]
    in_menu("Air, quadratic drag")
    qtbot.mouseClick(margin.add, LEFT)
    known(window, qtbot)
    assert [f.kind for f in window.document.entry.models[0].forces][-1] == "quadratic drag"
    assert "kg/m" in row(window, "c").found.text()
    in_menu(words.MODEL_FORCE_REMOVE)
    qtbot.mouseClick(margin.cards[-1].menu_button, LEFT)
    known(window, qtbot)
    assert len(window.document.entry.models[0].forces) == 2


def test_a_formula_is_a_force_with_its_own_parameters(on_bank, qtbot, monkeypatch):
    window = on_bank
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("-b*v", True))
    in_menu("Formula")
    qtbot.mouseClick(window.models_controller.margin.add, LEFT)
    known(window, qtbot)
    assert window.models_controller.margin.cards[-1].on.text() == "F = -b*v"
    assert "kg/s" in row(window, "b").found.text()
    said = []
    window.models_controller.actions.say = said.append
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("-b*", True))
    window.models_controller.actions.add_force("formula")
    assert "check brackets" in said[-1]


def test_a_prediction_typed_before_is_kept_with_its_time(on_bank, monkeypatch, qtbot):
    window = on_bank
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("0.03 ± 0.01", True))
    in_menu(words.MODEL_EXPECT.removesuffix("…"))
    qtbot.mouseClick(window.models_controller.margin.cards[1].menu_button, LEFT)
    known(window, qtbot)
    assert "expected 0.03 ± 0.01 on 20" in row(window, "μ").expected.text()


def test_rule_and_step_show_their_error_and_its_order(on_bank, qtbot):
    window, margin = on_bank, on_bank.models_controller.margin
    margin.rule.setFocus()
    margin.rule.showPopup()
    view = margin.rule.view()
    index = margin.rule.model().index(0, 0)
    qtbot.mouseClick(view.viewport(), LEFT, pos=view.visualRect(index).center())
    known(window, qtbot)
    assert window.document.entry.models[0].rule == "euler"
    qtbot.mouseClick(window.models.view_buttons[words.MODEL_VIEW_STEPS], LEFT)
    assert "times closer" in window.models.view_said.text()
    rough = window.models_controller.state.result.stepping.position
    type_over(qtbot, margin.step, "0,002 s")
    known(window, qtbot)
    assert window.models_controller.state.result.stepping.position < 0.2 * rough


def test_a_start_is_typed_and_an_end_and_both_go_again(on_bank, qtbot, monkeypatch):
    window, margin = on_bank, on_bank.models_controller.margin
    asked = []

    def type_start(_parent, _title, _text, before):
        asked.append(before)
        return "x = 0 ± 0.001 m\nv = 1.15 ± 0.01 m/s", True

    monkeypatch.setattr(QInputDialog, "getMultiLineText", type_start)
    margin.start.setCurrentIndex(margin.start.findText(words.MODEL_START_TYPED))
    margin.start.activated.emit(margin.start.currentIndex())
    known(window, qtbot)
    assert asked[0].startswith("Schlitten x = ")
    state = window.models_controller.state
    assert state.result.trial.rates[0] == 1.15
    type_over(qtbot, margin.until, "1,2")
    known(window, qtbot)
    assert state.result.trial.made.stretch.stop == 1.2
    margin.start.setCurrentIndex(0)
    margin.start.activated.emit(0)
    known(window, qtbot)
    assert not window.document.entry.models[0].start.typed
    type_over(qtbot, margin.until, "")
    known(window, qtbot)
    assert state.result.trial.made.stretch.stop > 2.0


def test_one_value_for_all_trials_of_the_series(on_bank, qtbot):
    window = on_bank
    alone = row(window, "μ").found.text()
    in_menu(words.MODEL_SHARED.format(symbol="μ"))
    qtbot.mouseClick(window.models_controller.margin.cards[1].menu_button, LEFT)
    known(window, qtbot)
    assert all(e.models[-1].shared == ("μ",) for e in window.document.project.entries)
    together = row(window, "μ").found.text()
    assert together != alone
    window.document.select(window.document.project.entries[2].trial.id)
    known(window, qtbot)
    assert row(window, "μ").found.text() == together


def test_account_and_slopes_stand_beside_one_another(on_bank, qtbot):
    window = on_bank
    qtbot.mouseClick(window.models.view_buttons[words.MODEL_VIEW_ACCOUNT], LEFT)
    text = window.models.account.text.text()
    for said in ("sliding friction", "unaccounted", "explains", "Momentum along x", "±"):
        assert said in text
    qtbot.mouseClick(window.models.view_buttons[words.MODEL_VIEW_SLOPES], LEFT)
    assert "up, Schlitten x: samples" in window.models.slopes.text.text()


def test_the_bench_shows_what_the_model_in_hand_predicts_in_every_strip(on_bank, qtbot):
    window = on_bank
    fitted = window.models_controller.state.curves
    qtbot.keyClick(window, Qt.Key.Key_2, ALT)
    for quantity, unit in (("position", "m"), ("velocity", "m/s")):
        strip = window.bench.strip(quantity, "x")
        curve, low, high = (item.getData() for item in strip.plot._curves)
        (known_curve,) = fitted["Weight and friction", strip.shown]
        assert np.array_equal(curve[1], known_curve.curve), unit
        assert np.all(low[1] <= high[1])
    window.models_controller.actions.remove_model()
    known(window, qtbot)
    qtbot.waitUntil(lambda: not window.bench.strip("position", "x").plot._curves, timeout=5000)


def test_several_models_are_compared_hidden_copied_named_and_removed(on_bank, qtbot):
    window = on_bank
    margin, table = window.models_controller.margin, window.models.table
    qtbot.mouseClick(margin.copy, LEFT)
    known(window, qtbot)
    type_over(qtbot, margin.name, "bare")
    known(window, qtbot)
    card = margin.cards[1]
    card.on.setFocus()
    qtbot.keyClick(card.on, Qt.Key.Key_Space)
    known(window, qtbot)
    assert [cells(window, k)[0] for k in (0, 1)] == ["Weight and friction", "bare"]
    assert "Weight and friction is needed" in margin.said.text()
    shown = len(window.models.curves.plot.getPlotItem().listDataItems())
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_Space)
    assert len(window.models.curves.plot.getPlotItem().listDataItems()) < shown
    qtbot.keyClick(table, Qt.Key.Key_Delete)
    known(window, qtbot)
    assert [m.name for m in window.document.entry.models] == ["Weight and friction"]


def test_the_model_is_shown_as_a_program_that_runs_and_is_saved(on_bank, qtbot, tmp_path):
    dialog = on_bank.models_controller.actions.python_dialog()
    qtbot.addWidget(dialog)
    text = dialog.text.toPlainText()
    assert "for i in range" in text
    qtbot.mouseClick(dialog.copy, LEFT)
    assert QApplication.clipboard().text() == text
    dialog.write(tmp_path / "model.py")
    done = subprocess.run([sys.executable, tmp_path / "model.py"], capture_output=True, text=True,
                          check=True)  # fmt: skip
    last = [float(v) for v in done.stdout.splitlines()[-1].split()]
    stepped = on_bank.models_controller.state.result.stepping.motion
    assert last == [stepped.t[-1], stepped.places[0, -1], stepped.rates[0, -1]]


def test_models_go_to_a_file_and_to_another_trial(on_bank, qtbot, tmp_path):
    window, actions = on_bank, on_bank.models_controller.actions
    actions.write_models(tmp_path / "models.json")
    window.document.select(window.document.project.entries[1].trial.id)
    known(window, qtbot)
    assert window.models.empty_text.isVisible()
    said = []
    actions.say = said.append
    actions.read_models(tmp_path / "nothing.json")
    assert "cannot be read" in said[-1]
    actions.read_models(tmp_path / "models.json")
    known(window, qtbot)
    assert cells(window, 0)[0] == "Weight and friction"


def test_a_trial_without_positions_and_a_model_without_a_mass_say_what_to_do(at_models, qtbot):
    window = at_models(ready_project("Towed sled").project)
    assert window.models.empty_text.text() == words.MODEL_NO_BODIES
    bare = bank()
    bare = Project("bare", bare.entries, bare.series, {})
    window.document.replace(bare, None)
    known(window, qtbot)
    choose(window, qtbot, "Weight, friction and drag")
    assert "The mass of Schlitten is needed" in cells(window, 0)[3]
    assert "The mass of Schlitten is needed" in window.models.said.text()


def test_the_demo_has_models_beside_its_first_trials(at_models, qtbot):
    window = at_models(ready_project("Lone stone gliding").project)
    said = [cells(window, k) for k in range(3)]
    assert [row[0] for row in said] == ["No net force", "Friction", "Friction and drag"]
    assert "drag" in said[0][3]
    assert "drag" in said[1][3]
    assert said[2][3] == "no pattern"
    assert "AICc speaks for Friction and drag" in window.models_controller.margin.said.text()


def test_models_are_compared_without_any_data(open_window, qtbot):
    window = open_window(Project(), verdicts=False)
    qtbot.keyClick(window, Qt.Key.Key_5, ALT)

    def fill():
        dialog = window.findChild(WithoutDataDialog)
        type_over(qtbot, dialog.step, "0,000001 s")  # Return asks for too many moments
        assert "moments" in dialog.trouble.text()
        type_over(qtbot, dialog.step, "0,01 s")

    QTimer.singleShot(200, fill)
    window.models_controller.actions.ask_without_data()
    assert window.document.entry.trial.name == "Without data"
    known(window, qtbot)
    choose(window, qtbot, "No net force")
    type_over(qtbot, window.models_controller.margin.name, "Alone")
    window.models_controller.actions.copy_model()
    known(window, qtbot)
    window.models_controller.actions.add_force("sliding friction")
    known(window, qtbot)
    assert "type what it is" in window.models.said.text()
    type_over(qtbot, row(window, "μ").line, "0,02 ± 0")
    known(window, qtbot)
    assert any("farthest apart at 4 s: x is 1.5696" in text
               for text in window.models_controller.state.said)  # fmt: skip
    assert window.models.left.item.getAxis("left").labelText.startswith("Others −")
    window.document.undo()
    window.document.undo()
    assert window.document.project.entries
