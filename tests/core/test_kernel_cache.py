"""Compiled kernels are found again by what they are made of, wherever they lie, and by nothing else."""

import ast
import importlib
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from types import ModuleType

import numba
import pytest
from numba.core.dispatcher import Dispatcher

import brickseat_core
from brickseat_core import kernel_cache
from brickseat_core.contact.kernels.mover import frame_kernel
from brickseat_core.kernel_cache import KernelCache, built_on, claim, claimed, forget_old, kernel_modules

PACKAGE = Path(brickseat_core.__file__).parent
FRAME = """
import numpy as np
from brickseat_core.contact.kernels.mover import frame_along, frame_kernel
print(frame_along(np.array([0.0, -1.0, 0.0])).tolist(), sum(frame_kernel.stats.cache_hits.values()))
"""


def kernels() -> list[tuple[ModuleType, Dispatcher]]:
    modules = [importlib.import_module(f"brickseat_core.{name}") for name in kernel_modules()]
    return [
        (m, k) for m in modules for k in vars(m).values() if isinstance(k, Dispatcher) and k.__module__ == m.__name__
    ]


def frame_in(package_root: Path, cache: Path) -> tuple[str, int]:
    """The frame as another process makes it, with the package at that place, and how many kernels it found compiled."""
    environment = {**os.environ, "PYTHONPATH": str(package_root), "BRICKSEAT_KERNEL_CACHE": str(cache)}
    done = subprocess.run(
        [sys.executable, "-c", FRAME], env=environment, capture_output=True, text=True, timeout=300, check=True
    )
    output, _, hits = done.stdout.strip().rpartition(" ")
    return output, int(hits)


def test_another_copy_finds_what_was_compiled_and_an_edit_does_not(tmp_path: Path) -> None:
    here, elsewhere, cache = tmp_path / "here", tmp_path / "else" / "where", tmp_path / "cache"
    for root in (here, elsewhere):
        shutil.copytree(PACKAGE, root / "brickseat_core", ignore=shutil.ignore_patterns("__pycache__"))
    first, hits = frame_in(here, cache)
    assert hits == 0
    assert frame_in(here, cache) == (first, 1)
    assert frame_in(elsewhere, cache) == (first, 1), "another path and other times are the same kernels"
    mover = elsewhere / "brickseat_core" / "contact" / "kernels" / "mover.py"
    mover.write_text(mover.read_text() + "\n# edited\n")
    assert frame_in(elsewhere, cache) == (first, 0), "what is edited is compiled anew"
    rays = here / "brickseat_core" / "contact" / "rays.py"
    rays.write_text(rays.read_text() + "\n# edited\n")
    assert frame_in(here, cache) == (first, 1), "what it is not built on does not matter"


def test_what_is_not_whole_is_compiled_anew(tmp_path: Path) -> None:
    first, _ = frame_in(PACKAGE.parent, tmp_path)
    (kept,) = tmp_path.glob("contact.kernels.mover-*/frame_kernel-*.kernel")
    kept.write_bytes(kept.read_bytes()[:100])
    assert frame_in(PACKAGE.parent, tmp_path) == (first, 0)
    assert frame_in(PACKAGE.parent, tmp_path) == (first, 1)


def test_a_kernel_is_found_by_all_that_it_is_built_on() -> None:
    """Whatever of the core a kernel's code names stands in a module that its digest covers."""
    covered = {f"brickseat_core.{name}" for name in ("tolerances", "kernels")}
    for module, kernel in kernels():
        own = {f"brickseat_core.{name}" for name in built_on(module.__name__.removeprefix("brickseat_core."))}
        for name in kernel.py_func.__code__.co_names:
            value = vars(module).get(name)
            where = getattr(value, "__module__", None)
            if isinstance(value, Dispatcher):
                assert where in own, f"{module.__name__}.{kernel.__name__} calls {where}.{name}"
            elif isinstance(value, int | float) and f"import {name}" not in Path(module.__file__ or "").read_text():
                defined = {m for m in own | covered if name in vars(sys.modules.get(m) or module)}
                assert defined, (
                    f"{module.__name__}.{kernel.__name__} uses {name}, which is defined nowhere it is looked for"
                )


