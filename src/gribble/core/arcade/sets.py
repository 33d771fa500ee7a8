"""The audit of sets: does each wanted set run, and if not, which files are at fault. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from msgspec import structs

from gribble.core.arcade.cabinet import Cabinet, Container, Homes, contents_of, is_file, member_name
from gribble.core.arcade.discs import Discs, Samples
from gribble.core.arcade.match import whole_games
from gribble.core.arcade.wanting import Lack, lacking, of_variant, settle_variant
from gribble.core.base.paths import base
from gribble.core.catalogue.families import Family, Part, family_of, owned_files
from gribble.core.records import facts as f
from gribble.core.records.facts import Fact
from gribble.core.records.findings import (
    Aside,
    Finding,
    Home,
    Proof,
    Remedy,
    SetAudit,
    SetPart,
    SetProblem,
    State,
    Verdict,
)
from gribble.core.records.holding import Holding, in_words
from gribble.core.records.roster import ArcadeSet, FileState, Outline, Plays, Roster, SetFile, SetKind


def wanted_sets(
    wanted: tuple[str, ...] | None,
    roster: Roster,
    cabinet: Cabinet,
    others: Iterable[Roster] = (),
    discs: Iterable[str] = (),
) -> list[str]:
    """The sets to be audited: those asked for, every game ("all"), the games that are on the rig, or these and all that
    are whole in what is held ("held"). `discs` are the SHA-1s that disc images give.

    What is there and only another release knows is among them, since it will not run; what nobody knows is not.
    """
    if wanted == ("all",):
        return [one.set for one in roster.sets.outlines() if one.kind is SetKind.GAME]
    if wanted == ("held",):
        there = {*_lying_games(roster, cabinet, others), *whole_games(roster, cabinet.everything, discs)}
        return [*(name for name in roster.sets if name in there), *sorted(there - roster.sets.keys())]
    return list(wanted) if wanted is not None else _lying_games(roster, cabinet, others)


def _lying_games(roster: Roster, cabinet: Cabinet, others: Iterable[Roster]) -> list[str]:
    """The games that are on the rig, then what is there and only other releases know."""
    known = {name for name in roster.sets if cabinet.of(name) or cabinet.unreadable(name)}
    games = [
        one.set
        for one in roster.sets.outlines()
        if one.kind is SetKind.GAME
        and (one.set in known or one.parent in known)
        and (_is_there_in_full(roster, one, cabinet) or _lies_here(roster, one.set, cabinet))
    ]
    strange = set(cabinet.names) - {cabinet.key(name) for name in known}
    old = {name for other in others for name in other.sets if cabinet.key(name) in strange} if strange else set()
    return games + sorted(old)


MOST_LOOKED_INTO = 50
"""Into so many archives that belong to no set it is looked for whose files they have."""


def lying_aside(roster: Roster, cabinet: Cabinet, wanted: Iterable[str]) -> Aside:
    """The files in the folders of the sets that belong to no `wanted` set and to no relative of one."""
    known = {cabinet.key(name): name for name in roster.sets}
    outlines = {one.set: one for one in roster.sets.outlines()}
    kept = _with_parents(wanted, outlines)
    there = {*cabinet.names, *cabinet.closed}
    games = sorted(known[key] for key in there & known.keys())
    strays = sorted(there - known.keys() - set(map(cabinet.key, kept)))
    whose = {key: _whose(roster, one) for key in strays[:MOST_LOOKED_INTO] if (one := cabinet.of(key))}
    return Aside(
        strays=tuple((path, whose.get(key, "")) for key in strays for path in cabinet.archives(key)),
        unwanted=tuple(name for name in games if name not in kept and outlines[name].kind is SetKind.GAME),
        others=tuple(cabinet.others),
    )


def _with_parents(names: Iterable[str], outlines: Mapping[str, Outline]) -> set[str]:
    """Some sets and all that are above them."""
    kept = set(names)
    for name in list(kept):
        while name in outlines and (parent := outlines[name].parent) is not None and parent not in kept:
            kept.add(name := parent)
    return kept


def _whose(roster: Roster, container: Container) -> str:
    """The set that has most of the files of an archive; empty if none has any."""
    contents = {content for one in container.members for content in contents_of(one)}
    sets = list(roster.sets.having(contents))
    return max(sets, key=lambda one: (len(one.contents & contents), one.parent is None), default=_NOBODY).set


def nothing_wanted(roster: Roster, cabinet: Cabinet, discs: Discs) -> str:
    """What is said where no set is wanted: how many of what is held are whole, and where."""
    whole = whole_games(roster, cabinet.everything, discs.digests)
    if not whole:
        return "no set is wanted, and none is whole in what you hold"
    groups = (each for each in cabinet.everything if each.opened)
    alone = (each.root for each in groups if len(whole_games(roster, [each], discs.digests)) == len(whole))
    where = base(next(alone, "").rstrip("/"))
    words = f"{len(whole):,} {'is' if len(whole) == 1 else 'are'} whole in {where or 'what you hold'}"
    return f'no set is wanted; {words}: wanted = "held" takes {"it" if len(whole) == 1 else "them"}'


def asks_others(wanted: tuple[str, ...] | None, roster: Roster, sets: Iterable[SetAudit], cabinet: Cabinet) -> bool:
    """Whether the rosters of other releases could say more: of a set or an archive that this one does not know, or of
    an archive that lacks something and may be an old one."""
    for one in sets:
        if one.set not in roster.sets:
            return True
        if any(found.subject.home.there for found in one.problems):
            return True
    return wanted is None and bool(set(cabinet.names) - {cabinet.key(name) for name in roster.sets})


def _is_there_in_full(roster: Roster, one: Outline, cabinet: Cabinet) -> bool:
    """Whether a set's archive is there, and either cannot be there for clones alone, or has all that the set lists."""
    container = cabinet.of(one.set)
    if container is None or not roster.sets.clones(one.set):
        return container is not None
    keys = container.keys() if one.own is not None else frozenset()
    return bool(keys) and keys.issuperset(one.own or ()) and keys.issuperset(one.shared or ())


