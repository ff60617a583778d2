"""The tidy page of the margin: the steps of the trial in hand, what each does, and ways to add
one.
"""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, empty_layout, label, rule
from inertian.desktop.look.number_format import format_time
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.pages.frame_form import FrameForm
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import FormulaPreview, ViewState
from inertian.desktop.state.worker import Worker
from inertian.motion.numerics.outliers import THRESHOLD
from inertian.motion.recording.tidying import Effect, Reason, StepKind, jump_rows
from inertian.motion.recording.trials import Trial
from inertian.project.project import Entry
from inertian.project.tidying_edits import (
    gap_bridged,
    jumps_set_aside,
    step_removed,
    step_switched,
    trimmed,
)
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Rows
from inertian.quantities.facts import parse_fact
from inertian.quantities.units import unit_of


def said_of(effect: Effect, trial: Trial, zero: float = 0.0) -> str:
    """Return in words what a step does to a trial."""
    step, many = effect.step, len(trial.bodies) > 1
    names = ", ".join(
        f"{n} {body}" if len(effect.counts) > 1 else body for body, n in effect.counts.items()
    )
    of = words.STEP_OF.format(bodies=names) if many and names else ""
    if not step.on:
        return words.STEP_OFF.format(what=words.STEP_NAMES[step.kind].format(reason=step.reason))
    if step.kind is StepKind.JUMPS:
        return words.STEP_JUMPS.format(
            count=effect.total, threshold=f"{step.threshold:g}".replace(".", decimal_mark()), of=of
        )
    if step.kind is StepKind.TRIM:
        (first, last), t = step.runs[0], trial.t
        inside = (float(t[min(max(k, 0), len(t) - 1)]) - zero for k in (first, last))
        start, stop = (format_time(time, trial.step()) for time in inside)
        return words.STEP_TRIM.format(count=effect.total, start=start, stop=stop)
    if step.kind is StepKind.EXCHANGE:
        count = max(effect.counts.values(), default=0)
        return words.STEP_EXCHANGE.format(one=step.body, other=step.other, count=count)
    if step.kind is StepKind.BRIDGE:
        return words.STEP_BRIDGE.format(count=effect.total, of=of)
    text = words.STEP_SET_ASIDE_ONE if effect.total == 1 else words.STEP_SET_ASIDE
    return text.format(count=effect.total, reason=step.reason, of=of)


