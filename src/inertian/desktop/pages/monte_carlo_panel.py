"""The part of a card that checks a result by Monte Carlo: on request, with progress, and to be
stopped.
"""

import math
from collections.abc import Callable
from threading import Event

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QProgressBar, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.number_format import format_number, format_tick, without_markup
from inertian.desktop.state.worker import Worker
from inertian.quantities.errors import InertianError
from inertian.quantities.monte_carlo import Cancelled, Distribution

Progress = Callable[[float], bool]
RunDraws = Callable[[Progress], Distribution]
STEPS = 200


class MonteCarloPanel(QWidget):
    """Runs draws on a worker of its own and says what they tell; `button` starts and stops them."""

    _moved = pyqtSignal(float)

    def __init__(self, unit: str, simulate: RunDraws) -> None:
        super().__init__()
        self._unit, self._simulate, self._worker = unit, simulate, Worker()
        self._stopped, self._running = Event(), False
        self.plain = ""
        self.button = QPushButton(words.SIMULATE)
        self.button.setToolTip(words.SIMULATE_TIP)
        self.button.setAutoDefault(False)
        self.button.clicked.connect(self._press)
        self.bar = QProgressBar()
        self.bar.setRange(0, STEPS)
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.said = label("")
        self.said.setWordWrap(True)
        self.said.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.bar)
        column.addWidget(self.said)
        self._moved.connect(lambda share: self.bar.setValue(round(STEPS * share)))

    def _press(self) -> None:
        if self._running:
            self._stopped.set()
            return
        self._running = True
        self._stopped.clear()
        self.button.setText(words.STOP)
        self.said.hide()
        self.bar.setValue(0)
        self.bar.show()
        self._worker.run("draws", lambda: self._simulate(self._go_on), self._show, self._failed)

    def _go_on(self, share: float) -> bool:
        """Called on the worker's thread."""
        self._moved.emit(share)
        return not self._stopped.is_set()

    def _show(self, found: Distribution) -> None:
        said = [
            words.SIMULATED.format(
                draws=f"{found.draws:,}".replace(",", "\u2009"),
                seed=found.seed,
                u=self._written(found.u, found.u),
                low68=self._written(found.shortest68[0], found.u),
                high68=self._written(found.shortest68[1], found.u),
                low95=self._written(found.shortest95[0], found.u),
                high95=self._written(found.shortest95[1], found.u),
            ),
            words.DOES
            if found.first_order_does
            else words.DOES_NOT.format(
                off=f"{format_number(found.off, 2)} {self._unit}".strip(),
                figure=f"{format_number(2.0 * found.tolerance, 1)} {self._unit}".strip(),
            ),
        ]
        if not found.settled:
            said.append(words.UNSETTLED)
        self._say(" ".join(said))
        self.plain = "\n" + without_markup(" ".join(said))

    def _written(self, value: float, u: float) -> str:
        """A number to the place of the second figure of u."""
        place = 10.0 ** (math.floor(math.log10(u)) - 1) if u > 0.0 else 1.0
        return f"{format_tick(value, place)} {self._unit}".strip()

    def _failed(self, error: BaseException) -> None:
        if not isinstance(error, (InertianError, Cancelled)):
            raise error
        self._say(words.STOPPED if isinstance(error, Cancelled) else str(error))

    def _say(self, text: str) -> None:
        self._running = False
        self.bar.hide()
        self.button.setText(words.SIMULATE)
        self.said.setText(text)
        self.said.show()

    def stop(self) -> None:
        """Stop what runs, and take no more answers."""
        self._stopped.set()
        self._worker.stop()
