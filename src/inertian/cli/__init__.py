"""The stages without a window: JSON or text out, exit 2 with one line on stderr for each thing
refused.

Imports `report` and what lies below, inside functions, so that each command loads what it needs.
"""

from inertian.cli.commands import make_app

__all__ = ["make_app"]
