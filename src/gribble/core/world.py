"""The world as one command sees it: configuration, catalogue and survey brought together for the audit."""

from __future__ import annotations

import json
import shlex
from collections.abc import Callable, Iterable, Mapping
from fnmatch import fnmatch
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.arcade.choosing import ArcadeWorld, choose_roster
from gribble.core.arcade.discs import HEADER_BYTES, DiscHeader, read_header
from gribble.core.audit.audit import audit
from gribble.core.audit.findings import Finding, RigAudit, Verdict
from gribble.core.audit.keys import KeyFile, key_candidates, read_keys
from gribble.core.audit.readings import Readings
from gribble.core.audit.shelf import RigWorld, Shelf
from gribble.core.catalogue.config import Fitted, fit_sheet
from gribble.core.catalogue.records import Config, Installed, Need, Rig, Root
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.catalogue.tables import suggest
from gribble.core.diagnosis.diagnose import MAX_BYTES
from gribble.core.diagnosis.nearmisses import Key, Searcher, Wanted, key_of
from gribble.core.discs.check import Checked
from gribble.core.discs.looking import check_files, reader_below
from gribble.core.errors import ExitCode, GribbleError, reason_of
from gribble.core.matching import KnownContents
from gribble.core.paths import base, join, parent
from gribble.core.placing.volumes import folds_case, volume_of
from gribble.core.settings.values import MAX_BYTES as LARGEST_SETTINGS
from gribble.core.survey.archives.common import ArchiveError
from gribble.core.survey.archives.opening import member_blocks
from gribble.core.survey.survey import Ground, Holding, Survey, Surveyor
from gribble.core.survey.walking import Skipped


class Scope(Struct, frozen=True, kw_only=True):
    """What a command is about: rigs and emulators (none named: all), and what differs from the configuration.

    `sources` are further sources; `at` is where the one rig is today; `releases` overrides releases by emulator.
    """

    rigs: tuple[str, ...] = ()
    emulators: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    at: str | None = None
    releases: dict[str, str] = {}

    @property
    def words(self) -> str:
        """The scope as it is typed behind a command, with a blank in front; empty for everything."""
        words = [*self.emulators]
        for option, values in (("--rig", self.rigs), ("--from", self.sources), ("--at", (self.at,) if self.at else ())):
            words += [word for value in values for word in (option, shlex.quote(value))]
        return "".join(f" {word}" for word in words)


