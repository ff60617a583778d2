"""Reading noise, time stamps and the window of velocities: rarely changed, so they fold."""

from PyQt6.QtWidgets import QLineEdit, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import read_noise
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import label
from inertian.desktop.look.number_format import format_estimate, format_number
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.motion.noise.reading_noise import InstrumentNoise
from inertian.project.edits import fact_set, window_set
from inertian.project.project import READING_NOISE, Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId


class NoiseForm(Fold):
    """What is known of the readings' errors, and over how many samples velocities are had."""

    def __init__(self, document: Document, theme: Theme, is_open: bool) -> None:
        super().__init__(words.NOISE_AND_WINDOW, is_open)
        self._document = document
        self.noise, self.stamps = label("", "small"), label("", "small")
        self.noise_field = FactField(theme, words.NOISE, words.NOISE_HINT, read_noise)
        self.noise_field.show_meaning, self.noise_field.may_be_empty = False, True
        self.noise_field.edited.connect(self._set_noise)
        self.window_field, self.window_now = QLineEdit(), label("", "small")
        self.window_field.setPlaceholderText(words.WINDOW_HINT)
        self.window_field.setAccessibleName(words.WINDOW)
        self.window_field.setToolTip(words.WINDOW_TIP)
        self.window_field.editingFinished.connect(self._set_window)
        parts: list[QWidget] = [self.noise_field, self.noise, label(words.STAMPS), self.stamps]
        parts += [label(words.WINDOW), self.window_field, self.window_now]
        for part in parts:
            self.inner.addWidget(part)
        for shower in (self.noise, self.stamps, self.window_now):
            shower.setWordWrap(True)

    def show_noise(self, entry: Entry, noise: InstrumentNoise) -> None:
        """Show the noise of a series, typed or found."""
        u = noise.reading / (2.0 * noise.dof) ** 0.5
        typed = self._document.project.fact(READING_NOISE, entry)
        self.noise_field.show_fact(typed[1] if typed else None)
        if noise.given and noise.stated:
            of_noise = words.AS_STATED.format(sigma=f"{format_number(1e3 * noise.reading, 2)} mm")
        elif noise.given:
            of_noise = words.AS_TYPED
        elif u == 0.0:  # nothing was fitted yet
            of_noise = words.NOT_ESTIMATED.format(
                least=f"{format_number(1e3 * noise.reading, 2)} mm"
            )
        else:
            of_noise = words.ESTIMATED.format(
                sigma=format_estimate(1e3 * noise.reading, 1e3 * u, "mm")
            )
        self.noise.setText(of_noise)
        self.noise.setToolTip(words.SIGMA_TIP.format(dof=format_number(noise.dof)))
        relative = noise.pools.relative.get(("time stamps", "time stamps"), 0.0)
        stamp = format_estimate(1e3 * noise.stamp, 1e3 * noise.stamp * 0.5 * relative**0.5, "ms")
        self.stamps.setText(
            words.STAMPS_FOUND.format(sigma=stamp) if noise.stamp > 0 else words.STAMPS_NONE
        )

    def show_window(self, entry: Entry, results_ready: bool) -> None:
        """Show the window that was typed, and how many samples it comes to."""
        typed = self._document.project.series_named(entry.series).window
        if not self.window_field.isModified():
            self.window_field.setText(typed)
        if not results_ready or self._document.previewing or not entry.trial.followed:
            return
        if self._document.awaits(entry):
            self.window_now.setText(words.DERIVING)
            return
        body = entry.trial.followed[0]
        context = self._document.evaluator.trial_context(self._document.project, entry)
        found = context.local_fits(body.name, body.axes[0]).windows(1)
        if found is not None:
            least, most = found
            said = words.WINDOW_NOW if least < most else words.WINDOW_ALL
            self.window_now.setText(said.format(least=least, most=most))

    def _set_window(self) -> None:
        field = self.window_field
        if not field.isModified():
            return
        try:
            edit = window_set(self._document.committed, self._document.entry.series, field.text())
        except InertianError as error:
            self.window_now.setText(str(error))
            return
        field.setModified(False)
        self._document.do(edit)

    def _set_noise(self, fact: Fact | None) -> None:
        entry, project = self._document.entry, self._document.committed
        known = project.fact(READING_NOISE, entry)
        scope = project.series_named(entry.series).scope
        self._document.do(
            fact_set(project, known[0] if known else FactId(READING_NOISE, scope), fact)
        )
