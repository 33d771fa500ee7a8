"""The secret by which a journal is known to be this user's: made once, kept in the user's data folder."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from gribble.core.base.changing import flush_file
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE
from gribble.core.base.regular import NO_LINKS, open_regular

SECRET_BYTES = 32


def secret_in(folder: Path) -> bytes:
    """The secret in a folder, which is made where there is none. Raises GribbleError."""
    path = folder / "journals.secret"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, PRIVATE)
        except FileExistsError:
            with open_regular(path, through_links=False) as stream:
                secret = stream.read(SECRET_BYTES)
        else:
            secret = secrets.token_bytes(SECRET_BYTES)
            with os.fdopen(handle, "wb") as stream:
                stream.write(secret)
                stream.flush()
                flush_file(stream.fileno())
    except OSError as error:
        raise GribbleError(
            f"the secret that signs journals, {path}, can neither be read nor made: {reason_of(error)}",
            fix="Nothing was changed. Give yourself permission for that folder, and remove it if it is a link.",
            code=ExitCode.FAILED,
        ) from error
    if len(secret) < SECRET_BYTES:
        raise GribbleError(
            f"the secret that signs journals, {path}, is cut short",
            fix="Nothing was changed. Remove it; runs of before are then to be adopted: gribble history --adopt RUN.",
            code=ExitCode.FAILED,
        )
    return secret
