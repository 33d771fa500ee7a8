"""From configuration and catalogue to a world: rigs and sources surveyed, what is away or cannot be read told."""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Collection, Iterable, Iterator, Mapping
from itertools import chain
from pathlib import Path
from typing import NamedTuple

import msgspec

from gribble.core.audit.asked import rig_root
from gribble.core.audit.judging.serving import outlook
from gribble.core.audit.layout import without_moved
from gribble.core.audit.world import World
from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.base.names import is_trash
from gribble.core.base.paths import (
    MEMORY_FOLDER,
    is_link,
    leads_out,
    relative,
    run_of,
    same_place,
    spelling,
)
from gribble.core.catalogue.config import fit_sheet
from gribble.core.catalogue.families import SPECIAL, read_wishes
from gribble.core.catalogue.rosters import Load, choose_roster, load_roster
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.files.volumes import folds_case, volume_of
from gribble.core.records.config import Config, Installed, Rig, Scope, Source
from gribble.core.records.holding import Away, Skipped, Why
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigLinks, RigSeen, RigVolume, UnknownEmulator
from gribble.core.records.roster import ArcadeWorld
from gribble.core.records.sheet import Root
from gribble.core.survey.arriving import Ground
from gribble.core.survey.facts import Survey
from gribble.core.survey.holdings import HeldHere, as_on_disk
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.sources import SeenRigs, SeenSources, is_empty, why_away
from gribble.core.survey.survey import Surveyor
from gribble.core.survey.walking import Walk


class Reach(NamedTuple):
    """What a survey reaches beside the folders of a configuration: the memory of rigs and of sources seen before, the
    rigs on other machines, the folders of the attics, each by rig, this machine's variables, and what has the roster in
    a file."""

    seen: SeenRigs
    sources: SeenSources
    far: Mapping[str, Ground] = {}
    attics: Mapping[str, Path] = {}
    variables: Mapping[str, str] = {}
    load: Load = load_roster


def look(config: Config, catalogue: Catalogue, scope: Scope, surveyor: Surveyor, reach: Reach) -> World:
    """Survey every rig, source and attic. What cannot be read is passed over with a reason. Raises GribbleError."""
    fitted, arcade = {}, rosters_on(config, catalogue, scope, reach.load)
    for name in config.rig:
        fitted[name] = _wishing(fitted_on(config, name, catalogue, scope), arcade[name])
    rosters = {one.roster.path: one.roster for group in arcade.values() for one in group.values() if one.roster}
    surveyor.want_sets(size for roster in rosters.values() for size in roster.sets.sizes())
    looker = _Looker(config, scope, surveyor, reach)
    seen = (
        msgspec.structs.replace(
            looker.far_rig(name, fitted[name]) if name in reach.far else looker.rig(name, fitted[name]),
            arcade=arcade[name],
            unknown=unknown_on(config.rig[name], catalogue),
        )
        for name in config.rig
    )
    rigs = [without_moved(one, config.rig[one.name], catalogue.sheets) for one in seen]
    sources = tuple(looker.sources())
    reach.seen.note(*(Path(one.root) for one in rigs if not (one.away or one.new or one.name in reach.far)))
    reach.sources.note(*looker.sources_here)
    return World(
        rigs=tuple(rigs),
        sources=sources,
        away=tuple(looker.away),
        displaced=tuple(looker.attics()),
        known=KnownContents(catalogue.sheets.values()),
        passed_over=tuple(looker.passed),
        far=reach.far,
        load=reach.load,
    )


def rosters_on(
    config: Config, catalogue: Catalogue, scope: Scope, load: Load = load_roster
) -> dict[str, dict[str, ArcadeWorld]]:
    """The rosters of every rig's arcade emulators, by rig and emulator."""
    return {name: _rosters(fitted_on(config, name, catalogue, scope), catalogue, load) for name in config.rig}


def wishes_on(config: Config, rosters: Mapping[str, Mapping[str, ArcadeWorld]]) -> set[str]:
    """The names of all sets that are listed as wanted, by the rosters of `rosters_on`."""
    found = set[str]()
    for rig, group in rosters.items():
        for emulator, one in group.items():
            entries = config.rig[rig].emulators[emulator].wanted or ()
            found |= read_wishes(entries, one.roster.sets if one.roster else None).keys()
    return found - set(SPECIAL)