class World(Struct, frozen=True, kw_only=True):
    """Everything held, on rigs and in sources, and what was passed over."""

    rigs: tuple[RigWorld, ...]
    sources: tuple[Survey, ...]
    known: KnownContents
    regions: tuple[str, ...]
    passed_over: tuple[Skipped, ...]
    far: Mapping[str, Ground] = {}

    @property
    def source_holdings(self) -> list[Holding]:
        """What the sources hold."""
        return [holding for survey in self.sources for holding in survey.holdings]

    def audit(self, scope: Scope, *, games: bool = False, packing: bool = False) -> tuple[RigAudit, ...]:
        """The audit of the rigs and emulators in scope; what is wrong or missing is looked for among near misses.

        `packing` adds what would put sets right, which a plan wants to know.
        """
        holdings, readings = self.source_holdings, self.readings(games=games)
        audits = audit(self.rigs, holdings, self.known, self.regions, None, readings, games=games, packing=packing)
        wishes = [
            self._nearer(one) for rig, found in zip(self.rigs, audits, strict=True) for one in _wishes(rig, found)
        ]
        if wishes:
            near = self.searcher().search(wishes)
            audits = audit(self.rigs, holdings, self.known, self.regions, near, readings, games=games, packing=packing)
        return tuple(
            _narrow(found, scope)
            for rig, found in zip(self.rigs, audits, strict=True)
            if (not scope.rigs or rig.name in scope.rigs)
            and (not scope.emulators or any(one.emulator in scope.emulators for one in rig.emulators))
        )

    def readings(self, *, games: bool = False) -> Readings:
        """The contents that an audit has to know: key files, settings files and, for game folders, ids."""
        holdings = [*(one for rig in self.rigs for one in rig.holdings), *self.source_holdings]
        return Readings(
            key_files=read_key_files([need for rig in self.rigs for need in _needs(rig)], holdings, self.read_whole),
            settings={place: data for rig in self.rigs if not rig.away for place, data in self._read_settings(rig)},
            ids={key: id_ for rig in self.rigs for key, id_ in self._read_ids(rig)} if games else {},
            discs=tuple(self._read_discs(holdings)),
            sheets={key: checked for rig in self.rigs for key, checked in self._read_sheets(rig)} if games else {},
        )

    def searcher(self, more: Iterable[Holding] = ()) -> Searcher:
        """What looks for near misses among everything held here, and `more`; on another machine only among what lies
        where it is wanted, which a wish names itself."""
        near = (rig for rig in self.rigs if rig.name not in self.far)
        holdings = [*more, *self.source_holdings, *(holding for rig in near for holding in rig.holdings)]
        return Searcher(holdings, lambda one: bool(self.known.matches(one.size, one.digests)), self.read_whole)

    def _nearer(self, wish: Wanted) -> Wanted:
        """A wish whose suspects on another machine are not fetched where it is known already what they are."""
        unknown = (one for one in wish.suspects if not self.known.matches(one.size, one.digests))
        return msgspec.structs.replace(wish, suspects=tuple(unknown)) if wish.rig in self.far else wish

    def read_whole(self, holding: Holding) -> bytes | None:
        """A holding's content; None where it cannot be read, or is too large to be diagnosed."""
        if holding.size > MAX_BYTES:
            return None
        try:
            ground = self.far.get(holding.rig)
            place = ground.fetch(holding.path) if ground else holding.place
            if holding.member is not None:
                return b"".join(member_blocks(place, holding.member))
            return place.read_bytes()
        except (OSError, ArchiveError):
            return None

    def _part(self, holding: Holding, offset: int, length: int) -> bytes:
        """Some bytes of a loose file, fewer where it ends before. Raises OSError."""
        ground = self.far.get(holding.rig)
        reader = ground.part if ground else reader_below(Path(holding.root))
        return reader(holding.path, offset, length)

    def _read_settings(self, rig: RigWorld) -> Iterable[tuple[tuple[str, str], bytes | str]]:
        """The settings files of a rig's emulators by rig and path: what they hold, or why it cannot be had."""
        files = {setting.file for fitted in rig.emulators for setting in fitted.setting}
        shelf = Shelf(rig)
        for file in files:
            holding = shelf.at(file)
            if holding is None:
                yield (rig.name, file), rig.hidden.get(file, "is not there")
            elif holding.size > LARGEST_SETTINGS:
                yield (rig.name, file), f"is larger than {LARGEST_SETTINGS >> 20} MiB, which no settings file is"
            else:
                yield (rig.name, file), self.read_whole(holding) or "cannot be read, or is empty"

    def _read_ids(self, rig: RigWorld) -> Iterable[tuple[tuple[Key, int, int], str]]:
        """What the files of pairs say of themselves, where the pair's rule says so."""
        shelf = Shelf(rig)
        for fitted in rig.emulators:
            for pair in fitted.pair:
                places = {(at.offset, at.length) for at in (pair.id_at, pair.version_at) if at}
                for holding in shelf.below(fitted.folders[pair.folder]) if places else ():
                    if fnmatch(base(holding.path), pair.each):
                        for offset, length in places:
                            yield (key_of(holding), offset, length), self._read_id(holding, offset, length)

    def _read_id(self, holding: Holding, offset: int, length: int) -> str:
        """An id as ASCII, up to the first zero byte or the padding; empty where there is none."""
        try:
            return self._part(holding, offset, length).partition(b"\0")[0].decode("ascii").strip()
        except (OSError, UnicodeDecodeError):
            return ""

    def _read_discs(self, holdings: list[Holding]) -> Iterable[tuple[Holding, DiscHeader]]:
        """The headers of the disc images that are held, where a set could want one."""
        endings = {fitted.arcade.disc_ending for rig in self.rigs for fitted in rig.emulators if fitted.arcade}
        for holding in holdings:
            if holding.member is None and holding.path.endswith(tuple(endings)) and endings:
                try:
                    yield holding, read_header(self._part(holding, 0, HEADER_BYTES))
                except OSError as error:
                    yield holding, DiscHeader(fault=f"cannot be read: {reason_of(error)}")

    def _read_sheets(self, rig: RigWorld) -> Iterable[tuple[tuple[str, str], tuple[Checked, ...]]]:
        """The track sheets and images in a rig's game folders that do not hold."""
        shelf = Shelf(rig)
        for folder in sorted({fitted.folders[media.folder] for fitted in rig.emulators for media in fitted.media}):
            holdings = {one.path[len(folder) + bool(folder) :]: one for one in shelf.below(folder)}
            sizes = {path: one.size for path, one in holdings.items()}

            def read(path: str, offset: int, length: int, holdings: dict[str, Holding] = holdings) -> bytes:
                return self._part(holdings[path], offset, length)

            wrong = (one for one in check_files(sizes, read) if one.verdict in (Verdict.DAMAGED, Verdict.IMPOSTER))
            yield (rig.name, folder), tuple(wrong)


