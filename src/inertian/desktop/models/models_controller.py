"""The models stage, its margin and its state: made when somebody first looks at them, so that the
window opens without.
"""

from functools import cached_property
from typing import TYPE_CHECKING

from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document

if TYPE_CHECKING:
    from inertian.desktop.models.model_actions import ModelActions
    from inertian.desktop.models.model_margin import ModelMargin
    from inertian.desktop.models.models_stage import ModelsStage
    from inertian.desktop.state.models_state import ModelsState


class ModelsController:
    """Makes the parts of the stage, once."""

    def __init__(self, document: Document, theme: Theme) -> None:
        self._document, self._theme = document, theme

    @property
    def built(self) -> bool:
        """Whether the stage is there."""
        return "stage" in self.__dict__

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

    def leave(self) -> None:
        """Stop; the window closes."""
        if "state" in self.__dict__:
            self.state.leave()
