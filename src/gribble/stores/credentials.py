"""Who logs in where: user and password for a rig, from places that are made for secrets."""

from __future__ import annotations

import netrc
import re
from collections.abc import Callable, Mapping
from pathlib import Path

from gribble.core.base.addresses import Address

NETRC_NAMES = (".netrc", "_netrc")
"""What the file of passwords is called in the user's folder; the second on Windows (Python's manual of `netrc`)."""


def variable_of(rig: str) -> str:
    """The environment variable that may hold a rig's password."""
    return "GRIBBLE_PASSWORD_" + re.sub(r"[^A-Z0-9]", "_", rig.upper())


def credentials(
    rig: str, address: Address, prompt: Callable[[str], str | None], env: Mapping[str, str]
) -> tuple[str, str | None]:
    """User and password for a rig: from `$GRIBBLE_PASSWORD_<RIG>`, else from netrc, else by asking.

    An address without a user takes netrc's; without that it is an anonymous guest's. The password is None where there
    is none to be had. Raises ValueError where netrc cannot be read.
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
