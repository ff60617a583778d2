"""How the bench is looked at: plumb line, pins, the strips that are shown, units, and what the
mouse does.

None of it is part of the project; a trial is the same however it is looked at.
"""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from inertian.desktop.state.document import Document, Drawn
from inertian.motion.recording.tidying import Reason
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.physics.definitions.requests import (
    ADDS_UP,
    ALONG_AXES,
    NEEDS_CENTRE,
    TOTAL,
    Quantity,
    QuantityRef,
)
from inertian.project.project import Entry, Project
from inertian.quantities.estimates import Rows
from inertian.quantities.units import Unit


@dataclass(frozen=True)
class FormulaPreview:
    """Samples of a body that a step would set aside; ringed until it is decided."""

    body: str
    rows: Rows


def possible_quantities(project: Project, entry: Entry) -> list[QuantityRef]:
    """Return the quantities that a trial can show, in the order of the menu."""
    trial, frame = entry.trial, entry.frame
    axes = trial.axes
    found = [QuantityRef(q, a) for q in ALONG_AXES for a in axes] if axes else []
    if axes:
        found += [QuantityRef(Quantity.SPEED), QuantityRef(Quantity.KINETIC)]
        found += [
            QuantityRef(Quantity.ACCELERATION, "magnitude"),
            QuantityRef(Quantity.MOMENTUM, "magnitude"),
        ]
    if set(axes) == {"x", "y"} and frame.centre is not None:
        found += [QuantityRef(q) for q in NEEDS_CENTRE]
    found += [
        QuantityRef(Quantity.SENSOR, a)
        for a in dict.fromkeys(s.axis for b in trial.bodies for s in b.sensors)
    ]
    return found + project.offered(entry)


def usual_quantities(trial: Trial) -> list[QuantityRef]:
    """Return the strips a trial is first shown with."""
    found = [QuantityRef(q, a) for q in (Quantity.POSITION, Quantity.VELOCITY) for a in trial.axes]
    return found + [
        QuantityRef(Quantity.SENSOR, a)
        for a in dict.fromkeys(s.axis for b in trial.bodies for s in b.sensors)
    ]


def channels_of(body: Body, shown: QuantityRef) -> tuple[Channel, ...]:
    """Return the channels of a body that a quantity may be of: positions, sensors, or for a formula
    both.
    """
    if shown.quantity is Quantity.DERIVED:
        return (*body.channels, *body.sensors)
    return body.sensors if shown.quantity is Quantity.SENSOR else body.channels


LOCAL, METHODS = "local", ("local", "central", "two-point")  # how derivatives are had


def has_methods(shown: QuantityRef) -> bool:
    """Whether a quantity may also be had by the differences of a class."""
    return shown.quantity in (Quantity.VELOCITY, Quantity.ACCELERATION) and shown.axis in ("x", "y")


class ViewState(QObject):
    """The view of the bench. Signals: `line_moved` for the plumb line and pins, `turned` for all
    else.
    """

    line_moved = pyqtSignal()
    turned = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.line: float | None = None  # file time in s
        self.pins: list[float] = []
        self.begun: float | None = None  # where a span was begun with a key
        self.strips: list[QuantityRef] | None = None  # chosen by the person; None: the usual ones
        self.units: dict[str, Unit] = {}  # by SI unit
        self.methods: dict[QuantityRef, str] = {}  # strips that are not by local fits
        self.shown: QuantityRef | None = None  # the strip in hand
        self.body: str | None = None  # the body in hand; TOTAL stands for all together
        # What a drag in a position strip asks for
        self.dragging_origin: Callable[[str, float], None] | None = None
        self.setting_aside = False  # the mouse sets aside without Ctrl
        self.reason: str = Reason.OUTSIDE
        self.previews: tuple[FormulaPreview, ...] = ()
        # What the side view shows: across, up
        self.side: tuple[QuantityRef, QuantityRef] | None = None
        document.selected.connect(self._other_trial)

    def _other_trial(self) -> None:
        self.line, self.pins, self.begun, self.previews = None, [], None, ()
        self.line_moved.emit()

    def shown_strips(self) -> list[QuantityRef]:
        """Return the strips to show for the trial in hand: those chosen that it can show, else the
        usual ones.
        """
        entry = self._document.entry
        if entry is None:
            return []
        if not self.strips:
            return usual_quantities(entry.trial)
        can = possible_quantities(self._document.project, entry)
        return [s for s in self.strips if s in can] or usual_quantities(entry.trial)

    def drawn(self, shown: QuantityRef) -> Drawn:
        """Return what the strip of a quantity draws: it, and the differences it is by, if any."""
        return shown, self.methods.get(shown)

    def choose_strips(self, strips: list[QuantityRef]) -> None:
        """Show these strips from now on."""
        self.strips = strips
        self.turned.emit()

    def move_line(self, time: float | None) -> None:
        """Put the plumb line at a time in s, inside the recording, or take it away."""
        entry = self._document.entry
        if time is not None and entry is not None:
            time = min(max(time, float(entry.trial.t[0])), float(entry.trial.t[-1]))
        if time != self.line:
            self.line = time
            self.line_moved.emit()

    def pin(self) -> None:
        """Pin the moment of the plumb line, or take the pin there away; the two latest pins are
        compared.
        """
        if self.line is None:
            return
        if self.line in self.pins:
            self.pins.remove(self.line)
        else:
            self.pins.append(self.line)
        self.line_moved.emit()

    def take(self, shown: QuantityRef | None = None, body: str | None = None) -> None:
        """Take a strip or a body in hand: readings are of it."""
        shown, body = shown or self.shown, body if body is not None else self.body
        if (shown, body) != (self.shown, self.body):
            self.shown, self.body = shown, body
            self.turned.emit()

    def in_hand(self) -> tuple[QuantityRef | None, str]:
        """Return the quantity and body that readings are of, as far as the trial in hand has
        them.
        """
        entry = self._document.entry
        strips = self.shown_strips()
        if entry is None or not strips:
            return None, ""
        shown = self.shown if self.shown in strips else strips[0]
        if self.body == TOTAL and shown.quantity in ADDS_UP and len(entry.trial.followed) > 1:
            return shown, TOTAL
        able = [
            b.name
            for b in entry.trial.bodies
            if any(shown.along in ("", "magnitude", c.axis) for c in channels_of(b, shown))
        ]
        return shown, self.body if self.body in able else (able or [entry.trial.bodies[0].name])[0]

    def use_unit(self, unit: Unit, si: str) -> None:
        """Show a quantity of an SI unit in another one."""
        self.units[si] = unit
        self.turned.emit()

    def use_method(self, shown: QuantityRef, method: str) -> None:
        """Show a velocity or acceleration by local fits ("local") or by differences."""
        self.methods = {s: m for s, m in self.methods.items() if s != shown}
        if method != LOCAL:
            self.methods[shown] = method
        self.turned.emit()

    def factor(self, si: str) -> float:
        """Return how many of the shown unit make one SI unit."""
        return 1.0 / self.units[si].factor if si in self.units else 1.0

    def unit(self, si: str) -> str:
        """Return the symbol of the shown unit."""
        return self.units[si].symbol if si in self.units else si

    def set_previews(self, previews: tuple[FormulaPreview, ...]) -> None:
        """Ring samples that a step would set aside."""
        self.previews = previews
        self.turned.emit()