def _lies_here(roster: Roster, name: str, cabinet: Cabinet) -> bool:
    """Whether a set is on the rig, right or wrong, in an archive of its own or in its parent's."""
    one = roster.sets[name]
    if cabinet.unreadable(name):
        return True
    clones = [roster.sets[clone] for clone in roster.sets.clones(name)] if cabinet.of(name) else []
    return _lies_there(roster, one, clones, cabinet) or _lies_with_parent(roster, one, cabinet)


def _lies_there(roster: Roster, one: ArcadeSet, clones: list[ArcadeSet], cabinet: Cabinet) -> bool:
    """Whether a set's archive is there for the set itself: not if it only holds what clones that are there share."""
    container = cabinet.of(one.set)
    if container is None:
        return False
    held = {file.name for file in one.files if container.find(file)} if clones and not container.faults else set()
    if not held or len(held) == len(one.files):
        return True
    present = [clone for clone in clones if cabinet.of(clone.set) or _lies_with_parent(roster, clone, cabinet)]
    shared = {file.parent_name for clone in present for file in clone.files}
    mine = [file for file in one.files if file.name not in shared]
    return not held <= shared or any(_is_its_own(file, clones, container) for file in mine)


def _lies_with_parent(roster: Roster, one: ArcadeSet, cabinet: Cabinet) -> bool:
    """Whether files that tell a clone from its parent are in the parent's archive, which is merged then: all of them,
    or one that none of its relatives has, whatever its content."""
    container = cabinet.of(one.parent) if one.parent is not None else None
    own = [file for file in one.files if file.parent_name is None and file.state is not FileState.UNDUMPED]
    if container is None or one.parent is None or not own:
        return False
    if all(map(container.find, own)) or any(container.named(f"{one.set}/{file.name}") for file in own):
        return True
    likely = [file for file in own if container.find(file) or container.named(file.name)]
    kin = _kin(roster, one, one.parent) if likely else []
    return any(_is_its_own(file, kin, container) for file in likely)


