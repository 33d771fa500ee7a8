"""From a rig's address to its store: the right kind of link, who logs in there, by passwords from places that are made
for secrets, and words for what goes wrong.
"""

from __future__ import annotations

import netrc
import os
import re
import secrets
import socket
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

from gribble.core.base.addresses import Address, parse_address
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE, changing
from gribble.core.base.regular import open_regular
from gribble.core.placing.journal import Seal
from gribble.core.records.config import Rig
from gribble.stores.link import Link, LinkLost, ServerRefused, SteadyLink, tame
from gribble.stores.local import OWN_FOLDER
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import RigHome

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


KEPT_FOLDER = "kept"
"""What the folder is called, beside the index, that holds what cannot be made again."""
Prompt = Callable[[str], str | None]
"""Asks the user for a password; None if nobody can be asked."""


class Access(NamedTuple):
    """How a rig on another machine is reached: who is asked for a password, the variables that may hold one, and
    whether only the size of what is sent is compared."""

    prompt: Prompt
    env: Mapping[str, str]
    trust_size: bool = False


def kept_folder(memory: Path, name: str) -> Path:
    """The folder on this machine for what runs keep of a rig on another one. Where an earlier version had another place
    for it, it is moved first."""
    folder, before = memory / KEPT_FOLDER / name, memory / "rigs" / name
    if os.path.isdir(before) and not os.path.lexists(folder):
        try:
            folder.parent.mkdir(parents=True, exist_ok=True, mode=OWN_FOLDER)
            os.rename(before, folder)
        except OSError:
            return before
    return folder


def network_rig(name: str, rig: Rig, at: str, home: Path, access: Access, seal: Seal) -> RigHome:
    """A rig on another machine, which is connected to when it is first needed. `home` is its folder on this machine.

    Connecting raises GribbleError if the server refuses, or cannot be trusted.
    """
    address = parse_address(at)
    known: list[tuple[str, str | None]] = []

    def connect() -> Link:
        if not known:
            known.append(_credentials(name, address, access, rig.timeout))
        try:
            return _connected(address, rig, *known[0])
        except ServerRefused as error:
            raise GribbleError(
                f"rig {name}: {address.server}: {error}",
                fix=error.fix or f"Correct it ({variable_of(name)}, netrc), or leave this rig out: --rig OTHER.",
                code=ExitCode.FAILED,
            ) from None

    store = RemoteStore(SteadyLink(connect, name), home, trust_size=access.trust_size)
    return RigHome(name, str(address), home, store, seal)


def _credentials(name: str, address: Address, access: Access, timeout: float) -> tuple[str, str | None]:
    def ask(question: str) -> str | None:
        """Nobody is asked for the password of a server that is asleep."""
        try:
            socket.create_connection((address.host, address.port), timeout).close()
        except OSError as error:
            raise LinkLost(tame(reason_of(error))) from error
        return access.prompt(question)

    try:
        user, password = credentials(name, address, ask, access.env)
    except ValueError as error:
        raise GribbleError(f"rig {name}: {error}", fix="Correct that line of netrc.", code=ExitCode.FAILED) from None
    if password is None and address.kind != "sftp":
        raise LinkLost(f"no password for {user}: set {variable_of(name)}, or write it into netrc")
    return user, password


def _connected(address: Address, rig: Rig, user: str, password: str | None) -> Link:
    if address.kind == "sftp":
        from gribble.stores.sftp import SftpLink

        known_hosts = Path.home() / ".ssh" / "known_hosts"
        return SftpLink(address, user, password, rig.timeout, rig.host_key, known_hosts)
    from gribble.stores.ftp import FtpLink

    if address.kind == "ftp":
        return FtpLink(address, user, password or "", rig.timeout)
    import ssl

    try:
        context = ssl.create_default_context(cafile=rig.certificate)
    except (OSError, ssl.SSLError) as error:
        why = reason_of(error) if isinstance(error, FileNotFoundError) else "is no certificate in PEM form"
        raise ServerRefused(f"the certificate {rig.certificate}: {why}") from error
    # A certificate that the user names is that very server's, whatever name is in it.
    context.check_hostname = rig.certificate is None
    return FtpLink(address, user, password or "", rig.timeout, context)
