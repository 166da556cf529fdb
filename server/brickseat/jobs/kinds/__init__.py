"""The kinds of jobs, a file each: whatever is in this folder is known by its name, to the API too.

No addresses, no sockets and no threads may come in here: the runner has those.
"""

from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from brickseat.jobs.kind import JobKind

_modules = [import_module(f"{__name__}.{module.name}") for module in iter_modules(__path__)]
KINDS: dict[str, JobKind[Any]] = {module.KIND.name: module.KIND for module in _modules}
"""Each file has one ``KIND``."""
