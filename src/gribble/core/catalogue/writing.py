"""Writing sheets: TOML as a person would write it, with marks where one has to fill something in.

Nothing is invented: what only a person can know (titles, levels, kinds, why) is there as a comment that begins with
"fill in", and counts as `data` and `must` until then.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator

from msgspec import Struct, to_builtins

from gribble.core.base.digests import ALGORITHMS
from gribble.core.base.paths import base, parent
from gribble.core.records.sheet import Accept, Key, Level, Origin

FILL_IN = "# fill in"
"""How a mark begins."""


class Draft(Struct, kw_only=True):
    """A need as far as it can be known: where files lie, under which name, and which contents will do; or, with a
    `manifest`, the checksum list of many files."""

    name: str
    folder: str
    also: list[tuple[str, str]] = []
    aliases: list[str] = []
    machines: list[str] = []
    accepts: list[Accept] = []
    keys: list[Key] = []
    id: str = ""
    title: str = ""
    kind: str = ""
    level: str = ""
    why: str = ""
    choice: str = ""
    releases: str = ""
    manifest: str = ""
    changes: bool = False


class DraftSheet(Struct, kw_only=True):
    """A sheet as far as it can be known; folders of needs are paths below the emulator's own folder."""

    emulator: str
    needs: list[Draft] = []
    title: str = ""
    release: str = ""
    machines: tuple[str, ...] = ()
    remarks: list[str] = []
    origin: Origin | None = None


def write_sheet(draft: DraftSheet) -> str:
    """The sheet's text. Folder keys and missing ids are made from paths and names."""
    named = [place for need in draft.needs for place in (need.folder, *(folder for folder, _ in need.also))]
    keys = folder_keys(["", *named])  # the emulator's own folder first: the others are relative to it
    lines = [f"# {remark}" for remark in draft.remarks]
    lines += ["sheet = 1", f"emulator = {quoted(draft.emulator)}"]
    lines.append(f"title = {quoted(draft.title)}" if draft.title else mark("title", '""', "what people call it"))
    if draft.release:
        lines.append(f"release = {quoted(draft.release)}")
    if draft.machines:
        lines.append(f"machines = {json.dumps(list(draft.machines), ensure_ascii=False)}")
    else:
        lines.append(mark("machines", "[]", "what it emulates"))
    lines += ["", "[folders]", *(f"{key} = {quoted(folder or '.')}" for folder, key in keys.items())]
    if draft.origin:
        lines += ["", "[from]", *(f"{key} = {quoted(value)}" for key, value in to_builtins(draft.origin).items())]
    taken: set[str] = set()
    for need in draft.needs:
        lines += ["", *need_lines(need, keys, taken)]
    return "\n".join(lines) + "\n"


def write_arcade_sheet(emulator: str, roster: str, folder: str = ".") -> str:
    """The text of a sheet for an arcade emulator: which rosters are its, and in which folder its sets lie."""
    pattern = f"{emulator}-*.roster.jsonl" if roster.startswith(f"{emulator}-") else roster
    lines = ["sheet = 1", f"emulator = {quoted(emulator)}", mark("title", '""', "what people call it")]
    lines += [mark("machines", "[]", "what it emulates"), "", "[folders]", f"sets = {quoted(folder)}"]
    lines += ["", "[arcade]", f"rosters = {quoted(pattern)}", 'folder = "sets"']
    lines.append(mark("archives", '["zip"]', "what it reads, zip or 7z"))
    return "\n".join(lines) + "\n"


def need_lines(need: Draft, keys: dict[str, str], taken: set[str]) -> Iterator[str]:
    """The lines of one need."""
    yield "[[need]]"
    yield f"id = {quoted(_fresh(need.id or slug(base(need.name)), taken))}"
    yield f"title = {quoted(need.title)}" if need.title else mark("title", '""', "what people call it")
    kind = "keys" if need.keys else need.kind
    yield f"kind = {quoted(kind)}" if kind else mark("kind", '"data"', "bios, firmware, image or data")
    yield f"level = {quoted(need.level)}" if need.level else mark("level", '"must"', "must, better or extra")
    yield f"why = {quoted(need.why)}" if need.why else mark("why", '""', "what does not work without it")
    if need.changes:
        yield mark("changes", "true", "true if the emulator writes to it, else false")
    if need.choice:
        yield f"choice = {quoted(need.choice)}"
    if need.releases:
        yield f"releases = {quoted(need.releases)}"
    yield f"folder = {quoted(keys[need.folder])}"
    yield f"manifest = {quoted(need.manifest)}" if need.manifest else f"name = {quoted(need.name)}"
    if need.aliases:
        yield f"aliases = {json.dumps(need.aliases, ensure_ascii=False)}"
    if need.machines:
        yield f"machines = {json.dumps(need.machines, ensure_ascii=False)}"
    if need.also:
        copies = (f"{{ folder = {quoted(keys[folder])}, name = {quoted(name)} }}" for folder, name in need.also)
        yield f"also = [{', '.join(copies)}]"
    for key in need.keys:
        yield from _key_lines(key)
    for accept in need.accepts:
        yield from ("", "[[need.accept]]", *accept_lines(accept))


def _key_lines(key: Key) -> Iterator[str]:
    """The lines of a key that a key file must have."""
    yield from ("", "[[need.key]]", f"name = {quoted(key.name)}")
    if key.bytes is not None:
        yield f"bytes = {key.bytes}"
    if key.sha256:
        yield f"sha256 = {quoted(key.sha256)}"
    if key.level is Level.EXTRA:
        yield f"level = {quoted(key.level)}"


def accept_lines(accept: Accept) -> Iterator[str]:
    """The lines of one accepted content."""
    yield f"label = {quoted(accept.label)}" if accept.label else mark("label", '""', "its revision")
    for name in ("region", "version"):
        value = getattr(accept, name)
        if value:
            yield f"{name} = {quoted(value)}"
    if accept.size is not None:
        yield f"size = {accept.size}"
    for name in ALGORITHMS:
        value = accept.get(name)
        if value:
            yield f"{name} = {quoted(value)}"


def mark(key: str, example: str, what: str) -> str:
    """A line for a person to fill in."""
    return f"# {key} = {example}{' ' * max(1, 22 - len(key) - len(example))}{FILL_IN}: {what}"


def quoted(text: str) -> str:
    """A TOML string."""
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")


def slug(name: str) -> str:
    """A word for ids and keys, made from a name."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "file"


def folder_keys(folders: Iterable[str]) -> dict[str, str]:
    """A key for each folder: its last part, and more of it if two would share one."""
    keys: dict[str, str] = {}
    for folder in dict.fromkeys(folders):
        parts = folder.split("/")
        key = next(
            (word for n in range(1, len(parts) + 1) if (word := slug("-".join(parts[-n:]))) not in keys.values()),
            f"folder-{len(keys) + 1}",
        )
        keys[folder] = "main" if not folder and "main" not in keys.values() else key
    return keys


def _fresh(word: str, taken: set[str]) -> str:
    """The word itself, or with a number where it is taken."""
    fresh, number = word, 2
    while fresh in taken:
        fresh, number = f"{word}-{number}", number + 1
    taken.add(fresh)
    return fresh


def split_place(path: str) -> tuple[str, str]:
    """Folder and name of a path below a rig's root."""
    return parent(path), base(path)
