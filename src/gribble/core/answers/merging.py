"""Bringing what a list says into the sheet or the roster that is there, once more or for the first time.

What the list said before is the base: what differs from it in the sheet is the user's own, and wins; what differs from
it in the list is new. Without a base the list only adds. Comments and order of a sheet stay.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

import tomlkit
from msgspec import Struct, structs, to_builtins

from gribble.core.base.digests import ALGORITHMS
from gribble.core.base.paths import fold, join
from gribble.core.catalogue.writing import Draft, DraftSheet, folder_keys, need_lines, slug
from gribble.core.records.roster import ArcadeSet, Roster
from gribble.core.records.sheet import Accept, Need, Origin, Reject, Sheet

_WORDS, _LISTS = ("title", "kind", "level", "why", "choice"), ("aliases", "machines")
"""What a list may say of a need, beside its contents: single words, and several."""
_CALLED = ("label", "region", "version")
"""By what contents of a need are told apart, beside their digests."""


class Merged(Struct):
    """What became of what a list says: how many needs (or sets) and accepts are new, how many accepts were known, and
    how many values (or sets) it says differently than before, which are taken. `sets` of a roster are those that are
    new or changed. `gone` are no longer on the list, and stay; `yours` were changed or taken out by hand, and stay so,
    though the list says otherwise."""

    text: str = ""
    needs: int = 0
    accepts: int = 0
    known: int = 0
    changed: int = 0
    sets: list[str] = []
    gone: list[str] = []
    yours: list[str] = []

    @property
    def differs(self) -> bool:
        """Whether anything is to be written."""
        return bool(self.needs or self.accepts or self.changed)


def begins_at(sheet: Sheet, draft: DraftSheet) -> str:
    """The folder of a sheet in which the layout of a list begins: the one below which the sheet has most of its files.
    Sheets of before begin at a rig's root, and have the emulator's own folder in front."""
    places = places_of(sheet)
    wanted = [fold(join(one.folder, one.name)) for one in draft.needs]
    folders = [join(folder) for folder in sheet.folders.values()]
    above = ["/".join(one.split("/")[:depth]) for one in folders for depth in range(one.count("/") + 2)]
    return max((sheet.own_folder, *above), key=lambda path: sum(fold(join(path, one)) in places for one in wanted))


def places_of(sheet: Sheet) -> dict[str, int]:
    """Which need of a sheet has a place, by its path, folded."""
    return {
        fold(join(sheet.folders[need.folder], name)): number
        for number, need in enumerate(sheet.need)
        for name in need.names
        if not need.file
    }


def _finder(sheet: Sheet, draft: DraftSheet) -> Callable[[Draft], int | None]:
    """What has the need of a sheet that a need of a list is: the one at its place, of several the one of its machines
    or with a content in common; else, though it has another folder there, the only one of its name, with a content in
    common."""
    begins, places, named = begins_at(sheet, draft), dict[str, list[int]](), dict[str, list[int]]()
    listed = Counter(fold(one.name) for one in draft.needs)
    for number, need in enumerate(sheet.need):
        for name in dict.fromkeys(map(fold, need.names)) if not need.file else ():
            places.setdefault(fold(join(sheet.folders[need.folder], name)), []).append(number)
            named.setdefault(name, []).append(number)

    def has(number: int, one: Draft) -> bool:
        known = (*sheet.need[number].accept, *sheet.need[number].reject)
        return any(content.agrees(accept) for content in known for accept in one.accepts)

    def find(one: Draft) -> int | None:
        for name in (one.name, *one.aliases):
            if there := places.get(fold(join(begins, one.folder, name))):
                of = [number for number in there if set(sheet.need[number].machines or ()) & set(one.machines)]
                return next((number for number in (*of, *there) if has(number, one)), (of or there)[0])
        only = named.get(fold(one.name), [])
        return only[0] if len(only) == 1 and listed[fold(one.name)] == 1 and has(only[0], one) else None

    return find


def merged(
    text: str, sheet: Sheet, new: DraftSheet, base: DraftSheet | None = None, origin: Origin | None = None
) -> Merged:
    """A sheet's text with what a list says now; `base` is what it said before, `origin` where it is."""
    document: Any = tomlkit.parse(text)
    told, find, begins = Merged(), _finder(sheet, new), begins_at(sheet, new)
    former: dict[int, Draft] = {}
    taken_out: dict[tuple[str, str], None] = {}
    find_former = _finder(sheet, base) if base else find
    for one in base.needs if base else ():
        number = find_former(one)
        if number is None:
            taken_out[fold(one.folder), fold(one.name)] = None
        else:
            former.setdefault(number, one)
    fresh = []
    for one in new.needs:
        if (number := find(one)) is not None:
            _update(document["need"][number], sheet.need[number], one, former.pop(number, None), told)
        elif (fold(one.folder), fold(one.name)) in taken_out:
            told.yours.append(one.name)
        else:
            one.folder = join(begins, one.folder)
            fresh.append(one)
    told.gone += [was.name for was in former.values()]
    if base:
        _take(document, ("title", "release"), _Saying(base, new, "the sheet"), told)
        _take(document, ("machines",), _Saying(base, new, "the sheet"), told)
    if origin is not None:
        document["from"] = to_builtins(origin)
    told.text = tomlkit.dumps(document)
    if fresh:
        told.text = with_needs(told.text, sheet, fresh)
        told.needs += len(fresh)
        told.accepts += sum(len(one.accepts) for one in fresh)
    return told