def _kin(roster: Roster, one: ArcadeSet, parent: str) -> list[ArcadeSet]:
    """The parent of a set and its other clones."""
    names = (parent, *roster.sets.clones(parent))
    return [roster.sets[name] for name in names if name != one.set and name in roster.sets]


def _is_its_own(file: SetFile, kin: Iterable[ArcadeSet], container: Container) -> bool:
    """Whether a file is in an archive, by content or else by name, and none of the relatives lists it so."""
    theirs = [other for one in kin for other in one.files]
    if container.find(file):
        return not any(other.content == file.content for other in theirs)
    there = container.named(file.name)
    return there is not None and not any(other.name == file.name or is_file(other, there) for other in theirs)


class _Along:
    """The archives along a set's path, and what looking for its files in them has met."""

    def __init__(self, family: Family, cabinet: Cabinet) -> None:
        self._containers = [container for name in family.path if (container := cabinet.of(name))]
        self.misnamed: list[tuple[Part, Holding]] = []
        self.absent: list[tuple[str, str]] = []
        self.suspect: list[Part] = []
        self.unread: list[Part] = []

    def lies(self, file: SetFile) -> bool:
        """Whether a file is there, under whatever name."""
        return any(one.find(file) is not None for one in self._containers)

    def has(self, owner: str, file: SetFile) -> bool:
        """The same, noting how it is there; nearly always in the first or second archive, under its own name."""
        for container in self._containers:
            there = container.named(file.name)
            if there is not None and is_file(file, there):
                break
            if (there := container.find(file)) is not None:
                self.misnamed.append((Part(file, owner), there))
                break
        else:
            if any((named := one.named(file.name)) and _is_unread(file, named) for one in self._containers):
                self.unread.append(Part(file, owner))
                return True
            self.absent.append((owner, file.name))
            return False
        if file.state is FileState.SUSPECT:
            self.suspect.append(Part(file, owner))
        return True

    def doubts(self) -> Iterator[SetProblem]:
        """What is there, and cannot be relied on."""
        yield from (_doubtful(part, f.PoorDump()) for part in self.suspect)
        yield from (_doubtful(part, f.NotRead()) for part in self.unread)


def audit_set(
    roster: Roster,
    name: str,
    cabinet: Cabinet,
    others: Iterable[Roster] = (),
    discs: Discs | None = None,
    samples: Samples | None = None,
) -> SetAudit:
    """One set. `others` are rosters of other releases, by which old files and old names are told."""
    if name not in roster.sets:
        return _unknown_set(roster, name, others)
    if _is_plainly_whole(roster, roster.sets[name], cabinet):
        return SetAudit(set=name, title=roster.sets[name].title)
    whole_family = family_of(roster, name)
    along = _Along(whole_family, cabinet)
    family, variant, wished = settle_variant(
        whole_family,
        lambda _, file: along.lies(file),
        cabinet.variants,
        lambda file: cabinet.held(file) is not None,
    )
    lacks = lacking(family, along.has)
    problems = [*_of_release(family), *along.doubts()]
    if variant != wished and not lacks:
        problems.append(_of_another_variant(whole_family, variant, wished, cabinet))
    problems += _absences(roster, family, lacks, cabinet, others) if lacks else ()
    problems += discs.problems(family) if discs and family.one.discs else ()
    problems += samples.problems(family.one) if samples else ()
    problems += _misspelled(family, cabinet)
    problems.sort(
        key=lambda problem: (problem.subject.state is not State.BLOCKED, problem.verdict is not Verdict.MISSING)
    )
    blamed = {(problem.subject.owner, problem.subject.file) for problem in problems}
    return SetAudit(
        set=name,
        title=family.one.title,
        problems=tuple(problems),
        packing=(*_packing(family, cabinet, along.misnamed), *(samples.notes(family.one) if samples else ())),
        variant=variant,
        spared=frozenset(along.absent) - blamed,
    )


