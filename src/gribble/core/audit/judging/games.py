"""Game folders: what the emulator can read there, how it must lie, and what puts it so. None of it changes a state."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from fnmatch import fnmatchcase
from typing import NamedTuple

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.pairs import PairsAuditor, paired_names
from gribble.core.base.paths import base, join, parent, path_fault
from gribble.core.files.archives.opening import SET_ENDINGS
from gribble.core.records import facts as f
from gribble.core.records.facts import Fact
from gribble.core.records.findings import Finding, Game, GameFinding, Remedy, Verdict, standing
from gribble.core.records.holding import Holding
from gribble.core.records.place import Fitted
from gribble.core.records.set_remedies import Loose, Member, Packed, SetRemedies
from gribble.core.records.sheet import Media, Packing

_TRACK_LISTS = (".cue", ".gdi", ".ccd", ".m3u")
"""Endings of texts that name other files, which must go where they go."""


class _Game(NamedTuple):
    """One file in a game folder: the rule for it, the folder, and where in there it lies."""

    media: Media
    folder: str
    holding: Holding

    @property
    def name(self) -> str:
        return base(self.holding.path).lower()

    @property
    def inner(self) -> list[str]:
        """The folders in which it lies, below the game folder."""
        return self.holding.path[len(self.folder) + bool(self.folder) :].split("/")[:-1]

    @property
    def stem(self) -> str:
        return _stem(self.holding.path)


class GamesAuditor:
    """Audits the game folders of one rig's emulators."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf = case.rig, case.shelf
        self._sheets = case.given.readings.sheets
        self._pairs = PairsAuditor(case)
        self._members: dict[str, list[Holding]] = {}
        for holding in case.rig.holdings.opened:
            if holding.member is not None:
                self._members.setdefault(holding.path, []).append(holding)
        self._archives = {one.holding.path: one for one in case.rig.holdings.archives}

    def _inside(self, game: _Game) -> Sequence[Holding]:
        """The members of a game that is an archive."""
        archive = self._archives.get(game.holding.path)
        return archive.members if archive else self._members.get(game.holding.path, [])

    def audit(self, fitted: Fitted) -> tuple[GameFinding, ...]:
        """What is wrong in an emulator's game folders."""
        found: list[GameFinding] = []
        for media in fitted.media:
            found += self._media(fitted, media)
        return (*found, *self._pairs.audit(fitted))

    def _media(self, fitted: Fitted, media: Media) -> Iterator[GameFinding]:
        folder = fitted.folders[media.folder]
        there = self._shelf.spelled(folder)
        if fitted.root.exact_names and there != folder:
            facts = (f.GamesSpelled(folder),)
            yield Finding(subject=Game(rule="media", folder=folder, file=there), verdict=Verdict.MISNAMED, facts=facts)
        games = [_Game(media, there, holding) for holding in self._shelf.below(folder)]
        for game in games:
            for verdict, fact, fix in self._faults(game):
                yield Finding(
                    subject=Game(rule="media", folder=folder, file=game.holding.path, fix=fix),
                    verdict=verdict,
                    facts=(fact,),
                    remedy=_remedy_of(verdict) if fix else Remedy.NONE,
                )
        yield from self._unread(folder, media, games)
        yield from self._unlisted(fitted, folder, media, games)
        yield from self._discs(folder)

    def _discs(self, folder: str) -> Iterator[GameFinding]:
        """Track sheets and images that do not hold."""
        for checked in self._sheets.get((self._rig.name, folder), ()):
            for fault in checked.findings:
                name = fault.file if base(fault.file) != base(checked.path) else ""
                yield Finding(
                    subject=Game(rule="media", folder=folder, file=join(folder, checked.path)),
                    verdict=Verdict(checked.verdict),
                    facts=(f.DiscWrong(name, fault.reason),),
                    standing=standing(mends=fault.mends),
                )

    # One file

    def _faults(self, game: _Game) -> Iterator[tuple[Verdict, Fact, SetRemedies | None]]:
        media, name, holding = game.media, game.name, game.holding
        refusal = next((one for one in media.refuses if name.endswith(one.ending.lower())), None)
        zipped = name.endswith(SET_ENDINGS) and not _ends(name, media.accepts)
        if refusal:
            yield Verdict.IMPOSTER, f.CannotRead(refusal.why, media.accepts), None
            return
        if zipped:
            yield from self._archive_faults(game)
            if media.packing is Packing.LOOSE:
                return  # where it lies counts once it is unpacked
        elif not _ends(name, media.accepts):
            return  # notes, saved games, the tracks of a sheet: nobody's business here
        elif media.packing is Packing.ZIPPED and not name.endswith(SET_ENDINGS):
            yield Verdict.IMPOSTER, f.MustBeZipped(), self._zipped(game)
        if media.max_bytes is not None and holding.size > media.max_bytes:
            yield Verdict.IMPOSTER, f.TooLargeToRead(holding.size, media.max_bytes), None
        if media.own_folder:
            yield from self._folder_faults(game)

    def _archive_faults(self, game: _Game) -> Iterator[tuple[Verdict, Fact, SetRemedies | None]]:
        media = game.media
        members = [one.member or "" for one in self._inside(game)]
        games = [member for member in members if _ends(member.lower(), media.accepts)]
        refused = [one for one in media.refuses if _any_ends(members, one.ending)]
        if media.packing is Packing.LOOSE and (games or refused):
            fact = f.MustBeLoose(base((games or members)[0]))
            yield Verdict.IMPOSTER, fact, self._unpacked(game) if games else None
        elif refused and not games:
            yield Verdict.IMPOSTER, f.HoldsRefused(refused[0].ending, refused[0].why, media.accepts), None

    def _folder_faults(self, game: _Game) -> Iterator[tuple[Verdict, Fact, SetRemedies | None]]:
        media, inner = game.media, game.inner
        if not inner:
            yield Verdict.ASTRAY, f.WantsFolder(media.folder_name or ""), self._moved(game)
        elif media.folder_name and not fnmatchcase(inner[0], media.folder_name):
            yield Verdict.MISNAMED, f.FolderNamed(inner[0], media.folder_name), self._moved(game)

    # What puts it right

    def _home(self, game: _Game) -> str | None:
        """The folder in which a game belongs; None if its name cannot be made up."""
        media, inner = game.media, game.inner
        if not media.own_folder:
            return parent(game.holding.path)
        title, rest = (inner[0], inner[1:]) if inner else (game.stem, [])
        pattern = media.folder_name or "*"
        if not fnmatchcase(title, pattern):
            title = pattern.replace("*", title, 1)
            if not fnmatchcase(title, pattern) or set(title) & set("*?[]"):
                return None
        return join(game.folder, title, *rest)

    def _moved(self, game: _Game) -> SetRemedies | None:
        """A game in a folder as it must be, with all that belongs to it."""
        home, path = self._home(game), game.holding.path
        if home is None or (not game.inner and path.lower().endswith(_TRACK_LISTS)):
            return None  # which of the files beside it are its tracks is not known here
        if game.inner:
            start = join(game.folder, game.inner[0])
            goal = join(game.folder, home[len(game.folder) + bool(game.folder) :].split("/")[0])
            moves = {one: goal + one.path[len(start) :] for one in self._shelf.below(start)}
        else:
            beside = (one for one in self._shelf.folder(game.folder) if _stem(one.path) == game.stem)
            moves = {one: join(home, base(one.path)) for one in beside}
        if any(self._shelf.at(to) or one.fixed or self._shelf.leans(one.path) for one, to in moves.items()):
            return None
        return SetRemedies(
            loose=tuple(Loose(owner=path, to=to, holding=one, movable=True) for one, to in moves.items())
        )

    def _unpacked(self, game: _Game) -> SetRemedies | None:
        """The members of an archive loose where the game belongs, and the archive in the attic."""
        home, path, members = self._home(game), game.holding.path, self._inside(game)
        if home is None or path in self._rig.hidden or not all(_can_be_loose(one.member or "") for one in members):
            return None
        loose = tuple(Loose(owner=path, to=join(home, one.member or ""), holding=one) for one in members)
        places = {self._shelf.key(one.to) for one in loose}
        if len(places) < len(loose) or any(self._shelf.at(one.to) for one in loose):
            return None
        return SetRemedies(loose=loose, displaced=((path, path),))

    def _zipped(self, game: _Game) -> SetRemedies | None:
        """A loose game in a zip of its own, and the loose file in the attic."""
        home, path = self._home(game), game.holding.path
        if home is None or path.lower().endswith(_TRACK_LISTS) or game.holding.fixed:
            return None
        to = join(home, f"{game.stem}.zip")
        if self._shelf.at(to):
            return None
        member = Member(name=base(path), digests=game.holding.digests, holding=game.holding)
        return SetRemedies(packed=(Packed(owner=path, to=to, members=(member,)),), displaced=((path, path),))

    # What nothing is said of

    def _unread(self, folder: str, media: Media, games: list[_Game]) -> Iterator[GameFinding]:
        """Folders of titles in which nothing can be read."""
        titles: dict[str, list[_Game]] = {}
        for game in games if media.own_folder else ():
            if game.inner:
                titles.setdefault(game.inner[0], []).append(game)
        for title, files in titles.items():
            known = (*media.accepts, *(one.ending for one in media.refuses))
            names = [game.name for game in files]
            names += [(one.member or "").lower() for game in files for one in self._inside(game)]
            if not any(_ends(name, known) for name in names):
                file, facts = join(folder, title), (f.NothingReadable(media.accepts),)
                yield Finding(
                    subject=Game(rule="media", folder=folder, file=file), verdict=Verdict.MISSING, facts=facts
                )

    def _unlisted(self, fitted: Fitted, folder: str, media: Media, games: list[_Game]) -> Iterator[GameFinding]:
        """Endings that the sheet lists neither as readable nor as refused, each once; what is beside a list of tracks
        is its own business, as is what the sheet speaks of elsewhere."""
        known = (*media.accepts, *(one.ending for one in media.refuses), *SET_ENDINGS)
        tracks = {parent(game.holding.path) for game in games if _ends(game.name, _TRACK_LISTS)}
        patterns = [name.lower() for pair in fitted.sheet.pair for _, name in paired_names(fitted, pair)]
        named = {join(fitted.folders[need.folder], name) for need in fitted.needs for name in need.names}
        named |= {one.file for one in fitted.setting}
        endings: dict[str, list[str]] = {}
        for game in games:
            path = game.holding.path
            spoken_of = path in named or any(fnmatchcase(game.name, pattern) for pattern in patterns)
            if not (_ends(game.name, known) or spoken_of or parent(path) in tracks):
                endings.setdefault(_ending(game.name), []).append(path)
        for ending, paths in sorted(endings.items()):
            yield Finding(
                subject=Game(rule="media", folder=folder, file=paths[0]),
                verdict=Verdict.UNPROVEN,
                facts=(f.NotListed(len(paths), ending),),
                standing=standing(remark=True),
            )


def _remedy_of(verdict: Verdict) -> Remedy:
    return {Verdict.ASTRAY: Remedy.PLACE, Verdict.MISNAMED: Remedy.RENAME}.get(verdict, Remedy.REPLACE)


def _stem(path: str) -> str:
    return base(path).rpartition(".")[0] or base(path)


def _ends(name: str, endings: Iterable[str]) -> bool:
    return any(name.endswith(ending.lower()) for ending in endings)


def _any_ends(names: Iterable[str], ending: str) -> bool:
    return any(name.lower().endswith(ending) for name in names)


def _ending(name: str) -> str:
    return name[name.rfind(".") :] if "." in name[1:] else ""


def _can_be_loose(member: str) -> bool:
    """Whether a member of an archive can be a file of its own, and is no archive nor in one."""
    return not path_fault(member) and not any(_ends(part, SET_ENDINGS) for part in member.lower().split("/"))