def read_key_files(
    needs: list[Need], holdings: list[Holding], read: Callable[[Holding], bytes | None]
) -> tuple[tuple[Holding, KeyFile], ...]:
    """Every holding that could be a key file for some needs, read; nearest first."""
    found = []
    for holding in key_candidates(needs, holdings, ""):
        data = read(holding)
        if data is not None:
            found.append((holding, read_keys(data)))
    return tuple(found)


def _needs(rig: RigWorld) -> list[Need]:
    return [need for fitted in rig.emulators for need in fitted.needs]


def _wishes(rig: RigWorld, found: RigAudit) -> Iterable[Wanted]:
    """The needs of a rig that are open as far as whole files go, with what lies at their places."""
    for fitted, emulator in zip(rig.emulators, found.emulators, strict=False):
        enough = {finding.need.choice for finding in emulator.findings if finding.in_place}
        for finding in emulator.findings:
            if finding.ignored or (finding.need.choice is not None and finding.need.choice in enough):
                continue
            yield from _wishes_of(rig, fitted, finding)


def _wishes_of(rig: RigWorld, fitted: Fitted, finding: Finding) -> Iterable[Wanted]:
    """One wish for a need; of a manifest one for each file that is wrong or missing."""
    parts = finding.need.parts()
    by_part = zip(parts, finding.places, strict=True) if finding.need.file else [(parts[0], None)]
    for part, one in by_part:
        places = (one,) if one else finding.places
        wrong = [place for place in places if place.verdict in (Verdict.IMPOSTER, Verdict.MISSING)]
        imposters = [place.found for place in wrong if place.found and place.verdict is Verdict.IMPOSTER]
        if wrong:
            yield Wanted(
                emulator=fitted.emulator,
                need=part,
                unlock=fitted.unlock,
                key_needs={need.id: need for need in fitted.needs},
                suspects=tuple(imposters),
                held=next((place.use for place in wrong if place.use and place.accept), None),
                rig=rig.name,
            )


def _narrow(found: RigAudit, scope: Scope) -> RigAudit:
    if not scope.emulators:
        return found
    kept = tuple(emulator for emulator in found.emulators if emulator.emulator in scope.emulators)
    return msgspec.structs.replace(found, emulators=kept)


