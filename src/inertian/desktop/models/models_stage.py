"""The models stage: samples with the curves of models, what is left, stepping and accounts, and the
table of models below.
"""

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.models.shown_curves import quantities_of, tried_misfit
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, empty_layout, label, tight_column
from inertian.desktop.look.number_format import format_number, rich
from inertian.desktop.look.tokens import Theme
from inertian.desktop.look.view_strip import ViewStrip
from inertian.desktop.models.account_view import AccountView, SlopesView
from inertian.desktop.models.model_plots import (
    LeftPlot,
    QuantityPlot,
    StepPlots,
)
from inertian.desktop.models.model_table import ROW, ModelTable
from inertian.desktop.state.document import Document
from inertian.desktop.state.models_state import ModelsState
from inertian.physics.definitions.requests import QuantityRef
from inertian.project.model_edits import models_added
from inertian.quantities.errors import InertianError
from inertian.report.figures.description import capital
from inertian.report.model import fit_notes, has_energy, pattern_words

TOP_SHARE, MIDDLE_SHARE, TABLE_SHARE = 46, 34, 20
QUANTITY_WIDTH = 130  # px
TEXT_WIDTH = 520  # px, of the sentence on an empty stage


class ModelsStage(QStackedWidget):
    """The models of the trial in hand."""

    spoken = pyqtSignal(str)
    remove_wanted = pyqtSignal()

    def __init__(self, document: Document, theme: Theme, state: ModelsState) -> None:
        super().__init__()
        self._document, self._theme, self.state = document, theme, state
        self.curves = QuantityPlot(theme, state)
        self.left, self.steps = LeftPlot(theme, state), StepPlots(theme, state)
        self.account, self.slopes = AccountView(theme, state), SlopesView(theme, state)
        self.table = ModelTable(state)
        self._ranged: tuple[QuantityRef | None, str] = None, ""  # what the axes were made for
        self._build()
        state.fitted.connect(self.refresh)
        state.chosen.connect(self.refresh)
        state.tried.connect(self._follow)
        state.progress.connect(self._show_progress)
        self.table.shown_changed.connect(self.curves.refresh)
        self.table.remove_wanted.connect(self.remove_wanted)
        document.changed.connect(self._show_waiting)
        document.selected.connect(self._show_waiting)

    # -- building ----------------------------------------------------------------------------------

    def _build(self) -> None:
        self.parts = QSplitter(Qt.Orientation.Vertical)
        self.parts.setChildrenCollapsible(False)
        self.parts.addWidget(self._build_curves())
        self.parts.addWidget(self._build_views())
        self.parts.addWidget(self._build_table())
        for place, share in enumerate((TOP_SHARE, MIDDLE_SHARE, TABLE_SHARE)):
            self.parts.setStretchFactor(place, share)
        self.parts.setSizes([TOP_SHARE * 7, MIDDLE_SHARE * 7, TABLE_SHARE * 7])
        self.addWidget(self.parts)
        self.addWidget(self._build_empty())

    def _build_curves(self) -> QWidget:
        part = QWidget()
        row = QHBoxLayout()
        row.setContentsMargins(8, 6, 8, 0)
        self.quantity = DropDown(self._theme)
        self.quantity.setAccessibleName(words.MODEL_STRIP)
        self.quantity.setToolTip(words.MODEL_STRIP)
        self.quantity.setMinimumWidth(QUANTITY_WIDTH)
        self.quantity.activated.connect(lambda _k: self._choose_quantity())
        self.said = label("", "soft")
        self.said.setTextFormat(Qt.TextFormat.RichText)
        self.stop = QPushButton(words.MODEL_FIT_STOP)
        self.stop.clicked.connect(self.state.stop)
        self.stop.hide()
        row.addWidget(self.quantity)
        row.addSpacing(8)
        row.addWidget(self.said, 1)
        row.addWidget(self.stop)
        column = tight_column(part)
        column.addLayout(row)
        column.addWidget(self.curves, 1)
        return part

    def _build_views(self) -> QWidget:
        part = QWidget()
        names = (
            words.MODEL_VIEW_LEFT, words.MODEL_VIEW_STEPS, words.MODEL_VIEW_ACCOUNT,
            words.MODEL_VIEW_SLOPES,
        )  # fmt: skip
        shown = (self.left, self.steps, self.account, self.slopes)
        self.strip = ViewStrip(tuple(zip(names, words.MODEL_VIEW_TIPS, shown, strict=True)))
        self.strip.chosen.connect(self.show_view)
        self.views, self.view_buttons, row = self.strip.stack, self.strip.buttons, self.strip.row
        self.view_said = label("", "soft")
        self.view_said.setTextFormat(Qt.TextFormat.RichText)
        row.addSpacing(12)
        row.addWidget(self.view_said, 1)
        column = tight_column(part)
        column.addWidget(self.strip)
        column.addWidget(self.views, 1)
        return part

    def _build_table(self) -> QWidget:
        part = QWidget()
        self.table.setMinimumHeight(2 * ROW)
        self.notes = label("", "soft")
        self.notes.setWordWrap(True)
        self.notes.setContentsMargins(8, 4, 8, 6)
        self.notes.hide()
        column = tight_column(part)
        column.addWidget(self.table, 1)
        column.addWidget(self.notes)
        return part

    def _build_empty(self) -> QWidget:
        self.empty = QWidget()
        self.empty_text = label(words.MODEL_NONE_YET, "heading")
        self.empty_text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty_text.setWordWrap(True)
        self.empty_text.setFixedWidth(TEXT_WIDTH)
        self.offers = QHBoxLayout()
        column = QVBoxLayout(self.empty)
        column.addStretch(2)
        column.addWidget(self.empty_text, alignment=Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(12)
        column.addLayout(self.offers)
        column.addStretch(3)
        return self.empty

    # -- for Qt ------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: work out what is not known yet."""
        super().showEvent(event)
        self.state.show()
        self._show_waiting()

    def hideEvent(self, event: QHideEvent) -> None:
        """Qt: nobody looks."""
        super().hideEvent(event)
        self.state.hide()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        for part in (self.curves, self.left, self.steps):
            part.restyle()
        self.refresh()

    # -- showing -----------------------------------------------------------------------------------

    def _known(self) -> bool:
        entry, known = self.state.entry, self.state.known_for
        return entry is not None and known == (self._document.committed, entry.trial.id)

    def _show_waiting(self) -> None:
        if self.isVisible() and not self._known():
            self.refresh()

    def refresh(self) -> None:
        """Show the models as they are known."""
        state = self.state
        if not state.models:
            self._show_empty()
            return
        self.setCurrentWidget(self.parts)
        self.table.refresh()
        result = state.result
        self._show_choices(quantities_of(result) if result is not None else [])
        for part in (self.left, self.steps, self.account, self.slopes):
            part.refresh()
        self.stop.setVisible(not self._known())
        self._say()

    def _show_empty(self) -> None:
        self.setCurrentWidget(self.empty)
        entry = self.state.entry
        empty_layout(self.offers)
        if entry is None or not entry.trial.followed:
            self.empty_text.setText(words.MODEL_NO_BODIES)
            return
        known = self._known()
        self.empty_text.setText(words.MODEL_NONE_YET if known else words.MODEL_WAIT)
        self.offers.addStretch(1)
        for model in self.state.ready if known else ():
            button = QPushButton(model.name)
            button.clicked.connect(lambda _checked, model=model: self._take(model.name))
            self.offers.addWidget(button)
        self.offers.addStretch(1)

    def _take(self, name: str) -> None:
        """Put the ready models up to the chosen one beside the trial, the chosen one in hand."""
        entry = self.state.entry
        model = next(m for m in self.state.ready if m.name == name)
        if entry is not None:
            self.state.name = name
            self._document.do(models_added(self._document.committed, entry.trial.id, [model]))

    def _show_choices(self, offered: list[QuantityRef]) -> None:
        have = [self.quantity.itemData(k) for k in range(self.quantity.count())]
        if offered and have != offered:
            before = self.quantity.currentData()
            self.quantity.clear()
            for one in offered:
                self.quantity.addItem(words.strip_title(one), one)
            self.quantity.setCurrentIndex(offered.index(before) if before in offered else 0)
        self._choose_quantity()

    def _choose_quantity(self) -> None:
        self.curves.show_quantity(self.quantity.currentData())
        entry = self.state.entry
        now = (self.curves.shown, entry.trial.id if entry is not None else "")
        if now != self._ranged:
            self._ranged = now
            self.curves.plot.autoRange()

    def _say(self) -> None:
        state = self.state
        answer = state.answer
        if state.model is None or not self._known():
            self.said.setText(words.MODEL_WAIT)
        elif isinstance(answer, InertianError):
            self.said.setText(rich(str(answer)))
        elif answer is not None:
            what = pattern_words(answer)
            said = words.MODEL_SAYS.format(name=state.model.name, what=what)
            self.said.setText(rich(said if answer.trial.made.samples else words.MODEL_NO_SAMPLES))
        self.said.setToolTip("\n".join(state.said))
        known = answer is not None and not isinstance(answer, InertianError) and self._known()
        notes = fit_notes(answer) if known else []  # type: ignore[arg-type]
        self.notes.setText(" ".join(f"{capital(note)}." for note in notes))
        self.notes.setVisible(bool(notes))
        self._say_of_view()

    def _say_of_view(self) -> None:
        result, said = self.state.result, ""
        view = self.views.currentWidget()
        if result is not None and view is self.steps and not result.stepping.follows:
            said = words.MODEL_RUNS_AWAY
        elif result is not None and view is self.steps:
            energy = ""
            if has_energy(result):
                drift = f"{format_number(result.stepping.energy, 2)} J"
                energy = words.MODEL_STEPS_ENERGY.format(energy=drift)
            ratio = result.stepping.halved
            closer = (
                "" if ratio is None else words.MODEL_HALVED.format(ratio=format_number(ratio, 2))
            )
            said = words.MODEL_STEPS_SAID.format(
                off=f"{format_number(result.stepping.position, 2)} m",
                energy=energy,
                halved=closer,
            )
        elif result is not None and view is self.left:
            # Where curves are apart, as it is without data, is a long sentence: the margin has it
            said = rich("; ".join(self.state.said[:1])) if result.trial.made.samples else ""
        self.view_said.setText(said)

    def _show_progress(self, runs: int) -> None:
        if not self._known():
            self.said.setText(words.MODEL_FITTING.format(done=runs))

    def _follow(self) -> None:
        """A slider moves."""
        self.curves.follow()
        state = self.state
        if state.tried_motion is None or state.result is None:
            self._say()
            return
        with np.errstate(all="ignore"):
            chi = tried_misfit(state.result, state.tried_motion, state.tried_values)
        if not np.isfinite(chi):
            self.said.setText(words.MODEL_RUNS_AWAY)
            return
        best = format_number(state.result.fit.chi_squared, 3)
        self.said.setText(words.MODEL_TRIED.format(chi=format_number(chi, 3), best=best))

    def show_view(self, name: str) -> None:
        """Show what is left, the stepping, the account or the slopes."""
        self.strip.show_view(name)
        self._say_of_view()
