"""The bench: strips under one another on one time axis, and the span rail over them."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.bench.bench_menus import span_menu, strip_menu, unit_menu
from inertian.desktop.bench.gestures import Handle
from inertian.desktop.bench.line_readings import flag_text
from inertian.desktop.bench.pyramid import LONG
from inertian.desktop.bench.span_rail import SpanRail
from inertian.desktop.bench.strip import Strip
from inertian.desktop.bench.traces import Points, residual_traces, traces_of
from inertian.desktop.look import words
from inertian.desktop.look.labels import tight_column
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.view_state import ViewState
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array

if TYPE_CHECKING:
    from inertian.desktop.bench.xy_plot import XYPlot

Key = tuple[QuantityRef, bool]  # a quantity, and whether its residuals are shown
Predictions = Callable[[Entry, QuantityRef], Sequence[tuple[Array, Array, Array]]]
READ_MS = 15  # the plumb line moves at once; what it reads follows after this
LEAST_SHOWN = 12  # samples around a place that is shown
ZOOMS = 40  # kept, for going back


class BenchStage(QWidget):
    """Shows the trial in hand and lets it be marked; numbers follow while an edge moves."""

    spoken = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self.view = ViewState(document)
        self._trial: tuple[object, ...] = ()
        self._strips: dict[Key, Strip] = {}
        # What models predict for a strip: times, values in SI and their u, for each body
        self.predictions: Predictions = lambda _entry, _shown: []
        self.results_ready = False  # until then nothing is derived: the first picture must not wait
        self._live: Handle | None = None
        self._zooms: list[tuple[float, float]] = []
        self.rail = SpanRail(document, theme, self.view)
        self.rail.active_changed.connect(self._follow_active)
        self.rail.troubled.connect(self.say)
        self.rail.menu_wanted.connect(lambda name, at: span_menu(self, document, name).exec(at))
        self._column = QSplitter(Qt.Orientation.Vertical)
        self._column.setChildrenCollapsible(False)
        self._column.setObjectName("ledgerBody")
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(self._column)
        self._ask = _Ask(words.NO_SPANS, words.NO_SPANS_BUTTON)
        self._side: XYPlot | None = None  # made when it is first shown
        left = QWidget()
        column = tight_column(left)
        column.addWidget(self.rail)
        column.addWidget(self._ask)
        column.addWidget(self._scroll, 1)
        self._row = QSplitter(Qt.Orientation.Horizontal)
        self._row.setChildrenCollapsible(False)
        self._row.addWidget(left)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._row)
        self._scroll.verticalScrollBar().rangeChanged.connect(self._align_rail)
        self.mark_spans = self._ask.button.clicked
        self._read_soon = once_after(self, READ_MS, self._read_line)
        document.changed.connect(self.refresh)
        document.selected.connect(self.refresh)
        document.previewed.connect(self.refresh)
        self.view.turned.connect(self.refresh)
        self.view.line_moved.connect(self._show_line)

    @property
    def side(self) -> "XYPlot":
        """One quantity against another, beside the strips."""
        if self._side is None:
            from inertian.desktop.bench.xy_plot import XYPlot

            self._side = XYPlot(self._document, self._theme, self.view)
            self._side.hide()
            self._row.addWidget(self._side)
            self._row.setSizes([500, 300])
        return self._side

    def strip(self, quantity: str, axis: str = "", residuals: bool = False) -> Strip:
        """Return the strip of a quantity along an axis. Raises KeyError."""
        return self._strips[QuantityRef(Quantity(quantity), axis), residuals]

    def strips(self) -> list[Strip]:
        """Return the strips in their order."""
        return list(self._strips.values())

    def say(self, text: str) -> None:
        """Say something in the status line."""
        self.spoken.emit(text)

    def mark_live(self, handle: Handle | None) -> None:
        """Show one edge as taken, in every strip and on the rail."""
        if handle != self._live:
            self._live = handle
            self.rail.hovered = handle
            self.rail.update()
            self._show_bands()

    def _follow_active(self) -> None:
        self.mark_live(self.rail.active)
        self.view.turned.emit()

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the trial in hand as it is now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        trial = entry.trial
        self._lay_out(self._wanted(entry))
        recording = (trial.id, trial.t[0], trial.t[-1])
        if self._trial != recording:
            self._trial = recording
            self._zooms = []
            self.show_all()
        self._ask.setVisible(not entry.spans)
        # Numbers and bands follow; long curves when let go
        held = self._document.previewing and len(trial.t) > LONG
        if not held:
            for (shown, residuals), strip in self._strips.items():
                strip.show_unit()
                if residuals:
                    strip.draw(residual_traces(self._document, self.view, entry, shown))
                else:
                    self._draw(strip, entry, shown)
            if self._side is not None:
                self._side.refresh()
            self._show_line()
        self._show_bands()
        self.rail.refresh()

    def _draw(self, strip: Strip, entry: Entry, shown: QuantityRef) -> None:
        """Draw samples at once, and what is derived as soon as it is there."""
        strip.plot.show_curves(self._predicted(entry, shown))
        document, ready = self._document, self.results_ready
        if shown.quantity in (Quantity.POSITION, Quantity.SENSOR):
            # The first picture does not wait for fits
            strip.draw(*traces_of(document, self.view, entry, shown, ready))
        elif ready and not document.awaits(entry, self.view.drawn(shown)):
            strip.draw(*traces_of(document, self.view, entry, shown))
            document.mark_derived(document.project, entry, ())
        else:
            strip.wait(entry.used_trial.t, words.DERIVING)

    def _predicted(self, entry: Entry, shown: QuantityRef) -> list[Points]:
        """What the model in hand predicts for a strip, with its band, body by body."""
        factor, found = self.view.factor(shown.unit), []
        for t, y, u in self.predictions(entry, shown):
            for edge in (0.0, -2.0, 2.0):
                found.append((t, factor * (y + edge * u)))
        return found

    def _wanted(self, entry: Entry) -> list[Key]:
        wanted: list[Key] = []
        fitted = {c.shown for c in entry.curves}
        for shown in self.view.shown_strips():
            wanted.append((shown, False))
            if shown in fitted:
                wanted.append((shown, True))
        return wanted

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: show what changed while another stage was in front."""
        super().showEvent(event)
        self.refresh()

    def _lay_out(self, wanted: list[Key]) -> None:
        if wanted == list(self._strips):
            return
        seen_range = self._range()
        old, self._strips = self._strips, {}
        for place, key in enumerate(wanted):
            strip = old.pop(key, None) or Strip(self._document, self._theme, self, *key)
            self._strips[key] = strip
            self._column.insertWidget(place, strip)
            self._column.setStretchFactor(place, 1 if key[1] else 2)
        for strip in old.values():
            strip.hide()
            strip.setParent(None)
            strip.deleteLater()
        strips = list(self._strips.values())
        for strip in strips:
            strip.plot.setXLink(None)
            strip.plot.getPlotItem().vb.setMouseEnabled(x=True, y=False)
        if not strips:
            return
        first = strips[0]
        for strip in strips[1:]:
            strip.plot.setXLink(first.plot)
        box = first.plot.getPlotItem().vb
        if not first.property("leads"):
            box.sigXRangeChanged.connect(self._lead(first))
            first.setProperty("leads", True)
        self._column.setMinimumHeight(sum(s.minimumHeight() + 5 for s in strips))
        if seen_range is not None:
            box.setXRange(*seen_range, padding=0)

    def _lead(self, strip: Strip) -> Callable[[object, tuple[float, float]], None]:
        """What the rail does while this strip is the first."""

        def follow(_box: object, span: tuple[float, float]) -> None:
            if self._strips and next(iter(self._strips.values())) is strip:
                self.rail.show_range(*span)

        return follow

    def _show_bands(self) -> None:
        entry = self._document.entry
        if entry is not None:
            for strip in self._strips.values():
                strip.plot.bands.show_spans(entry.spans, self._live)
                strip.plot.show_dates(entry.dates)

    def _show_line(self) -> None:
        """The line goes where it is wanted at once; what it reads may follow a little later."""
        for strip in self._strips.values():
            strip.plot.show_line(self.view.line, self.view.pins, strip.plot.flag.text())
        self.rail.update()
        self._read_soon.start()

    def _read_line(self) -> None:
        entry, line = self._document.entry, self.view.line
        if entry is None or line is None or self._document.previewing:
            return
        if self._document.awaits(entry):
            return
        for strip in self._strips.values():
            text = (
                ""
                if strip.residuals
                else flag_text(self._document, self.view, entry, strip.shown, line)
            )
            strip.plot.show_line(line, self.view.pins, text)

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        for strip in self._strips.values():
            strip.plot.restyle()
            strip.clear()
        if self._side is not None:
            self._side.restyle()
        self.refresh()

    def _align_rail(self, _low: int, high: int) -> None:
        """A scroll bar makes strips narrower; the rail stays over them."""
        self.rail.keep_clear(self._scroll.verticalScrollBar().sizeHint().width() if high > 0 else 0)

    # -- what is seen ------------------------------------------------------------------------------

    def _range(self) -> tuple[float, float] | None:
        if not self._strips:
            return None
        return tuple(next(iter(self._strips.values())).plot.getPlotItem().vb.viewRange()[0])

    def show_all(self) -> None:
        """Show the whole trial."""
        entry = self._document.entry
        if entry is not None and self._strips:
            self._show_times(float(entry.trial.t[0]), float(entry.trial.t[-1]), 0.02)

    def show_contact(self) -> None:
        """Show the contact and a little of what surrounds it."""
        entry = self._document.entry
        if entry is not None and entry.spans.contact and self._strips:
            self._show_times(entry.spans.contact.start, entry.spans.contact.stop, 2.0)

    def show_span(self, name: str = "") -> None:
        """Show a span, by default the one in hand, and a little around it."""
        entry, name = self._document.entry, name or self.rail.span_in_hand()
        if entry is None or not any(s.name == name for s in entry.spans):
            self.say(words.NOT_A_SPAN)
            return
        span = entry.spans.named(name)
        self._show_times(span.start, span.stop, 0.1)

    def show_place(self, body: str, span: str, start: float | None, stop: float | None) -> None:
        """Show a stretch of time in s and a little around it, a body and a span in hand, with the
        plumb line in its middle.
        """
        entry = self._document.entry
        if entry is None:
            return
        if body in [b.name for b in entry.trial.bodies]:
            self.view.take(None, body)
        if start is None or stop is None:
            if any(s.name == span for s in entry.spans):
                self.show_span(span)
            return
        least = LEAST_SHOWN * entry.trial.step()
        middle, half = 0.5 * (start + stop), 0.5 * max(stop - start, least)
        if self._strips:
            self._show_times(middle - half, middle + half, 0.5)
            self.view.move_line(middle)

    def zoom_back(self) -> None:
        """Show what was seen before the last jump."""
        if self._zooms:
            start, stop = self._zooms.pop()
            next(iter(self._strips.values())).plot.getPlotItem().vb.setXRange(
                start, stop, padding=0
            )

    def _show_times(self, start: float, stop: float, padding: float) -> None:
        first, now = next(iter(self._strips.values())).plot.getPlotItem().vb, self._range()
        if now is not None:
            self._zooms = [*self._zooms[-ZOOMS:], now]
        first.setXRange(start, stop, padding=padding)
        self.rail.show_range(*first.viewRange()[0])

    # -- strips ------------------------------------------------------------------------------------

    def strip_menu(self, strip: Strip, handle: Handle | None) -> QMenu:
        """Return the menu of a strip, with that of a span first if one is under the pointer."""
        menu = strip_menu(self, self._document, strip)
        if handle is not None:
            first = menu.actions()[0] if menu.actions() else None
            inner = span_menu(self, self._document, handle.span)
            inner.setParent(menu, inner.windowFlags())
            menu.insertMenu(first, inner)
            menu.insertSeparator(first)
        return menu

    def unit_menu(self, si: str) -> QMenu:
        """Return the menu of units that a quantity can be shown in."""
        return unit_menu(self, si)

    def toggle_side(self, on: bool) -> None:
        """Show or hide one quantity against another."""
        if on or self._side is not None:
            self.side.setVisible(on)
            self.side.refresh()

    def trouble(self, error: InertianError) -> None:
        """Say why something cannot be done."""
        self.say(str(error))


class _Ask(QWidget):
    """One sentence on what to do next, and the button that does it."""

    def __init__(self, text: str, button: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 16, 8)
        row.setSpacing(16)
        row.addWidget(QLabel(text))
        self.button = QPushButton(button)
        row.addWidget(self.button)
        row.addStretch(1)
        self.setVisible(False)
