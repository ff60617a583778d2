"""The look: contrast computed from the tokens, nothing clipped, every glyph in the shipped
typeface.
"""

import ast
from pathlib import Path

import pytest
from PyQt6.QtGui import QFont, QFontMetrics, QRawFont, QTextDocument
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit

from inertian.desktop.look import words
from inertian.desktop.look.number_format import intervals_said
from inertian.desktop.look.theme import FAMILY, load_fonts
from inertian.desktop.look.tokens import DARK, LIGHT, MARKERS
from inertian.motion.fits.curve_shapes import SHAPE_DEFINITIONS
from inertian.motion.recording.frame import Frame
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.project import Project
from inertian.project.tidying_edits import frame_set, rows_set_aside
from inertian.quantities.coverage import Scalar


def luminance(colour):
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a, b):
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda t: t.name)
def test_contrast_is_enough_for_text_and_for_marks(theme):
    for ground in (theme.paper, theme.sheet, theme.selection, theme.hover):
        assert contrast(theme.ink, ground) >= 7
    for ground in (theme.paper, theme.sheet):
        assert contrast(theme.soft_ink, ground) >= 4.5
        assert contrast(theme.alarm, ground) >= 4.5
        assert contrast(theme.brass, ground) >= 3
        assert contrast(theme.edge, ground) >= 3
    for colour in theme.bodies:
        assert contrast(colour, theme.sheet) >= 3.5
    assert contrast(theme.strong_fill, theme.sheet) >= 3
    assert len(theme.bodies) == len(MARKERS) == 6


def test_no_word_stands_in_two_files_of_the_catalogue():
    seen = {}
    for file in sorted(Path(words.__file__).parent.glob("*_words.py")):
        for node in ast.parse(file.read_text(encoding="utf-8")).body:
            targets = node.targets if isinstance(node, ast.Assign) else ()
            for name in (n for target in targets for n in ast.walk(target)):
                if isinstance(name, ast.Name):
                    assert name.id not in seen, (name.id, seen[name.id], file.name)
                    seen[name.id] = file.name
    assert len(seen) > 300


def _strings(value):
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for inner in value.values():
            yield from _strings(inner)


def test_every_string_is_in_the_shipped_typeface(qapp):
    load_fonts()
    font = QFont(FAMILY)
    font.setPixelSize(13)
    raw = QRawFont.fromFont(font)
    assert raw.familyName() == FAMILY
    texts = [s for name, value in vars(words).items() if name.isupper() for s in _strings(value)]
    missing = {
        c
        for text in [*texts, "0123456789 ± − × ² ³ χ μ µ · ° … “ ” = ? ≠ ~"]
        for c in text.replace("\n", "")
        if not raw.supportsCharacter(c)
    }
    assert not missing


def _clipped(widget):
    """Whether a widget's text needs more room than it has."""
    metrics = QFontMetrics(widget.font())
    if isinstance(widget, QLabel):
        if widget.wordWrap():
            return widget.heightForWidth(widget.width()) > widget.height() + 1
        document = QTextDocument()
        document.setDefaultFont(widget.font())
        document.setHtml(widget.text())
        document.setDocumentMargin(0)
        margins = widget.contentsMargins()
        return document.idealWidth() > widget.width() - margins.left() - margins.right() + 1
    if isinstance(widget, QLineEdit):
        return metrics.horizontalAdvance(widget.text()) > widget.width() - 12
    if isinstance(widget, QComboBox):
        return metrics.horizontalAdvance(widget.currentText()) > widget.width() - 24
    return metrics.horizontalAdvance(widget.text().replace("&", "")) > widget.width() - 4


def _outside(widget, window):
    """Whether a widget sticks out of its window sideways."""
    left = widget.mapTo(window, widget.rect().topLeft()).x()
    return left < 0 or left + widget.width() > window.width()


