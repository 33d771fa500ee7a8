"""Which rigs were seen where, and by what a rig is known again when another volume lies under the same path."""

from __future__ import annotations

import contextlib
import json
import os
import re
import secrets
from pathlib import Path

from gribble.core.base.changing import remove, replace
from gribble.core.base.paths import MEMORY_FOLDER
from gribble.core.base.regular import NO_LINKS, read_regular

_ID = "id"
_ID_BYTES = 64
_RIGHT_ID = re.compile(r"[0-9a-f]{32}")
_MOST_BYTES = 1 << 20


class SeenRigs:
    """The roots at which rigs have been seen, so that an absent one is known to be away, each with the id of the rig
    that was there. Kept in a small file beside the configuration."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        self._ids = self._read()

    def _read(self) -> dict[str, str]:
        try:
            found = json.loads(read_regular(self._path, _MOST_BYTES, through_links=False)) if self._path else {}
        except (OSError, ValueError, RecursionError):
            return {}
        if isinstance(found, list):  # as versions before this one had it
            found = dict.fromkeys(map(str, found), "")
        return {root: str(id_) for root, id_ in found.items()} if isinstance(found, dict) else {}

    def __contains__(self, root: str) -> bool:
        return root in self._ids

    def why_other(self, name: str, root: Path) -> str:
        """Why what lies at a rig's root now is not the rig that was there before; empty where it may be."""
        known, now = self._ids.get(str(root), ""), id_at(root)
        if not known or now is None or now == known:
            return ""
        other = "another" if now else "no"
        return (
            f"what is at {root} now is not the rig that was there before (it has {other} id); "
            f"gribble doctor --accept {name} takes it for the rig"
        )

    def note(self, root: Path) -> None:
        """Remember a root that is there now; where that cannot be written, nothing is lost but this memory."""
        now = id_at(root)
        if self._path is None or now is None or self._ids.get(str(root)) == now:
            return
        self._ids = {**self._read(), str(root): now}
        keep(self._path, self._ids)


def keep(path: Path, record: object) -> None:
    """Write a small file of Gribble's own, as JSON, whole or not at all; where that cannot be, nothing is lost but what
    it would have said."""
    work = path.with_suffix(f".{os.getpid()}.part")
    with contextlib.suppress(OSError, UnicodeEncodeError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        remove(work, missing_ok=True)
        with os.fdopen(os.open(work, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, 0o600), "wb") as stream:
            stream.write(json.dumps(record, sort_keys=True).encode())
        replace(work, path)


def id_at(root: Path) -> str | None:
    """The id of the rig at a root; empty where it has none, None where that cannot be known."""
    try:
        text = read_regular(root / MEMORY_FOLDER / _ID, _ID_BYTES, through_links=False).decode("ascii", "replace")
    except (FileNotFoundError, NotADirectoryError):
        return ""
    except OSError:
        return None
    return text.strip() if _RIGHT_ID.fullmatch(text.strip()) else ""


def give_id(root: Path) -> None:
    """Give the rig at a root an id, if it has none; where that cannot be written, it stays without one."""
    if id_at(root) != "":
        return
    with contextlib.suppress(OSError):
        place = root / MEMORY_FOLDER / _ID
        remove(place, missing_ok=True)  # what is no id
        with os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, 0o600), "wb") as stream:
            stream.write(secrets.token_hex(16).encode() + b"\n")
