"""From findings to steps: what would put things right, in an order in which nothing displaced is missed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from fnmatch import fnmatchcase
from typing import TypedDict

from msgspec import Struct, structs

from gribble.core.base.digests import Digests
from gribble.core.base.paths import fold, outside
from gribble.core.files.volumes import trouble
from gribble.core.placing.gaps import brought_by_away, gaps_of
from gribble.core.records.findings import (
    FIXABLE,
    NeedFinding,
    PlaceFinding,
    Remedy,
    RigAudit,
    SettingFinding,
)
from gribble.core.records.holding import Holding, is_named_oddly
from gribble.core.records.recipes import Mending
from gribble.core.records.set_remedies import Loose, Packed, SetRemedies
from gribble.core.records.steps import (
    Bring,
    Copy,
    Displace,
    Extract,
    Gap,
    Mend,
    NewValue,
    Pack,
    PackMember,
    Plan,
    Point,
    Refused,
    Rename,
    Step,
    Taking,
)
from gribble.core.sayings.facts import refusal_words, say_all


def without(steps: Iterable[Step], left_out: set[int]) -> list[Step]:
    """Steps but for some (by identity), and for the displacements that only make sense with those."""
    steps = list(steps)
    lost = {(step.rig, step.emulator, step.need) for step in steps if id(step) in left_out}
    return [
        step
        for step in steps
        if id(step) not in left_out
        and not (isinstance(step, Displace) and (step.rig, step.emulator, step.need) in lost)
    ]


def narrowed(plan: Plan, only: Iterable[str], skip: Iterable[str]) -> Plan:
    """A plan with `only` some steps, or without those to `skip`.

    A word is a rig, an emulator, a need, a set, a kind of step, or a pattern for the place (`*/boot/*`). Raises
    ValueError with a word that no step answers to.
    """
    only, skip = tuple(only), tuple(skip)
    for word in (*only, *skip):
        if not any(_answers(step, word) for step in plan.steps):
            raise ValueError(word)
    out = {
        id(step)
        for step in plan.steps
        if any(_answers(step, word) for word in skip) or (only and not any(_answers(step, word) for word in only))
    }
    return structs.replace(plan, steps=tuple(without(plan.steps, out)))


def by_ids(rigs: Iterable[RigAudit], words: Iterable[str]) -> list[str]:
    """Some words with the ids of needs and the names of emulators in place of their titles."""
    titles = {
        fold(title): name
        for rig in rigs
        for one in rig.emulators
        for title, name in ((one.title, one.emulator), *((found.need.title, found.need.id) for found in one.findings))
    }
    return [titles.get(fold(word), word) for word in words]


def preferable(rigs: Iterable[RigAudit], needs: Collection[str]) -> bool:
    """Whether something can be put in place for some needs."""
    findings = (finding for rig in rigs for emulator in rig.emulators for finding in emulator.findings)
    return any(place.remedy in FIXABLE for one in findings if one.need.id in needs for place in one.places)


def linked(plan: Plan) -> Plan:
    """A plan whose copies from this machine are second names of their sources, where the file system allows that."""
    steps = (
        structs.replace(step, link=True) if isinstance(step, Copy) and outside(step.from_) else step
        for step in plan.steps
    )
    return structs.replace(plan, steps=tuple(steps))


def _answers(step: Step, word: str) -> bool:
    if fold(word) in map(fold, (step.rig, step.emulator, step.need, step.kind)):
        return True
    paths = (step.place, step.from_) if isinstance(step, Taking) else (step.place,)
    return any(fnmatchcase(path, word) for path in paths)


ONLY_ITS_NAME = "only the name of your file is right; gribble place --by-name uses it"


def surplus_words(need: str, count: int) -> str:
    """What is said of files that belong nowhere, where they are left alone."""
    files = "1 file that does not belong there stays" if count == 1 else f"{count} files that do not belong there stay"
    return f"{files}; gribble place --only {need} displaces {'it' if count == 1 else 'them'}"


def _holdable(steps: list[Step], volume: str, folds_case: bool) -> tuple[list[Step], list[Refused]]:
    """The steps that a volume can hold, and why it cannot hold the others."""
    refused: dict[int, str] = {}
    taken: dict[str, str] = {}
    for number, step in enumerate(steps):
        if isinstance(step, Displace):
            continue
        why = trouble(step.to, step.bytes, volume)
        if folds_case:
            there = taken.setdefault(fold(step.to), step.to)
            if not why and there != step.to:
                why = f"and {there} are one name on this volume"
        if why:
            refused[number] = why
    kept = without(steps, {id(steps[number]) for number in refused})
    told = [
        Refused(rig=step.rig, emulator=step.emulator, need=step.need, reason=f"{step.place} {refused[number]}")
        for number, step in enumerate(steps)
        if number in refused
    ]
    return kept, told


class _For(TypedDict):
    """Whom a step is for."""

    rig: str
    emulator: str
    need: str


class _Wish(Struct, frozen=True):
    """One place to put right."""

    emulator: str
    finding: NeedFinding
    place: PlaceFinding


def make_plan(
    rigs: Iterable[RigAudit],
    *,
    by_name: bool = False,
    only: Collection[str] = (),
    volumes: Mapping[str, str] | None = None,
) -> Plan:
    """The plan for some rigs. `by_name` takes files that only their name speaks for.

    Files that belong nowhere are displaced only for needs that `only` names.
    What a rig's volume (its kind, by rig) cannot hold is refused.
    """
    steps: list[Step] = []
    refused: list[Refused] = []
    gaps: list[Gap] = []
    away: list[Bring] = []
    for rig in rigs:
        planner = _Planner(rig, by_name, only)
        can, cannot = _holdable(planner.steps, (volumes or {}).get(rig.rig, ""), rig.folds_case)
        steps += can
        refused += [*planner.refused, *cannot]
        gaps += gaps_of(rig)
        away += brought_by_away(rig)
    told = {(one.rig, one.emulator, one.need) for one in refused}
    waits = {(one.rig, one.emulator, one.subject): one for one in reversed(away)}
    refused += [
        Refused(rig=one.rig, emulator=one.emulator, need=one.subject, reason=say_all(one.facts), source=one.source)
        for key, one in reversed(waits.items())
        if key not in told
    ]
    return Plan(steps=tuple(steps), refused=tuple(refused), obtain=tuple(gaps), away=tuple(away))


class _Planner:
    """Plans one rig."""

    def __init__(self, rig: RigAudit, by_name: bool, only: Collection[str]) -> None:
        self._rig = rig
        self._only = only
        self.steps: list[Step] = []
        self.refused: list[Refused] = []
        self._targets: dict[str, Holding] = {}
        self._displaced: set[str] = set()
        self._packed: dict[str, int] = {}  # archive: the number of the step that writes it
        self._no_step: dict[tuple[str, str], str] = {}
        self._plan_sets()
        self._plan_games()
        # A file wanted in several places is copied first, and renamed where it only lacks its name.
        wishes = sorted(self._wishes(by_name), key=lambda wish: wish.place.remedy is Remedy.RENAME)
        sure = [wish.place for wish in wishes if not wish.place.refusal]
        self._uses = Counter(place.use.path for place in sure if place.use and place.movable)
        self._leaving = self._displaced.union(path for place in sure for path in _leaving(place, rig.rig))
        for wish in wishes:
            self._plan(wish)
        files: dict[str, list[tuple[str, SettingFinding]]] = {}
        for emulator in rig.emulators:
            for found in emulator.settings:
                if found.remedy in FIXABLE and not self._hindered(
                    emulator.emulator, found.subject.aim, rig.obstacles.real(found.subject.file)
                ):
                    files.setdefault(found.subject.file, []).append((emulator.emulator, found))
        self.steps += map(self._point, files.values())

    def _plan_sets(self) -> None:
        """The steps for sets come first; what they displace is read from the attic by the others."""
        for emulator in self._rig.emulators:
            remedies = emulator.arcade.remedies
            self._carry_out(emulator.emulator, remedies)
            for waiting in remedies.waiting:
                refused = Refused(
                    rig=self._rig.rig, emulator=emulator.emulator, need=waiting.set, reason=waiting.reason
                )
                self.refused.append(refused)

    def _plan_games(self) -> None:
        """What puts games as they must lie; a file for which there is a step already waits for the next plan."""
        for emulator in self._rig.emulators:
            for game in emulator.games or ():
                if game.subject.fix and game.subject.file not in self._displaced:
                    self._carry_out(emulator.emulator, game.subject.fix)

    def _carry_out(self, emulator: str, remedies: SetRemedies) -> None:
        """The steps of what puts sets or games right: what is written first, then what is not needed any more."""
        others = self._used_by_others(emulator)
        for packed in remedies.packed:
            odd = (one.holding.path for one in packed.members if is_named_oddly(one.holding))
            if not self._hindered(emulator, packed.owner, packed.to, packed.replaces, next(odd, None)):
                self._write_archive(emulator, packed, others)
        for loose in remedies.loose:
            self._bring_file(emulator, loose, others)
        for owner, path in remedies.displaced:
            if path in others or path in self._displaced or self._hindered(emulator, owner, path, path):
                continue
            self._displaced.add(path)
            self.steps.append(Displace(**self._for(emulator, owner), from_=path))

    def _write_archive(self, emulator: str, packed: Packed, others: Mapping[str, str]) -> None:
        if packed.dropped and (who := others.get(packed.replaces or "")):
            self._refuse_set(emulator, packed.owner, f"{packed.to} stays as it is: {who} uses {packed.dropped[0]}")
            return
        step = self._pack(emulator, packed)
        if (number := self._packed.get(self._key(packed.to))) is None:
            self._packed[self._key(packed.to)] = len(self.steps)
            self.steps.append(step)
        elif both := _together(self.steps[number], step):
            self.steps[number] = both
        else:
            why = f"{packed.to} is packed with other contents for another emulator"
            self._refuse_set(emulator, packed.owner, why)
            return
        self._displaced.update([packed.replaces] if packed.replaces else ())

    def _bring_file(self, emulator: str, loose: Loose, others: Mapping[str, str]) -> None:
        leaves = loose.holding.path if loose.movable else None
        if leaves in self._displaced or self._hindered(emulator, loose.owner, loose.to, loose.replaces, leaves):
            return
        if taken := next((path for path in (leaves, loose.replaces) if path and path in others), None):
            self._refuse_set(emulator, loose.owner, f"{taken} stays as it is: {others[taken]} uses it")
            return
        self.steps.append(self._bring_loose(emulator, loose))
        self._displaced.update(path for path in (loose.replaces, leaves) if path)

    def _used_by_others(self, emulator: str) -> dict[str, str]:
        """The archives and files that the sets of other emulators on this rig have, with whose they are."""
        return {
            path: other for other, paths in self._rig.obstacles.for_sets.items() if other != emulator for path in paths
        }

    def _refuse_set(self, emulator: str, owner: str, reason: str) -> None:
        """Refuse what would put a set right, and with it all that would be displaced for it."""
        self._no_step[emulator, owner] = reason
        self.refused.append(Refused(rig=self._rig.rig, emulator=emulator, need=owner, reason=reason))

    def _key(self, path: str) -> str:
        return fold(path) if self._rig.folds_case else path

    def _hindered(self, emulator: str, owner: str, to: str, *displaced: str | None) -> bool:
        """Whether something is in the way of a step for a set, or what it displaces is sound for a need; then it is
        refused, and so is what would be displaced for it."""
        why = self._no_step.get((emulator, owner)) or self._hindrance(to)
        for path in displaced if not why else ():
            why = why or (self._hindrance(path) or self._serves(path) if path else "")
        if why:
            if (emulator, owner) not in self._no_step:
                self.refused.append(Refused(rig=self._rig.rig, emulator=emulator, need=owner, reason=why))
            self._no_step[emulator, owner] = why
        return bool(why)

    def _hindrance(self, path: str) -> str:
        fact = self._rig.obstacles.at(path)
        return refusal_words(fact) if fact else ""

    def _serves(self, path: str) -> str:
        owners = self._rig.obstacles.serving.get(path, ())
        return f"{path} stays where it is: it is {' and '.join(owners)}" if owners else ""

    def _pack(self, emulator: str, packed: Packed) -> Step:
        members = tuple(
            PackMember(
                name=member.name,
                from_=self._path(member.holding),
                member=member.holding.member,
                size=member.holding.size,
                digests=member.digests,
            )
            for member in packed.members
        )
        return Pack(
            **self._for(emulator, packed.owner),
            to=packed.to,
            bytes=sum(member.size for member in members),
            replaces=packed.replaces,
            members=members,
            surplus=packed.kept,
            left_out=packed.left_out,
        )

    def _bring_loose(self, emulator: str, loose: Loose) -> Step:
        holding, owner = loose.holding, self._for(emulator, loose.owner)
        digests = loose.digests if loose.digests.strongest() else holding.digests
        if loose.movable:
            return Rename(**owner, from_=holding.path, to=loose.to, digests=digests, replaces=loose.replaces)
        return self._taken(owner, holding, loose.to, digests, loose.replaces)

    def _taken(self, owner: _For, holding: Holding, to: str, digests: Digests, replaces: str | None) -> Copy | Extract:
        """A holding brought as it is."""
        path, size = self._path(holding), holding.size
        if holding.member is None:
            return Copy(**owner, from_=path, to=to, bytes=size, digests=digests, replaces=replaces)
        member = holding.member
        return Extract(**owner, from_=path, member=member, to=to, bytes=size, digests=digests, replaces=replaces)

    def _for(self, emulator: str, owner: str) -> _For:
        """What each step says of whom it is for."""
        return {"rig": self._rig.rig, "emulator": emulator, "need": owner}

    def _wishes(self, by_name: bool) -> Iterable[_Wish]:
        for emulator in self._rig.emulators:
            for finding in emulator.findings:
                if finding.ignored:
                    continue
                surplus = [place for place in finding.places if place.surplus and not finding.spared]
                if surplus and finding.need.id not in self._only:
                    first = _Wish(emulator.emulator, finding, surplus[0])
                    self._refuse(first, surplus_words(finding.need.id, len(surplus)))
                for place in finding.places:
                    if place.by_name and not by_name:
                        self._refuse(_Wish(emulator.emulator, finding, place), ONLY_ITS_NAME)
                    elif place.remedy in FIXABLE and not (place.surplus and finding.need.id not in self._only):
                        yield _Wish(emulator.emulator, finding, place)

    def _plan(self, wish: _Wish) -> None:
        place = wish.place
        if place.refusal:
            self._refuse(wish, refusal_words(place.refusal))
            return
        use = place.mend.holding if place.mend else place.use
        if use is None:
            assert place.surplus
        elif place.mend:
            self.steps.append(self._mend(wish, place.mend))
        elif use.path != place.expected or use.rig != self._rig.rig:
            key = self._key(place.expected)
            twin = self._targets.get(key)
            if twin and (twin.size, twin.digests) != (use.size, use.digests):
                self._refuse(wish, f"{place.expected} is wanted with another content by an earlier step")
                return
            if twin is None:  # else an earlier step brings this very content
                self._targets[key] = use
                self.steps.append(self._bring(wish, use))
        for path in place.in_way:
            if path not in self._displaced:
                self._displaced.add(path)
                self.steps.append(Displace(**self._of(wish), from_=path))

    def _refuse(self, wish: _Wish, reason: str) -> None:
        refused = Refused(rig=self._rig.rig, emulator=wish.emulator, need=wish.finding.need.id, reason=reason)
        self.refused.append(refused)

    def _mend(self, wish: _Wish, mend: Mending) -> Step:
        place, partner = wish.place, mend.partner
        if place.occupied:
            self._displaced.add(place.occupied)
        return Mend(
            **self._of(wish),
            from_=self._path(mend.holding),
            member=mend.holding.member,
            to=place.expected,
            bytes=mend.accept.size or 0,
            digests=Digests(**mend.accept.known()),
            replaces=place.occupied,
            recipe=mend.recipe,
            partner=self._path(partner) if partner else None,
            partner_member=partner.member if partner else None,
        )

    def _of(self, wish: _Wish) -> _For:
        return self._for(wish.emulator, wish.finding.need.id)

    def _point(self, wishes: list[tuple[str, SettingFinding]]) -> Step:
        """One step for all values of one file, so that it is the old or the whole new one at any moment."""
        emulator, first = wishes[0]
        file = self._rig.obstacles.real(first.subject.file)
        return Point(
            **self._for(emulator, first.subject.aim),
            to=file,
            replaces=file,
            bytes=first.subject.size,
            points=tuple(
                NewValue(
                    format=found.subject.setting.format,
                    key=found.subject.setting.key,
                    was=found.subject.value,
                    value=found.subject.wanted,
                )
                for _, found in wishes
            ),
        )

    def _path(self, holding: Holding) -> str:
        return holding.path if holding.rig == self._rig.rig else holding.where

    def _bring(self, wish: _Wish, use: Holding) -> Step:
        place = wish.place
        replaces = None if place.takes(self._rig.rig, place.occupied) else place.occupied
        if replaces:
            self._displaced.add(replaces)
        if place.movable:
            self._uses[use.path] -= 1
            if self._uses[use.path] == 0 and use.path not in self._leaving:
                owner = self._of(wish)
                return Rename(**owner, from_=use.path, to=place.expected, digests=use.digests, replaces=replaces)
        step = self._taken(self._of(wish), use, place.expected, use.digests, replaces)
        if isinstance(step, Copy):
            step = structs.replace(step, dated=bool(use.attic))
        return structs.replace(step, private=bool(wish.finding.need.key))


def _together(one: Step, other: Step) -> Pack | None:
    """Two packings of one archive for two emulators as one; None if a name would have two contents."""
    if not isinstance(one, Pack) or not isinstance(other, Pack) or one.replaces != other.replaces:
        return None
    members = {member.name: member for member in one.members}
    for member in other.members:
        there = members.setdefault(member.name, member)
        same = (there.from_, there.member) == (member.from_, member.member)
        if not same and not there.digests.agrees(member.digests):
            return None
    return structs.replace(
        one,
        members=tuple(members.values()),
        bytes=sum(member.size for member in members.values()),
        surplus=tuple(name for name in one.surplus if name in other.surplus),
        left_out=tuple(name for name in one.left_out if name in other.left_out),
    )


def _leaving(place: PlaceFinding, rig: str) -> Iterable[str]:
    """The paths of its rig that putting a place right displaces."""
    if place.occupied and not place.takes(rig, place.occupied):
        yield place.occupied
    yield from place.in_way
