"""Needs, accepts and holdings of contents that are words."""

from __future__ import annotations

import hashlib
from typing import Any

from gribble.core.base.digests import Digests
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Accept, Key, ManifestFile, Need


def digest(what: str) -> str:
    return hashlib.sha1(what.encode(), usedforsecurity=False).hexdigest()


def accept(what: str, **more: Any) -> Accept:
    return Accept(size=len(what), sha1=digest(what), **more)


def need(id_: str = "rom", name: str = "a.rom", **more: Any) -> Need:
    base: dict[str, Any] = {"kind": "bios", "level": "must", "folder": "boot", "accept": (accept("good"),)}
    return Need(id=id_, name=name, **{**base, **more})


def held(path: str, what: str, rig: str = "", member: str | None = None) -> Holding:
    return Holding(
        rig=rig,
        root=f"/{rig or 'drawer'}",
        path=path,
        member=member,
        size=len(what),
        digests=Digests(sha1=digest(what)),
    )


def key(name: str, value: str = "", **more: object) -> Key:
    proof = hashlib.sha256(bytes.fromhex(value)).hexdigest() if value else None
    return Key(name=name, bytes=2, sha256=proof, **more)  # type: ignore[arg-type]


def manifest(id_: str, *names: str, **more: Any) -> Need:
    """Many files, each of which holds its own name."""
    files = tuple(ManifestFile(name=name, sha1=digest(name)) for name in names)
    return need(id_, "", accept=(), file=files, **more)
