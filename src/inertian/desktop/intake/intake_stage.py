"""The intake stage: the file as it is on disk, a live preview under it, and the button that says
what it will do.
"""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.intake.file_view import FileView
from inertian.desktop.intake.intake_desk import IntakeDesk
from inertian.desktop.intake.trace_preview import TracePreview
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label, tight_column
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after


class IntakeStage(QWidget):
    """Shows the file in hand. `wanted` is emitted when its trials are to be brought in."""

    wanted = pyqtSignal()

    def __init__(self, desk: IntakeDesk, document: Document, theme: Theme) -> None:
        super().__init__()
        self._desk, self._document = desk, document
        self.open_button = QPushButton(words.INTAKE_OPEN)
        self.paste_button = QPushButton(words.INTAKE_PASTE)
        self.type_button = QPushButton(words.INTAKE_TYPE)
        self.heading = label("", "heading")
        self.file, self.trial = DropDown(theme), DropDown(theme)
        self.file.setAccessibleName("File")
        self.trial.setAccessibleName("Trial")
        self.view, self.preview = FileView(theme), TracePreview(theme)
        self.bring_in = QPushButton()
        self.bring_in.setObjectName("bringIn")
        self.bring_in.clicked.connect(self.wanted)
        self.hint = label("", "soft")
        self.progress, self.stop = QProgressBar(), QPushButton(words.CANCEL_READING)
        self.progress.setTextVisible(False)
        self.progress.setMaximumHeight(6)
        self.stop.clicked.connect(desk.cancel)
        self.said, self.reasons = label(words.INTAKE_EMPTY, "heading"), label("")
        self._pages = QStackedWidget()
        self._pages.addWidget(self._empty_page())
        self._pages.addWidget(self._full_page())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._pages)
        # The picture after the words, so that nothing waits long
        self._soon = once_after(self, 0, self._show_trial)
        self.file.activated.connect(self._take_file)
        self.trial.activated.connect(lambda _i: self._take_trial())
        desk.changed.connect(self.refresh)
        desk.turned.connect(self.refresh)
        desk.progressed.connect(self._show_progress)
        self.refresh()

    def _empty_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addStretch(2)
        column.setContentsMargins(48, 0, 48, 0)
        for text in (self.said, self.reasons):
            text.setAlignment(Qt.AlignmentFlag.AlignCenter)
            text.setWordWrap(True)
            text.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(text)
            column.addSpacing(8)
        column.addSpacing(12)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in (self.open_button, self.paste_button, self.type_button):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(3)
        return page

    def _full_page(self) -> QWidget:
        page = QWidget()
        head = QHBoxLayout()
        head.setContentsMargins(16, 8, 16, 4)
        head.setSpacing(8)
        head.addWidget(self.heading)
        head.addStretch(1)
        for choice in (self.file, self.trial):
            choice.setMaximumWidth(260)
            head.addWidget(choice)
        parts = QSplitter(Qt.Orientation.Vertical)
        parts.setChildrenCollapsible(False)
        parts.setHandleWidth(6)
        parts.addWidget(self.view)
        parts.addWidget(self.preview)
        parts.setSizes([360, 260])
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 8, 16, 8)
        foot.setSpacing(12)
        foot.addWidget(self.hint, 1)
        foot.addWidget(self.progress)
        foot.addWidget(self.stop)
        foot.addWidget(self.bring_in)
        column = tight_column(page)
        column.addLayout(head)
        column.addWidget(parts, 1)
        column.addLayout(foot)
        return page

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show what lies on the desk."""
        desk = self._desk
        self._pages.setCurrentIndex(
            0 if not desk.groups and not desk.busy and not desk.editable else 1
        )
        self.said.setText(words.NOTHING_USABLE if desk.refused else words.INTAKE_EMPTY)
        self.reasons.setText("\n\n".join(str(r.refused) for r in desk.refused[:8]))
        self._show_heading()
        parsed = desk.parsed
        self.trial.clear()
        for trial in parsed.trials if parsed else ():
            self.trial.addItem(words.TRIAL_OF.format(name=trial.name))
        self.trial.setVisible(self.trial.count() > 1)
        self._show_file()
        self._soon.start()
        self._show_button()
        self.progress.setVisible(desk.busy)
        self.stop.setVisible(desk.busy)

    def _show_heading(self) -> None:
        files, groups = self._desk.files(), len(self._desk.groups)
        if len(files) == 1:
            self.heading.setText(words.ONE_FILE)
        else:
            form = words.OF_ONE_MAKE if groups == 1 else words.OF_MAKES
            self.heading.setText(form.format(count=len(files), makes=groups) if files else "")
        self.file.clear()
        for group, place, parsed in files:
            self.file.addItem(words.FILE_IN_LIST.format(file=parsed.file), (group, place))
            if (group, place) == self._desk.place():
                self.file.setCurrentIndex(self.file.count() - 1)
        self.file.setVisible(bool(files))

    def _show_file(self) -> None:
        """The file as it is; of a workbook, the sheet of the trial that is chosen."""
        parsed = self._desk.parsed
        tables, trials = (len(parsed.tables), len(parsed.trials)) if parsed else (0, 0)
        chosen = max(self.trial.currentIndex(), 0) if tables == trials else 0
        self.view.show_file(parsed, self._desk.editable, chosen)

    def _take_trial(self) -> None:
        self._show_file()
        self._show_trial()

    def _show_trial(self) -> None:
        parsed = self._desk.parsed
        trials = parsed.trials if parsed else ()
        chosen = max(self.trial.currentIndex(), 0)
        self.preview.show_trial(
            trials[chosen] if chosen < len(trials) else None, parsed.recipe if parsed else None
        )

    def _show_button(self) -> None:
        desk = self._desk
        count = sum(group.count() for group in desk.groups)
        asked = next((r.file for _, _, r in desk.files() if r.questions), "")
        if desk.reading_again is not None:
            name = self._document.committed.entry(desk.reading_again).trial.name
            self.bring_in.setText(words.READ_AGAIN_BUTTON.format(name=name))
        else:
            self.bring_in.setText(
                words.BRING_IN_ONE if count == 1 else words.BRING_IN_MANY.format(count=count)
            )
        self.bring_in.setEnabled(count > 0 and not asked and not desk.busy)
        self.bring_in.setDefault(True)
        self.hint.setText(words.ANSWER_FIRST.format(file=asked) if asked else "")

    def _take_file(self) -> None:
        group, place = self.file.currentData()
        self._desk.take(group, place)

    def _show_progress(self, number: int, count: int) -> None:
        self.progress.setMaximum(count)
        self.progress.setValue(number)
        if self._desk.busy and count > 1:
            self.hint.setText(words.READING_FILES.format(number=number, count=count))

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.preview.restyle()
        self.refresh()
