"""Comparing two sheets of one emulator: what each says that the other does not, in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from typing import TypeVar

from msgspec import Struct, structs

from gribble.core.base.digests import ALGORITHMS, Digests
from gribble.core.records.sheet import Accept, Need, Reject, Sheet

_R = TypeVar("_R", bound=Struct)
_D = TypeVar("_D", bound=Digests)


class NeedChange(Struct, frozen=True):
    """One need that differs: `change` is added, gone or changed; `words` say how."""

    need: str
    title: str
    change: str
    words: tuple[str, ...] = ()


class PartChange(Struct, frozen=True):
    """What differs in a sheet beside its needs: `part` is a kind of thing that a sheet says, `name` the one that is
    meant."""

    part: str
    name: str
    change: str
    words: tuple[str, ...] = ()


class SheetChanges(Struct, frozen=True):
    """What differs between two sheets of one emulator; a sheet that only one side has is added or gone."""

    emulator: str
    change: str
    needs: tuple[NeedChange, ...] = ()
    parts: tuple[PartChange, ...] = ()


def compare_catalogues(old: dict[str, Sheet], new: dict[str, Sheet]) -> tuple[SheetChanges, ...]:
    """The changes of every emulator that differs, by name."""
    found = []
    for emulator in sorted(old.keys() | new.keys()):
        if emulator not in old:
            found.append(SheetChanges(emulator, "added"))
        elif emulator not in new:
            found.append(SheetChanges(emulator, "gone"))
        else:
            needs = tuple(compare_needs(old[emulator], new[emulator]))
            if (parts := tuple(compare_parts(old[emulator], new[emulator]))) or needs:
                found.append(SheetChanges(emulator, "changed", needs, parts))
    return tuple(found)


def compare_needs(old: Sheet, new: Sheet) -> Iterator[NeedChange]:
    """The needs that differ: those of the new sheet in its order, then those that are gone."""
    before = {need.id: need for need in old.need}
    for need in new.need:
        if need.id not in before:
            yield NeedChange(need.id, need.called, "added", tuple(_describe(need, new)))
        elif words := tuple(_differences(before[need.id], need, old, new)):
            yield NeedChange(need.id, need.called, "changed", words)
    kept = {need.id for need in new.need}
    yield from (NeedChange(need.id, need.called, "gone") for need in old.need if need.id not in kept)


def compare_parts(old: Sheet, new: Sheet) -> Iterator[PartChange]:
    """What differs beside the needs, and beside the list from which a sheet was made."""
    yield from _changed_folders(old, new)
    for part, was, now in zip(_PARTS, _parts(old), _parts(new), strict=True):
        for name in dict.fromkeys([*now, *was]):
            if name not in was or name not in now:
                yield PartChange(part, name, "gone" if name in was else "added")
            elif words := tuple(_fields(was[name], now[name])):
                yield PartChange(part, name, "changed", words)


def _changed_folders(old: Sheet, new: Sheet) -> Iterator[PartChange]:
    """The folders that differ, but for what is said of each need in one."""
    of_needs = {need.folder for need in old.need} & {need.folder for need in new.need}
    for key in dict.fromkeys([*new.folders, *old.folders]):
        if key not in old.folders or key not in new.folders:
            yield PartChange("folder", key, "gone" if key in old.folders else "added")
            continue
        was, now = ((one.folders[key], *one.more_folders.get(key, ())) for one in (old, new))
        if was[1:] != now[1:] or (was != now and key not in of_needs):
            yield PartChange("folder", key, "changed", (f"{_say(was)} is now {_say(now)}",))


_NO_SHEET = Sheet(sheet=1, emulator="", folders={})
_PARTS = ("sheet", "setting", "games", "pair", "unlock", "root", "arcade")
_OF_THE_WHOLE = ("emulator", "title", "release", "machines", "order")
"""What a sheet says of its emulator as a whole."""
_CALLED = {
    "also": "further places",
    "aliases": "other names",
    "any_name": "any name",
    "by_setting": "found by its setting alone",
    "changes": "changes by use",
    "manifest": "checksum list",
    "nothing_else": "nothing else beside it",
    "order": "order of releases",
    "requires": "works only beside",
    "requires_keys": "required keys",
    "why": "reason",
}
"""What fields are called whose own name does not say it."""


def _parts(sheet: Sheet) -> tuple[dict[str, Struct], ...]:
    """What a sheet says beside its needs, by name; in the order of _PARTS."""
    return (
        {sheet.emulator: structs.replace(_NO_SHEET, **{name: getattr(sheet, name) for name in _OF_THE_WHOLE})},
        _by_name(sheet.setting, lambda one: f"{one.key} in {one.file}"),
        _by_name(sheet.media, lambda one: one.folder),
        _by_name(sheet.pair, lambda one: f"{one.each} in {one.folder}"),
        _by_name(sheet.unlock, lambda one: one.need),
        {"": sheet.root},
        {"": sheet.arcade} if sheet.arcade else {},
    )


def _by_name(records: Iterable[_R], name: Callable[[_R], str]) -> dict[str, Struct]:
    """Records by name; of one name, the further ones by their number, too."""
    met: Counter[str] = Counter()
    found: dict[str, Struct] = {}
    for one in records:
        met[name(one)] += 1
        found[name(one) if met[name(one)] == 1 else f"{name(one)}, {met[name(one)]}"] = one
    return found


def _fields(old: Struct, new: Struct, but: Collection[str] = ()) -> Iterator[str]:
    """What differs in the fields of two records of one kind, but for some."""
    for field in old.__struct_fields__:
        was, now = getattr(old, field), getattr(new, field)
        if field not in but and was != now:
            yield f"{_CALLED.get(field, field.replace('_', ' '))}: {_say(was)} is now {_say(now)}"


def _describe(need: Need, sheet: Sheet) -> Iterator[str]:
    yield f"{need.kind}, {need.level}, as {sheet.folders[need.folder]}/{need.name or need.manifest or 'many files'}"


def _differences(old: Need, new: Need, old_sheet: Sheet, new_sheet: Sheet) -> Iterator[str]:
    was, now = old_sheet.folders[old.folder], new_sheet.folders[new.folder]
    placed = structs.replace(old, folder=was), structs.replace(new, folder=now)
    yield from _fields(placed[0], placed[1], ("id", "accept", "reject", "key", "file"))
    yield from _content_differences(old.accept, new.accept)
    yield from _reject_differences(old.reject, new.reject)
    yield from _part_differences("key", {k.name: k for k in old.key}, {k.name: k for k in new.key})
    yield from _part_differences("file", {f.name: f for f in old.file}, {f.name: f for f in new.file})


def _content_differences(old: tuple[Accept, ...], new: tuple[Accept, ...]) -> Iterator[str]:
    twins = [_twin(one, old) for one in new]
    gone = [_called(one) for one in old if one not in twins]
    for one, twin in zip(new, twins, strict=True):
        called = _called(one)
        if twin is None and called in gone:
            gone.remove(called)
            yield f"{called}: is told by other digests"
        elif twin is None:
            yield f"also takes {called}"
        else:
            if twin.known() != one.known():
                yield f"{called}: is told by other digests"
            yield from (f"{called}: {words}" for words in _fields(twin, one, ALGORITHMS))
    for name in gone:
        yield f"no longer takes {name}"
    places = [old.index(twin) for twin in twins if twin is not None]
    if places != sorted(places):
        yield "prefers its contents in another order"


def _reject_differences(old: tuple[Reject, ...], new: tuple[Reject, ...]) -> Iterator[str]:
    twins = [_twin(one, old) for one in new]
    for one, twin in zip(new, twins, strict=True):
        called = one.label or "a content"
        if twin is None:
            yield f"is known not to work: {called}"
        else:
            yield from (f"{called}: {words}" for words in _fields(twin, one))
    for one in old:
        if one not in twins:
            yield f"is no longer known not to work: {one.label or 'a content'}"


def _twin(one: _D, others: Iterable[_D]) -> _D | None:
    """The same content among others, which may be told by other digests or have another name."""
    return next((other for other in others if one == other or one.agrees(other)), None)


def _part_differences(what: str, old: Mapping[str, object], new: Mapping[str, object]) -> Iterator[str]:
    added = [name for name in new if name not in old]
    gone = [name for name in old if name not in new]
    changed = [name for name in new if name in old and new[name] != old[name]]
    for word, names in (("wants", added), ("no longer needs", gone), ("has changed", changed)):
        if names:
            shown = ", ".join(names[:5]) + (f" and {len(names) - 5} more" if len(names) > 5 else "")
            yield f"{word} {what} {shown}" if word != "has changed" else f"{what} {shown} {word}"


def _called(accept: Accept) -> str:
    word = accept.strongest()
    digest = (accept.get(word) or "") if word else ""
    return accept.called or (f"{word} {digest[:12]}…" if word else "a content without digest")


def _say(value: object) -> str:
    if isinstance(value, tuple):
        return ", ".join(map(_say, value)) or "nothing"
    if isinstance(value, Struct):
        return " ".join(f"{name} {_say(one)}" for name, one in structs.asdict(value).items() if one)
    return "yes" if value is True else "no" if value is False else str(value) if value else "nothing"