class SeenRigs:
    """The roots at which rigs have been seen, so that an absent one is known to be away. Kept in a small file."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        try:
            self._roots = set(json.loads(path.read_text())) if path else set()
        except (OSError, ValueError, TypeError):
            self._roots = set()

    def __contains__(self, root: str) -> bool:
        return root in self._roots

    def note(self, root: str) -> None:
        """Remember a root that is there now; where that cannot be written, nothing is lost but this memory."""
        if root in self._roots or self._path is None:
            return
        self._roots.add(root)
        work = self._path.with_suffix(".part")
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            work.write_text(json.dumps(sorted(self._roots)))
            work.replace(self._path)
        except OSError:
            return


def check_scope(config: Config, scope: Scope) -> None:
    """Raise GribbleError where a scope names a rig or emulator that the configuration does not have."""
    emulators = sorted({name for rig in config.rig.values() for name in rig.emulators})
    for words, known, what in (
        (scope.rigs, list(config.rig), "rig"),
        (scope.emulators, emulators, "emulator on your rigs"),
        (tuple(scope.releases), emulators, "emulator on your rigs"),
    ):
        for word in words:
            if word in config.rig and word not in known:
                raise GribbleError(f"'{word}' is a rig, not an emulator", fix=f"Name it so: --rig {word}")
            if word not in known:
                raise GribbleError(
                    f"'{word}' is no {what}{suggest(word, known)}",
                    fix="The rigs and their emulators stand in gribble.toml.",
                )
    if scope.at is not None and len(scope.rigs or config.rig) != 1:
        raise GribbleError("--at says where one rig is today", fix="Name the rig too: --rig NAME.")


def look(
    config: Config,
    catalogue: Catalogue,
    scope: Scope,
    surveyor: Surveyor,
    seen: SeenRigs,
    far: Mapping[str, Ground] | None = None,
) -> World:
    """Survey every rig and source; `far` are the rigs on other machines. What cannot be read is passed over with a
    reason. Raises GribbleError."""
    known = KnownContents(catalogue.sheets.values())
    passed: list[Skipped] = []
    far = far or {}
    roots = {name: Path(rig_root(name, rig, scope)) for name, rig in config.rig.items() if name not in far}
    folders = frozenset(Path(source) for source in (*config.sources, *scope.sources))
    for name, root in roots.items():
        if root in folders:
            raise GribbleError(
                f"{root} is a source and rig {name} at once, but sources are never written",
                fix="Take it out of the sources; a rig's files are found anyway.",
            )
    fitted = {name: _fitted(rig, catalogue, scope) for name, rig in config.rig.items()}
    arcade = {name: _rosters(group, catalogue) for name, group in fitted.items()}
    rosters = [one.roster for group in arcade.values() for one in group.values() if one.roster]
    surveyor.want_sets(file for roster in rosters for one in roster.sets.values() for file in one.files)
    rigs = [
        msgspec.structs.replace(
            _look_far(name, far[name], rig, fitted[name], surveyor, passed, must=name in (scope.rigs or far))
            if name in far
            else _look_at_rig(name, roots[name], rig, fitted[name], folders, surveyor, seen, passed),
            arcade=arcade[name],
        )
        for name, rig in config.rig.items()
    ]
    sources = list(_look_at_sources((*config.sources, *scope.sources), set(roots.values()), surveyor, passed))
    return World(
        rigs=tuple(rigs),
        sources=tuple(sources),
        known=known,
        regions=config.regions,
        passed_over=tuple(passed),
        far=far,
    )


def rig_root(name: str, rig: Rig, scope: Scope) -> str:
    """Where a rig's root is today."""
    here = scope.at is not None and (not scope.rigs or name in scope.rigs)
    return scope.at if here and scope.at is not None else rig.at


def _rosters(group: tuple[Fitted, ...], catalogue: Catalogue) -> dict[str, ArcadeWorld]:
    """The roster of each arcade emulator among some."""
    return {
        one.emulator: choose_roster(catalogue.rosters.get(one.emulator, ()), one.release, one.order)
        for one in group
        if one.arcade is not None
    }


def refitted(world: World, config: Config, catalogue: Catalogue, scope: Scope) -> World:
    """The same holdings with the releases of another scope."""
    rigs = []
    for rig in world.rigs:
        group = _fitted(config.rig[rig.name], catalogue, scope)
        rigs.append(msgspec.structs.replace(rig, emulators=group, arcade=_rosters(group, catalogue)))
    return msgspec.structs.replace(world, rigs=tuple(rigs))


def _fitted(rig: Rig, catalogue: Catalogue, scope: Scope) -> tuple[Fitted, ...]:
    return tuple(
        fit_sheet(catalogue.sheets[name], _as_release(installed, scope.releases.get(name)))
        for name, installed in rig.emulators.items()
        if name in catalogue.sheets
    )


