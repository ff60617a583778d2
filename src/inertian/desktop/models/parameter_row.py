"""A parameter of a force at the margin: what is typed, whether it is fitted, what was found, and a
slider that tries other values.
"""

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QSlider, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.number_format import format_estimate
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.typeset import typeset_plain
from inertian.desktop.state.timers import once_after
from inertian.models.definitions.force_kinds import ParameterKind
from inertian.models.definitions.model import Parameter
from inertian.models.definitions.system import Setting
from inertian.models.definitions.typed_forces import parse_value
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import SI_SYMBOL, Unit, unit_of

STEPS, KEY_PAUSE_MS = 400, 700
SYMBOL_WIDTH = 34  # px
DEGREE = math.pi / 180.0


class ParameterRow(QWidget):
    """Shows one parameter; `edited` carries what it is to be, `tried` a value in SI, `given_up`
    says that nothing is tried any more.
    """

    edited = pyqtSignal(object)
    tried = pyqtSignal(float)
    given_up = pyqtSignal()

    def __init__(self, symbol: str, kind: ParameterKind | None) -> None:
        super().__init__()
        self.symbol, self.kind = symbol, kind
        self._shown: Parameter | None = None
        self._low, self._high, self._unit = 0.0, 1.0, Unit("", "number", 1.0)
        name = kind.label if kind is not None else symbol
        self.name = label(typeset_plain(symbol))
        self.name.setToolTip(name)
        self.name.setFixedWidth(SYMBOL_WIDTH)
        self.line = QLineEdit()
        self.line.setAccessibleName(name)
        self.line.setToolTip(name)
        self.line.editingFinished.connect(self._take)
        self.free = QCheckBox(words.MODEL_FREE)
        self.free.setToolTip(words.MODEL_FREE_TIP)
        self.free.setAccessibleName(f"{name}: {words.MODEL_FREE}")
        self.free.clicked.connect(self._free)
        self.found = label("", "answer")
        self.found.setTextFormat(Qt.TextFormat.RichText)
        self.expected = label("", "small")
        self.expected.setWordWrap(True)
        self.trouble = label("", "alarm")
        self.trouble.setWordWrap(True)
        self.slider = _Slider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setAccessibleName(words.MODEL_SLIDER.format(name=name))
        self.slider.setToolTip(words.MODEL_SLIDER.format(name=name))
        self.slider.valueChanged.connect(self._moved)
        self.slider.sliderReleased.connect(self._settle)
        self.slider.given_up.connect(self._give_up)
        self._pause = once_after(self, KEY_PAUSE_MS, self._settle)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(0)
        grid.setHorizontalSpacing(4)
        grid.addWidget(self.name, 0, 0)
        grid.addWidget(self.line, 0, 1)
        grid.addWidget(self.free, 0, 2)
        grid.addWidget(self.slider, 1, 1, 1, 2)
        grid.addWidget(self.found, 2, 1, 1, 2)
        grid.addWidget(self.expected, 3, 1, 1, 2)
        grid.addWidget(self.trouble, 4, 1, 1, 2)
        grid.setColumnStretch(1, 1)
        for part in (self.found, self.expected, self.trouble):
            part.hide()

    def show_parameter(
        self, typed: Parameter, setting: Setting | None, found: Scalar | None, expected: str
    ) -> None:
        """Show what is typed, the setting it makes, what was found of it, and what was expected."""
        if typed != self._shown or not self.line.isModified():
            text = str(typed.fact).removesuffix(" ± 0") if typed.fact is not None else ""
            text = text.replace(" ± 0 ", " ") if typed.fact and not typed.fact.u else text
            self.line.setText(text.replace(".", decimal_mark()))
            self.line.setModified(False)
        self._shown = typed
        free = setting.free if setting is not None else typed.free
        self.free.setChecked(free)
        self.line.setPlaceholderText(self._hint(setting, free))
        self._unit = self._unit_of(setting)
        value = found.value if found is not None else (setting.value if setting else 0.0)
        if setting is not None and free and found is not None:
            factor = DEGREE if self._unit.symbol == "°" else 1.0
            said = format_estimate(
                found.value / factor, found.u / factor, self._shown_unit(setting)
            )
            self.found.setText(said)
        self.found.setVisible(bool(setting is not None and free and found is not None))
        self.expected.setText(expected)
        self.expected.setVisible(bool(expected))
        self._complain("")
        self._span(value, setting)

    def _shown_unit(self, setting: Setting) -> str:
        return self._unit.symbol or setting.unit

    def _unit_of(self, setting: Setting | None) -> Unit:
        if self.kind is not None:
            symbol = "°" if self.kind.kind == "angle" else SI_SYMBOL[self.kind.kind]
            return unit_of(self.kind.kind, symbol)
        return Unit(setting.unit if setting is not None else "", "number", 1.0)

    def _hint(self, setting: Setting | None, free: bool) -> str:
        if free:
            return words.MODEL_UNKNOWN
        if setting is not None and setting.fact is not None:
            return str(setting.fact).replace(".", decimal_mark())
        return words.MODEL_TYPED_HINT

    def _span(self, value: float, setting: Setting | None) -> None:
        """What the slider goes through: about its value, not below what physics allows."""
        reach = abs(value) or 1.0
        least = setting.least if setting is not None else -math.inf
        self._low = max(value - reach, least) if math.isfinite(least) else value - reach
        self._high = value + reach
        place = round(STEPS * (value - self._low) / (self._high - self._low))
        self.slider.blockSignals(True)
        self.slider.setValue(place)
        self.slider.blockSignals(False)
        self.slider.setEnabled(setting is not None)

    def _complain(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))
        self.line.setProperty("wrong", "true" if why else "false")
        self.line.style().polish(self.line)

    @property
    def value(self) -> float:
        """Where the slider stands, in SI."""
        return self._low + (self._high - self._low) * self.slider.value() / STEPS

    def _moved(self) -> None:
        self.tried.emit(self.value)
        if not self.slider.isSliderDown():
            self._pause.start()

    def _settle(self) -> None:
        """The slider rests: its value is what the parameter is from now on."""
        self._pause.stop()
        size = self._unit.from_si(self.value)
        typed = float(f"{size:.4g}")
        if self._shown is not None:
            fact = Fact(typed, 0.0, Meaning.EXACT, self._unit)
            self.edited.emit(Parameter(self.symbol, fact, False, self._shown.unit))

    def _give_up(self) -> None:
        self._pause.stop()
        self.given_up.emit()

    def _take(self) -> None:
        if not self.line.isModified() or self._shown is None:
            return
        text = self.line.text().strip()
        try:
            fact = parse_value(text, self.kind) if text else None
        except InertianError as error:
            self._complain(str(error))
            return
        self.line.setModified(False)
        free = self._shown.free and fact is None
        self.edited.emit(Parameter(self.symbol, fact, free, self._shown.unit, self._shown.spelled))

    def _free(self, on: bool) -> None:
        if self._shown is not None:
            one = self._shown
            self.edited.emit(Parameter(one.symbol, one.fact, on, one.unit, one.spelled))


class _Slider(QSlider):
    """A slider that gives up with Esc, and leaves the wheel to the pane."""

    given_up = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Esc drops what is tried."""
        if event.key() == Qt.Key.Key_Escape:
            self.given_up.emit()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Qt: leave the wheel to the pane."""
        event.ignore()