def _unknown_set(roster: Roster, name: str, others: Iterable[Roster]) -> SetAudit:
    """A set that only rosters of other releases know, if any does."""
    known = [other for other in others if name in other.sets]
    releases = tuple(other.head.release for other in known)
    to = new_name(known[0], roster, name) if known else ""
    subject = SetPart(file="", owner=name, renamed=to, releases=releases)
    facts = (f.UnknownSet(roster.head.release, to, releases),)
    problem = Finding(subject=subject, verdict=Verdict.MISSING, facts=facts)
    return SetAudit(set=name, title=known[0].sets[name].title if known else "", problems=(problem,))


def _absences(
    roster: Roster, family: Family, lacks: Iterable[Lack], cabinet: Cabinet, others: Iterable[Roster]
) -> Iterator[SetProblem]:
    """What is at fault with each file that a set lacks, and in which archive it belongs."""
    homes = Homes(roster)
    old = _old_releases(roster, [homes.owner(lack.owner, lack.files[0])[0] for lack in lacks], cabinet, others)
    for lack in lacks:
        part = _likeliest(lack, cabinet)
        home = _home(homes.owner(part.owner, part.file)[0], family, homes, cabinet, old)
        problem = _absence(part, home, family, cabinet)
        yield structs.replace(problem, subject=structs.replace(problem.subject, wants=part.file, home=home))


def _is_plainly_whole(roster: Roster, one: ArcadeSet, cabinet: Cabinet) -> bool:
    """Whether a glance tells that there is nothing to be said of a set, as of most of many: each file is in the
    archive of the set whose it is, under its name, or as one of its parent's in the parent's archive."""
    if one.plays is not Plays.YES or one.discs or one.samples:
        return False
    parent = roster.sets.get(one.parent) if one.parent is not None else None
    groups: Iterable[tuple[str, tuple[SetFile, ...]]] = ((one.set, one.files),)
    if not _is_without_kin(one) or (one.parent is not None and (parent is None or not _is_on_top(parent))):
        family = family_of(roster, one.set)
        if family.gaps:
            return False
        groups = owned_files(family)
    if cabinet.exact and any(map(cabinet.misspelled, family_of(roster, one.set).path)):
        return False
    for owner, files in groups:
        container = cabinet.of(owner)
        listed = container.listed() if container else frozenset()
        if [file for file in files if file.state is not _GOOD or file.variant is not None]:
            return False
        wanted = {(file.name, file.crc32, file.size) for file in files}
        if not wanted <= listed and (owner != one.set or not _lie_above(parent, files, listed, cabinet)):
            return False
    return True


def _is_without_kin(one: ArcadeSet) -> bool:
    """Whether a set names neither a BIOS set nor devices."""
    return one.bios is None and not one.devices


def _is_on_top(one: ArcadeSet) -> bool:
    """Whether a set names no relatives at all."""
    return one.parent is None and _is_without_kin(one)


def _lie_above(
    parent: ArcadeSet | None,
    files: tuple[SetFile, ...],
    own: frozenset[tuple[str, str | None, int | None]],
    cabinet: Cabinet,
) -> bool:
    """Whether all files of a clone that its archive lacks are in its parent's, under the parent's names for them, and
    nowhere in its own."""
    absent = [file for file in files if (file.name, file.crc32, file.size) not in own]
    checksums = {crc32 for _, crc32, _ in own}
    container = cabinet.of(parent.set) if parent else None
    listed = container.listed() if container else frozenset()
    return all(one.crc32 not in checksums and (one.parent_name, one.crc32, one.size) in listed for one in absent)


