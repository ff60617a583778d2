"""A stage, its margin and its state, made when somebody first looks at them, so that the window
opens without.
"""

from typing import TYPE_CHECKING

from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document

if TYPE_CHECKING:
    from inertian.desktop.state.background_state import BackgroundState


class StageController:
    """Makes the parts of a stage, once: `state`, `stage` and `margin` are cached properties."""

    def __init__(self, document: Document, theme: Theme) -> None:
        self._document, self._theme = document, theme

    @property
    def built(self) -> bool:
        """Whether the stage is there."""
        return "stage" in self.__dict__

    def leave(self) -> None:
        """Stop; the window closes."""
        state: BackgroundState | None = self.__dict__.get("state")
        if state is not None:
            state.leave()