@pytest.mark.parametrize("size", [(1280, 720), (1366, 768)])
@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda t: t.name)
def test_no_text_is_clipped(open_window, demo, theme, size):
    window = open_window(demo, theme, size)
    for trial in (demo.entries[1], demo.entries[-1]):
        window.document.select(trial.trial.id)
        for stage in (words.BENCH, words.LEDGER):
            window.show_stage(stage)
            for _ in range(3):
                QApplication.processEvents()
            shown = [
                w
                for kind in (QLabel, QLineEdit, QComboBox, QAbstractButton)
                for w in window.findChildren(kind)
            ]
            shown = [
                w
                for w in shown
                if (w.isVisible() and not hasattr(w, "currentText")) or isinstance(w, QComboBox)
            ]
            assert len(shown) > 20
            for widget in (w for w in shown if w.isVisible()):
                text = widget.currentText() if isinstance(widget, QComboBox) else widget.text()
                assert not _clipped(widget), (stage, text, widget.width())
                assert not _outside(widget, window), (stage, text)
            rail = window.bench.rail
            if stage == words.BENCH:
                assert rail.height() == 44
                assert all(s.height() >= 96 for s in window.bench.strips())


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda t: t.name)
def test_no_text_of_the_pages_is_clipped_when_they_are_full(open_window, demo, theme):
    window = open_window(demo, theme, (1280, 720))
    document, view = window.document, window.bench.view
    document.select(demo.entries[10].trial.id)
    trial = document.entry.trial.id
    document.do(
        rows_set_aside(document.committed, trial, "heavy", range(20, 38), "hidden by something")
    )
    document.do(rows_set_aside(document.committed, trial, "light", [70], "touched by a hand"))
    document.do(frame_set(document.committed, [trial], Frame(0.92, (0.1234, -0.5), 0.3), {}))
    view.move_line(0.6213)
    view.pins = [0.2, 0.6213]
    for shown in (QuantityRef(Quantity.POSITION, "x"), QuantityRef(Quantity.VELOCITY, "y")):
        view.take(shown, "light")
        for shape in SHAPE_DEFINITIONS:
            window.readings.fits.ask(shape)
    for page, pane in ((words.PAGE_TIDY, window.tidy), (words.PAGE_READINGS, window.readings)):
        window.show_page(page)
        for _ in range(6):
            QApplication.processEvents()
        assert pane.widget().width() <= pane.viewport().width()
        shown = [
            w
            for kind in (QLabel, QLineEdit, QAbstractButton)
            for w in pane.findChildren(kind)
            if w.isVisible()
        ]
        assert len(shown) > 12
        for widget in shown:
            assert not _clipped(widget), (page, widget.text(), widget.width())
            assert not _outside(widget, window), (page, widget.text())


def test_the_theme_can_be_changed_while_the_window_is_open(open_window, demo):
    window = open_window(demo, LIGHT)
    light = window.grab().toImage().pixelColor(2, 400)
    window.use_theme(DARK)
    dark = window.grab().toImage().pixelColor(2, 400)
    assert light.lightness() > 200 > 80 > dark.lightness()
    assert window.theme.name == "dark"
    bench = window.bench.grab().toImage()
    assert bench.pixelColor(bench.width() - 3, bench.height() - 3).lightness() < 80


@pytest.mark.parametrize("size", [(1280, 720), (1366, 768)])
@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda t: t.name)
def test_no_text_of_the_intake_is_clipped(open_window, theme, size, qtbot):
    ugly = Path(__file__).parent / "ugly"
    window = open_window(Project("empty"), theme, size)
    names = ("derived-beside.csv", "frames-only.txt", "pixels-scale.csv", "ambiguous-thousand.tsv")
    for name in (*names, "two-sheets.xlsx", "serial.txt", "missing-spellings.csv"):
        window.import_controller.clear()
        window.project_files.open_files([ugly / name, ugly / "picture.csv"])
        desk, margin = window.import_controller.desk, window.import_controller.margin
        qtbot.waitUntil(lambda desk=desk: not desk.busy and bool(desk.groups), timeout=10_000)
        for _ in range(3):
            QApplication.processEvents()
        assert margin.widget().width() <= margin.viewport().width()
        shown = [
            w
            for kind in (QLabel, QLineEdit, QAbstractButton)
            for w in window.import_controller.stage.findChildren(kind)
        ]
        shown += [
            w for kind in (QLabel, QLineEdit, QAbstractButton) for w in margin.findChildren(kind)
        ]
        shown = [w for w in shown if w.isVisible()]
        assert len(shown) > 15
        for widget in shown:
            assert not _clipped(widget), (name, widget.text(), widget.width())
            assert not _outside(widget, window), (name, widget.text())


def test_the_intake_wears_both_themes(open_window, qtbot):
    window = open_window(Project("empty"), LIGHT)
    window.project_files.open_files([Path(__file__).parent / "ugly" / "plain.csv"])
    qtbot.waitUntil(lambda: bool(window.import_controller.desk.groups), timeout=10_000)

    def lightness():
        for _ in range(3):
            QApplication.processEvents()
        view, preview = window.import_controller.stage.view, window.import_controller.stage.preview
        return [
            w.grab().toImage().pixelColor(w.width() - 30, w.height() - 8).lightness()
            for w in (view, preview)
        ]

    assert min(lightness()) > 200
    window.use_theme(DARK)
    assert max(lightness()) < 80


@pytest.mark.parametrize(
    ("scalar", "said"),
    [
        (Scalar(1.5246, 0.0008, 1e9), ("1.5238 m/s to 1.5254 m/s", "1.5230 m/s to 1.5262 m/s")),
        (Scalar(0.12, 0.12, 3), ("−0.02 m/s to 0.26 m/s", "−0.28 m/s to 0.52 m/s")),
        (Scalar(0.2, 0.5, 9, ends=((0.0, 0.6), (0.0, 1.5))), ("0 m/s to 0.6 m/s", "0 m/s to 1.5")),
    ],
)
def test_a_result_says_its_own_intervals_not_one_and_two_u(scalar, said):
    tip = intervals_said(scalar, "m/s")
    assert all(part in tip for part in said)
    assert intervals_said(Scalar(1.0, 0.0, 1e9), "m") == ""
