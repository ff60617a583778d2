"""The margin: what belongs to the trial in hand: setup, readings at the contact, noise, source."""

import html

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.decimal_columns import lined_up
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import READERS, WRITERS, fact_size, read_mass
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import BodyLabel, DropDown, label, rule
from inertian.desktop.look.number_format import format_estimate, intervals_said
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.pages.noise_form import NoiseForm
from inertian.desktop.pages.notes_list import NotesList
from inertian.desktop.state.document import Document
from inertian.desktop.state.second_looks import SecondLooks
from inertian.motion.fits.free_motion import FreeMotion
from inertian.physics.accounts.account_inputs import CLOSING, OPENING, DateValue
from inertian.physics.accounts.collision_inputs import CollisionInputs
from inertian.physics.accounts.ledger import ENERGY, Accounts, restitution_of
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE, mass_key
from inertian.project.edits import fact_set, motion_set, scale_set
from inertian.project.project import Entry
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId


class Margin(QScrollArea):
    """Setup and readings of the trial in hand; follows every change, and every drag."""

    read_again = pyqtSignal()
    note_wanted = pyqtSignal(object)
    spoken = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, looks: SecondLooks) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme, self._looks = document, theme, looks
        self._built: tuple[object, ...] = ()
        self.results_ready = False
        self.masses: dict[str, FactField] = {}
        self.scale_fields: dict[str, FactField] = {}
        self.slowing: dict[str, QLabel] = {}
        self.readings: dict[DateValue, QLabel] = {}
        self.unaccounted: dict[str, QLabel] = {}
        self._open: dict[str, bool] = {}  # which sections are open, by title
        document.changed.connect(self.refresh)
        document.selected.connect(self.refresh)
        document.previewed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the trial in hand as it is now."""
        entry = self._document.entry
        if self._document.previewing and not self.isVisible():
            return  # it is shown anew when the gesture is over
        if entry is None:
            self._built = ()
            self.setWidget(QWidget())
            self.widget().setObjectName("marginBody")
            return
        shape = (
            tuple(b.name for b in entry.trial.bodies),
            entry.trial.axes,
            entry.trial.in_pixels,
            self._stretched(entry),
        )
        if shape != self._built:
            self._built = shape
            self._build(entry)
        self._show_setup(entry)
        if self.results_ready and entry.trial.axes:
            self._show_readings(entry)

    # -- building ----------------------------------------------------------------------------------

    def _build(self, entry: Entry) -> None:
        body = QWidget()
        body.setObjectName("marginBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        self._build_notes(column)
        setup = self._folding(words.SETUP, True)
        self._build_masses(entry, setup.inner)
        self._build_scale_fields(entry, setup.inner)
        column.addWidget(setup)
        if not entry.trial.axes:
            said = label(words.NO_POSITIONS, "soft")
            said.setWordWrap(True)
            column.addSpacing(8)
            column.addWidget(said)
        else:
            self._build_motion(entry, setup.inner)
            self._rule(column)
            self._build_readings(entry, column)
            self._rule(column)
            self.noise_form = NoiseForm(
                self._document, self._theme, self._open.get(words.NOISE_AND_WINDOW, False)
            )
            self._remember(words.NOISE_AND_WINDOW, self.noise_form)
            column.addWidget(self.noise_form)
        self._build_source(column)
        column.addStretch(1)
        self.setWidget(body)

    def _rule(self, column: QVBoxLayout) -> None:
        column.addSpacing(8)
        column.addWidget(rule())
        column.addSpacing(4)

    def _folding(self, title: str, is_open: bool) -> Fold:
        """A section that folds, as it was left."""
        made = Fold(title, self._open.get(title, is_open))
        self._remember(title, made)
        return made

    def _remember(self, title: str, fold: Fold) -> None:
        fold.turned.connect(lambda is_open: self._open.update({title: is_open}))

    def _build_notes(self, column: QVBoxLayout) -> None:
        """The second look stands first: what may be wrong matters more than what is there."""
        self.notes = NotesList(self._document, self._looks)
        self.notes.wanted.connect(self.note_wanted)
        self.notes.spoken.connect(self.spoken)
        column.addWidget(self.notes)
        self.notes.refresh()

    def _build_masses(self, entry: Entry, column: QVBoxLayout) -> None:
        self.masses = {}
        for body in entry.trial.bodies:
            field = FactField(
                self._theme, words.MASS_OF.format(body=body.name), words.MASS_HINT, read_mass
            )
            field.edited.connect(lambda fact, name=body.name: self._set_mass(name, fact))
            self.masses[body.name] = field
            column.addWidget(field)

    def _build_scale_fields(self, entry: Entry, column: QVBoxLayout) -> None:
        """Scale and time base, where they matter: a field each, for the whole series."""
        self.scale_fields = {}
        for name, text, hint in (
            (SCALE, words.SCALE_FACT, words.SCALE_HINT),
            (TIME_BASE, words.TIME_BASE_FACT, words.TIME_BASE_HINT),
        ):
            if (name == SCALE and not entry.trial.in_pixels) or (
                name == TIME_BASE and not self._stretched(entry)
            ):
                continue
            field = FactField(self._theme, text, hint, READERS[name])
            field.write = WRITERS[name]
            field.edited.connect(lambda fact, n=name: self._set_stretch(n, fact))
            self.scale_fields[name] = field
            column.addWidget(field)

    def _stretched(self, entry: Entry) -> bool:
        """Whether the times of a trial are corrected; then there is a field for it."""
        return self._document.project.fact(TIME_BASE, entry) is not None

    def _build_source(self, column: QVBoxLayout) -> None:
        """Where the trial came from, and the way back to its file."""
        self._rule(column)
        fold = self._folding(words.SOURCE, False)
        column.addWidget(fold)
        self.source = label("", "small")
        self.source.setWordWrap(True)
        self.source.setTextFormat(Qt.TextFormat.PlainText)
        fold.inner.addWidget(self.source)
        again = QPushButton(words.READ_AGAIN_SHORT)
        again.clicked.connect(self.read_again)
        fold.inner.addWidget(again, alignment=Qt.AlignmentFlag.AlignLeft)

    def _show_source(self, entry: Entry) -> None:
        origins = (entry.trial.provenance, *entry.trial.provenance.others)
        said = [
            words.SOURCE_LINE.format(file=o.file, size=fact_size(o.size), digest=o.sha256[:8])
            + "\n"
            + "; ".join(o.understood)
            for o in origins
        ]
        self.source.setText("\n".join(said))
        lines = [
            line.format(file=o.file, size=o.size, digest=o.sha256)
            for o in origins
            for line in words.SOURCE_TIP
        ]
        self.source.setToolTip("\n".join(lines))

    def _build_motion(self, entry: Entry, column: QVBoxLayout) -> None:
        column.addSpacing(4)
        column.addWidget(label(words.FREE_MOTION))
        self.motion = DropDown(self._theme)
        self.motion.setToolTip(words.MOTION_TIP)
        self.motion.setAccessibleName(words.FREE_MOTION)
        for model in (FreeMotion.GLIDE, FreeMotion.LINE, FreeMotion.PARABOLA):
            self.motion.addItem(words.MOTION[model], model)
        self.motion.activated.connect(self._set_motion)
        column.addWidget(self.motion)
        self.slowing = {}
        for place, body in enumerate(entry.trial.bodies):
            self.slowing[body.name] = BodyLabel(self._theme, place, "")
            self.slowing[body.name].setProperty("role", "small")
            self.slowing[body.name].setTextFormat(Qt.TextFormat.RichText)  # powers of ten
            column.addWidget(self.slowing[body.name])

    def _build_readings(self, entry: Entry, column: QVBoxLayout) -> None:
        self.at_contact, self.results = QWidget(), label("")
        self.results.setWordWrap(True)
        self.results.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.results_title = label(words.RESULTS_TITLE, "heading")
        for part in (self.results_title, self.results, self.at_contact):
            column.addWidget(part)
        whole = QVBoxLayout(self.at_contact)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addWidget(label(words.READINGS, "heading"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        self.readings, row = {}, 0
        for place, body in enumerate(entry.trial.bodies):
            name = BodyLabel(self._theme, place, body.name)
            name.shorten(MARGIN_WIDTH - 48)
            grid.addWidget(name, row, 0, 1, 3)
            row += 1
            for axis in body.axes:
                for side, word in ((OPENING, words.BEFORE_AT), (CLOSING, words.AFTER_AT)):
                    grid.addWidget(label(f"v<sub>{axis}</sub> {word}", "soft"), row, 0)
                    value = label("")
                    value.setAlignment(Qt.AlignmentFlag.AlignRight)
                    grid.addWidget(value, row, 1)
                    self.readings[DateValue(1, body.name, axis, side)] = value
                    row += 1
        grid.addWidget(label(words.RESTITUTION), row, 0)
        self.restitution = label("")
        self.restitution.setAlignment(Qt.AlignmentFlag.AlignRight)
        grid.addWidget(self.restitution, row, 1)
        row += 1
        grid.addWidget(label(words.UNACCOUNTED), row, 0, 1, 3)
        self.unaccounted = {}
        for law in [f"momentum {axis}" for axis in entry.trial.axes] + [ENERGY]:
            row += 1
            grid.addWidget(label(words.SHORT_LAW[law], "soft"), row, 0)
            amount = self.unaccounted[law] = label("")
            amount.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(amount, row, 1)
        grid.setColumnStretch(1, 1)
        whole.addLayout(grid)

    # -- showing -----------------------------------------------------------------------------------

    def _show_setup(self, entry: Entry) -> None:
        project = self._document.project
        known = project.masses(entry)
        for body, field in self.masses.items():
            field.show_fact(known[body][1] if body in known else None)
        for name, field in self.scale_fields.items():
            stated = project.fact(name, entry)
            field.show_fact(stated[1] if stated else None)
        self._show_source(entry)
        if not entry.trial.axes:
            return
        series = project.series_named(entry.series)
        self.motion.setCurrentIndex(self.motion.findData(series.motion))
        if not self.results_ready:  # the first picture does not wait for fits
            return
        result = self._document.evaluator.series(project, entry.series)
        for body, shower in self.slowing.items():
            given = result.glide.values.get(body)
            shower.setVisible(series.motion is FreeMotion.GLIDE and given is not None)
            if given is not None:
                found = result.glide.estimate(body, result.noise.pools)
                value = format_estimate(found.value, found.u, "m/s²")
                shower.setText(words.DECELERATION.format(value=value))
                if not self._document.previewing:
                    shower.setToolTip(intervals_said(found, "m/s²"))
        self.noise_form.show_window(entry, self.results_ready)
        self.noise_form.show_noise(entry, result.noise)

    def _show_readings(self, entry: Entry) -> None:
        evaluator, project = self._document.evaluator, self._document.project
        happened = entry.spans.contact is not None
        contact = happened and evaluator.event(project, entry).kind.contact
        self.at_contact.setVisible(contact)
        self._show_results(entry, contact)
        if not contact:
            return
        readings = evaluator.collision_inputs(project, entry.trial.id)
        if isinstance(readings, InertianError):
            unknown = (*self.readings.values(), self.restitution, *self.unaccounted.values())
            for shower in unknown:
                shower.setText("—")
            return
        self._show_speeds(readings)
        accounts = evaluator.accounts(project, entry.trial.id)
        for law, amount in self.unaccounted.items():
            drawn = isinstance(accounts, Accounts) and law in [led.law for led in accounts.ledgers]
            if isinstance(accounts, InertianError) or not drawn:
                amount.setText("—")
                continue
            left, unit = accounts.ledger(law).unaccounted, accounts.ledger(law).unit
            amount.setText(format_estimate(left.value, left.u, unit))
            if not self._document.previewing:
                amount.setToolTip(intervals_said(left, unit))
        lined_up(list(self.readings.values()))

    def _show_results(self, entry: Entry, contact: bool) -> None:
        """The results of an account that is not of a contact, one below the other."""
        accounts: Accounts | InertianError | None = None
        if not contact:
            accounts = self._document.evaluator.accounts(self._document.project, entry.trial.id)
        found = accounts.results if isinstance(accounts, Accounts) else {}
        lines = [
            words.RESULT_LINE.format(
                name=html.escape(name),
                value=format_estimate(one.value, one.u, unit).replace(" ", "\u00a0"),
            )
            for name, (one, unit) in found.items()
        ]
        self.results.setText("<br>".join(lines))
        for part in (self.results, self.results_title):
            part.setVisible(bool(lines))

    def _show_speeds(self, readings: CollisionInputs) -> None:
        """Speeds and restitution; they need no masses."""
        inputs = readings.inputs
        for name, shower in self.readings.items():
            value = float(inputs.values[inputs.index(name)])
            shower.setText(format_estimate(value, inputs.u(name), "m/s"))
            if not self._document.previewing:
                shower.setToolTip(
                    intervals_said(
                        Scalar(value, inputs.u(name), inputs.dof(name), inputs.shape(name)), "m/s"
                    )
                )
        e = restitution_of(readings)
        self.restitution.setText(format_estimate(e.value, e.u) if e else words.NOT_DEFINED)
        self.restitution.setToolTip(
            intervals_said(e, "") if e and not self._document.previewing else ""
        )

    # -- asking for edits --------------------------------------------------------------------------

    def _set_mass(self, body: str, fact: Fact) -> None:
        entry, project = self._document.entry, self._document.committed
        known = project.fact(mass_key(body), entry)
        self._document.do(fact_set(project, known[0] if known else FactId(mass_key(body)), fact))

    def _set_stretch(self, name: str, fact: Fact) -> None:
        entry = self._document.entry
        self._document.do(scale_set(self._document.committed, entry.series, name, fact))

    def _set_motion(self) -> None:
        entry = self._document.entry
        self._document.do(
            motion_set(self._document.committed, entry.series, self.motion.currentData())
        )
