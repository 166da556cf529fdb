"""In which ways pieces are set down."""

from typing import Literal, get_args

Mode = Literal["drop", "rest"]
"""``drop``: moved along the direction only. ``rest``: may tilt to the nearest stable stand."""
MODES: tuple[Mode, ...] = get_args(Mode)