def _as_release(installed: Installed, release: str | None) -> Installed:
    return msgspec.structs.replace(installed, release=release) if release else installed


def _look_at_rig(
    name: str,
    root: Path,
    rig: Rig,
    fitted: tuple[Fitted, ...],
    sources: frozenset[Path],
    surveyor: Surveyor,
    seen: SeenRigs,
    passed: list[Skipped],
) -> RigWorld:
    if root.exists() and not root.is_dir():
        raise GribbleError(f"rig {name}: {root} is a file, not a folder", fix=f"Correct rig.{name}.at in gribble.toml.")
    if not root.exists():
        away = ""
        if str(root) in seen:
            away = f"{root} is not there now"
        elif not root.parent.is_dir():
            away = f"{root.parent} is not there: plug it in, or make the folder"
        return RigWorld(name=name, root=str(root), emulators=fitted, away=away, new=not away)
    try:
        survey = surveyor.survey(root, rig=name, leave_out=sources)
    except GribbleError as error:
        raise GribbleError(f"rig {name}: {error.what}", fix=error.fix, code=ExitCode.FAILED) from error
    seen.note(str(root))
    passed += [msgspec.structs.replace(skipped, path=f"{name}: {skipped.path}") for skipped in survey.skipped]
    volume, label = volume_of(root) if any(one.root != Root() for one in fitted) else ("", "")
    return RigWorld(
        name=name,
        root=str(root),
        emulators=fitted,
        holdings=survey.holdings,
        hidden={skipped.path: skipped.why for skipped in survey.skipped},
        folds_case=folds_case(rig.volume, root),
        seen_as=rig.seen_as or "",
        volume=volume if rig.volume == "auto" else rig.volume,
        label=rig.label or label,
    )


def _look_far(
    name: str,
    ground: Ground,
    rig: Rig,
    fitted: tuple[Fitted, ...],
    surveyor: Surveyor,
    passed: list[Skipped],
    *,
    must: bool,
) -> RigWorld:
    """A rig on another machine. One that is not reached, or is lost while it is looked at, is away; so is one that does
    not let us in, where nothing `must` be said of it."""
    survey, away, folds = Survey(ground.root, (), ()), "", False
    try:
        away = ground.away()
    except GribbleError as error:
        if must:
            raise
        away = error.what
    if not away:
        try:
            survey = surveyor.survey_far(ground, name, _sizeless_folders(fitted))
            folds = ground.folds_case(rig.volume)
        except GribbleError as error:
            away = error.what
    passed += [msgspec.structs.replace(skipped, path=f"{name}: {skipped.path}") for skipped in survey.skipped]
    return RigWorld(
        name=name,
        root=ground.root,
        emulators=fitted,
        holdings=survey.holdings,
        hidden={skipped.path: skipped.why for skipped in survey.skipped},
        folds_case=folds,
        away=away,
        seen_as=rig.seen_as or "",
        volume="" if rig.volume == "auto" else rig.volume,
        label=rig.label or "",
    )


def _sizeless_folders(fitted: tuple[Fitted, ...]) -> frozenset[str]:
    """The folders of needs whose contents are known by digests alone: there, any file could be one."""
    return frozenset(
        parent(join(one.folders[part.folder], part.name))
        for one in fitted
        for need in one.needs
        for part in need.parts()
        if part.folder is not None and any(known.size is None and known.strongest() for known in part.accept)
    )


def in_place(survey: Survey) -> list[Skipped]:
    """What a survey passed over, by absolute paths."""
    return [msgspec.structs.replace(skipped, path=str(Path(survey.root, skipped.path))) for skipped in survey.skipped]


def _look_at_sources(
    folders: Iterable[str], rigs: set[Path], surveyor: Surveyor, passed: list[Skipped]
) -> Iterable[Survey]:
    for folder in dict.fromkeys(folders):
        path = Path(folder)
        try:
            survey = surveyor.survey_file(path) if path.is_file() else surveyor.survey(path, leave_out=frozenset(rigs))
        except GribbleError as error:
            passed.append(Skipped(folder, f"this source is left out: {error.what}"))
            continue
        passed += in_place(survey)
        yield survey