class _Saying(NamedTuple):
    """What a list said before of something, what it says now, and what that is called."""

    was: Any
    now: Any
    called: str


def _take(table: Any, keys: Iterable[str], saying: _Saying, told: Merged, *, drop: bool = False) -> None:
    """Take values that a list says differently than before, where nobody has changed them by hand. With `drop` what it
    says no longer goes, too."""
    for key in keys:
        was, now, here = (_plain(one) for one in (getattr(saying.was, key), getattr(saying.now, key), table.get(key)))
        if now in (was, here) or not (now or drop):
            continue
        if here != was:
            told.yours.append(f"the {key} of {saying.called}")
            continue
        told.changed += 1
        if now:
            _put(table, key, now)
        else:
            del table[key]


def _plain(value: Any) -> Any:
    """A value in the form in which it is compared: absent, empty and none are one."""
    value = value.unwrap() if hasattr(value, "unwrap") else value
    return list(value) if isinstance(value, (list, tuple)) and value else value or None


def _put(table: Any, key: str, value: Any) -> None:
    """Set a value; a mark that asks for it falls away."""
    table[key] = value
    body = (table if hasattr(table, "body") else table.value).body  # a document's own, or a table's
    for at, (name, item) in enumerate(body):
        if name is None and item.as_string().startswith(f"# {key} = "):
            body[at] = (None, tomlkit.items.Null())


def _update(table: Any, need: Need, one: Draft, was: Draft | None, told: Merged) -> None:
    """Bring what a list says of a need into its table."""
    if was is not None:
        _take(table, (*_WORDS, *_LISTS), _Saying(was, one, one.name), told)
    before = was.accepts if was else []
    lost, fresh = _only_in(before, one.accepts), _only_in(one.accepts, before)
    for accept in one.accepts:
        at = next((number for number, content in enumerate(need.accept) if _same(content, accept)), None)
        if at is not None:
            told.known += 1
            for former in (former for former in before if _same(former, accept)):
                saying = _Saying(former, accept, _content(one, accept))
                _take(table["accept"][at], (*_CALLED, "size", *ALGORITHMS), saying, told)
        elif not accept.known() or any(_same(content, accept) for content in need.reject):
            told.known += 1
        elif accept not in fresh:
            told.yours.append(_content(one, accept))
        elif pair := _pair(accept, fresh, lost):
            lost.remove(pair)
            _correct(table, need, _Saying(pair, accept, _content(one, accept)), told)
        else:
            values = {name: value for name in (*_CALLED, "size") if (value := getattr(accept, name)) not in (None, "")}
            append(table, "accept", {**values, **accept.known()})
            told.accepts += 1
    told.gone += [_content(one, former) for former in lost if any(_same(there, former) for there in need.accept)]


def _only_in(ours: Iterable[Accept], theirs: Sequence[Accept]) -> list[Accept]:
    """Those contents that others do not have."""
    return [accept for accept in ours if not any(_same(other, accept) for other in theirs)]


def _correct(table: Any, need: Need, saying: _Saying, told: Merged) -> None:
    """Write what a list has corrected of a content where the user has left that as it was."""
    at = next((number for number, content in enumerate(need.accept) if _is_as_it_was(content, saying.was)), None)
    if at is None:
        told.yours.append(saying.called)
    else:
        _take(table["accept"][at], ("size", *ALGORITHMS), saying, told, drop=True)


