"""Start the server: the database is brought up to date, a free port is found, the address is printed once it answers."""

import gc
import os
import socket
import sys
import threading
import urllib.request
import webbrowser
from importlib import import_module

TRIES = 50
ANSWER_SECONDS = 60
GARBAGE_AFTER = 50_000
"""Objects made until Python looks for what nothing refers to any more; 700 by default."""
LATE_IMPORTS = ("pydantic", "scipy.optimize", "scipy.sparse", "scipy.sparse.csgraph")
"""What the core imports where it is used, so that the command line need not wait for it."""


def free_socket(host: str, port: int) -> socket.socket:
    """A listening socket on ``port`` or the next free one."""
    for candidate in range(port, port + TRIES):
        listener = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            listener.listen(128)
            return listener
        except OSError:
            listener.close()
    raise SystemExit(f"no free port from {port} to {port + TRIES - 1}; name another with --port")


def announce(address: str, open_browser: bool) -> None:
    """Wait until the server answers, then say where."""
    for _ in range(ANSWER_SECONDS * 10):
        try:
            with urllib.request.urlopen(f"{address}/", timeout=2):
                break
        except OSError:
            threading.Event().wait(0.1)
    print(f"Brick Seat is at {address}", flush=True)
    if open_browser and sys.stdout.isatty() and os.environ.get("DISPLAY"):
        webbrowser.open(address)


def open_database() -> None:
    """Django with its database up to date."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brickseat.settings")
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0, interactive=False)


def get_ready() -> None:
    """What the first ones would else wait for: kernels, and then the process from which those that read files are forked."""
    from brickseat_core.formats.apart import run_apart
    from brickseat_core.warm import warm

    warm()
    run_apart(int)


def serve(*, demo: bool, host: str, port: int, open_browser: bool, fd: int | None) -> int:
    """Run until interrupted."""
    if demo:
        os.environ["BRICKSEAT_DEMO"] = "1"
    open_database()
    if demo:
        from brickseat.demo.sets import ensure_demo

        ensure_demo(lambda text: print(text, flush=True))

    import uvicorn

    from brickseat.asgi import application
    from brickseat_core.meshes.cube import cube

    config = uvicorn.Config(
        application,
        log_level="warning",
        ws_per_message_deflate=False,
        lifespan="off",
        proxy_headers=False,
        timeout_graceful_shutdown=3,
    )
    # All that is imported is imported before the first thread begins: two threads that import at once can each wait for
    # what the other one holds. The first kernel brings in what the compiler imports late.
    config.load()
    for name in LATE_IMPORTS:
        import_module(name)
    cube().tree  # noqa: B018
    # A set of thousands is millions of objects that stay: they are looked through for garbage less often.
    gc.set_threshold(GARBAGE_AFTER, 20, 50)
    threading.Thread(target=get_ready, daemon=True).start()
    listener = socket.socket(fileno=fd) if fd is not None else free_socket(host, port)
    name, number = listener.getsockname()[:2]
    shown = "127.0.0.1" if name in ("0.0.0.0", "::") else name
    address = f"http://[{shown}]:{number}" if ":" in shown else f"http://{shown}:{number}"
    threading.Thread(target=announce, args=(address, open_browser), daemon=True).start()
    uvicorn.Server(config).run(sockets=[listener])
    return 0
