"""The parts of the models stage."""

from functools import cached_property
from typing import TYPE_CHECKING

from inertian.desktop.state.stage_controller import StageController

if TYPE_CHECKING:
    from inertian.desktop.models.model_actions import ModelActions
    from inertian.desktop.models.model_margin import ModelMargin
    from inertian.desktop.models.models_stage import ModelsStage
    from inertian.desktop.state.models_state import ModelsState


class ModelsController(StageController):
    """Makes the parts of the stage."""

    @cached_property
    def state(self) -> "ModelsState":
        """The models as they are known."""
        from inertian.desktop.state.models_state import ModelsState

        return ModelsState(self._document)

    @cached_property
    def actions(self) -> "ModelActions":
        """What can be done with models."""
        from inertian.desktop.models.model_actions import ModelActions

        return ModelActions(self._document, self._theme, self.state, self.stage)

    @cached_property
    def stage(self) -> "ModelsStage":
        """The stage."""
        from inertian.desktop.models.models_stage import ModelsStage

        return ModelsStage(self._document, self._theme, self.state)

    @cached_property
    def margin(self) -> "ModelMargin":
        """The margin beside it."""
        from inertian.desktop.models.model_margin import ModelMargin

        return ModelMargin(self._document, self._theme, self.state, self.actions)
