"""Compiled kernels kept on disk, found again by what they are made of.

Numba's own cache goes by the path of a source file and the time it was written, and only by that one file. Here a kernel is
found by the text of its module and of every kernel module that it builds on, so that a second clone, another path or an
installed package finds what was compiled before, and an edit compiles anew only what it changes.

It stands on parts of Numba that are not public, as the pinned version has them; tests hold them.
"""

import hashlib
import os
import pickle
import re
import shutil
import sys
import time
import warnings
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

import llvmlite
import llvmlite.binding as llvm
import numba
from numba.core.caching import _Cache
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import CompileResult
from numba.core.runtime.nrt import rtsys
from numba.core.serialize import dumps as untyped_dumps

# Their stubs do not know how these are called.
dumps: Callable[[Any], bytes] = untyped_dumps
make_result: Callable[..., Any] = CompileResult
PACKAGE = "brickseat_core"
KERNEL_MARKS = (b"@kernel", b"@inner_kernel", b"@nested")
"""What a module of kernels holds. Constants that are compiled into kernels stand in such modules or in the tolerances."""
IMPORTED = re.compile(rb"^from brickseat_core\.([\w.]+) import", re.MULTILINE)
FOR_ALL = ("kernels.py", "tolerances.py", "kernel_cache.py")
"""What every kernel depends on."""
LONGEST_COMPILING = 180.0
"""Seconds after which nobody waits any more for another process that compiles the same kernel."""
POLL = 0.05
KEPT_DAYS = 30.0


def cache_root() -> Path:
    """The writable folder that all compiled kernels are kept in."""
    root = os.environ.get("BRICKSEAT_KERNEL_CACHE")
    return Path(root) if root else Path.home() / ".cache" / "brickseat" / "kernels"


@cache
def kernel_modules() -> dict[str, bytes]:
    """The text of every module of kernels, by its name within the package."""
    here = Path(__file__).parent
    texts = {
        ".".join(path.relative_to(here).with_suffix("").parts): path.read_bytes()
        for path in sorted(here.rglob("*.py"))
        if path.parent != here
    }
    return {name: text for name, text in texts.items() if any(mark in text for mark in KERNEL_MARKS)}


def built_on(module: str) -> set[str]:
    """The kernel modules that ``module`` is built on, itself among them."""
    texts = kernel_modules()
    found = {module}
    waiting = [module]
    while waiting:
        for name in IMPORTED.findall(texts.get(waiting.pop(), b"")):
            other = name.decode()
            if other in texts and other not in found:
                found.add(other)
                waiting.append(other)
    return found


@cache
def digest_of(module: str) -> str:
    """What the kernels of a module are made of: compiler, and the text of all modules that they are built on."""
    here = Path(__file__).parent
    digest = hashlib.sha256(f"{sys.version} {numba.__version__} {llvmlite.__version__}".encode())
    for name in FOR_ALL:
        digest.update((here / name).read_bytes())
    for name in sorted(built_on(module)):
        digest.update(name.encode())
        digest.update(kernel_modules().get(name, b""))
    return digest.hexdigest()[:16]


class KernelLibrary(JITCodeLibrary):
    """Machine code as it was kept. Its intermediate code is only read where another kernel is linked with it."""

    bitcode: Path

    def _get_module_for_linking(self) -> Any:
        if self._shared_module is None:
            self._shared_module = llvm.parse_bitcode(self.bitcode.read_bytes())
        return self._shared_module


class KernelCache(_Cache):
    """The kept versions of one kernel, one file for each signature and processor."""

    def __init__(self, function: Callable[..., Any]) -> None:
        module = function.__module__.removeprefix(f"{PACKAGE}.")
        self._folder = cache_root() / f"{module}-{digest_of(module)}"
        self._name = function.__qualname__
        self._enabled = True

    @property
    def cache_path(self) -> str:
        return str(self._folder)

    def enable(self) -> None:
        self._enabled = True

    def disable(self) -> None:
        self._enabled = False

    def flush(self) -> None:
        """Forget all that is kept of this kernel."""
        for path in self._folder.glob(f"{self._name}-*"):
            path.unlink(missing_ok=True)

    def _file(self, signature: Any, codegen: Any) -> Path:
        key = f"{signature} {codegen.magic_tuple()}"
        return self._folder / f"{self._name}-{hashlib.sha256(key.encode()).hexdigest()[:16]}.kernel"

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """What is kept for a signature; None where it has to be compiled, which is then this process's to do."""
        if not self._enabled:
            return None
        # All that a kept kernel needs; the rest of Numba is only made ready where something is compiled.
        rtsys.initialize(target_context)
        path = self._file(sig, target_context.codegen())
        found = read(path, target_context)
        if found is not None or claim(path):
            return found
        deadline = time.monotonic() + LONGEST_COMPILING
        while time.monotonic() < deadline and claimed(path):
            time.sleep(POLL)
        return read(path, target_context)

    def save_overload(self, sig: Any, data: Any) -> None:
        """Keep what was compiled for a signature."""
        if not self._enabled:
            return
        path = self._file(sig, data.codegen)
        try:
            write(path, data)
            path.with_suffix(".claim").unlink(missing_ok=True)
        except OSError as problem:
            warnings.warn(
                f"compiled kernels cannot be kept in {self._folder} ({problem.strerror}) and are compiled anew in each "
                "process; name a folder that can be written in BRICKSEAT_KERNEL_CACHE",
                stacklevel=2,
            )