def _same(one: Accept | Reject, other: Accept) -> bool:
    """Whether two are the same content, as far as a list can say."""
    return one.agrees(other) or (not one.known() and not other.known() and one.size == other.size)


def _is_as_it_was(there: Accept, former: Accept) -> bool:
    """Whether nobody has changed by hand which content is meant."""
    return all(getattr(there, key) == getattr(former, key) for key in ("size", *ALGORITHMS))


def _pair(accept: Accept, fresh: list[Accept], lost: list[Accept]) -> Accept | None:
    """What stood on the list before in place of a content: the only one that is called so, and is there no more."""

    def of(some: list[Accept]) -> list[Accept]:
        return [one for one in some if all(getattr(one, key) == getattr(accept, key) for key in _CALLED)]

    return of(lost)[0] if len(of(lost)) == len(of(fresh)) == 1 else None


def _content(one: Draft, accept: Accept) -> str:
    """What a content of a need is called: by its label, else by the digest that says most."""
    word = accept.strongest()
    proof = f"{word} {str(accept.get(word))[:12]}" if word else "no digest"
    return f"{one.name} ({accept.in_full or proof})"


def merged_sets(
    there: Roster, new: Iterable[ArcadeSet], base: Iterable[ArcadeSet], told: Merged
) -> Iterator[ArcadeSet]:
    """The sets of a roster with what its list says now; `base` is what it said before. What becomes of them is told
    as they come."""
    listed: set[str] = set()
    edited: dict[str, ArcadeSet] = {}
    for one in base:
        listed.add(one.set)
        if (here := there.sets.get(one.set)) is not None and here != one:
            edited[one.set] = one
    met = set()
    for one in new:
        met.add(one.set)
        here = there.sets.get(one.set)
        if here is not None:
            yield _merged_set(here, one, edited.get(one.set, here if one.set in listed else None), told)
        elif one.set in listed:
            told.yours.append(one.set)
        else:
            told.needs += 1
            told.sets.append(one.set)
            yield one
    for name in there.sets:
        if name not in met:
            told.gone += [name] if name in listed else []
            yield there.sets[name]


def _merged_set(here: ArcadeSet, now: ArcadeSet, was: ArcadeSet | None, told: Merged) -> ArcadeSet:
    if was is None:
        told.yours += [here.set] if here != now else []
        return here
    taken = {}
    for key in ArcadeSet.__struct_fields__:
        before, there, said = (getattr(one, key) for one in (was, here, now))
        if said in (before, there):
            continue
        if there == before:
            taken[key] = said
        else:
            told.yours.append(f"the {key} of {here.set}")
    told.changed += bool(taken)
    told.sets += [here.set] if taken else []
    return structs.replace(here, **taken)


def append(need: Any, name: str, values: dict[str, Any], remark: str = "") -> None:
    """Add a table to a need's list, in the form that the list has: `[[need.accept]]`, or `accept = [{ … }]`."""
    there = need.setdefault(name, tomlkit.aot())
    if isinstance(there, tomlkit.items.Array):
        table: Any = tomlkit.inline_table()
        table.update(values)
    else:
        table = tomlkit.table()
        if remark:
            table.add(tomlkit.comment(remark))
        table.update(values)
    there.append(table)


def with_needs(text: str, sheet: Sheet, drafts: list[Draft]) -> str:
    """The sheet with new needs at its end, and new folders where they want some."""
    keys = {folder: key for key, folder in sheet.folders.items()}
    wanted = [place for draft in drafts for place in (draft.folder, *(folder for folder, _ in draft.also))]
    missing = [folder for folder in dict.fromkeys(wanted) if (folder or ".") not in keys and folder not in keys]
    document: Any = tomlkit.parse(text)
    for folder, key in folder_keys([*keys, *missing]).items():
        if folder in missing:
            word = key if key not in sheet.folders else f"{key}-{slug(folder)}"
            document["folders"][word] = folder or "."
            keys[folder] = word
    if "." in keys:
        keys.setdefault("", keys["."])
    taken = {need.id for need in sheet.need}
    lines = [line for draft in drafts for line in ("", *need_lines(draft, keys, taken))]
    return tomlkit.dumps(document).rstrip("\n") + "\n" + "\n".join(lines) + "\n"
