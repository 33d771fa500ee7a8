"""Who logs in where: user and password for a rig, from places that are made for secrets."""

from __future__ import annotations

import netrc
import re
import secrets
from collections.abc import Callable, Mapping
from pathlib import Path

from gribble.core.base.addresses import Address
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE, changing
from gribble.core.base.regular import open_regular

NETRC_NAMES = (".netrc", "_netrc")
"""What the file of passwords is called in the user's folder; the second on Windows (Python's manual of `netrc`)."""


def variable_of(rig: str) -> str:
    """The environment variable that may hold a rig's password."""
    return "GRIBBLE_PASSWORD_" + re.sub(r"[^A-Z0-9]", "_", rig.upper())


def credentials(
    rig: str, address: Address, prompt: Callable[[str], str | None], env: Mapping[str, str]
) -> tuple[str, str | None]:
    """User and password for a rig: from `$GRIBBLE_PASSWORD_<RIG>`, else from netrc, else by asking.

    An address without a user takes netrc's; without that it is an anonymous guest's. The password is None if there
    is none to be had. Raises ValueError if netrc cannot be read.
    """
    user, password = address.user, env.get(variable_of(rig))
    if password is not None and user:
        return user, password
    named = [Path(env["NETRC"])] if env.get("NETRC") else [Path.home() / name for name in NETRC_NAMES]
    entry = next((found for path in named if (found := _from_netrc(address.host, path))), None)
    if entry is not None and user in ("", entry[0]):
        return entry[0], password if password is not None else entry[1]
    if not user:
        return "anonymous", "guest@"
    return user, prompt(f"Password for {user} on {address.server} (rig {rig}): ")


def _from_netrc(host: str, path: Path) -> tuple[str, str] | None:
    try:
        found = netrc.netrc(path).authenticators(host)
    except OSError:
        return None
    except netrc.NetrcParseError as error:
        raise ValueError(f"{path}, line {error.lineno}: {error.msg}") from None  # without the line, which has secrets
    return (found[0], found[2] or "") if found else None


SECRET_BYTES = 32


REMADE = "You can still adopt the earlier runs: gribble history --adopt RUN."


def secret_in(folder: Path, name: str = "journals.secret", use: str = "signs journals", remade: str = REMADE) -> bytes:
    """The secret in a folder, which is made where there is none. `remade` says what follows when a new one is made.
    Raises GribbleError."""
    path = folder / name
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
            f"the secret that {use}, {path}, cannot be read or made: {reason_of(error)}",
            fix="Nothing was changed. Give yourself permission for that folder. If it is a link, remove it.",
            code=ExitCode.FAILED,
        ) from error
    if len(secret) < SECRET_BYTES:
        raise GribbleError(
            f"the secret that {use}, {path}, is cut short",
            fix=f"Nothing was changed. Remove it. {remade}",
            code=ExitCode.FAILED,
        )
    return secret


def _read(path: Path) -> bytes:
    """The secret in a file; nothing if there is none."""
    try:
        with open_regular(path, through_links=False) as stream:
            return stream.read(SECRET_BYTES)
    except FileNotFoundError:
        return b""
