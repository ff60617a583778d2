"""The trends stage, its margin and its state: made when somebody first looks at them, so that the
window opens without.
"""

from functools import cached_property
from typing import TYPE_CHECKING

from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document

if TYPE_CHECKING:
    from inertian.desktop.state.trends_state import TrendsState
    from inertian.desktop.trends.trend_margin import TrendMargin
    from inertian.desktop.trends.trends_stage import TrendsStage


class TrendsController:
    """Makes the parts of the stage, once."""

    def __init__(self, document: Document, theme: Theme) -> None:
        self._document, self._theme = document, theme

    @property
    def built(self) -> bool:
        """Whether the stage is there."""
        return "stage" in self.__dict__

    @cached_property
    def state(self) -> "TrendsState":
        """The table and the trend as they are known."""
        from inertian.desktop.state.trends_state import TrendsState

        return TrendsState(self._document)

    @cached_property
    def stage(self) -> "TrendsStage":
        """The stage."""
        from inertian.desktop.trends.trends_stage import TrendsStage

        return TrendsStage(self._document, self._theme, self.state)

    @cached_property
    def margin(self) -> "TrendMargin":
        """The margin beside it."""
        from inertian.desktop.trends.trend_margin import TrendMargin

        made = TrendMargin(self._document, self._theme, self.state)
        made.present_wanted.connect(self.stage.present)
        made.aside_wanted.connect(self.stage.set_trial_aside)
        return made

    def leave(self) -> None:
        """Stop; the window closes."""
        if "state" in self.__dict__:
            self.state.leave()
