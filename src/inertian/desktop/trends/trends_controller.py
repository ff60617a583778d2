"""The parts of the trends stage."""

from functools import cached_property
from typing import TYPE_CHECKING

from inertian.desktop.state.stage_controller import StageController

if TYPE_CHECKING:
    from inertian.desktop.state.trends_state import TrendsState
    from inertian.desktop.trends.trend_margin import TrendMargin
    from inertian.desktop.trends.trends_stage import TrendsStage


class TrendsController(StageController):
    """Makes the parts of the stage."""

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
