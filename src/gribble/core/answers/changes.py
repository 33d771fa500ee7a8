"""Comparing two sheets of one emulator: needs and contents added, gone and changed, in words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from msgspec import Struct

from gribble.core.records.findings import EmulatorAudit, NeedFinding, Remedy, RigAudit, SetAudit, State, Verdict
from gribble.core.records.set_remedies import Cost
from gribble.core.records.sheet import Accept, Level, Need, Sheet
from gribble.core.sayings.facts import say_all


class Difference(NamedTuple):
    """One need or set: what it is now, what it would be, and why."""

    subject: str
    was: str
    now: str
    reason: str


class ReleaseEffect(NamedTuple):
    """One emulator on a rig, as it is and as it would be."""

    rig: str
    was: EmulatorAudit
    now: EmulatorAudit
    needs: list[Difference]
    sets: list[Difference]


def release_effects(before: tuple[RigAudit, ...], after: tuple[RigAudit, ...]) -> Iterator[ReleaseEffect]:
    """The emulators whose release differs between two audits, each with what differs with it."""
    old = {(rig.rig, one.emulator): one for rig in before for one in rig.emulators}
    for rig in after:
        for one in rig.emulators:
            was = old[rig.rig, one.emulator]
            if was.release != one.release:
                yield ReleaseEffect(rig.rig, was, one, list(_needs(was, one)), list(_sets(was, one)))


def cost_of_release(was: EmulatorAudit, now: EmulatorAudit) -> Cost:
    """What the release would cost by which `now` is judged."""
    before = {one.set: one.state for one in was.sets}
    groups: dict[str, list[SetAudit]] = {}
    for one in now.sets:
        groups.setdefault(_fate(one, before.get(one.set)), []).append(one)

    def of(word: str) -> tuple[str, ...]:
        return tuple(one.set for one in groups.get(word, ()))

    return Cost(
        same=len(of("same")),
        better=of("better"),
        repacked=of("repacked"),
        lacking=of("lacking"),
        archives=tuple(sorted({home.name for one in groups.get("lacking", ()) for home in one.to_get})),
        gone=of("gone"),
        new=of("new"),
        worse=of("worse"),
        titles={one.set: one.title for word, group in groups.items() if word != "same" for one in group},
    )


def _fate(one: SetAudit, was: State | None) -> str:
    """What becomes of a set that was in some state; None if it was not wanted."""
    if one.state == was:
        return "same"
    if any(problem.verdict is Verdict.MISSING and not problem.subject.file for problem in one.problems):
        return "gone"
    if one.state is State.READY:
        return "better" if was else "new"
    return "repacked" if one.fixable else "lacking" if one.to_get else "worse"


def _needs(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Difference]:
    needs = {finding.need.id: finding for finding in was.findings}
    for finding in now.findings:
        earlier = needs.pop(finding.need.id, None)
        word = _word(earlier) if earlier else "not needed"
        if word != _word(finding):
            yield Difference(finding.need.id, word, _word(finding), say_all(finding.facts))
    for name, finding in needs.items():
        yield Difference(name, _word(finding), "not needed", "")


def _sets(was: EmulatorAudit, now: EmulatorAudit) -> Iterator[Difference]:
    """Sets whose state differs; one that is not wanted with one of the rosters is told as that."""
    sets = {one.set: one for one in was.sets}
    for one in now.sets:
        earlier = sets.pop(one.set, None)
        word = str(earlier.state) if earlier else "not wanted"
        if word != one.state:
            yield Difference(one.set, word, str(one.state), say_all(one.problems[0].facts) if one.problems else "")
    for name, audited in sets.items():
        yield Difference(name, str(audited.state), "not wanted", "")


def _word(finding: NeedFinding) -> str:
    if finding.spared:
        return "spared"
    accept = finding.chief.accept
    called = f" ({accept.called})" if accept and accept.called else ""
    return f"{finding.chief.verdict}{called}{', without its keys' if finding.lacks else ''}"


class SheetEffect(Struct, frozen=True):
    """One emulator on a rig, audited with the old sheet and with the new one."""

    rig: str
    old: EmulatorAudit
    new: EmulatorAudit

    @property
    def wanted(self) -> tuple[list[str], list[str]]:
        """Titles of the needs that the new sheet leaves open and the old one did not, or did not call a must: held, and
        to obtain."""
        open_before = {one.need.id: one.need.level for one in self.old.findings if not one.met}
        held: list[str] = []
        obtain: list[str] = []
        for finding in self.new.findings:
            risen = finding.need.level is Level.MUST and open_before.get(finding.need.id) is not Level.MUST
            if not finding.met and (risen or finding.need.id not in open_before):
                gap = any(place.remedy is Remedy.OBTAIN for place in finding.places)
                (obtain if gap else held).append(finding.need.called)
        return held, obtain

    @property
    def sets(self) -> Iterator[Difference]:
        """The sets that are in another state then."""
        return _sets(self.old, self.new)


class NeedChange(Struct, frozen=True):
    """One need that differs: `change` is added, gone or changed; `words` say how."""

    need: str
    title: str
    change: str
    words: tuple[str, ...] = ()


class SheetChanges(Struct, frozen=True):
    """What differs between two sheets of one emulator; a sheet that only one side has is added or gone."""

    emulator: str
    change: str
    needs: tuple[NeedChange, ...] = ()


def compare_catalogues(old: dict[str, Sheet], new: dict[str, Sheet]) -> tuple[SheetChanges, ...]:
    """The changes of every emulator that differs, by name."""
    found = []
    for emulator in sorted(old.keys() | new.keys()):
        if emulator not in old:
            found.append(SheetChanges(emulator, "added"))
        elif emulator not in new:
            found.append(SheetChanges(emulator, "gone"))
        elif needs := tuple(compare_sheets(old[emulator], new[emulator])):
            found.append(SheetChanges(emulator, "changed", needs))
    return tuple(found)


def compare_sheets(old: Sheet, new: Sheet) -> Iterator[NeedChange]:
    """The needs that differ: those of the new sheet in its order, then those that are gone."""
    before = {need.id: need for need in old.need}
    for need in new.need:
        if need.id not in before:
            yield NeedChange(need.id, need.called, "added", tuple(_describe(need, new)))
        elif words := tuple(_differences(before[need.id], need, old, new)):
            yield NeedChange(need.id, need.called, "changed", words)
    kept = {need.id for need in new.need}
    yield from (NeedChange(need.id, need.called, "gone") for need in old.need if need.id not in kept)


def _describe(need: Need, sheet: Sheet) -> Iterator[str]:
    yield f"{need.kind}, {need.level}, as {sheet.folders[need.folder]}/{need.name or need.manifest or 'many files'}"


def _differences(old: Need, new: Need, old_sheet: Sheet, new_sheet: Sheet) -> Iterator[str]:
    places = (old_sheet.folders[old.folder], new_sheet.folders[new.folder])
    for what, was, now in (
        ("name", old.name, new.name),
        ("folder", *places),
        ("kind", old.kind, new.kind),
        ("level", old.level, new.level),
        ("choice", old.choice, new.choice),
        ("releases", old.releases, new.releases),
        ("machines", _listed(old.machines), _listed(new.machines)),
        ("other names", _listed(old.aliases), _listed(new.aliases)),
        ("any name", old.any_name, new.any_name),
        ("changes by use", old.changes, new.changes),
        ("further places", _listed(copy.name for copy in old.also), _listed(copy.name for copy in new.also)),
    ):
        if was != now:
            yield f"{what}: {_say(was)} is now {_say(now)}"
    yield from _content_differences(old, new)
    yield from _part_differences("key", {k.name: k for k in old.key}, {k.name: k for k in new.key})
    yield from _part_differences("file", {f.name: f for f in old.file}, {f.name: f for f in new.file})


def _content_differences(old: Need, new: Need) -> Iterator[str]:
    gone = [_called(one) for one in old.accept if not any(one.agrees(other) for other in new.accept)]
    for one in new.accept:
        twin = next((other for other in old.accept if one.agrees(other)), None)
        if twin is None and _called(one) in gone:
            gone.remove(_called(one))
            yield f"{_called(one)}: is told by other digests"
        elif twin is None:
            yield f"also takes {_called(one)}"
        if twin is None:
            continue
        for what, was, now in (
            ("releases", twin.releases, one.releases),
            ("required keys", _listed(twin.requires_keys), _listed(one.requires_keys)),
        ):
            if was != now:
                yield f"{_called(one)}: {what}: {_say(was)} is now {_say(now)}"
    for name in gone:
        yield f"no longer takes {name}"
    known = [reject for reject in new.reject if not any(reject.agrees(other) for other in old.reject)]
    yield from (f"is known not to work: {reject.label or 'a content'}" for reject in known)


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


def _listed(words: Iterable[str] | None) -> str:
    return ", ".join(words or ())


def _say(value: object) -> str:
    return "yes" if value is True else "no" if value is False else str(value) if value else "nothing"
