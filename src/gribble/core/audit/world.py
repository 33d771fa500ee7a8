"""The world as one command sees it: configuration, catalogue and survey brought together for the audit."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Container, Iterable, Mapping
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.audit.asked import sets_asked, unknown_here, users_of
from gribble.core.audit.judging.audit import audit
from gribble.core.audit.judging.case import Given
from gribble.core.audit.judging.keys import key_candidates, read_keys
from gribble.core.audit.judging.pairs import partner_pattern
from gribble.core.base.budget import MOST_SETTINGS, size_words
from gribble.core.base.digests import DiscHeader
from gribble.core.base.errors import reason_of
from gribble.core.base.names import is_like
from gribble.core.base.paths import base
from gribble.core.base.regular import read_regular
from gribble.core.catalogue.rosters import Load, load_roster, with_others
from gribble.core.diagnosis.likely import Wanted, key_needs_of
from gribble.core.diagnosis.nearmisses import NearMisses, Searcher
from gribble.core.discs.looking import check_files, no_such_part, reader_below
from gribble.core.files.archives.common import ArchiveError
from gribble.core.files.archives.opening import MemberReader
from gribble.core.files.discheaders import HEADER_BYTES, read_header
from gribble.core.records.config import Ask, Scope
from gribble.core.records.discs import Checked
from gribble.core.records.findings import NeedFinding, PlaceFinding, Proof, Remedy, RigAudit, Verdict
from gribble.core.records.holding import Away, FileKey, Holding, Holdings, Skipped, key_of
from gribble.core.records.keyfile import KeyFile
from gribble.core.records.place import Fitted
from gribble.core.records.recipes import MOST_BYTES
from gribble.core.records.rig_seen import ABSENT, Readings, RigSeen, Unread
from gribble.core.records.sheet import Need
from gribble.core.survey.arriving import Ground
from gribble.core.survey.attempts import Attempts
from gribble.core.survey.facts import Survey
from gribble.core.survey.holdings import Shelf, Stock
from gribble.core.survey.matching import KnownContents

MOST_FETCHED = 1 << 20
"""A file on another machine that is larger is not fetched to see what it plainly is, in bytes."""
HEAD_BYTES = 4096
"""How much of a file's beginning shows what it plainly is."""