class TidyPage(QScrollArea):
    """Shows tidy steps and frame; every change is one edit."""

    def __init__(self, document: Document, theme: Theme, view: ViewState, worker: Worker) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme, self._view, self._worker = document, theme, view, worker
        self.checks: list[QCheckBox] = []
        self._shown: tuple[object, ...] = ()
        body = QWidget()
        body.setObjectName("marginBody")
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(12, 12, 12, 12)
        self._column.setSpacing(6)
        self._column.addWidget(label(words.TIDY, "heading"))
        self._steps = QVBoxLayout()
        self._steps.setSpacing(2)
        self._column.addLayout(self._steps)
        self._build_by_hand()
        self._build_jumps()
        self._build_trim()
        self._column.addSpacing(6)
        self._column.addWidget(rule())
        self.frame = FrameForm(document, theme, view)
        self._column.addWidget(self.frame)
        self._column.addStretch(1)
        self.setWidget(body)
        for signal in (document.changed, document.selected, view.turned):
            signal.connect(self.refresh)
        view.line_moved.connect(self._follow_line)
        document.selected.connect(self._forget_jumps)

    # -- building ----------------------------------------------------------------------------------

    def _build_by_hand(self) -> None:
        self.mouse = QPushButton(words.MOUSE_SETS_ASIDE)
        self.mouse.setCheckable(True)
        self.mouse.toggled.connect(self._set_mouse)
        self.reason = DropDown(self._theme)
        self.reason.setEditable(True)
        self.reason.setInsertPolicy(self.reason.InsertPolicy.NoInsert)
        self.reason.setToolTip(words.REASON_TIP)
        self.reason.setAccessibleName(words.REASON_LABEL)
        for reason in Reason:
            self.reason.addItem(words.REASONS[reason], str(reason))
        self.reason.activated.connect(lambda: self._set_reason(self.reason.currentData()))
        self.reason.lineEdit().editingFinished.connect(self._take_reason)
        self._column.addSpacing(4)
        self._column.addWidget(self.mouse)
        self._column.addWidget(label(words.REASON_LABEL, "soft"))
        self._column.addWidget(self.reason)

    def _build_jumps(self) -> None:
        self.threshold = QLineEdit(f"{THRESHOLD:g}")
        self.threshold.setFixedWidth(56)
        self.threshold.setAccessibleName(words.JUMPS_LABEL)
        self.find_jumps_button = QPushButton(words.JUMPS_FIND)
        self.apply = QPushButton(words.JUMPS_APPLY)
        self.found = label("", "small")
        self.found.setWordWrap(True)
        self.find_jumps_button.clicked.connect(self._find_jumps)
        self.threshold.returnPressed.connect(self._find_jumps)
        self.apply.clicked.connect(self._apply_jumps)
        self._column.addSpacing(4)
        self._column.addWidget(label(words.JUMPS_LABEL, "soft"))
        row = QHBoxLayout()
        for part in (self.threshold, self.find_jumps_button):
            row.addWidget(part)
        row.addStretch(1)
        self._column.addLayout(row)
        self._column.addWidget(self.found)
        self._column.addWidget(self.apply)
        self._forget_jumps()

    def _build_trim(self) -> None:
        grid = QGridLayout()
        self.trim_from, self.trim_to = QLineEdit(), QLineEdit()
        self.trim = QPushButton(words.TRIM_BUTTON)
        self.trim.clicked.connect(self._trim)
        for place, (text, field) in enumerate(
            ((words.TRIM_FROM, self.trim_from), (words.TRIM_TO, self.trim_to))
        ):
            field.setAccessibleName(text)
            field.setFixedWidth(58)
            grid.addWidget(label(text, "soft"), 0, 2 * place)
            grid.addWidget(field, 0, 2 * place + 1)
        grid.addWidget(label("s", "soft"), 0, 4)
        grid.setColumnStretch(4, 1)
        self._column.addSpacing(4)
        self._column.addLayout(grid)
        row = QHBoxLayout()
        self.bridge = QPushButton(words.BRIDGE_BUTTON)
        self.bridge.clicked.connect(self.bridge_gap)
        row.addWidget(self.trim)
        row.addWidget(self.bridge)
        row.addStretch(1)
        self._column.addLayout(row)
        self.trouble = label("", "alarm")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        self._column.addWidget(self.trouble)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the steps of the trial in hand as they are now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        self._show_steps(entry)
        self.mouse.setChecked(self._view.setting_aside)
        if not self.reason.lineEdit().hasFocus():
            place = self.reason.findData(self._view.reason)
            if place >= 0:
                self.reason.setCurrentIndex(place)
            else:
                self.reason.setEditText(self._view.reason)
        self._follow_line()
        self.frame.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: show what changed while another page was in front."""
        super().showEvent(event)
        self._shown = ()
        self.refresh()

    def _show_steps(self, entry: Entry) -> None:
        effects = entry.prepared.effects
        said = tuple(said_of(effect, entry.trial, entry.frame.time_zero) for effect in effects)
        mended = ("put in order", "the time of another")
        told = tuple(
            u for u in entry.trial.provenance.understood if any(part in u for part in mended)
        )
        key = (entry.trial.id, entry.steps, said, told)
        if key == self._shown:
            return
        self._shown = key
        self.checks = []
        empty_layout(self._steps)
        for place, (effect, text) in enumerate(zip(effects, said, strict=True)):
            self._steps.addLayout(self._step_row(place, effect, text))
        for line in told:
            note = label(words.AT_READING.format(what=line), "small")
            note.setWordWrap(True)
            self._steps.addWidget(note)
        if not effects:
            none = label(words.NO_STEPS, "soft")
            none.setWordWrap(True)
            self._steps.addWidget(none)

    def _step_row(self, place: int, effect: Effect, text: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        check = QCheckBox()
        check.setChecked(effect.step.on)
        check.setAccessibleName(text)
        check.toggled.connect(partial(self._switch, place))
        self.checks.append(check)
        what = label(text, "" if effect.step.on else "soft")
        what.setWordWrap(True)
        what.setTextFormat(Qt.TextFormat.PlainText)
        gone = QToolButton()
        gone.setText("×")
        gone.setProperty("role", "small")
        gone.setAccessibleName(f"× {text}")
        gone.clicked.connect(partial(self._remove, place))
        row.addWidget(check, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(what, 1)
        row.addWidget(gone, 0, Qt.AlignmentFlag.AlignTop)
        return row

    def _follow_line(self) -> None:
        self.bridge.setEnabled(self._view.line is not None)
        self.frame.follow_line()

    def _complain(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))

    # -- asking for edits --------------------------------------------------------------------------

    def _switch(self, place: int, on: bool) -> None:
        entry = self._document.entry
        self._document.do(step_switched(self._document.committed, entry.trial.id, place, on))

    def _remove(self, place: int) -> None:
        entry = self._document.entry
        self._document.do(step_removed(self._document.committed, entry.trial.id, place))

    def _set_mouse(self, on: bool) -> None:
        if self._view.setting_aside != on:
            self._view.setting_aside = on
            self._view.turned.emit()

    def _take_reason(self) -> None:
        text = self.reason.currentText().strip()
        known = self.reason.findText(text)
        self._set_reason(self.reason.itemData(known) if known >= 0 else text)

    def _set_reason(self, reason: str) -> None:
        if reason and reason != self._view.reason:
            self._view.reason = reason
            self._view.turned.emit()

    def _threshold(self) -> float | None:
        text = self.threshold.text()
        try:
            value = parse_fact(text, "number", unit_of("number", "")).si
        except InertianError:
            value = 0.0
        self._complain("" if value > 0.0 else words.NUMBER_WRONG.format(text=text))
        return value if value > 0.0 else None

    def _find_jumps(self) -> None:
        entry, threshold = self._document.entry, self._threshold()
        if entry is None or threshold is None:
            return
        trial, aside = entry.trial, entry.prepared.aside

        def work() -> dict[str, Rows]:
            return {
                b.name: jump_rows(trial, b.name, threshold, aside.get(b.name))
                for b in trial.followed
            }

        self._worker.run(
            "jumps",
            work,
            partial(self._show_jumps, trial.id),
            lambda error: self._complain(str(error)),
        )

    def _show_jumps(self, trial: str, rows: dict[str, Rows]) -> None:
        entry = self._document.entry
        if entry is None or entry.trial.id != trial:
            return
        parts = [words.JUMPS_PART.format(count=len(r), body=b) for b, r in rows.items() if len(r)]
        self.found.setText(
            words.JUMPS_FOUND.format(parts=", ".join(parts)) if parts else words.JUMPS_NONE
        )
        self.found.show()
        self.apply.setVisible(bool(parts))
        self._view.set_previews(tuple(FormulaPreview(b, r) for b, r in rows.items() if len(r)))

    def _apply_jumps(self) -> None:
        entry, threshold = self._document.entry, self._threshold()
        if entry is not None and threshold is not None:
            self._forget_jumps()
            self._document.do(jumps_set_aside(self._document.committed, entry.trial.id, threshold))

    def _forget_jumps(self) -> None:
        self.found.hide()
        self.apply.hide()
        if self._view.previews:
            self._view.set_previews(())

    def _trim(self) -> None:
        entry = self._document.entry
        if entry is None:
            return
        zero, seconds = entry.frame.time_zero, unit_of("time", "s")
        ends = [float(entry.trial.t[0]) - zero, float(entry.trial.t[-1]) - zero]
        try:
            for place, field in enumerate((self.trim_from, self.trim_to)):
                if field.text().strip():
                    ends[place] = parse_fact(field.text(), "time", seconds).si
            edit = trimmed(self._document.committed, entry.trial.id, ends[0] + zero, ends[1] + zero)
        except InertianError as error:
            self._complain(str(error))
            return
        self._complain("")
        self._document.do(edit)

    def bridge_gap(self) -> None:
        """Draw through the gap at the plumb line, for the body in hand, else the first that has one
        there.
        """
        entry, line = self._document.entry, self._view.line
        if entry is None or line is None:
            self._complain(words.NO_LINE)
            return
        _, body = self._view.in_hand()
        trouble = ""
        for name in dict.fromkeys((body, *(b.name for b in entry.trial.followed))):
            try:
                edit = gap_bridged(self._document.committed, entry.trial.id, name, line)
            except InertianError as error:
                trouble = trouble or str(error)
            else:
                self._complain("")
                self._document.do(edit)
                return
        self._complain(trouble)
