"""Game folders: what the emulator can read there, and files that only work together. None of it changes a state."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from fnmatch import fnmatch, fnmatchcase

from gribble.core.audit.judging.case import RigCase
from gribble.core.base.paths import base, climb_fault, join, name_fault, parent
from gribble.core.records.findings import GameFinding, Verdict
from gribble.core.records.fitted import Fitted
from gribble.core.records.holding import Holding, key_of
from gribble.core.records.sheet import IdAt, Media, Packing, Pair

_ARCHIVES = (".zip", ".7z")


class GamesAuditor:
    """Audits the game folders of one rig's emulators."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._stock = case.rig, case.shelf, case.stock
        self._ids = case.ask.readings.ids
        self._sheets = case.ask.readings.sheets
        self._members: dict[str, list[str]] = {}
        for holding in case.rig.holdings:
            if holding.member is not None:
                self._members.setdefault(holding.path, []).append(holding.member)

    def audit(self, fitted: Fitted) -> tuple[GameFinding, ...]:
        """What is wrong in an emulator's game folders."""
        found: list[GameFinding] = []
        for media in fitted.media:
            found += self._media(fitted.folders[media.folder], media)
        for pair in fitted.pair:
            found += self._pair(fitted.folders[pair.folder], pair)
        found += self._orphans(fitted)
        return tuple(found)

    # Media

    def _media(self, folder: str, media: Media) -> Iterator[GameFinding]:
        for holding in self._shelf.below(folder):
            for verdict, reason in self._faults(folder, media, holding):
                yield GameFinding(rule="media", folder=folder, file=holding.path, verdict=verdict, reason=reason)
        for checked in self._sheets.get((self._rig.name, folder), ()):
            for fault in checked.findings:
                name = f"{fault.file}: " if fault.file and base(fault.file) != base(checked.path) else ""
                yield GameFinding(
                    rule="media",
                    folder=folder,
                    file=join(folder, checked.path),
                    verdict=Verdict(checked.verdict),
                    reason=f"{name}{fault.reason}",
                )

    def _faults(self, folder: str, media: Media, holding: Holding) -> Iterator[tuple[Verdict, str]]:
        name, reads = base(holding.path).lower(), f"it reads {', '.join(media.accepts)}"
        refusal = next((one for one in media.refuses if name.endswith(one.ending.lower())), None)
        zipped = name.endswith(_ARCHIVES) and not _ends(name, media.accepts)
        if refusal:
            yield Verdict.IMPOSTER, f"{refusal.why or 'this release cannot read it.'} {reads.capitalize()}."
            return
        if zipped:
            yield from self._archive_faults(media, holding, reads)
        elif not _ends(name, media.accepts):
            return  # notes, saved games, the tracks of a sheet: nobody's business here
        elif media.packing is Packing.ZIPPED:
            yield Verdict.IMPOSTER, "lies loose, but games must be zipped here"
        if media.max_bytes is not None and holding.size > media.max_bytes:
            yield Verdict.IMPOSTER, f"has {holding.size:,} bytes; the largest that can be read has {media.max_bytes:,}"
        if media.own_folder:
            yield from _folder_faults(folder, media, holding.path)

    def _archive_faults(self, media: Media, holding: Holding, reads: str) -> Iterator[tuple[Verdict, str]]:
        members = self._members.get(holding.path, [])
        games = [member for member in members if _ends(member.lower(), media.accepts)]
        refused = [one for one in media.refuses if any(member.lower().endswith(one.ending) for member in members)]
        if media.packing is Packing.LOOSE and (games or refused):
            yield (
                Verdict.IMPOSTER,
                f"is an archive, but games must lie loose here; unpack {base((games or members)[0])}",
            )
        elif refused and not games:
            yield (
                Verdict.IMPOSTER,
                f"holds {refused[0].ending} files: {refused[0].why or 'they cannot be read'} {reads}",
            )

    # Pairs

    def _pair(self, folder: str, pair: Pair) -> Iterator[GameFinding]:
        each = [holding for holding in self._shelf.below(folder) if self._is_like(base(holding.path), pair.each)]
        for holding in each:
            verdict, reason = self._partner_fault(folder, pair, holding)
            if reason:
                yield GameFinding(rule="pair", folder=folder, file=holding.path, verdict=verdict, reason=reason)
        if pair.version_at:
            yield from self._old_updates(folder, pair, each)

    def _is_like(self, name: str, pattern: str) -> bool:
        return fnmatch(name, pattern) if self._rig.folds_case else fnmatchcase(name, pattern)

    def _orphans(self, fitted: Fitted) -> Iterator[GameFinding]:
        """Partners that no file of any pair wants: a licence without its title, say."""
        wanted: set[str] = set()
        like: dict[tuple[str, str], list[str]] = {}  # folder and pattern of partners: what would want them
        for pair in fitted.pair:
            folder = fitted.folders[pair.folder]
            if "/" not in pair.wants:
                pattern = pair.wants.replace("{stem}", "*").replace("{id}", "*")
                like.setdefault((folder, pattern), []).append(pair.each)
            for holding in self._shelf.below(folder):
                if self._is_like(base(holding.path), pair.each):
                    wanted.update(map(self._shelf.key, self._partners(folder, pair, holding)[0]))
        for (folder, pattern), each in like.items():
            for holding in self._shelf.below(folder):
                name = base(holding.path)
                wants_too = any(self._is_like(name, one) for one in each)
                if self._is_like(name, pattern) and not wants_too and self._shelf.key(holding.path) not in wanted:
                    reason = f"belongs to no {' or '.join(each)} here; it does nothing by itself"
                    yield GameFinding(
                        rule="pair", folder=folder, file=holding.path, verdict=Verdict.UNPROVEN, reason=reason
                    )

    def _old_updates(self, folder: str, pair: Pair, each: list[Holding]) -> Iterator[GameFinding]:
        """Updates of which a newer one for the same id is there."""
        newest: dict[str, tuple[tuple[int, ...], str]] = {}
        found = []
        for holding in each:
            id_, version = self._said(holding, pair.id_at), self._said(holding, pair.version_at)
            numbers = tuple(int(part) for part in re.findall(r"\d+", version)[:8])
            if not numbers:
                reason = f"holds no version at byte {pair.version_at.offset if pair.version_at else 0}"
                yield GameFinding(rule="pair", folder=folder, file=holding.path, verdict=Verdict.DAMAGED, reason=reason)
                continue
            found.append((holding, id_, numbers, version))
            newest[id_] = max(newest.get(id_, ((), "")), (numbers, version))
        for holding, id_, numbers, version in found:
            if numbers < newest[id_][0]:
                reason = f"is version {version}; {newest[id_][1]} is there as well, and is enough"
                yield GameFinding(
                    rule="pair", folder=folder, file=holding.path, verdict=Verdict.UNPROVEN, reason=reason
                )

    def _said(self, holding: Holding, at: IdAt | None) -> str:
        """What a file says at a place."""
        return self._ids.get((key_of(holding), at.offset, at.length), "") if at else ""

    def _partners(self, folder: str, pair: Pair, holding: Holding) -> tuple[list[str], str]:
        """Where the partner of a file may lie, and the name it must have; none where its id cannot be read."""
        stem = base(holding.path).rpartition(".")[0] or base(holding.path)
        wants, id_ = pair.wants.replace("{stem}", stem), self._said(holding, pair.id_at)
        if pair.id_at and (not id_ or name_fault(id_)):
            return [], ""
        wants = wants.replace("{id}", id_)
        return list(dict.fromkeys((join(parent(holding.path), wants), join(folder, wants)))), wants

    def _partner_fault(self, folder: str, pair: Pair, holding: Holding) -> tuple[Verdict, str]:
        places, wants = self._partners(folder, pair, holding)
        if pair.id_at and not places:
            return Verdict.DAMAGED, f"holds no id at byte {pair.id_at.offset} to know its partner by"
        shown = f" (its id is {self._said(holding, pair.id_at)})" if pair.id_at else ""
        if fault := climb_fault(wants):
            return Verdict.DAMAGED, f"its partner would be {wants}, which {fault}"
        if any(self._shelf.at(place) for place in places):
            return Verdict.SOUND, ""
        why = f"; {pair.why}" if pair.why else ""
        for place in places:
            if twin := self._shelf.in_other_case(place):
                return Verdict.MISNAMED, f"wants {wants}{shown}, which is spelled {base(twin.path)} there{why}"
        held = self._stock.namesakes([base(wants)], self._rig.name)
        if held:
            return Verdict.ASTRAY, f"wants {wants}{shown} beside it; one of that name is held in {held[0].where}{why}"
        return Verdict.MISSING, f"wants {wants}{shown} beside it, which is nowhere here{why}"


def _folder_faults(folder: str, media: Media, path: str) -> Iterator[tuple[Verdict, str]]:
    inner = path[len(folder) + 1 :].split("/")[:-1]
    if not inner:
        named = f", called like {media.folder_name}" if media.folder_name else ""
        yield Verdict.ASTRAY, f"should lie in a folder of its own{named}"
    elif media.folder_name and not fnmatchcase(inner[0], media.folder_name):
        yield Verdict.MISNAMED, f'its folder "{inner[0]}" must be called like {media.folder_name}'


def _ends(name: str, endings: Iterable[str]) -> bool:
    return any(name.endswith(ending.lower()) for ending in endings)
