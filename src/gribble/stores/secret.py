"""The secret by which a journal is known to be this user's: made once, kept in the user's data folder."""

from __future__ import annotations

import secrets
from pathlib import Path

from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE, changing
from gribble.core.base.regular import open_regular

SECRET_BYTES = 32


def secret_in(folder: Path) -> bytes:
    """The secret in a folder, which is made where there is none. Raises GribbleError."""
    path = folder / "journals.secret"
    try:
        secret = _read(path)
        if (
            not secret
        ):  # none yet, or one that a full disk or a power cut has left empty: nothing was ever signed with it
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            with changing(path) as file:
                secret = _read(path)  # another Gribble may have made it meanwhile
                if not secret:
                    secret = secrets.token_bytes(SECRET_BYTES)
                    file.write([secret], keep=False, mode=PRIVATE)
    except OSError as error:
        raise GribbleError(
            f"the secret that signs journals, {path}, can neither be read nor made: {reason_of(error)}",
            fix="Nothing was changed. Give yourself permission for that folder, and remove it if it is a link.",
            code=ExitCode.FAILED,
        ) from error
    if len(secret) < SECRET_BYTES:
        raise GribbleError(
            f"the secret that signs journals, {path}, is cut short",
            fix="Nothing was changed. Remove it. You can still adopt the earlier runs: gribble history --adopt RUN.",
            code=ExitCode.FAILED,
        )
    return secret


def _read(path: Path) -> bytes:
    """The secret in a file; nothing where there is none."""
    try:
        with open_regular(path, through_links=False) as stream:
            return stream.read(SECRET_BYTES)
    except FileNotFoundError:
        return b""