def test_every_kernel_is_kept_by_its_content() -> None:
    assert len(kernels()) > 50
    for _, kernel in kernels():
        assert isinstance(kernel._cache, KernelCache)


def test_one_process_compiles_what_two_want(tmp_path: Path) -> None:
    path = tmp_path / "k-1.kernel"
    assert claim(path)
    assert not claimed(path), "its own claim keeps nobody waiting"
    sleeper = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
    try:
        path.with_suffix(".claim").write_text(str(sleeper.pid))
        assert claimed(path)
        assert not claim(path)
    finally:
        sleeper.kill()
        sleeper.wait()
    assert claim(path), "whoever died compiles nothing"


def test_two_processes_at_once_compile_each_kernel_once(tmp_path: Path) -> None:
    environment = {**os.environ, "BRICKSEAT_KERNEL_CACHE": str(tmp_path)}
    both = [
        subprocess.Popen([sys.executable, "-c", FRAME], env=environment, stdout=subprocess.PIPE, text=True)
        for _ in range(2)
    ]
    output = {process.communicate(timeout=300)[0].rpartition(" ")[0] for process in both}
    assert len(output) == 1
    assert len(list(tmp_path.glob("contact.kernels.mover-*/frame_kernel-*.kernel"))) == 1
    assert not list(tmp_path.glob("*/*.claim"))


def test_the_cache_is_made_for_this_version_of_the_compiler() -> None:
    """It stands on what is not public: whoever brings in another version looks at kernel_cache.py first."""
    assert numba.__version__ == "0.68.1"
    assert kernel_cache.cache_root() in Path(frame_kernel._cache.cache_path).parents


def test_flushing_forgets_one_kernel(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("BRICKSEAT_KERNEL_CACHE", str(tmp_path))
    cache = KernelCache(frame_kernel.py_func)
    folder = Path(cache.cache_path)
    folder.mkdir(parents=True)
    (folder / "frame_kernel-1.kernel").write_bytes(b"")
    (folder / "mover_kernel-1.kernel").write_bytes(b"")
    cache.flush()
    assert [p.name for p in folder.iterdir()] == ["mover_kernel-1.kernel"]


def test_what_was_compiled_long_ago_for_other_sources_is_forgotten(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("BRICKSEAT_KERNEL_CACHE", str(tmp_path))
    current = Path(KernelCache(frame_kernel.py_func).cache_path).name
    for name in (current, "contact.kernels.mover-0123456789abcdef", "contact.rays-0123456789abcdef"):
        (tmp_path / name).mkdir()
    long_ago = time.time() - 40 * 86_400
    for name in (current, "contact.rays-0123456789abcdef"):
        os.utime(tmp_path / name, (long_ago, long_ago))
    forget_old()
    assert {p.name for p in tmp_path.iterdir()} == {current, "contact.kernels.mover-0123456789abcdef"}


def test_where_nothing_can_be_kept_kernels_work_all_the_same(tmp_path: Path) -> None:
    blocked = tmp_path / "a file, no folder"
    blocked.write_text("")
    environment = {**os.environ, "BRICKSEAT_KERNEL_CACHE": str(blocked / "cache")}
    done = subprocess.run(
        [sys.executable, "-c", FRAME], env=environment, capture_output=True, text=True, timeout=300, check=True
    )
    assert done.stdout.endswith(" 0\n")
    assert "BRICKSEAT_KERNEL_CACHE" in done.stderr


def test_what_is_no_kernel_is_annotated_in_modules_of_kernels() -> None:
    """Type checks pass over kernels, which Numba types when it compiles them, and over nothing else."""
    package = Path(kernel_cache.__file__).parent
    for name in kernel_modules():
        tree = ast.parse((package / (name.replace(".", "/") + ".py")).read_text())
        for node in ast.walk(tree):
            if not isinstance(node, ast.FunctionDef):
                continue
            marks = {mark.id for mark in node.decorator_list if isinstance(mark, ast.Name)}
            if any("kernel" in mark for mark in marks):
                continue
            arguments = [
                a
                for a in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)
                if a.arg not in ("self", "cls")
            ]
            assert node.returns is not None, (name, node.name)
            assert all(a.annotation is not None for a in arguments), (name, node.name)
