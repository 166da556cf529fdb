"""The server imports everything before its first thread begins; the command line imports little before it is needed."""

import ast
import subprocess
import sys
from pathlib import Path

import brickseat_core
from brickseat.serving import LATE_IMPORTS


def late_imports(path: Path) -> set[str]:
    """What functions of a file import when they are called."""
    functions = [
        n for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)
    ]
    nodes = [node for function in functions for node in ast.walk(function)]
    return {node.module or "" for node in nodes if isinstance(node, ast.ImportFrom)} | {
        name.name for node in nodes if isinstance(node, ast.Import) for name in node.names
    }


def test_what_the_core_imports_late_is_imported_before_the_server_starts() -> None:
    found = {name for path in Path(brickseat_core.__file__).parent.rglob("*.py") for name in late_imports(path)}
    assert found
    assert found <= set(LATE_IMPORTS)


def loaded_after(code: str) -> set[str]:
    program = f"import sys\n{code}\nprint(' '.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, timeout=120, check=True)
    return set(done.stdout.split())


def test_help_waits_for_no_kernels() -> None:
    loaded = loaded_after(
        "from brickseat.command_line import main\nsys.stdout = sys.stderr\nmain(['--help'])\nsys.stdout = sys.__stdout__"
    )
    assert "brickseat.command_line" in loaded
    assert not loaded & {"numba", "numpy", "scipy", "trimesh", "django", "rich"}


def test_a_check_waits_only_for_what_it_needs() -> None:
    loaded = loaded_after("import brickseat.commands.checking")
    assert "numba" in loaded
    assert not loaded & {
        "scipy.spatial",
        "scipy.optimize",
        "scipy.sparse",
        "trimesh",
        "pxr",
        "rapier3d",
        "django",
        "rich",
    }
