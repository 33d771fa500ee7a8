"""Addresses of rigs on other machines, and of pages on the web."""

from __future__ import annotations

import re
from urllib.parse import quote, unquote, urlsplit

from msgspec import Struct

PORTS = {"ftp": 21, "ftps": 21, "sftp": 22}
"""The kinds of address, and the port of each."""


class Address(Struct, frozen=True, kw_only=True):
    """Where a rig on another machine is: `root` is the folder on it, absolute, without a slash at its end."""

    kind: str
    host: str
    port: int
    user: str = ""
    root: str = ""

    def __str__(self) -> str:
        user = f"{quote(self.user)}@" if self.user else ""
        host = f"[{self.host}]" if ":" in self.host else self.host
        port = "" if self.port == PORTS[self.kind] else f":{self.port}"
        return f"{self.kind}://{user}{host}{port}{quote(self.root)}"

    @property
    def server(self) -> str:
        """The server in words, without the folder."""
        return self.host if self.port == PORTS[self.kind] else f"{self.host}:{self.port}"


def parse_address(text: str) -> Address:
    """An address like ftp://ada@driftwood.local:2121/data. Raises ValueError, which never repeats a password."""
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError:
        raise ValueError("is not an address such as ftp://ada@driftwood.local:2121/data") from None
    if parts.scheme not in PORTS:
        kinds = ", ".join(f"{kind}://" for kind in PORTS)
        raise ValueError(f"begins with {parts.scheme}://, but a rig is reached by {kinds}")
    if parts.password is not None:
        raise ValueError("has a password in it; never write a password in this file (see docs/network.md)")
    if not parts.hostname or port == 0 or parts.query or parts.fragment:
        raise ValueError("is not an address such as ftp://ada@driftwood.local:2121/data")
    root = unquote(parts.path, errors="surrogateescape").rstrip("/")
    if any(ord(char) < 32 or ord(char) == 127 for char in root + unquote(parts.username or "")):
        raise ValueError("contains a control character")
    if ".." in root.split("/"):
        raise ValueError("climbs with '..'; name the folder itself")
    return Address(
        kind=parts.scheme,
        host=parts.hostname,
        port=port or PORTS[parts.scheme],
        user=unquote(parts.username or ""),
        root=root,
    )


def is_web(text: str) -> bool:
    """Whether a word is an address, and no path."""
    return "://" in text


def is_here(address: str) -> bool:
    """Whether a web address is one of this machine."""
    host = urlsplit(address).hostname or ""
    return host in ("localhost", "::1") or re.fullmatch(r"127(\.\d{1,3}){3}", host) is not None


def web_address(text: str) -> str:
    """The address of a page or file on the web, without what only a browser wants of it. Raises ValueError for one
    that is none, that is not private on its way (https; to this machine http is), or that has a password in it."""
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError:
        raise ValueError("is not an address such as https://driftwood.example/plover.html") from None
    if parts.scheme not in ("https", "http"):
        raise ValueError(f"begins with {parts.scheme}://, and lists come by https://")
    if not parts.hostname or port == 0 or any(ord(char) <= 32 or ord(char) == 127 for char in text):
        raise ValueError("is not an address such as https://driftwood.example/plover.html")
    if parts.username is not None:
        raise ValueError("has a name or a password in it, which would stand in the sheet; leave it out")
    if parts.scheme == "http" and not is_here(text):
        raise ValueError("begins with http://, which anybody on the way can change; https:// is what is asked for")
    return parts._replace(fragment="").geturl()