class World(Struct, frozen=True, kw_only=True):
    """Everything held, on rigs and in sources, what runs have displaced, and what was passed over; what sources that
    are `away` held when they were seen last is not among the rest."""

    rigs: tuple[RigSeen, ...]
    sources: tuple[Survey, ...]
    away: tuple[Away, ...] = ()
    displaced: tuple[Survey, ...] = ()
    known: KnownContents
    passed_over: tuple[Skipped, ...]
    far: Mapping[str, Ground] = {}
    load: Load = load_roster
    attempts: Attempts = msgspec.field(default_factory=Attempts)
    members: MemberReader = msgspec.field(default_factory=MemberReader)
    recent: dict[FileKey, bytes] = msgspec.field(default_factory=dict)
    """Contents that were read last, of at most `MOST_BYTES` together: one is asked for by many needs."""
    unread: dict[FileKey, str] = msgspec.field(default_factory=dict)
    """Why others could not be read."""

    @property
    def elsewhere(self) -> list[Holdings]:
        """What the sources and the attics hold."""
        return [survey.holdings for survey in (*self.sources, *self.displaced)]

    @property
    def remembered(self) -> dict[str, Holdings]:
        """What sources that are away held when they were seen last, by their names."""
        return {one.source: one.holdings for one in self.away}

    @property
    def everything(self) -> list[Holdings]:
        """The same, and what the rigs hold."""
        return [*self.elsewhere, *(rig.holdings for rig in self.rigs)]

    def audit(self, ask: Ask) -> tuple[RigAudit, ...]:
        """The audit of the rigs and emulators in scope; what is wrong or missing is looked for among near misses."""
        world = self.knowing_other_releases() if unknown_here(self.rigs, ask.sets) else self
        try:
            return world._audit(ask)
        finally:
            self.members.close()

    def _audit(self, ask: Ask) -> tuple[RigAudit, ...]:
        scope = ask.scope
        concerned = [_concerns(scope, rig) for rig in self.rigs]
        rigs = [rig for rig, concerns in zip(self.rigs, concerned, strict=True) if concerns]
        others = [rig.holdings for rig, concerns in zip(self.rigs, concerned, strict=True) if not concerns]
        holdings = [*self.elsewhere, *others]
        given = Given(
            known=self.known,
            ask=ask,
            readings=self.readings(games=ask.games),
            away=self.away,
            sets=sets_asked(self.rigs, ask.sets) if ask.sets else {},
            among={} if ask.contents is None else users_of(self.rigs, ask.contents),
        )
        audits = audit(rigs, holdings, given)
        wishes = [self._nearer(one) for rig, found in zip(rigs, audits, strict=True) for one in _wishes(rig, found)]
        asking = {(found.rig, one.emulator) for found in audits for one in found.emulators if one.arcade.asks_others}
        if wishes or asking:
            near = self.searcher().search(wishes) if wishes else NearMisses()
            rigs = [rig for rig in self.knowing_other_releases(asking).rigs if _concerns(scope, rig)]
            audits = audit(rigs, holdings, msgspec.structs.replace(given, near=near))
        return tuple(_narrow(found, scope) for found in audits)

    def knowing_other_releases(self, of: Container[tuple[str, str]] | None = None) -> World:
        """The same with the rosters of other releases read, for all arcade emulators or `of` some, by rig and name."""
        rigs = []
        for rig in self.rigs:
            arcade = {
                name: with_others(one, self.load) if of is None or (rig.name, name) in of else one
                for name, one in rig.arcade.items()
            }
            rigs.append(msgspec.structs.replace(rig, arcade=arcade))
        return msgspec.structs.replace(self, rigs=tuple(rigs))

    def readings(self, *, games: bool = False) -> Readings:
        """The contents that an audit has to know: key files, settings files and, for game folders, ids."""
        holdings = self.everything
        stock = Stock(holdings)
        return Readings(
            key_files=read_key_files([need for rig in self.rigs for need in _needs(rig)], holdings, self.read_whole),
            settings={place: data for rig in self.rigs if not rig.away for place, data in self._read_settings(rig)},
            ids={key: id_ for rig in self.rigs for key, id_ in self._read_ids(rig, stock)} if games else {},
            discs=tuple(self._read_discs(holdings)),
            sheets={key: checked for rig in self.rigs for key, checked in self._read_sheets(rig)} if games else {},
        )

    def searcher(self, more: Iterable[Holdings] = ()) -> Searcher:
        """What looks for near misses among everything held here, and `more`; on another machine only among what lies
        where it is wanted, which a wish names itself."""
        near = (rig.holdings for rig in self.rigs if rig.name not in self.far)
        holdings = [*more, *self.elsewhere, *near]

        def is_known(one: Holding) -> bool:
            return bool(self.known.matches(one.size, one.digests))

        return Searcher(holdings, is_known, self.read_whole, self.attempts)

    def _nearer(self, wish: Wanted) -> Wanted:
        """A wish whose suspects on another machine are not fetched where it is known already what they are."""
        small = (one for one in wish.suspects if one.size <= MOST_FETCHED)
        unknown = (one for one in small if not self.known.matches(one.size, one.digests))
        return msgspec.structs.replace(wish, suspects=tuple(unknown)) if wish.rig in self.far else wish

    def read_whole(self, holding: Holding) -> bytes | None:
        """A holding's content; None if it cannot be read, or is too large for Gribble to find out what is wrong."""
        if holding.size > MOST_BYTES or holding.member is None:
            return self._read(holding)
        key = key_of(holding)
        if (data := self.recent.get(key)) is None and (data := self._read(holding)) is not None:
            while self.recent and sum(map(len, self.recent.values())) + len(data) > MOST_BYTES:
                del self.recent[next(iter(self.recent))]
            self.recent[key] = data
        return data

    def _read(self, holding: Holding) -> bytes | None:
        if holding.size > MOST_BYTES:
            return None
        try:
            ground = self.far.get(holding.rig)
            place = ground.fetch(holding.path) if ground else holding.place
            if holding.member is not None:
                return b"".join(self.members.blocks(place, holding.member))
            return read_regular(place, MOST_BYTES)
        except ArchiveError as error:
            self.unread[key_of(holding)] = str(error)
        except OSError as error:
            self.unread[key_of(holding)] = f"cannot be read: {reason_of(error)}"
        return None

    def why_unread(self, holding: Holding) -> str:
        """Why a content that was asked for could not be read; empty for any other."""
        return self.unread.get(key_of(holding), "")

    def head_of(self, holding: Holding) -> bytes | None:
        """The beginning of a holding; None if it cannot be read."""
        try:
            return self._part(holding, 0, HEAD_BYTES)
        except (OSError, ArchiveError):
            return None

    def _part(self, holding: Holding, offset: int, length: int) -> bytes:
        """Some bytes of a file, fewer where it ends before. Raises OSError and ArchiveError."""
        ground = self.far.get(holding.rig)
        if holding.member is not None:
            place = ground.fetch(holding.path) if ground else holding.place
            data = b""
            for block in self.members.blocks(place, holding.member):
                data += block
                if len(data) >= offset + length:
                    break
            return data[offset : offset + length]
        reader = ground.part if ground else reader_below(Path(holding.root))
        return reader(holding.path, offset, length)

    def _read_settings(self, rig: RigSeen) -> Iterable[tuple[tuple[str, str], bytes | Unread]]:
        """The settings files of a rig's emulators by rig and path: what they hold, or why it cannot be had."""
        files = {setting.file for fitted in rig.emulators for setting in fitted.setting}
        shelf = Shelf(rig)
        for file in files:
            holding = shelf.at(file)
            if unread := shelf.unread(file):
                yield (rig.name, file), Unread(unread)
            elif holding is None:
                hidden = rig.hidden.get(file)
                yield (rig.name, file), Unread(hidden) if hidden else ABSENT
            elif holding.size > MOST_SETTINGS:
                why = f"is larger than {size_words(MOST_SETTINGS)}; a settings file is never that large"
                yield (rig.name, file), Unread(why)
            else:
                data = self.read_whole(holding)
                yield (rig.name, file), Unread("cannot be read") if data is None else data

    def _read_ids(self, rig: RigSeen, stock: Stock) -> Iterable[tuple[tuple[FileKey, int, int], str]]:
        """What the files of pairs, and those that could be their partners, say of themselves where a rule says so."""
        shelf = Shelf(rig)
        for fitted in rig.emulators:
            for pair in fitted.sheet.pair:
                own = {(at.offset, at.length) for at in (pair.id_at, pair.version_at) if at}
                for holding in shelf.below(fitted.folders[pair.folder]) if own else ():
                    if is_like(base(holding.path), pair.each, folds=rig.volume.folds_case):
                        yield from self._ids_of(holding, own)
                if at := pair.wants_id_at:
                    for holding in stock.like(base(partner_pattern(pair))):
                        yield from self._ids_of(holding, {(at.offset, at.length)})

    def _ids_of(
        self, holding: Holding, places: Iterable[tuple[int, int]]
    ) -> Iterable[tuple[tuple[FileKey, int, int], str]]:
        for offset, length in places:
            yield (key_of(holding), offset, length), self._read_id(holding, offset, length)

    def _read_id(self, holding: Holding, offset: int, length: int) -> str:
        """An id as ASCII, up to the first zero byte or the padding; empty if there is none."""
        try:
            return self._part(holding, offset, length).partition(b"\0")[0].decode("ascii").strip()
        except (OSError, ArchiveError, UnicodeDecodeError):
            return ""

    def _read_discs(self, holdings: list[Holdings]) -> Iterable[tuple[Holding, DiscHeader]]:
        """The headers of the disc images that are held, where a set could want one."""
        endings = {fitted.arcade.disc_ending for rig in self.rigs for fitted in rig.emulators if fitted.arcade}
        chosen = (one for each in holdings for one in each.opened) if endings else ()
        for holding in chosen:
            if holding.member is None and holding.path.endswith(tuple(endings)):
                try:
                    yield holding, read_header(self._part(holding, 0, HEADER_BYTES))
                except OSError as error:
                    yield holding, DiscHeader(fault=f"cannot be read: {reason_of(error)}")

    def _read_sheets(self, rig: RigSeen) -> Iterable[tuple[tuple[str, str], tuple[Checked, ...]]]:
        """The track sheets and images in a rig's game folders that do not hold."""
        shelf = Shelf(rig)
        folders = shelf.folders
        exact = {one.folders[media.folder]: one.root.exact_names for one in rig.emulators for media in one.media}
        for folder in sorted(exact):
            holdings = {one.path[len(folder) + bool(folder) :]: one for one in shelf.below(folder)}
            sizes = {path: one.size for path, one in holdings.items()}

            def read(path: str, offset: int, length: int, folder: str = folder) -> bytes:
                at = posixpath.normpath(posixpath.join(folder, path))
                if (holding := shelf.loose.get(at) if exact[folder] else shelf.at(at)) is None:
                    raise no_such_part(path, is_folder=at in folders)
                return self._part(holding, offset, length)

            checked = check_files(sizes, read, folds_case=rig.volume.folds_case and not exact[folder])
            wrong = (one for one in checked if one.verdict in (Verdict.DAMAGED, Verdict.IMPOSTER))
            yield (rig.name, folder), tuple(wrong)