def _rosters(group: tuple[Fitted, ...], catalogue: Catalogue, load: Load) -> dict[str, ArcadeWorld]:
    """The roster of each arcade emulator among some."""
    return {
        one.emulator: choose_roster(catalogue.rosters.get(one.emulator, ()), one.release, one.sheet.order, load)
        for one in group
        if one.arcade is not None
    }


def _wishing(group: tuple[Fitted, ...], arcade: Mapping[str, ArcadeWorld]) -> tuple[Fitted, ...]:
    """The same with the lists of wanted sets as their names."""

    def named(one: Fitted) -> Fitted:
        roster = arcade[one.emulator].roster if one.emulator in arcade else None
        said = one.installed
        weights = read_wishes(said.wanted or (), roster.sets if roster else None)
        weights.update({name: said.weights[name] for name in said.weights.keys() & weights.keys()})
        installed = msgspec.structs.replace(said, wanted=tuple(weights), weights=weights)
        return msgspec.structs.replace(one, installed=installed)

    return tuple(one if one.installed.wanted in (None, ("all",), ("held",)) else named(one) for one in group)


def refitted(world: World, config: Config, catalogue: Catalogue, scope: Scope) -> World:
    """The same holdings with another catalogue, or the releases of another scope."""
    rigs = []
    for rig in world.rigs:
        group = fitted_on(config, rig.name, catalogue, scope)
        if rig.volume.folds_case:
            group = as_spelled(group, rig.folders)
        arcade = _rosters(group, catalogue, world.load)
        said = config.rig[rig.name]
        new = msgspec.structs.replace(
            rig, emulators=_wishing(group, arcade), arcade=arcade, unknown=unknown_on(said, catalogue)
        )
        rigs.append(without_moved(new, said, catalogue.sheets))
    return msgspec.structs.replace(world, rigs=tuple(rigs), known=KnownContents(catalogue.sheets.values()))


def fitted_on(config: Config, rig: str, catalogue: Catalogue, scope: Scope) -> tuple[Fitted, ...]:
    """The sheets of a rig's emulators, fitted to it."""
    return tuple(
        fit_sheet(catalogue.sheets[name], _as_release(one, scope.releases.get(name)), config.liking(one))
        for name, one in config.rig[rig].emulators.items()
        if name in catalogue.sheets
    )


def as_spelled(group: tuple[Fitted, ...], folders: Collection[str]) -> tuple[Fitted, ...]:
    """The sheets for a volume that folds case: their folders spelled as those that are there, so that what is placed
    comes to are beside what is there; but not where the device compares names exactly."""
    spelled = as_on_disk(folders)
    return tuple(
        one
        if one.root.exact_names
        else msgspec.structs.replace(one, folders={key: spelled(path) for key, path in one.folders.items()})
        for one in group
    )


def unknown_on(rig: Rig, catalogue: Catalogue) -> tuple[UnknownEmulator, ...]:
    """The emulators of a rig of which no sheet can be used."""
    return tuple(
        UnknownEmulator(name, installed.release, why, faulty=name in catalogue.faulty)
        for name, installed in rig.emulators.items()
        if (why := catalogue.why_unknown(name))
    )


def _as_release(installed: Installed, release: str | None) -> Installed:
    return msgspec.structs.replace(installed, release=release) if release else installed


def _is_odd(skipped: Skipped) -> bool:
    return skipped.kind is not Why.CONTENT and not skipped.member


def _below(folder: Path, root: Path) -> str:
    """The path of a folder below a root, whatever name leads there; empty if it is elsewhere."""
    place = Path(os.path.realpath(folder))
    for above in place.parents:
        if same_place(above, root):
            return place.relative_to(above).as_posix()
    return ""


def _unreadable(root: Path, survey: Survey, places: frozenset[str]) -> Iterable[Skipped]:
    """Files at needs' places that no digest has had to be computed of, and that could not be read either."""
    for holding in survey.holdings.opened:
        if holding.member is None and holding.path in places and not os.access(root / holding.path, os.R_OK):
            yield Skipped(holding.path, "cannot be read: permission denied", kind=Why.UNREAD)


def _sizeless_folders(fitted: tuple[Fitted, ...]) -> frozenset[str]:
    """The folders of needs whose contents are known by digests alone: there, any file could be one."""
    return frozenset(
        place.folder
        for one in fitted
        for place in chain.from_iterable(one.places.values())
        if any(known.size is None and known.strongest() for known in place.need.accept)
    )


def in_place(survey: Survey) -> list[Skipped]:
    """What a survey passed over, by absolute paths."""
    return [msgspec.structs.replace(skipped, path=str(Path(survey.root, skipped.path))) for skipped in survey.skipped]


