"""Which rigs and sources were seen where and when, so that one that is away is known to be, and a stick is the same
stick wherever it is plugged in."""

from __future__ import annotations

import contextlib
import os
import re
import secrets
import stat
import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from gribble.core.base.amounts import LATEST, day_words, since_words
from gribble.core.base.changing import flush_folder
from gribble.core.base.errors import reason_of
from gribble.core.base.filewriter import note_record, put_own, read_record
from gribble.core.base.paths import MEMORY_FOLDER
from gribble.core.base.regular import read_regular
from gribble.core.files.volumes import are_others, mark_of, mount_point, mounted_with
from gribble.core.records.config import MovedSource, Source
from gribble.core.survey.whereabouts import near_folder


class Seen(NamedTuple):
    """When a source was last there, in seconds since 1970; on which volume, and where on it."""

    when: float = 0.0
    mark: str = ""
    within: str = ""


class SeenSources:
    """The sources that have been seen, by the place that is written for them. Kept in a small file beside the
    configuration, again once a day for each."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path
        self._seen = self._read()

    def _read(self) -> dict[str, Seen]:
        return _seen_of(read_record(self._path)) if self._path else {}

    def __contains__(self, source: Source) -> bool:
        return source.known_at in self._seen

    def since(self, source: Source) -> str:
        """Since when a source has been away, in words that follow "away": since it was last seen. Empty where nobody
        knows, or by the clock that is still to come."""
        when = self._seen.get(source.known_at, Seen()).when
        return since_words(when, time.time())

    def today(self, source: Source) -> Source:
        """A source where it is today: where it is written to be, or where the volume on which it was is now."""
        known = self._seen.get(source.at)
        if known is None or not known.mark or _is_there(Path(source.at), known.mark):
            return source
        for place in mounted_with(known.mark):
            if os.path.isdir(place / known.within):
                return MovedSource(at=str(place / known.within), name=source.name, written=source.at)
        return source

    def why_other(self, source: Source) -> str:
        """Why what is at a source's place is not what was there before; empty if it may be."""
        known = self._seen.get(source.known_at, Seen())
        if are_others(known.mark, mark_of(Path(source.at))):
            return f"another volume is at {source.at}"
        return ""

    def note(self, *sources: Source) -> None:
        """Remember sources that are there now, and what was at their places before no more; where that cannot be
        written, nothing is lost but this memory."""
        new: dict[str, Seen] = {}
        now = time.time()
        for source in sources:
            place, before = Path(source.at), self._seen.get(source.known_at)
            mark = mark_of(place)
            if not before or before.mark != mark or _day(before.when) != _day(now):
                within = "" if not mark else os.path.relpath(os.path.realpath(place), mount_point(place))
                new[source.known_at] = Seen(now, mark, within)
        if new and self._path is not None:
            self._seen = {**self._seen, **new}
            note_record(self._path, lambda found: {**_seen_of(found), **new})


def _seen_of(found: Any) -> dict[str, Seen]:
    """What a record of seen sources says; nothing if it is none."""
    try:
        return {str(at): Seen(float(when), str(mark), str(within)) for at, (when, mark, within) in found.items()}
    except (ValueError, TypeError, AttributeError):
        return {}


def is_empty(folder: str) -> bool:
    """Whether a folder is there, and nothing is in it. Raises OSError if it cannot be read."""
    if not os.path.isdir(folder):
        return False
    with os.scandir(folder) as listing:
        return next(listing, None) is None


def why_away(source: Source, seen: SeenSources, *, held: bool) -> str:
    """Why a source cannot be looked at; empty if it can. Where the index `held` files of it, an empty folder is one
    on which nothing is mounted."""
    try:
        status = os.stat(source.at)
        if not stat.S_ISDIR(status.st_mode):
            return ""
        empty = held and is_empty(source.at)
    except FileNotFoundError:
        return f"{source.at} is not there"
    except PermissionError:
        return ""  # it is there, and whoever reads it is told
    except OSError as error:
        return f"{source.at} cannot be reached: {reason_of(error)}"
    return f"{source.at} is empty, and held files before" if empty else seen.why_other(source)


def _is_there(place: Path, mark: str) -> bool:
    """Whether a folder may be on a volume: not where it is on another, or nothing is in it."""
    now = mark_of(place) if os.path.isdir(place) else ""
    if not now or are_others(mark, now):
        return False
    return now == mark or next(_children(place), None) is not None


def _children(place: Path) -> Iterator[Path]:
    with contextlib.suppress(OSError):
        yield from place.iterdir()


