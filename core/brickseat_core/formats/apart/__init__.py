"""Work on files from anywhere, in processes of their own with limits of time, memory and output."""

from brickseat_core.formats.apart.limits import LIMITS, Limits
from brickseat_core.formats.apart.running import TooMuch, is_apart, keep_kernels_loaded, run_apart

__all__ = ["LIMITS", "Limits", "TooMuch", "is_apart", "keep_kernels_loaded", "run_apart"]
