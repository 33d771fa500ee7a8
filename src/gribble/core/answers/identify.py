"""Identifying: what each holding is, and where it belongs on the user's rigs (or by the sheets alone)."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from msgspec import Struct, structs

from gribble.core.arcade.cabinet import contents_of
from gribble.core.audit.judging.keys import judge_keys, key_candidates, likeliest_need, read_keys
from gribble.core.base.paths import base, join
from gribble.core.catalogue.rosters import Load
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.diagnosis.likely import Wanted, key_needs_of
from gribble.core.diagnosis.nearmisses import Read, Searcher
from gribble.core.records.facts import Fact, LikeKeys, NotLookedAt, TooLarge
from gribble.core.records.findings import NeedFinding, RigAudit, Verdict
from gribble.core.records.holding import FileKey, Holding, key_of, nearness
from gribble.core.records.recipes import MOST_BYTES, Mending
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import ArcadeSet, Content, FileState, Roster, SetFile
from gribble.core.records.sheet import Accept, Arcade, Sheet
from gribble.core.sayings.facts import mend_words
from gribble.core.survey.arriving import Listener
from gribble.core.survey.holdings import HeldHere
from gribble.core.survey.matching import Known, KnownContents, is_content


class Match(Struct, frozen=True, kw_only=True):
    """One need that a content is known to. `to` is where it belongs, relative to the rig's root.

    For an arcade emulator `set` is the set whose file it is, and `need` the file's name.
    `rig` is empty if no rig has the emulator; the place is then the sheet's own. `there` says that this content is
    what is at its place; `why` says why it is rejected. `release` is that of a roster which is not in use on any rig.
    """

    emulator: str
    need: str
    title: str
    accept: str
    rig: str
    to: str
    needed: bool
    rejected: bool
    there: bool = False
    set: str = ""
    why: str = ""
    release: str = ""


class Identified(Struct, frozen=True, kw_only=True):
    """What one holding is: verdict `known`, `rejected`, `damaged` or `unknown`, and every need that knows it.

    A damaged one has its `mend` and the need that it is a near miss of; `no_dump` says what is plainly no dump.
    """

    holding: Holding
    verdict: str
    matches: tuple[Match, ...]
    mend: Mending | None = None
    near: Wanted | None = None
    no_dump: Fact | None = None

    @property
    def needed(self) -> bool:
        """Whether some need on a rig waits for this content."""
        return any(match.needed for match in self.matches)


class Group(Struct, frozen=True):
    """One content, however many times it is held: the nearest and safest copy first."""

    files: tuple[Identified, ...]

    @property
    def first(self) -> Identified:
        """The copy to name."""
        return self.files[0]

    @property
    def counts_as(self) -> str:
        """What it counts as in the end: needed, held, elsewhere (known only to what is on no rig), rejected, damaged or
        unknown."""
        if self.first.needed:
            return "needed"
        if self.first.verdict != "known":
            return self.first.verdict
        return "held" if any(match.rig for match in self.first.matches) else "elsewhere"


def group(files: Iterable[Identified]) -> tuple[Group, ...]:
    """Files that are the same content put together, in the order in which each is first met."""
    groups: dict[object, list[Identified]] = {}
    for number, file in enumerate(files):
        groups.setdefault((file.holding.size, file.matches) if file.matches else number, []).append(file)
    return tuple(Group(tuple(sorted(same, key=lambda file: nearness(file.holding, "")))) for same in groups.values())


def identify(
    holdings: Iterable[Holding], known: KnownContents, sheets: dict[str, Sheet], audits: tuple[RigAudit, ...]
) -> tuple[Identified, ...]:
    """What each holding is. The audits tell which needs are still open.

    An archive whose members are holdings of their own is left out, unless it is a known content itself.
    """
    findings: dict[tuple[str, str], list[tuple[str, NeedFinding]]] = {}
    for rig in audits:
        for emulator in rig.emulators:
            for finding in emulator.findings:
                findings.setdefault((emulator.emulator, finding.need.id), []).append((rig.rig, finding))
    holdings = tuple(holdings)
    entered = {place for holding in holdings for place in _containers(holding)}
    files = (_identify(holding, known, sheets, findings) for holding in holdings)
    return tuple(
        file for file in files if file.matches or (*key_of(file.holding)[:2], file.holding.member or "") not in entered
    )


class Reading(NamedTuple):
    """How files are read: the beginning of one, and why one could not be."""

    head: Read
    unread: Callable[[Holding], str] = lambda _holding: ""


def explain(
    files: Collection[Identified],
    searcher: Searcher,
    sheets: dict[str, Sheet],
    named: frozenset[Path],
    reading: Reading,
    listener: Listener | None = None,
) -> tuple[Identified, ...]:
    """The unknown files among some looked at for what happened to them; every need is tried on those named, and of the
    others it is told only what their beginning shows them plainly to be. The `listener` is told of the bytes of the
    former."""
    wishes: list[Wanted] = []
    for sheet in sheets.values():
        key_needs = key_needs_of(sheet.need, sheet.unlock)
        wishes += [
            Wanted(emulator=sheet.emulator, need=need, unlock=sheet.unlock, key_needs=key_needs) for need in sheet.need
        ]
    unknown = [file for file in files if not file.matches]
    if listener:
        listener.expect(sum(file.holding.size for file in unknown if file.holding.place in named))

    def explained(file: Identified) -> Identified:
        is_named = file.holding.place in named
        found = _explain(file, searcher, wishes, is_named, reading.head)
        if is_named and not found.mend and not found.no_dump and (why := reading.unread(file.holding)):
            found = structs.replace(found, no_dump=NotLookedAt(why))
        if is_named and listener:
            listener.advance(file.holding.size)
        return found

    return tuple(file if file.matches else explained(file) for file in files)


class HeldSet(Struct, frozen=True):
    """A set that an archive holds; `full` says that what it shares is there, too. `lacks` are those of its own files
    that are not: none of a whole one."""

    holding: Holding
    emulator: str
    release: str
    set: str
    title: str
    full: bool
    lacks: tuple[str, ...] = ()


class KnownSets(NamedTuple):
    """A roster by which files are told: whose, on which rig and in which folder of it; on none if it is not in
    use."""

    roster: Roster
    emulator: str
    arcade: Arcade
    rig: str = ""
    folder: str = ""


def rosters_in_use(rigs: Iterable[RigSeen]) -> list[KnownSets]:
    """The rosters of the arcade emulators on some rigs."""
    return [
        KnownSets(there.roster, one.emulator, one.arcade, rig.name, one.folders[one.arcade.folder])
        for rig in rigs
        for one in rig.emulators
        if one.arcade and (there := rig.arcade.get(one.emulator)) and there.roster
    ]


def other_rosters(rigs: Iterable[RigSeen], catalogue: Catalogue, load: Load) -> list[KnownSets]:
    """The rosters of the catalogue that are in use on no rig: of other releases, and of emulators that are on none."""
    in_use = {one.roster.path for one in rosters_in_use(rigs)}
    found = []
    for name, paths in sorted(catalogue.rosters.items()):
        arcade = catalogue.sheets[name].arcade
        for path in paths:
            roster = load(path)[0] if arcade and str(path) not in in_use else None
            found += [KnownSets(roster, name, arcade)] if roster and arcade else []
    return found


def held_sets(files: Iterable[Identified], known: Iterable[KnownSets]) -> tuple[HeldSet, ...]:
    """The sets that archives among some files hold, whoever wants them, once for each emulator and release.

    Of an archive all of which everything is there that is their own; where there is none, the one of which most is.
    """
    members: dict[tuple[str, str], list[Holding]] = {}
    for file in files:
        if file.holding.member is not None:
            members.setdefault((file.holding.root, file.holding.path), []).append(file.holding)
    rosters = {(one.emulator, one.roster.head.release): one for one in known}
    found: list[HeldSet] = []
    for one in rosters.values():
        if not one.rig:  # what is in use tells an archive well enough
            told_already = {(held.holding.root, held.holding.path) for held in found}
            members = {place: inside for place, inside in members.items() if place not in told_already}
        found += _held_of(one, [inside for _, inside in sorted(members.items(), key=lambda one: one[0])])
    return tuple(found)


def _held_of(known: KnownSets, archives: Sequence[list[Holding]]) -> Iterator[HeldSet]:
    """The sets of a roster that some archives hold, of which the members are given."""
    listing: dict[Content, list[ArcadeSet]] = {}
    for one in known.roster.sets.having(contents_in(holding for inside in archives for holding in inside)):
        for content in one.contents:
            listing.setdefault(content, []).append(one)
    for inside in archives:
        there = contents_in(inside)
        archive = structs.replace(inside[0], member=None)
        likely = {one.set: one for content in there for one in listing.get(content, ())}
        told = [_held_set(archive, known, one, there) for _, one in sorted(likely.items())]
        own = [one for one in told if one is not None]
        whole = [one for one in own if not one.lacks]
        yield from whole or sorted(own, key=lambda one: _likeliness(one, likely[one.set]))[:1]


def _held_set(archive: Holding, known: KnownSets, one: ArcadeSet, there: frozenset[Content]) -> HeldSet | None:
    """A set as far as an archive holds what is its own; None if that is nothing."""
    own = [part for part in one.files if _is_own(part)]
    lacks = tuple(part.name for part in own if part.content not in there)
    if len(lacks) == len(own):
        return None
    full = not lacks and all(part.content in there for part in one.files if not part.optional)
    return HeldSet(archive, known.emulator, known.roster.head.release, one.set, one.title, full, lacks)


def _likeliness(held: HeldSet, one: ArcadeSet) -> tuple[bool, int, str]:
    """What an archive is most likely to be meant for: the set whose name it has, else that of which most is there."""
    stem = base(held.holding.path).partition(".")[0]
    return held.set != stem, len(held.lacks) - sum(map(_is_own, one.files)), held.set


def _is_own(file: SetFile) -> bool:
    """Whether a file has to be in a set's own archive."""
    shared = file.parent_name is not None or file.bios_name is not None
    return not (shared or file.optional or file.choice or file.variant or file.state is FileState.UNDUMPED)