def _of_another_variant(family: Family, variant: str, wished: str, cabinet: Cabinet) -> SetProblem:
    """A set that runs with another variant of its BIOS set than the one that is chosen, or the default."""
    owner = family.bios[0] if family.bios else family.one
    to_be_had = not lacking(of_variant(family, wished), lambda _, file: cabinet.held(file) is not None)
    return Finding(
        subject=SetPart(file="", owner=owner.set, state=State.LIMITED),
        verdict=Verdict.UNPROVEN,
        facts=(f.OtherVariant(variant, owner.set, wished),),
        remedy=Remedy.PLACE if to_be_had else Remedy.NONE,
    )


def _misspelled(family: Family, cabinet: Cabinet) -> Iterator[SetProblem]:
    """Archives along a set's path in whose names the device minds the case."""
    for name in family.path:
        if found := cabinet.misspelled(name):
            facts = (f.ArchiveSpelled(base(found), name),)
            yield Finding(subject=SetPart(file="", owner=name), verdict=Verdict.MISNAMED, facts=facts)


def _of_release(family: Family) -> Iterator[SetProblem]:
    """What the release itself cannot do, and gaps of the roster."""
    one = family.one
    if one.plays is Plays.NO:
        facts = (f.Plays(well=False, note=one.note),)
        yield Finding(subject=SetPart(file="", owner=one.set), verdict=Verdict.UNPLAYABLE, facts=facts)
    doubts: list[Fact] = [f.Plays(well=True, note=one.note)] if one.plays is Plays.FLAWED else []
    for fact in (*doubts, *family.gaps):
        part = SetPart(file="", owner=one.set, state=State.LIMITED)
        yield Finding(subject=part, verdict=Verdict.UNPROVEN, facts=(fact,))


def new_name(old: Roster, new: Roster, name: str) -> str:
    """The name under which a roster knows what an older one knows under another; empty if there is none."""
    contents = old.sets[name].contents
    if name in new.sets or not contents:
        return ""
    alike = (one.set for one in new.sets.having(contents) if one.contents == contents)
    return next((to for to in alike if to not in old.sets), "")


_GOOD = FileState.GOOD
_NOBODY = ArcadeSet(set="")


def _doubtful(part: Part, fact: Fact) -> SetProblem:
    """A file that is there, and cannot be relied on."""
    subject = SetPart(file=part.file.name, owner=part.owner, state=State.LIMITED)
    return Finding(subject=subject, verdict=Verdict.UNPROVEN, facts=(fact,))


def _is_unread(file: SetFile, there: Holding) -> bool:
    """Whether a file of the right name (and size, if one is known) has no digest by which it could be told."""
    known = file.known().keys()
    return bool(known) and file.size in (None, there.size) and known.isdisjoint(there.digests.known())


def _likeliest(lack: Lack, cabinet: Cabinet) -> Part:
    """Of the files that would do, the first that is held, else the first."""
    held = (file for file in lack.files if cabinet.held(file)) if len(lack.files) > 1 else iter(())
    return Part(next(held, lack.files[0]), lack.owner)


def _home(name: str, family: Family, homes: Homes, cabinet: Cabinet, old: dict[str, str]) -> Home:
    """The archive of a set of a family, as it lies here."""
    role = family.role(name)
    return Home(f"{name}.zip", name, role, len(homes.own(name)), cabinet.of(name) is not None, old.get(name, ""))