def read_key_files(
    needs: list[Need], holdings: list[Holdings], read: Callable[[Holding], bytes | None]
) -> tuple[tuple[Holding, KeyFile], ...]:
    """Every holding that could be a key file for some needs, read; nearest first."""
    found = []
    for holding in key_candidates(needs, holdings, ""):
        data = read(holding)
        if data is not None:
            found.append((holding, read_keys(data)))
    return tuple(found)


def _needs(rig: RigSeen) -> list[Need]:
    return [need for fitted in rig.emulators for need in fitted.needs]


def _wishes(rig: RigSeen, found: RigAudit) -> Iterable[Wanted]:
    """The needs of a rig that are open as far as whole files go, with what is at their places."""
    shelf = Shelf(rig)
    for fitted, emulator in zip(rig.emulators, found.emulators, strict=False):
        enough = {finding.need.choice for finding in emulator.findings if finding.in_place}
        key_needs = key_needs_of(fitted.needs, fitted.sheet.unlock)
        for finding in emulator.findings:
            if finding.ignored:
                continue
            yield from _doubts_of(shelf, rig, fitted, finding)
            if finding.need.choice is None or finding.need.choice not in enough:
                yield from _wishes_of(rig, fitted, finding, key_needs)


def _doubts_of(shelf: Shelf, rig: RigSeen, fitted: Fitted, finding: NeedFinding) -> Iterable[Wanted]:
    """The files that no digest could prove: looked into for whether they are files of that kind at all, and those that
    only their name speaks for compared."""
    for place in finding.wanted:
        part = place.subject.need
        doubtful = place.found and place.met and place.proof is Proof.NONE and not part.key
        unproven = list(shelf.serving(place.subject)) if doubtful else []  # under an alias, too
        if unproven or place.by_name:
            yield Wanted(
                emulator=fitted.emulator,
                need=part,
                suspects=tuple(unproven),
                held=place.found or place.use,
                rig=rig.name,
                by_name=place.by_name,
            )


