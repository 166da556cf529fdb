"""Start the server: the database is brought up to date, a free port is found, the address is printed once it answers."""

import errno
import gc
import os
import socket
import sys
import threading
import urllib.request
import webbrowser
from importlib import import_module
from pathlib import Path

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.writing import remove_unfinished

TRIES = 50
ANSWER_SECONDS = 60
GARBAGE_AFTER = 50_000
"""Objects made until Python looks for what nothing refers to any more; 700 by default."""
IDLE_SECONDS = 330
"""How long a connection without a request stays open. Browsers and proxies close theirs after 300 s at most, so that they
close first: a server that closes just when a request comes in resets the connection, and that request has no answer."""
LATE_IMPORTS = (
    "pydantic",
    "scipy.optimize",
    "scipy.sparse",
    "scipy.sparse.csgraph",
    "brickseat_core.formats.settle_extras",
    "brickseat_core.formats.shape_file",
    "brickseat_core.gravity.falling",
    "brickseat_core.gravity.world",
    "brickseat_core.proposals.scatter.throwing",
)
"""What the core imports where it is used, so that the command line need not wait for it."""


def free_socket(host: str, port: int) -> socket.socket:
    """A listening socket on ``port`` or the next free one. Raises FileError where there is none."""
    last = min(port + TRIES - 1, 65535)
    for candidate in range(port, last + 1):
        listener = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            listener.listen(128)
            return listener
        except OSError as problem:
            listener.close()
            if problem.errno not in (errno.EADDRINUSE, errno.EACCES):
                raise FileError(
                    f"{host} is no address of this machine ({problem.strerror}); name another with --host"
                ) from None
    raise FileError(f"no free port from {port} to {last}; name another with --port")


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
    """Django with its database up to date, its files readable by their owner only, nothing half written among them.

    Raises FileError, saying what is in the way.
    """
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brickseat.settings")
    # What is made from now on, the database and its journal among it, is nobody else's to read.
    os.umask(0o077)
    import django
    from django.db import DatabaseError

    folder = Path(os.environ.get("BRICKSEAT_DATA", "data")).absolute()
    try:
        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0, interactive=False)
        for path in folder.glob("brickseat.sqlite3*"):
            path.chmod(0o600)
        # A server that was killed may have been writing.
        remove_unfinished(folder)
    except DatabaseError as problem:
        raise FileError(
            f"{folder / 'brickseat.sqlite3'}: cannot be used ({problem}); bring back a copy of it, or name another folder "
            "with BRICKSEAT_DATA"
        ) from None
    except OSError as problem:
        raise FileError(
            f"{folder}: cannot be written ({problem.strerror}); make room there, or name another folder with BRICKSEAT_DATA"
        ) from None


def get_ready() -> None:
    """What the first ones would else wait for: kernels, and then the process from which those that read files are forked."""
    from brickseat_core.formats.apart import run_apart
    from brickseat_core.warm import warm

    warm()
    run_apart(int)
    # What is loaded by now stays: to look through it for garbage takes a tenth of a second, in the midst of a preview.
    gc.collect()
    gc.freeze()


def serve(*, demo: bool, host: str, port: int, open_browser: bool, fd: int | None, behind_proxy: bool = False) -> int:
    """Run until interrupted. ``behind_proxy``: a proxy on this machine speaks HTTPS to the visitors. Raises FileError."""
    os.environ["BRICKSEAT_DEMO"] = "1" if demo else "0"
    os.environ["BRICKSEAT_BEHIND_PROXY"] = "1" if behind_proxy else "0"
    open_database()
    if demo:
        from brickseat.demo.sets import ensure_demo

        ensure_demo(lambda text: print(text, flush=True))

    import uvicorn

    from brickseat.asgi import application
    from brickseat_core.formats.apart import keep_kernels_loaded
    from brickseat_core.geometry.cube import cube

    keep_kernels_loaded()

    config = uvicorn.Config(
        application,
        log_level="warning",
        ws_per_message_deflate=False,
        lifespan="off",
        # Of the proxy alone, which is on this machine: who asks, and whether by HTTPS.
        proxy_headers=behind_proxy,
        forwarded_allow_ips=os.environ.get("BRICKSEAT_PROXY", "127.0.0.1,::1"),
        server_header=False,
        timeout_keep_alive=IDLE_SECONDS,
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
