"""The trends stage as a person uses it: by keys, clicks and drags, looking at what is shown."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit, QMenu

from inertian.desktop.bench.bench_menus import presented
from inertian.desktop.look import words
from inertian.desktop.trends.column_dialogs import ColumnDialog, FormulaDialog
from inertian.project.edits import edge_moved
from inertian.project.project import Project
from inertian.project.ready_projects import ready_project
from person import Person
from pointing import click, drag

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
HEAVY, LIGHT = "change of velocity of heavy along x", "change of velocity of light along x"
pytestmark = pytest.mark.xdist_group("trends")


@pytest.fixture
def at_trends(open_window, qtbot):
    """Return a function that opens a window on a project, with the trends in front."""

    def open_it(project, **how):
        window = open_window(project, **how)
        qtbot.keyClick(window, Qt.Key.Key_4, ALT)
        seen(window, qtbot)
        return window

    return open_it


def seen(window, qtbot):
    """Wait until the trends of the project as it is now are shown."""
    state = window.trends_state
    qtbot.waitUntil(lambda: state.known_for is window.document.committed, timeout=20_000)


def cell(window, row, name):
    """The text of a cell, by the line of the table and the name of its column."""
    rows = window.trends.table.rows
    return rows.data(rows.index(row, section(window, name)))


def section(window, name):
    return 1 + [c.name for c in window.trends.table.rows.columns].index(name)


def point_at(window, row, name):
    """Where a cell is in the viewport of the table."""
    table = window.trends.table
    index = table.rows.index(row, section(window, name) if name else 0)
    table.scrollTo(index)
    return table.visualRect(index).center()


def click_cell(window, qtbot, row, name):
    where = point_at(window, row, name)
    qtbot.mouseClick(window.trends.table.viewport(), Qt.MouseButton.LeftButton, pos=where)


def write_cell(window, qtbot, text):
    """Type into the cell that has the focus, as a person does."""
    table, before = window.trends.table, window.document.committed
    qtbot.keyClicks(table, text[0])
    editor = table.findChild(QLineEdit)
    qtbot.keyClicks(editor, text[1:])
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.document.committed is not before, timeout=3000)
    seen(window, qtbot)


def answered(monkeypatch, text):
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (text, True))


def test_the_first_sight_is_the_ratio_of_the_masses(at_trends, demo, qtbot):
    window = at_trends(demo)
    margin, stage = window.trend_margin, window.trends
    shown = [margin.parameters.itemAt(k).widget().text() for k in range(2)]
    assert "slope" in shown[0]
    assert "−1.7018 ± 0.0006" in shown[0].replace("\N{NO-BREAK SPACE}", " ")
    assert "own" in shown[1]
    assert "shared" in shown[1]
    assert "−1.690 ± 0.010" in margin.expected_said.text().replace("\N{NO-BREAK SPACE}", " ")
    assert margin.verdict.text().startswith(words.AGREES)
    assert margin.isVisible()
    assert not window.pages.isVisible()
    assert stage.up.currentData() == LIGHT
    assert cell(window, 0, HEAVY) is None  # the line of the series
    assert cell(window, 1, HEAVY).startswith("−1.0555")
    assert len(stage.plot.points) == 2  # in the figure, and below it


def test_variables_are_typed_filled_down_pasted_and_undone(at_trends, demo, qtbot, monkeypatch):
    window = at_trends(demo)
    answered(monkeypatch, "drive setting")
    window.trends.new_variable.click()
    seen(window, qtbot)
    name = "drive setting"
    click_cell(window, qtbot, 1, name)
    write_cell(window, qtbot, "0,5 V")
    seen(window, qtbot)
    assert cell(window, 1, name) == "0.500 ± 0.029"
    assert window.trends.table.rows.title_at(1) == f"{name} (V)"
    click_cell(window, qtbot, 1, name)
    qtbot.keyClick(window.trends.table, Qt.Key.Key_D, CTRL)
    seen(window, qtbot)
    assert {cell(window, k, name) for k in range(1, 11)} == {"0.500 ± 0.029"}
    QApplication.clipboard().setText("1\n2\nrubber\n")
    click_cell(window, qtbot, 3, name)
    qtbot.keyClick(window.trends.table, Qt.Key.Key_V, CTRL)
    seen(window, qtbot)
    assert cell(window, 5, name) == "rubber"
    assert Person(window, qtbot).told == words.PASTED.format(count=3)
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    seen(window, qtbot)
    assert cell(window, 5, name) == "0.500 ± 0.029"
    click_cell(window, qtbot, 4, name)
    qtbot.keyClick(window.trends.table, Qt.Key.Key_Delete)
    seen(window, qtbot)
    assert cell(window, 4, name) == ""
    # what is worked out cannot be typed over
    click_cell(window, qtbot, 3, HEAVY)
    qtbot.keyClick(window.trends.table, Qt.Key.Key_V, CTRL)
    assert "worked out" in Person(window, qtbot).told


def test_columns_are_chosen_renamed_moved_and_shown_in_other_units(
    at_trends, demo, qtbot, monkeypatch
):
    window = at_trends(demo)
    table = window.trends.table

    def choose():
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, ColumnDialog)
        dialog.search.setText("gravity")
        rows = [k for k in range(dialog.list.count()) if not dialog.list.item(k).isHidden()]
        assert len(rows) == 1
        dialog.list.item(rows[0]).setCheckState(Qt.CheckState.Checked)
        dialog.accept()

    QTimer.singleShot(200, choose)
    window.trends.choose_columns.click()
    seen(window, qtbot)
    assert cell(window, 1, "gravity") == "9.810 ± 0.017"
    column = table.rows.columns[0]
    assert "km/h" in table.units_for(column)
    table.show_in(column, "km/h")
    seen(window, qtbot)
    assert cell(window, 1, HEAVY).startswith("−3.800")
    answered(monkeypatch, "Δv heavy")
    table.rename(table.rows.columns[0])
    seen(window, qtbot)
    assert table.rows.title_at(1) == "Δv heavy (km/h)"
    # by keys: the menu of the column in hand
    click_cell(window, qtbot, 2, "restitution")

    offered = []
    monkeypatch.setattr(table, "column_menu", lambda column: offered.append(column.name) or QMenu())
    window.activateWindow()  # a dialog had been in front
    qtbot.waitUntil(window.isActiveWindow, timeout=3000)
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_Return, ALT)
    assert offered == ["restitution"]
    # the figure follows in title and unit
    assert window.trends.plot.residuals.getAxis("bottom").labelText == "Δv heavy (km/h)"
    x = window.trends.plot.points[0].points()[0].pos().x()
    assert x == pytest.approx(3.6 * window.trends_state.trend.points.x[0], rel=1e-6)
    table.header.moveSection(1, 3)
    seen(window, qtbot)
    assert [c.name for c in table.rows.columns][2] == HEAVY
    table.sort_by("restitution", True)
    seen(window, qtbot)
    values = [cell(window, k, "restitution") for k in range(1, 11)]
    assert values == sorted(values, reverse=True)
    assert [e.trial.name for e in window.document.project.entries][:2] == [
        "In line 01",
        "In line 02",
    ]
    window.trends.filter.setFocus()
    qtbot.keyClicks(window.trends.filter, "Glanc 01")
    qtbot.waitUntil(lambda: window.document.committed.trends.contains == "Glanc 01", timeout=5000)
    seen(window, qtbot)
    assert "1 of 11" in window.trends.rows_said.text()


def test_a_column_by_formula_is_typed_and_says_at_once_what_is_wrong(at_trends, demo, qtbot):
    window = at_trends(demo)
    said = []

    def write():
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, FormulaDialog)
        qtbot.keyClicks(dialog.name, "ratio")
        qtbot.keyClicks(dialog.formula, "restitution + mass of heavy")
        said.append((dialog.said.text(), dialog.go.isEnabled()))
        dialog.formula.clear()
        qtbot.keyClicks(dialog.formula, f"{LIGHT} / {HEAVY}")
        said.append((dialog.said.text(), dialog.go.isEnabled()))
        dialog.go.click()

    QTimer.singleShot(200, write)
    window.trends.new_formula.click()
    seen(window, qtbot)
    assert "one kind" in said[0][0]
    assert not said[0][1]
    assert said[1] == ("= ratio (1)", True)
    assert cell(window, 1, "ratio").startswith("−1.70")


def test_a_trial_is_set_aside_with_a_reason_and_stays_visible(at_trends, demo, qtbot, monkeypatch):
    window = at_trends(demo)
    click_cell(window, qtbot, 3, HEAVY)
    assert window.document.entry.trial.name == "In line 03"  # the row takes its trial in hand
    answered(monkeypatch, "stone wobbled")
    window.trends.table.setFocus()
    qtbot.keyClick(window.trends.table, Qt.Key.Key_X, CTRL | Qt.KeyboardModifier.ShiftModifier)
    seen(window, qtbot)
    assert len(window.trends_state.trend.points) == 9
    assert "1 set aside" in window.trends.rows_said.text()
    rows = window.trends.table.rows
    last = rows.index(3, rows.columnCount() - 1)
    assert rows.data(last) == "stone wobbled"
    assert not window.trends.table.isColumnHidden(rows.columnCount() - 1)
    window.trends.table.count_again()
    seen(window, qtbot)
    assert len(window.trends_state.trend.points) == 10


def test_double_clicks_on_row_and_point_go_to_the_bench(at_trends, demo, qtbot):
    window = at_trends(demo)
    viewport = window.trends.table.viewport()
    where = point_at(window, 5, "restitution")
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=where)
    qtbot.mouseDClick(viewport, Qt.MouseButton.LeftButton, pos=where)
    assert window.bench.isVisible()
    assert window.document.entry.trial.name == "In line 05"
    window.show_stage(words.TRENDS)
    seen(window, qtbot)
    plot = window.trends.plot
    made = window.trends_state.trend
    at = plot.main.vb.mapViewToScene(QPointF(made.points.x[7], made.points.y[7]))
    place = plot.area.mapFromScene(at)
    click(plot.area.viewport(), place.x(), place.y())
    qtbot.waitUntil(lambda: window.document.entry.trial.name == "In line 08", timeout=3000)


def test_the_line_and_what_is_expected_are_chosen_in_the_margin(at_trends, demo, qtbot):
    window = at_trends(demo)
    margin = window.trend_margin
    margin.line.setCurrentIndex(margin.line.findData("straight"))
    margin.line.activated.emit(margin.line.currentIndex())
    seen(window, qtbot)
    assert window.trends_state.trend.fit.names == ("intercept", "slope")
    margin.expected.setFocus()
    margin.expected.selectAll()
    qtbot.keyClicks(margin.expected, "slope = -1.60")
    qtbot.keyClick(margin.expected, Qt.Key.Key_Return)
    seen(window, qtbot)
    assert margin.verdict.text().startswith(words.DIFFERS)
    assert "would have shown" in margin.more.text()
    margin.expected.selectAll()
    qtbot.keyClicks(margin.expected, "m_7 x")
    qtbot.keyClick(margin.expected, Qt.Key.Key_Return)
    seen(window, qtbot)
    assert "m_7 is no fact" in margin.expected_said.text()
    margin.spread.click()
    seen(window, qtbot)
    assert window.trends_state.trend.between is not None
    assert margin.spread_said.isVisible()
    margin.series_boxes["glancing"].click()
    seen(window, qtbot)
    assert len(window.trends_state.trend.points) == 11
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    seen(window, qtbot)
    assert len(window.trends_state.trend.points) == 10


def test_a_line_drawn_by_hand_stands_beside_the_fit(at_trends, demo, qtbot):
    window = at_trends(demo)
    margin, plot = window.trend_margin, window.trends.plot
    margin.by_hand.head.click()
    assert "steepest" in margin.hand_said.text()
    assert "y/x" in margin.hand_said.text()
    margin.hand.click()
    seen(window, qtbot)
    before = window.document.committed.trends.request.hand
    _, scene = plot.hand.getSceneHandlePositions()[0]
    start = plot.area.mapFromScene(scene)
    QTest.qWait(50)
    drag(plot.area.viewport(), (start.x(), start.y()), (start.x(), start.y() + 60))
    qtbot.waitUntil(lambda: window.document.committed.trends.request.hand != before, timeout=5000)
    seen(window, qtbot)
    ends = window.document.committed.trends.request.hand
    slope = (ends[3] - ends[1]) / (ends[2] - ends[0])
    assert f"{slope:.4g}".replace("-", "−")[:5] in margin.hand_said.text()
    fitted = window.trends_state.trend.fit.parameter("slope").value
    assert fitted == pytest.approx(-1.7018, abs=1e-4)  # the fit knows nothing of it


def test_the_row_of_a_dragged_span_follows_before_the_mouse_is_released(at_trends, demo, qtbot):
    window = at_trends(demo)
    before, others = cell(window, 1, HEAVY), cell(window, 2, HEAVY)
    x = window.trends_state.trend.points.x[0]
    document, entry = window.document, window.document.entry
    document.preview(edge_moved(document.committed, entry.trial.id, "before", "stop", 0.8))
    assert cell(window, 1, HEAVY) != before
    assert cell(window, 2, HEAVY) == others
    assert window.trends_state.trend.points.x[0] != x
    document.abandon()
    qtbot.waitUntil(lambda: cell(window, 1, HEAVY) == before, timeout=10_000)


def test_repeats_and_trials_laid_over(at_trends, demo, qtbot):
    window = at_trends(demo)
    stage = window.trends
    stage.view_buttons[words.REPEATS_VIEW].click()
    table = stage.repeats.table
    qtbot.waitUntil(lambda: table.rowCount() == 1, timeout=10_000)
    assert table.item(0, 1).text() == "10"
    stage.view_buttons[words.LAID_VIEW].click()
    qtbot.waitUntil(lambda: stage.laid.laid is not None, timeout=20_000)
    assert len(stage.laid.laid.curves) == 10
    curve = stage.laid.laid.curves[6]
    k = int(np.flatnonzero(np.isfinite(curve.values))[20])
    box = stage.laid.plot.getPlotItem().vb
    at = stage.laid.plot.mapFromScene(box.mapViewToScene(QPointF(curve.t[k], curve.values[k])))
    click(stage.laid.plot.viewport(), at.x(), at.y())
    qtbot.waitUntil(lambda: window.document.entry.trial.name == curve.name, timeout=3000)


def test_a_figure_is_made_ready_to_show_in_place(at_trends, demo, qtbot, tmp_path):
    window = at_trends(demo)
    dialog = window.trends.presented()
    dialog.show()
    qtbot.waitUntil(lambda: bool(dialog.picture.places), timeout=30_000)
    click(dialog.picture, *_middle(dialog.picture.rect_of("title")))
    dialog.field.selectAll()
    qtbot.keyClicks(dialog.field, "Ratio of the masses")
    qtbot.keyClick(dialog.field, Qt.Key.Key_Return)
    assert dialog.figure.title == "Ratio of the masses"
    assert "10 trials" in dialog.figure.caption
    assert "one standard uncertainty" in dialog.figure.caption
    dialog.width_mm.setValue(80.0)
    png, pdf = tmp_path / "a.png", tmp_path / "a.pdf"
    dialog.write_to(png)
    dialog.write_to(pdf)
    image = QImage(str(png))
    assert image.width() == pytest.approx(80 / 25.4 * 300, abs=2)
    import pypdfium2

    page = pypdfium2.PdfDocument(str(pdf))[0]
    assert page.get_width() == pytest.approx(80 / 25.4 * 72, abs=0.5)
    assert "Ratio of the masses" in page.get_textpage().get_text_range()
    dialog.copy.click()
    data = QApplication.clipboard().mimeData()
    assert data.hasImage()
    assert b"<svg" in bytes(data.data("image/svg+xml"))
    dragged = dialog.dragged_data()
    assert dragged.urls()[0].toLocalFile().endswith(".png")
    dialog.accept()


def _middle(rect):
    return rect.center().x(), rect.center().y()


def test_strips_and_panels_are_made_ready_by_the_same_window(open_window, demo, qtbot):
    window = open_window(demo)
    strip = window.bench.strip("velocity", "x", False)
    figure = presented(window.bench, window.document, strip).figure
    assert figure.panels[0].y_title == "Velocity x (m/s)"
    assert {m.label for m in figure.panels[0].marks if hasattr(m, "label")} >= {"heavy", "light"}
    window.show_stage(words.LEDGER)
    qtbot.waitUntil(lambda: bool(window.ledger.accounts), timeout=10_000)
    budget = window.ledger.presented().figure
    assert budget.panels[0].marks[0].names[0] == "mass of light"
    window.ledger.choose("kinetic energy")
    window.ledger.panel.show_panel(words.PANEL_IN_TIME)
    energy = window.ledger.presented().figure
    assert energy.panels[0].y_title == "Kinetic energy (J)"


def test_the_table_is_copied_as_text_and_as_a_table_and_written(at_trends, demo, qtbot, tmp_path):
    window = at_trends(demo)
    table = window.trends.table
    table.clearSelection()
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_C, CTRL)
    data = QApplication.clipboard().mimeData()
    lines = data.text().splitlines()
    assert lines[0].split("\t")[1] == f"{HEAVY} (m/s)"
    assert len(lines) == 12
    assert data.html().count("<tr>") == 12
    for ending in ("csv", "xlsx", "json"):
        window.trends.table_actions.write_table_to(tmp_path / f"table.{ending}")
        assert (tmp_path / f"table.{ending}").stat().st_size > 500
    window.trends.table_actions.write_table_to(tmp_path / "table.odd")
    assert "NAME.csv" in Person(window, qtbot).told


def test_what_is_missing_is_said_with_the_button_that_helps(open_window, demo, qtbot):
    window = open_window(Project(entries=demo.entries[:1], series=demo.series[:1]), verdicts=False)
    window.show_stage(words.TRENDS)
    seen(window, qtbot)
    assert window.trends.empty.isVisible()
    assert window.trends.empty_text.text() == words.NO_TRENDS
    assert window.trends.empty_button.text() == words.NO_TRENDS_BUTTON


def test_the_twelve_files_show_angular_speed_against_setting(at_trends, qtbot):
    window = at_trends(ready_project("Disc at twelve settings").project, verdicts=False)
    assert window.trends.up.currentData() == "ω"
    assert window.trends.across.currentData() == "setting"
    assert window.trends_state.trend.fit.parameter("slope").value == pytest.approx(0.36, abs=0.003)


def test_the_table_stands_beside_the_figure_where_there_is_room(at_trends, demo, qtbot):
    window = at_trends(demo, size=(1900, 900))
    assert window.trends.parts.orientation() is Qt.Orientation.Horizontal
    window.resize(1200, 800)
    qtbot.waitUntil(
        lambda: window.trends.parts.orientation() is Qt.Orientation.Vertical, timeout=3000
    )
    seen(window, qtbot)
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(5, 5),
        QPointF(window.trends.plot.mapToGlobal(QPoint(5, 5))),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(window.trends.plot.area.viewport(), event)