def _absence(part: Part, home: Home, family: Family, cabinet: Cabinet) -> SetProblem:
    """What is at fault where a file is not found along the path; `home` is the archive where it belongs."""
    file, role = part.file, family.role(part.owner)
    whose = (f.Whose(role, part.owner),) if role else ()
    held = cabinet.held(file)

    def problem(verdict: Verdict, fact: Fact, found: Holding | None = held) -> SetProblem:
        where = (f.HeldAt(_place(held, family)),) if held and found is not held else ()
        return Finding(
            subject=SetPart(file=file.name, owner=part.owner),
            verdict=verdict,
            remedy=(Remedy.REPLACE if where else Remedy.PLACE) if held else Remedy.OBTAIN,
            proof=_proof(found),
            facts=(*whose, fact, *where),
            found=found,
        )

    for name in dict.fromkeys((part.owner, home.owner)):
        if closed := _closed(name, cabinet):
            return problem(*closed, None)
    for name in (part.owner, *family.path):
        there = cabinet.of(name)
        if there and (wrong := there.named(file.name)):
            archive = "" if name == part.owner else name
            return problem(Verdict.IMPOSTER, _other_content(file, wrong, archive, home.old), wrong)
    if held:
        return problem(Verdict.ASTRAY, f.HeldAt(_place(held, family), only=True))
    return problem(Verdict.MISSING, f.NotInRelease(home.name, home.old) if home.old else f.Nowhere())


def _closed(name: str, cabinet: Cabinet) -> tuple[Verdict, Fact] | None:
    """Why the archive of a set cannot be looked into; None if it can, or is not there."""
    container = cabinet.of(name)
    if container and container.faults:
        path, why = next(iter(container.faults.items()))
        return Verdict.DAMAGED, f.BadArchive(base(path), why)
    unreadable = "" if container else cabinet.unreadable(name)
    return (Verdict.IMPOSTER, f.BadArchive(base(unreadable))) if unreadable else None


def _other_content(file: SetFile, wrong: Holding, archive: str, old: str) -> Fact:
    """What is wrong with a file of the right name, in the `archive` of a relative; `old` is the release of that."""
    other_size = file.size is not None and wrong.size != file.size
    weak = file.crc32 is not None and wrong.digests.crc32 == file.crc32
    return f.OtherContent(
        archive=archive,
        size=wrong.size if other_size else None,
        right=file.size if other_size else None,
        weak=weak,
        release="" if weak else old,
    )


def _proof(found: Holding | None) -> Proof:
    if found is None:
        return Proof.NONE
    return Proof.ARCHIVE if found.carried and found.digests.strongest() == "crc32" else Proof.DIGEST


def _place(holding: Holding, family: Family) -> str:
    """Where a file is held: in an archive that is called as one of the family is, with the archive's folder."""
    archive = base(holding.path)
    alike = archive.rpartition(".")[0] in family.path
    return in_words(holding.path if holding.member is None or alike else archive, holding.member)


def _old_releases(roster: Roster, names: Iterable[str], cabinet: Cabinet, others: Iterable[Roster]) -> dict[str, str]:
    """The sets whose archive is there as another release has it, and that release."""
    found: dict[str, str] = {}
    for name in dict.fromkeys(names):
        container = cabinet.of(name)
        for other in others if container else ():
            one = other.sets.get(name)
            if container and one and other.head.release != roster.head.release and _has_its_own(one, container):
                found.setdefault(name, other.head.release)
    return found


def _has_its_own(one: ArcadeSet, container: Container) -> bool:
    """Whether an archive has all that is a set's own, which is something."""
    own = [file for file in one.files if not (file.parent_name or file.bios_name)]
    dumped = [file for file in own if file.state is not FileState.UNDUMPED]
    return bool(dumped) and all(map(container.find, dumped))


def _packing(family: Family, cabinet: Cabinet, misnamed: list[tuple[Part, Holding]]) -> Iterator[Fact]:
    """What is in the set's own archive under another name than the roster's, and a second archive of the set. It runs
    all the same."""
    own = cabinet.of(family.one.set)
    if own and len(own.archives) > 1:
        names = tuple(map(base, own.archives))
        yield f.SeveralArchives(names if len(set(names)) == len(names) else tuple(own.archives))
    for part, there in misnamed:
        file, name = part.file, member_name(there)
        if own is None or part.owner != family.one.set or own.find(file) is not there:
            continue
        if base(name) not in (file.name, file.parent_name, file.bios_name):
            yield f.ShouldBeCalled(name, file.name)