def _inward(root: Path, links: Mapping[str, str]) -> dict[str, str]:
    """The links of a rig that stay in it, each with the path on the rig that it leads to."""
    real = os.path.realpath(root)
    return {path: relative(target, real) for path, target in links.items() if not leads_out(root, Path(target))}


def _glance(path: Path) -> tuple[os.stat_result | None, str]:
    """What the system says of a place; None if nothing is, and why where it cannot say (a mount that is dead)."""
    try:
        return os.stat(path), ""
    except (FileNotFoundError, NotADirectoryError):
        return None, ""
    except OSError as error:
        return None, f"{path} cannot be reached: {reason_of(error)}"


def _went(path: Path, status: os.stat_result | None) -> bool:
    """Whether a place has gone since it was looked at, or another volume is there."""
    now, _ = _glance(path)
    return status is not None and (now is None or now.st_dev != status.st_dev)


class _Looker:
    """Looks at rigs, sources and attics one by one; `passed` is what could not be looked into, and
    `sources_here` are the sources that are there."""

    def __init__(self, config: Config, scope: Scope, surveyor: Surveyor, reach: Reach) -> None:
        """Raises GribbleError if a source is a rig at once."""
        self._config, self._scope, self._surveyor, self._reach = config, scope, surveyor, reach
        self._roots = {
            name: Path(rig_root(name, rig, scope)) for name, rig in config.rig.items() if name not in reach.far
        }
        self._sources = frozenset(map(Path, (*config.source_folders, *scope.sources)))
        self.passed: list[Skipped] = []
        self.away: list[Away] = []
        self.sources_here: list[Source] = []
        for name, root in self._roots.items():
            if any(same_place(root, folder) for folder in self._sources):
                raise GribbleError(
                    f"{root} is both a source and rig {name}, but Gribble never writes to a source",
                    fix="Take it out of the sources; Gribble finds a rig's files anyway.",
                )

    def rig(self, name: str, fitted: tuple[Fitted, ...]) -> RigSeen:
        """A rig in a folder."""
        root, config = self._roots[name], self._config.rig[name]
        status, unreached = _glance(root)
        away = unreached or self._why_away(name, root, status)
        if away or status is None:
            return self._away(name, root, fitted, away)
        others = frozenset(other for key, other in self._roots.items() if key != name)
        places, folders = outlook(fitted)
        within = {path: str(one) for one in self._sources if (path := _below(one, root))}
        way = Walk(leave_out=others, through=places, all_through=folders, fixed=self._sources)
        try:
            survey = self._surveyor.survey(root, rig=name, way=way)
        except GribbleError as error:
            away = f"{root} is no longer there" if _went(root, status) else error.what
            return self._away(name, root, fitted, away)
        if _went(root, status):
            return self._away(name, root, fitted, f"{root} went away while Gribble looked at it")
        kind, label = volume_of(root) if any(one.root != Root() for one in fitted) else ("", "")
        volume = RigVolume(kind=kind, label=label, folds_case=folds_case(config.volume, root))
        seen = self._seen(name, survey, fitted, volume)
        inward = _inward(root, survey.links)
        outward = {path: target for path, target in survey.links.items() if path not in inward}
        unreadable = {one.path: one for one in _unreadable(root, survey, places) if _is_odd(one)}
        return msgspec.structs.replace(
            seen,
            root=str(root),
            odd={**seen.odd, **unreadable},
            links=RigLinks(inward=inward, outward=outward, sources=within),
            variables=self._reach.variables,
        )

    def _seen(self, name: str, survey: Survey, fitted: tuple[Fitted, ...], volume: RigVolume) -> RigSeen:
        """A rig as a survey met it, on a volume of which what gribble.toml says counts before what is found out."""
        config = self._config.rig[name]
        kind = volume.kind if config.volume == "auto" else config.volume
        self.passed += [msgspec.structs.replace(one, path=f"{name}: {one.path}") for one in survey.skipped]
        return RigSeen(
            name=name,
            root=survey.root,
            emulators=as_spelled(fitted, survey.folders) if volume.folds_case else fitted,
            holdings=survey.holdings,
            hidden={skipped.path: skipped.why for skipped in survey.skipped},
            odd={one.path: one for one in survey.skipped if _is_odd(one)},
            folders=survey.folders,
            seen_as=config.seen_as or "",
            volume=msgspec.structs.replace(volume, kind=kind, label=config.label or volume.label),
        )

    def _why_away(self, name: str, root: Path, status: os.stat_result | None) -> str:
        """Why a rig is away, by what is at its place; empty if it is there, or is still to be made."""
        if status is None and str(root) in self._reach.seen:
            return f"{root} is not there now"
        if status is None and not os.path.isdir(root.parent):
            return f"{root.parent} is not there: plug it in, or make the folder"
        if status is None:
            return self._reach.seen.why_slip(name, root)
        if not stat.S_ISDIR(status.st_mode):
            return f"{root} is a file, not a folder; correct rig.{name}.at in gribble.toml"
        return self._reach.seen.why_other(name, root)

    def _away(self, name: str, root: Path, fitted: tuple[Fitted, ...], away: str) -> RigSeen:
        """A rig of which nothing can be said: it is away, for a reason, or its folder is still to be made."""
        return RigSeen(name=name, root=str(root), emulators=fitted, holdings=HeldHere(), away=away, new=not away)

    def far_rig(self, name: str, fitted: tuple[Fitted, ...]) -> RigSeen:
        """A rig on another machine. One that is not reached, or is lost while it is looked at, is away; so is one that
        does not let us in, where the command is not about it."""
        ground, config = self._reach.far[name], self._config.rig[name]
        survey, away, folds = Survey(ground.root, HeldHere(), ()), "", False
        try:
            away = ground.away()
        except GribbleError as error:
            if name in self._scope.rigs:
                raise
            away = f"{error.what.removeprefix(f'rig {name}: ')} ({error.fix.rstrip('.')})"
        if not away:
            try:
                survey = self._surveyor.survey_far(ground, name, _sizeless_folders(fitted))
                folds = ground.folds_case(config.volume)
            except GribbleError as error:
                away = error.what
        seen = self._seen(name, survey, fitted, RigVolume(folds_case=folds))
        return msgspec.structs.replace(seen, root=ground.root, away=away)

    def sources(self) -> Iterator[Survey]:
        """Every source that is here; of those that are not, `away` has what the index knows."""
        more = (Source(at=place) for place in self._scope.sources)
        for source in {one.at: one for one in (*more, *self._config.sources)}.values():
            known, emptied = self._surveyor.knows(source.known_at), False
            if why := why_away(source, self._reach.sources, held=known):
                with contextlib.suppress(OSError):
                    emptied = is_empty(source.at)
                self._note_away(source, why, emptied=emptied)
                continue
            path = Path(source.at)
            status, _ = _glance(path)
            try:
                way = Walk(leave_out=frozenset(self._roots.values()))
                lone = status is not None and stat.S_ISREG(status.st_mode)
                survey = (
                    self._surveyor.survey_file(path)
                    if lone
                    else self._surveyor.survey(path, way=way, kept=source.known_at)
                )
            except GribbleError as error:
                if _went(path, status):
                    self._note_away(source, error.what)
                else:
                    self.passed.append(Skipped(source.at, f"this source is left out: {error.what}"))
                continue
            if _went(path, status):
                self._note_away(source, f"{path} went away while Gribble looked at it")
                continue
            self.passed += in_place(survey)
            self.sources_here.append(source)
            yield survey

    def _note_away(self, source: Source, why: str, *, emptied: bool = False) -> None:
        """A source that is away, with what the index knows of it."""
        rigs = [spelling(root) for root in self._roots.values()]

        def leaves_out(folder: str) -> bool:
            parts = folder.split("/")
            here = spelling(Path(source.known_at, folder))
            inside = any(here == root or here.startswith(f"{root}{os.sep}") for root in rigs)
            return inside or MEMORY_FOLDER in parts or any(map(is_trash, parts))

        held = self._surveyor.remembered(source.known_at, leaves_out).holdings
        self.away.append(
            Away(
                source=source.called,
                at=source.known_at,
                why=why,
                since=self._reach.sources.since(source),
                holdings=held,
                files=sum(one.member is None for one in held.opened),
                emptied=emptied,
            )
        )

    def attics(self) -> Iterator[Survey]:
        """What runs have displaced is held, too. Nothing is followed there: an attic that is a link is none of ours."""
        for attic in self._reach.attics.values():
            if not os.path.isdir(attic) or is_link(attic) or is_link(attic.parent):
                continue
            try:
                survey = self._surveyor.survey(attic)
            except GribbleError:
                continue
            holdings = HeldHere(
                msgspec.structs.replace(holding, attic=run)
                for holding in survey.holdings
                if (run := run_of(holding.path))
            )
            yield msgspec.structs.replace(survey, holdings=holdings, skipped=())