def contents_in(holdings: Iterable[Holding], discs: Mapping[FileKey, str] | None = None) -> frozenset[Content]:
    """Every form in which a roster could know some files, of which `discs` are images, with the SHA-1 of each."""
    return frozenset(content for one in holdings for content in _contents(one, discs or {}))


def _contents(holding: Holding, discs: Mapping[FileKey, str]) -> Iterator[Content]:
    yield from contents_of(holding)
    if discs and (disc := discs.get(key_of(holding))):
        yield "disc", None, disc


def identify_sets(
    files: tuple[Identified, ...],
    known: Iterable[KnownSets],
    audits: tuple[RigAudit, ...],
    discs: Mapping[FileKey, str],
) -> tuple[Identified, ...]:
    """The unknown files among some that a roster knows, by CRC-32 and size as archives claim them, and disc images by
    the SHA-1 that their headers give."""
    asked = contents_in((file.holding for file in files if not file.matches), discs)
    wanted = {
        (rig.rig, emulator.emulator, content)
        for rig in audits
        for emulator in rig.emulators
        for one in emulator.sets
        for problem in one.problems
        if problem.subject.wants and (content := problem.subject.wants.content)
    }
    found: dict[Content, list[Match]] = {}
    for one in known:
        for content, match in _matches(one, asked):
            found.setdefault(content, []).append(match)

    def told(file: Identified) -> Identified:
        contents = tuple(_contents(file.holding, discs)) if not file.matches else ()
        matches = {match: None for content in contents for match in found.get(content, ())}
        if not matches:
            return file
        alike = {*contents, *(("sha1", None, sha1) for kind, _, sha1 in contents if kind == "disc")}

        def judged(match: Match) -> Match:
            needed = any((match.rig, match.emulator, content) in wanted for content in alike)
            return structs.replace(match, needed=True) if needed else match

        return structs.replace(file, verdict="known", matches=tuple(map(judged, matches)))

    return tuple(map(told, files))