def _day(when: float) -> object:
    return day_words(when) if 0 < when < LATEST else None


_ID = "id"
_ID_BYTES = 64
_RIGHT_ID = re.compile(r"[0-9a-f]{32}")


class SeenRigs:
    """The roots at which rigs have been seen, so that an absent one is known to be away, each with the id of the rig
    that was there. Kept in a small file beside the configuration."""

    def __init__(self, path: Path | None, roots: Iterable[str] = (), others: Iterable[str] = ()) -> None:
        """Of some `roots` those that are there now have been seen, too, should they go while the command is at work;
        neither they nor `others` are what another root was meant to be."""
        self._path, roots = path, list(roots)
        self._named = [*map(Path, (*roots, *others))]
        self._here = frozenset(root for root in roots if os.path.lexists(root))
        self._ids = self._read()

    def _read(self) -> dict[str, str]:
        return _ids_of(read_record(self._path)) if self._path else {}

    def __contains__(self, root: str) -> bool:
        return root in self._ids or root in self._here

    def known(self, root: Path) -> str:
        """The id of the rig that was at a root; empty if none is known."""
        return self._ids.get(str(root), "")

    def why_slip(self, name: str, root: Path) -> str:
        """What a root that is not there and never was may have been meant to be: a folder of nearly the same name.
        Empty where there is none."""
        near = None if str(root) in self else near_folder(root, self._named)
        return f"{root} is not there, but {near.name} is: correct rig.{name}.at, or make the folder" if near else ""

    def why_other(self, name: str, root: Path) -> str:
        """Why what is at a rig's root now is not the rig that was there before; empty if it may be."""
        known, now = self.known(root), id_at(root)
        if not known or now is None or now == known:
            return ""
        other = "another" if now else "no"
        return (
            f"what is at {root} now is not the rig that was there before (it has {other} id); "
            f"gribble doctor --accept {name} takes it for the rig"
        )

    def note(self, *roots: Path) -> None:
        """Remember roots that are there now; where that cannot be written, nothing is lost but this memory."""
        now = {str(root): id_ for root in roots if (id_ := id_at(root)) is not None}
        new = {root: id_ for root, id_ in now.items() if self._ids.get(root) != id_}
        if new and self._path is not None:
            self._ids = {**self._ids, **new}
            note_record(self._path, lambda found: {**_ids_of(found), **new})


class TakenOut:
    """What was taken out of gribble.toml by command, so that nothing that looks around puts it in again: places of rigs
    and sources, and emulators ("den: plover"). Kept in a small file beside the configuration."""

    def __init__(self, path: Path | None) -> None:
        self._path = path

    def __contains__(self, word: object) -> bool:
        return word in self._words(read_record(self._path) if self._path else None)

    @staticmethod
    def _words(found: Any) -> list[str]:
        return [word for word in found if isinstance(word, str)] if isinstance(found, list) else []

    def note(self, *, out: Iterable[str] = (), back: Iterable[str] = ()) -> None:
        """Remember what was taken `out`, and no more what is put `back`."""
        out, back = list(out), set(back)
        if self._path is not None:
            note_record(self._path, lambda found: [one for one in self._words(found) if one not in {*out, *back}] + out)


def _ids_of(found: Any) -> dict[str, str]:
    """What a record of seen rigs says: ids by root."""
    if isinstance(found, list):  # as versions before this one had it
        found = dict.fromkeys(map(str, found), "")
    return {root: str(id_) for root, id_ in found.items()} if isinstance(found, dict) else {}


def id_at(root: Path) -> str | None:
    """The id of the rig at a root; empty if it has none, None if that cannot be known.

    A file that a power cut has emptied tells nothing.
    """
    try:
        text = read_regular(root / MEMORY_FOLDER / _ID, _ID_BYTES, through_links=False).decode("ascii", "replace")
    except (FileNotFoundError, NotADirectoryError):
        return ""
    except OSError:
        return None
    if not text.strip("\0"):
        return None
    return text.strip() if _RIGHT_ID.fullmatch(text.strip()) else ""


def give_id(root: Path, known: str = "") -> None:
    """Give the rig at a root an id, if it has none, and flush it: the one that is `known` of it, or a new one. Where
    that cannot be written, it stays without one."""
    if id_at(root):
        return
    with contextlib.suppress(OSError):
        put_own(root / MEMORY_FOLDER / _ID, f"{known or secrets.token_hex(16)}\n".encode())
        flush_folder(root)
