"""Warm: compile the kernels once, so that nobody waits for them later."""

import gc
import os
import subprocess
import sys

from brickseat.exit_codes import DONE
from brickseat_core.kernel_cache import forget_old
from brickseat_core.warm import warm

HELPER = "import gc; gc.disable(); from brickseat_core.warm import warm; warm(backwards=True)"


def run_warm() -> int:
    """Compile what is not in the cache yet, in two processes where there is more than one core."""
    # The compiler makes millions of small objects and drops few of them: looking for those takes a tenth of the time.
    gc.disable()
    helpers = [subprocess.Popen([sys.executable, "-c", HELPER])] if (os.cpu_count() or 1) > 1 else []
    try:
        warm(lambda done, total, what: print(f"kernels {done}/{total}: {what}", flush=True))
    finally:
        for helper in helpers:
            helper.wait()
    forget_old()
    return DONE
