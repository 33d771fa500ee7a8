"""From a rig's address to its store: the right kind of link, the right user, and words for what goes wrong."""

from __future__ import annotations

import os
import socket
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

from gribble.core.base.addresses import Address, parse_address
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.placing.journal import Seal
from gribble.core.records.config import Rig
from gribble.stores.credentials import credentials, variable_of
from gribble.stores.link import Link, LinkLost, ServerRefused, tame
from gribble.stores.local import OWN_FOLDER
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import RigHome
from gribble.stores.steady import SteadyLink

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
