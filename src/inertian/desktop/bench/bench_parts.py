"""What the parts of the bench know of one another, so that none has to import the whole."""

from typing import Any, Protocol

from PyQt6.QtGui import QPixmap

from inertian.desktop.bench.gestures import Handle
from inertian.desktop.bench.traces import Trace
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.view_state import ViewState
from inertian.physics.definitions.requests import QuantityRef


class RailInterface(Protocol):
    """The span rail, as strips see it."""

    def activate(self, handle: Handle | None) -> None:
        """Choose what keys move."""

    def keyPressEvent(self, event: Any) -> None:
        """Take a key that was pressed in a strip."""

    def type_name(self, name: str) -> None:
        """Ask for the name of a span."""

    def span_in_hand(self) -> str:
        """Return the name of the span that keys work on."""


class BenchInterface(Protocol):
    """The stage, as its strips see it."""

    view: ViewState

    @property
    def rail(self) -> RailInterface:
        """The span rail."""

    def mark_live(self, handle: Handle | None) -> None:
        """Show one edge as taken."""

    def say(self, text: str) -> None:
        """Say something in the status line."""

    def show_span(self, name: str = "") -> None:
        """Show a span and a little around it."""

    def strip_menu(self, strip: Any, handle: Handle | None) -> Any:
        """Return the menu of a strip."""

    def unit_menu(self, si: str) -> Any:
        """Return the menu of units."""


class StripInterface(Protocol):
    """A strip, as its plot sees it."""

    bench: BenchInterface
    traces: list[Trace]
    shown: QuantityRef
    residuals: bool
    theme: Theme

    @property
    def seen(self) -> tuple[float, float]:
        """The stretch of time that is seen, in s of the file."""

    def grab(self) -> QPixmap:
        """Return a picture of the strip."""

    def take(self) -> None:
        """Take this strip in hand."""

    def follow_view(self, span: tuple[float, float]) -> None:
        """Follow the time that is seen."""