def _matches(known: KnownSets, asked: frozenset[Content]) -> Iterator[tuple[Content, Match]]:
    """The files and discs of a roster that are among some contents."""
    for one in known.roster.sets.having(asked):
        for part in one.files:
            content = part.content
            if content in asked and content is not None and part.parent_name is None and part.bios_name is None:
                yield content, _set_match(known, one, part.name, f"{one.set}.zip")
        for disc in one.discs:
            content = ("disc", None, disc.sha1 or "")
            if content in asked:
                file, folder = disc.name + known.arcade.disc_ending, known.arcade.disc_folder.replace("{set}", one.set)
                yield content, _set_match(known, one, file, join(folder, file))


def _set_match(known: KnownSets, one: ArcadeSet, name: str, place: str) -> Match:
    return Match(
        emulator=known.emulator,
        need=name,
        title=f"{one.title or one.set}: {name}",
        accept="",
        rig=known.rig,
        to=join(known.folder, place),
        needed=False,
        rejected=False,
        set=one.set,
        release="" if known.rig else known.roster.head.release,
    )


def identify_keys(
    files: tuple[Identified, ...], sheets: dict[str, Sheet], audits: tuple[RigAudit, ...], read: Read
) -> tuple[Identified, ...]:
    """The key files among unknown files told by the names in them; what is wrong with one of no use is said."""
    needs = [(sheet.emulator, need) for sheet in sheets.values() for need in sheet.need if need.key]
    likely = {
        key_of(one)
        for one in key_candidates([need for _, need in needs], [HeldHere(file.holding for file in files)], "")
    }
    return tuple(
        file if file.matches or key_of(file.holding) not in likely else _identify_keys(file, sheets, audits, read)
        for file in files
    )


