"""How much may be smoothed, so that no recording takes long, whatever is in it; figures are in
docs/methods.md.
"""

from dataclasses import dataclass

# What is smoothed of one recording: a stretch counts as one, a half of a crowded one, which is long
# and leads to more of them, as HALF; some three seconds of work on one processor in all
OF_A_RECORDING = 72
LEAST_OF_A_CHANNEL = 8
HALF = 4


@dataclass
class SmoothingBudget:
    """How much may still be smoothed."""

    left: int

    def take(self, count: int = 1) -> bool:
        """Count one more stretch; return whether there was enough left."""
        self.left -= count
        return self.left >= 0


def budget_of(channels: int) -> SmoothingBudget:
    """Return the budget of each of so many channels of a recording."""
    return SmoothingBudget(max(OF_A_RECORDING // max(channels, 1), LEAST_OF_A_CHANNEL))
