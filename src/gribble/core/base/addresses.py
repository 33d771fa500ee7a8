"""The addresses of rigs on other machines."""

from __future__ import annotations

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
        raise ValueError("is no address: like ftp://ada@driftwood.local:2121/data") from None
    if parts.scheme not in PORTS:
        kinds = ", ".join(f"{kind}://" for kind in PORTS)
        raise ValueError(f"begins with {parts.scheme}://, but a rig is reached by {kinds}")
    if parts.password is not None:
        raise ValueError("has a password in it; passwords never stand in this file (see docs/network.md)")
    if not parts.hostname or port == 0 or parts.query or parts.fragment:
        raise ValueError("is no address: like ftp://ada@driftwood.local:2121/data")
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