def _identify_keys(file: Identified, sheets: dict[str, Sheet], audits: tuple[RigAudit, ...], read: Read) -> Identified:
    needs = [(sheet.emulator, need) for sheet in sheets.values() for need in sheet.need if need.key]
    keys = read_keys(read(file.holding) or b"")
    best = likeliest_need(keys, needs)
    if best is None:
        return file
    emulator, need = best
    judged = judge_keys(need, keys)
    if judged.verdict not in (Verdict.SOUND, Verdict.UNPROVEN):
        return structs.replace(file, no_dump=LikeKeys(emulator, need.called, judged))
    on_rigs = [
        (rig.rig, finding)
        for rig in audits
        for one in rig.emulators
        for finding in one.findings
        if one.emulator == emulator and finding.need.id == need.id
    ]
    matches = [
        Match(
            emulator=emulator,
            need=need.id,
            title=need.called,
            accept="",
            rig=rig,
            to=finding.chief.expected,
            needed=finding.chief.use is not None and key_of(finding.chief.use) == key_of(file.holding),
            rejected=False,
        )
        for rig, finding in on_rigs
    ]
    if not matches:  # its emulator is on no rig
        sheet = sheets[emulator]
        to = join(sheet.folders[need.folder], need.name)
        matches = [
            Match(
                emulator=emulator,
                need=need.id,
                title=need.called,
                accept="",
                rig="",
                to=to,
                needed=False,
                rejected=False,
            )
        ]
    return structs.replace(file, verdict="known", matches=tuple(matches))


def _explain(file: Identified, searcher: Searcher, wishes: list[Wanted], thorough: bool, head: Read) -> Identified:
    found = searcher.examine(file.holding, wishes, thorough=thorough)
    if found:
        return structs.replace(file, verdict="damaged", near=found[0], mend=found[1])
    if not thorough:
        return file if file.no_dump else structs.replace(file, no_dump=searcher.plainly(file.holding, head))
    if file.holding.size > MOST_BYTES:
        return structs.replace(file, no_dump=TooLarge())
    return structs.replace(file, no_dump=searcher.no_dump(file.holding))


def _containers(holding: Holding) -> Iterable[tuple[str, str, str]]:
    """The archive a member is in, and every path above it inside, any of which may be a nested archive."""
    parts = holding.member.split("/") if holding.member is not None else []
    return ((holding.root, holding.path, "/".join(parts[:length])) for length in range(len(parts)))


def _identify(
    holding: Holding,
    known: KnownContents,
    sheets: dict[str, Sheet],
    findings: dict[tuple[str, str], list[tuple[str, NeedFinding]]],
) -> Identified:
    matches: list[Match] = []
    for match in known.matches(holding.size, holding.digests):
        on_rigs = findings.get((match.emulator, match.need.id), [])
        matches += [_match(match, rig, finding, holding) for rig, finding in on_rigs]
        if not on_rigs:
            sheet = sheets[match.emulator]
            matches.append(_match_sheet(match, join(sheet.folders[match.need.folder], match.need.name)))
    verdict = "unknown" if not matches else "rejected" if all(match.rejected for match in matches) else "known"
    return Identified(holding=holding, verdict=verdict, matches=tuple(matches))