def _wishes_of(rig: RigSeen, fitted: Fitted, finding: NeedFinding, key_needs: dict[str, Need]) -> Iterable[Wanted]:
    """One wish for a need; of a manifest one for each file that is wrong or missing."""
    groups = [(place,) for place in finding.wanted] if finding.need.file else [finding.places]
    for places in groups:
        wrong = [place for place in places if _is_open(place)]
        imposters = [place.found for place in wrong if place.found and place.verdict is Verdict.IMPOSTER]
        held = (place.use for place in wrong if place.use and place.accept and not place.source)
        if wrong:
            yield Wanted(
                emulator=fitted.emulator,
                need=places[0].subject.need,
                unlock=fitted.sheet.unlock,
                key_needs=key_needs,
                suspects=tuple(imposters),
                held=next(held, None),
                rig=rig.name,
            )


def _is_open(place: PlaceFinding) -> bool:
    """Whether a file that is damaged could be meant for a place."""
    return place.verdict in (Verdict.IMPOSTER, Verdict.UNFIT, Verdict.MISSING) or place.remedy is Remedy.CONNECT


def _concerns(scope: Scope, rig: RigSeen) -> bool:
    """Whether a question is about a rig; what others hold counts all the same."""
    named = not scope.rigs or rig.name in scope.rigs
    return named and (not scope.emulators or any(one in scope.emulators for one in rig.names))


def _narrow(found: RigAudit, scope: Scope) -> RigAudit:
    if not scope.emulators:
        return found
    kept = tuple(emulator for emulator in found.emulators if emulator.emulator in scope.emulators)
    return msgspec.structs.replace(found, emulators=kept)
