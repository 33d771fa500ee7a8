"""Game folders: what the emulator can read there, and files that only work together. None of it changes a state."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from fnmatch import fnmatch, fnmatchcase

from gribble.core.audit.findings import GameFinding, Verdict
from gribble.core.audit.readings import Readings
from gribble.core.audit.shelf import RigWorld, Shelf
from gribble.core.audit.stock import Stock
from gribble.core.catalogue.config import Fitted
from gribble.core.catalogue.records import Media, Packing, Pair
from gribble.core.diagnosis.nearmisses import key_of
from gribble.core.paths import base, join, name_fault, parent, path_fault
from gribble.core.survey.survey import Holding

_ARCHIVES = (".zip", ".7z")


class GamesAuditor:
    """Audits the game folders of one rig's emulators."""

    def __init__(self, rig: RigWorld, shelf: Shelf, stock: Stock, readings: Readings) -> None:
        self._rig = rig
        self._shelf = shelf
        self._stock = stock
        self._ids = readings.ids
        self._sheets = readings.sheets
        self._members: dict[str, list[str]] = {}
        for holding in rig.holdings:
            if holding.member is not None:
                self._members.setdefault(holding.path, []).append(holding.member)

    def audit(self, fitted: Fitted) -> tuple[GameFinding, ...]:
        """What is wrong in an emulator's game folders."""
        found: list[GameFinding] = []
        for media in fitted.media:
            found += self._media(fitted.folders[media.folder], media)
        for pair in fitted.pair:
            found += self._pair(fitted.folders[pair.folder], pair)
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
        for holding in self._shelf.below(folder):
            name = base(holding.path)
            if not (fnmatch(name, pair.each) if self._rig.folds_case else fnmatchcase(name, pair.each)):
                continue
            verdict, reason = self._partner_fault(folder, pair, holding)
            if reason:
                yield GameFinding(rule="pair", folder=folder, file=holding.path, verdict=verdict, reason=reason)

    def _partner_fault(self, folder: str, pair: Pair, holding: Holding) -> tuple[Verdict, str]:
        stem = base(holding.path).rpartition(".")[0] or base(holding.path)
        wants, shown = pair.wants.replace("{stem}", stem), ""
        if pair.id_at:
            id_ = self._ids.get((key_of(holding), pair.id_at.offset, pair.id_at.length), "")
            if not id_ or name_fault(id_):
                return Verdict.DAMAGED, f"holds no id at byte {pair.id_at.offset} to know its partner by"
            wants, shown = wants.replace("{id}", id_), f" (its id is {id_})"
        if fault := path_fault(wants):
            return Verdict.DAMAGED, f"its partner would be {wants}, which {fault}"
        places = list(dict.fromkeys((join(parent(holding.path), wants), join(folder, wants))))
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