def write(path: Path, compiled: Any) -> None:
    """Keep a compiled kernel: machine code and what calls it in one file, intermediate code in another one.

    Raises RuntimeError for what is not plain machine code, and OSError.
    """
    library, description, environment, signature, objectmode, lifted, _, reload_init, referenced = compiled._reduce()
    name, kind, (machine_code, bitcode) = library
    if kind != "object" or lifted or reload_init:
        raise RuntimeError(f"{name} is compiled to something that cannot be kept")
    module = compiled.library._get_module_for_linking()
    symbols = [s.name for group in (module.functions, module.global_variables) for s in group if not s.is_declaration]
    kept = (name, machine_code, symbols, description, environment, signature, objectmode, referenced)
    path.parent.mkdir(parents=True, exist_ok=True)
    # The second file says that there is something: it comes last.
    for target, content in ((path.with_suffix(".bitcode"), bitcode), (path, dumps(kept))):
        beside = target.with_name(f"{target.name}.{os.getpid()}")
        beside.write_bytes(content)
        beside.replace(target)


def read(path: Path, target_context: Any) -> Any:
    """A kept kernel, ready to be called; None where nothing is kept, or nothing whole."""
    try:
        kept = pickle.loads(path.read_bytes())
    except (OSError, EOFError, pickle.UnpicklingError):
        return None
    name, machine_code, symbols, description, environment, signature, objectmode, referenced = kept
    codegen = target_context.codegen()
    library = KernelLibrary(codegen, name)
    library.bitcode = path.with_suffix(".bitcode")
    library.enable_object_caching()
    library._set_compiled_object(machine_code)
    library._finalize_final_module()
    codegen._engine._defined_symbols.update(symbols)
    entry_point = target_context.get_executable(library, description, environment)
    for other in referenced:
        codegen.set_env(other.env_name, other)
    return make_result(
        typing_context=target_context.typing_context,
        target_context=target_context,
        entry_point=entry_point,
        typing_error=None,
        type_annotation="",
        signature=signature,
        objectmode=objectmode,
        lifted=(),
        fndesc=description,
        library=library,
        call_helper=None,
        environment=environment,
        metadata=None,
        reload_init=(),
        referenced_envs=referenced,
    )


def claim(path: Path) -> bool:
    """Whether this process is the one that compiles ``path``: the first that asks, or the first after one that died."""
    mark = path.with_suffix(".claim")
    # Where nothing can be written, nobody else can find what this process compiles: it compiles for itself.
    with suppress(OSError):
        mark.parent.mkdir(parents=True, exist_ok=True)
        for _ in range(2):
            try:
                # Linked into place with its content: nobody reads one that is not written yet.
                beside = mark.with_name(f"{mark.name}.{os.getpid()}")
                beside.write_text(str(os.getpid()))
                try:
                    os.link(beside, mark)
                finally:
                    beside.unlink()
                return True
            except FileExistsError:
                if claimed(path):
                    return False
                mark.unlink(missing_ok=True)
    return True


def forget_old() -> None:
    """Delete what was compiled for other sources more than ``KEPT_DAYS`` ago: of the current ones nothing is deleted."""
    current = {f"{module}-{digest_of(module)}" for module in kernel_modules()}
    oldest = time.time() - KEPT_DAYS * 86_400.0
    for folder in cache_root().glob("*.*-*"):
        if folder.name not in current and folder.stat().st_mtime < oldest:
            shutil.rmtree(folder, ignore_errors=True)


def claimed(path: Path) -> bool:
    """Whether another living process compiles ``path``."""
    holder = 0
    with suppress(FileNotFoundError, ValueError):
        holder = int(path.with_suffix(".claim").read_text() or "0")
    if holder in (0, os.getpid()):
        return False
    try:
        os.kill(holder, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
