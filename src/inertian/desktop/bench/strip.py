"""One strip of the bench: a quantity against time, for all bodies of the trial in hand."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from inertian.desktop.bench.bench_parts import BenchInterface
from inertian.desktop.bench.strip_plot import StripPlot
from inertian.desktop.bench.trace_items import DrawnTrace
from inertian.desktop.bench.traces import Trace
from inertian.desktop.look import words
from inertian.desktop.look.labels import BodyLabel, MenuButton, tight_column
from inertian.desktop.look.tokens import AXIS_WIDTH, STRIP_LEAST, Theme
from inertian.desktop.state.document import Document
from inertian.physics.definitions.requests import QuantityRef
from inertian.quantities.estimates import Array

LEGEND_WIDTH = 140  # px, of a body above a plot


class Strip(QWidget):
    """A titled plot of one quantity; `residuals` says that it shows what fitted curves leave of
    it.
    """

    def __init__(
        self,
        document: Document,
        theme: Theme,
        bench: BenchInterface,
        shown: QuantityRef,
        residuals: bool = False,
    ) -> None:
        super().__init__()
        self.theme, self.bench, self.shown, self.residuals = theme, bench, shown, residuals
        self.traces: list[Trace] = []
        self.plot = StripPlot(document, theme, self)
        self.setMinimumHeight(STRIP_LEAST)
        self.title = MenuButton(theme, "title")
        name = words.strip_title(shown)
        self.title.setText(
            words.RESIDUALS_OF.format(title=name[:1].lower() + name[1:]) if residuals else name
        )
        self.title.setToolTip(words.STRIP_TIP)
        self.title.setAccessibleName(f"{self.title.text()}: {words.STRIP_TIP}")
        self.title.clicked.connect(self._ask_quantity)
        self.unit = MenuButton(theme, "unit")
        self.unit.setToolTip(words.UNIT_TIP)
        self.unit.setAccessibleName(words.UNIT_TIP)
        self.unit.clicked.connect(self._ask_unit)
        self.why = QLabel()
        self.why.setProperty("role", "soft")
        self.legend = QHBoxLayout()
        self.legend.setSpacing(16)
        head = QHBoxLayout()
        head.setContentsMargins(AXIS_WIDTH - 4, 4, 12, 0)
        head.setSpacing(4)
        for part in (self.title, self.unit, self.why):
            head.addWidget(part)
        head.addStretch(1)
        head.addLayout(self.legend)
        column = tight_column(self)
        column.addLayout(head)
        column.addWidget(self.plot, 1)
        if residuals:
            self.plot.show_level(0.0)
        self._drawn: list[DrawnTrace] = []
        self.show_unit()

    @property
    def seen(self) -> tuple[float, float]:
        """The stretch of time that is seen, in s of the file."""
        low, high = self.plot.getPlotItem().vb.viewRange()[0]
        return float(low), float(high)

    def show_unit(self) -> None:
        """Say the unit the values are in."""
        self.unit.setText(words.STRIP_UNIT.format(unit=self.bench.view.unit(self.shown.unit)))

    def draw(self, traces: list[Trace], why: str = "") -> None:
        """Draw these traces; what has not changed since the last time is left as it is."""
        self.traces = traces
        self.why.setText(why)
        self.why.setVisible(bool(why))
        if [t.key for t in traces] != [d.key for d in self._drawn]:
            self.clear()
            self._drawn = [DrawnTrace(self.plot, self.theme, trace) for trace in traces]
            self._draw_legend(traces)
        for drawn, trace in zip(self._drawn, traces, strict=True):
            drawn.follow(trace)
        self._fit_height(tuple(self.plot.getPlotItem().vb.viewRange()[0]))

    def wait(self, t: Array, why: str) -> None:
        """Say why there is nothing new yet; what is drawn at the same times stays."""
        if any(trace.t is not t for trace in self.traces):
            self.draw([], why)
        self.why.setText(why)
        self.why.show()

    def follow_view(self, span: tuple[float, float]) -> None:
        """Follow the time that is seen."""
        for drawn in self._drawn:
            drawn.follow_view(span)
        self._fit_height(span)
        # Left until it is painted, what moves asks for a second painting
        self.plot.getPlotItem().vb.updateMatrix()
        self.plot.place_flag()

    def _fit_height(self, span: tuple[float, float]) -> None:
        """Let the values between two times fill the height."""
        extents = [extent for drawn in self._drawn if (extent := drawn.extent(span)) is not None]
        if extents:
            low, high = min(e[0] for e in extents), max(e[1] for e in extents)
            room = (high - low) or abs(high) or 1.0
            self.plot.getPlotItem().vb.setYRange(low - 0.05 * room, high + 0.05 * room, padding=0)

    def take(self) -> None:
        """Take this strip in hand: readings are of it."""
        self.bench.view.take(self.shown)

    def clear(self) -> None:
        """Take everything off the plot."""
        for drawn in self._drawn:
            drawn.remove()
        self._drawn = []

    def _draw_legend(self, traces: list[Trace]) -> None:
        while self.legend.count():
            self.legend.takeAt(0).widget().deleteLater()
        for trace in traces:
            name = BodyLabel(self.theme, trace.place, trace.body)
            name.shorten(LEGEND_WIDTH)
            self.legend.addWidget(name)

    def _ask_quantity(self) -> None:
        self.take()
        self.bench.strip_menu(self, None).exec(
            self.title.mapToGlobal(self.title.rect().bottomLeft())
        )

    def _ask_unit(self) -> None:
        menu = self.bench.unit_menu(self.shown.unit)
        if not menu.isEmpty():
            menu.exec(self.unit.mapToGlobal(self.unit.rect().bottomLeft()))
