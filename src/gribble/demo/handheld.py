"""The simulated handheld: an FTP server on this machine only, for the demo and for tests."""

from __future__ import annotations

import logging
import socket
import threading
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gribble.core.base.changing import remove, replace
from gribble.demo.sheets import HANDHELD_PASSWORD, HANDHELD_USER

with warnings.catch_warnings():
    warnings.simplefilter("ignore", DeprecationWarning)  # of asyncore, which it brings along where Python has it not
    from pyftpdlib.authorizers import DummyAuthorizer
    from pyftpdlib.filesystems import AbstractedFS
    from pyftpdlib.handlers import FTPHandler
    from pyftpdlib.ioloop import IOLoop
    from pyftpdlib.servers import FTPServer

HOST = "127.0.0.1"
POLL_SECONDS = 0.05
ALL_RIGHTS = "elradfmwMT"


class _Card(AbstractedFS):  # type: ignore[misc]
    """What the server serves: a card on which a scanner may hold on to a file for a moment."""

    def rename(self, src: str, dst: str) -> None:
        replace(Path(src), Path(dst))

    def remove(self, path: str) -> None:
        remove(Path(path))


def free_port() -> int:
    """A port that nobody on this machine uses now."""
    with socket.socket() as probe:
        probe.bind((HOST, 0))
        return int(probe.getsockname()[1])


@contextmanager
def handheld(root: Path, port: int = 0, handler: type[FTPHandler] = FTPHandler) -> Iterator[int]:
    """Serve a folder while the block runs, in a thread of its own; gives the port. Raises OSError for one in use."""
    logging.getLogger("pyftpdlib").addHandler(logging.NullHandler())  # else the server sets up one of its own
    logging.getLogger("pyftpdlib").propagate = False
    authorizer = DummyAuthorizer()
    authorizer.add_user(HANDHELD_USER, HANDHELD_PASSWORD, str(root), perm=ALL_RIGHTS)
    settings = {"authorizer": authorizer, "banner": "Awake.", "auth_failed_timeout": 0.1, "abstracted_fs": _Card}
    own = type("Handheld", (handler,), settings)
    loop = IOLoop()
    server = FTPServer((HOST, port), own, ioloop=loop)
    ending = threading.Event()

    def serve() -> None:
        while not ending.is_set():
            loop.loop(timeout=POLL_SECONDS, blocking=False)

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield server.address[1]
    finally:
        ending.set()
        thread.join()
        server.close_all()
        loop.close()
