"""Files of this machine: read in blocks, moved and flushed, with errors that the stores share."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterator
from functools import wraps
from pathlib import Path
from typing import ParamSpec, TypeVar

from gribble.core.errors import reason_of
from gribble.core.placing.store import StoreError
from gribble.core.survey.archives.common import ArchiveError
from gribble.core.survey.archives.opening import member_blocks
from gribble.core.survey.digests import BLOCK_BYTES

P = ParamSpec("P")
T = TypeVar("T")


def told(method: Callable[P, T]) -> Callable[P, T]:
    """Errors of the operating system as StoreError, with path and reason."""

    @wraps(method)
    def wrapper(*args: P.args, **kwargs: P.kwargs) -> T:
        try:
            return method(*args, **kwargs)
        except OSError as error:
            raise StoreError(f"{error.filename or args[1:] or ''}: {reason_of(error)}") from error

    return wrapper


def read_blocks(path: Path, member: str | None = None) -> Iterator[bytes]:
    """The content of a local file, or of a member of a local archive, block by block. Raises StoreError."""
    try:
        if member is not None:
            yield from member_blocks(path, member)
            return
        with path.open("rb") as stream:
            while block := stream.read(BLOCK_BYTES):
                yield block
    except OSError as error:
        raise StoreError(f"{path}: {reason_of(error)}") from error
    except ArchiveError as error:
        raise StoreError(f"{path} {error}") from error


def move(source: Path, target: Path) -> None:
    """Rename a file over whatever is at the target, in one instant, and flush the folders. Raises OSError."""
    source.replace(target)
    flush_folder(target.parent)
    if source.parent != target.parent:
        flush_folder(source.parent)


def flush_folder(folder: Path) -> None:
    """Flush a folder's entries to the disk, where the system can (Windows cannot open folders)."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        with contextlib.suppress(OSError):
            os.fsync(handle)
    finally:
        os.close(handle)