def _match(match: Known, rig: str, finding: NeedFinding, holding: Holding) -> Match:
    """A match on a rig, where the release may reject what the sheet accepts for others."""
    need, place = finding.need, finding.chief
    if need.file:  # one file of many, which has a place of its own
        place = next(place for place in finding.wanted if place.subject.need.name == match.need.name)
    fits = bool(need.file) or any(accept.known() == match.content.known() for accept in need.accept)
    met = place.met if need.file else finding.met
    rejects = [reject for reject in finding.need.reject if reject.known() == match.content.known()]
    return Match(
        emulator=match.emulator,
        need=match.need.id,
        title=match.need.called,
        accept=_called(match),
        rig=rig,
        to=place.expected,
        needed=fits and not met and not (holding.rig == rig and place.found is holding),
        rejected=not fits,
        there=place.met
        and place.found is not None
        and is_content(match.content, place.found.size, place.found.digests),
        why=rejects[0].why if rejects else "",
    )


def _called(match: Known) -> str:
    content = match.content
    return content.called if isinstance(content, Accept) else content.label


def _match_sheet(match: Known, to: str) -> Match:
    return Match(
        emulator=match.emulator,
        need=match.need.id,
        title=match.need.called,
        accept=_called(match),
        rig="",
        to=to,
        needed=False,
        rejected=match.rejected,
        why=getattr(match.content, "why", ""),
    )


class Line(Struct, frozen=True):
    """One thing to say of a file, or of a `member` of it: verdict, words, and the command that leads on (in which
    `{path}` stands for the file); the needs that know it."""

    verdict: str
    words: str
    member: str | None
    next: str
    matches: tuple[Match, ...]


class Arrived(Struct, frozen=True):
    """A file that has come to rest, with what there is to say of it: nothing if no sheet knows it."""

    path: str
    lines: tuple[Line, ...]

    @property
    def needed(self) -> frozenset[str]:
        """The emulators that lack something of it."""
        return frozenset(match.emulator for line in self.lines for match in line.matches if match.needed)


def arrived(paths: Iterable[str], files: Iterable[Identified], sets: Iterable[HeldSet]) -> list[Arrived]:
    """Each path with what is to be said of it: what somebody lacks first."""
    by_path: dict[str, list[Identified]] = {}
    for file in files:
        by_path.setdefault(str(file.holding.place), []).append(file)
    whole = {str(one.holding.place): one for one in sets if not one.lacks}
    told = []
    for path in paths:
        there = by_path.get(path, [])
        alone = sum(bool(file.matches or file.mend) for file in there) == 1
        lines = [line for file in there if (line := _line(file, alone))]
        if path in whole and not any(match.needed for line in lines for match in line.matches):
            one = whole[path]
            title = f" ({one.title})" if one.title else ""
            lines = [Line("known", f"set {one.set}{title}, whole, for {one.emulator} {one.release}", None, "", ())]
        told.append(Arrived(path, tuple(sorted(lines, key=lambda line: not any(one.needed for one in line.matches)))))
    return told


def _line(file: Identified, alone: bool) -> Line | None:
    """What is to be said of one content, which may be `alone` in its file; nothing if nobody knows it."""
    member = file.holding.member
    inside = f"{member} in it is " if member is not None and not alone else ""
    if not file.matches:
        if file.mend is None or file.near is None:
            return None
        title = file.near.need.called
        words = f"{inside}{title} of {file.near.emulator}, damaged: it {mend_words(file.mend)}"
        return Line("damaged", words, member, "gribble mend {path}" if file.mend.mendable and not member else "", ())
    first = file.matches[0]
    title = f"{first.title}{f' ({first.accept})' if first.accept else ''}"
    if file.verdict == "rejected":
        return Line("rejected", f"{inside}{title}, known not to work: {first.why}", member, "", file.matches)
    wants: dict[str, list[str]] = {}
    for one in file.matches:
        if one.needed and one.rig not in wants.setdefault(one.emulator, []):
            wants[one.emulator].append(one.rig)
    if not wants:
        absent = f"known to {first.emulator} {first.release}, which is not installed"
        return Line(
            "known", f"{inside}{title}; {absent if first.release else 'nothing needs it'}", member, "", file.matches
        )
    who = ", ".join(f"{emulator} on {' and '.join(rigs)}" for emulator, rigs in wants.items())
    words = f"{inside}{title}; {who} {'needs' if len(wants) == 1 else 'need'} it"
    return Line("known", words, member, f"gribble place {' '.join(wants)}", file.matches)
