"""What a command starts from: the configuration it found, the catalogue, the index, and the world they show."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from pathlib import Path
from types import TracebackType

import msgspec

from gribble.core.audit.looking import SeenRigs, in_place, look, refitted
from gribble.core.audit.scope import Scope, check_scope, rig_root
from gribble.core.audit.world import World
from gribble.core.base.addresses import parse_address
from gribble.core.base.errors import ExitCode, GribbleError, MistakesError
from gribble.core.base.paths import MEMORY_FOLDER, lies_in
from gribble.core.catalogue.config import check_against, load_config
from gribble.core.catalogue.sheets import Catalogue, load_catalogue
from gribble.core.placing.journal import Run, Seal
from gribble.core.records.config import Config
from gribble.core.records.findings import RigAudit, State, worst
from gribble.core.records.holding import Skipped
from gribble.core.records.plan import Plan, Refused
from gribble.core.records.sheet import Sheet
from gribble.core.survey.index import Index
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.survey import Survey, Surveyor
from gribble.stores.ground import RemoteGround
from gribble.stores.local import OWN_FOLDER, PRIVATE
from gribble.stores.opening import network_rig
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import AnyPlace, Mark, RigHome, local_rig
from gribble.stores.secret import secret_in
from gribble.views.looks import count, shorten, size
from gribble.views.progress import Bar
from gribble.views.screen import Screen

CONFIG_NAME = "gribble.toml"
ROSTER_FAULTS_SHOWN = 5
NUMBERING_SECONDS = 10
"""How long another Gribble may take to begin a run."""
MOST_PASSED_OVER = 5
"""How many files that cannot be looked into are named where one of them may be why something lacks."""


def find_config(given: str | None) -> Path | None:
    """gribble.toml by `--config`, `$GRIBBLE_CONFIG`, the working folder upwards, then the user's config folder."""
    named = given or os.environ.get("GRIBBLE_CONFIG")
    if named:
        path = Path(named).absolute()
        return path / CONFIG_NAME if path.is_dir() else path
    here = Path.cwd()
    for folder in (here, *here.parents):
        if (folder / CONFIG_NAME).is_file():
            return folder / CONFIG_NAME
    from platformdirs import user_config_path

    path = user_config_path("gribble") / CONFIG_NAME
    return path if path.is_file() else None


def require_config(given: str | None, fix: str = "") -> Path:
    """The same, or GribbleError with what to do."""
    path = find_config(given)
    if path is None:
        raise GribbleError(
            "no gribble.toml here or in any folder above",
            fix=fix or "gribble init writes one from what is on disk; gribble demo shows the job on made-up files.",
        )
    return path


def catalogue_folders(given: str | None) -> list[Path]:
    """The catalogue folders of the configuration, whatever is in them. Raises GribbleError without one."""
    path = require_config(given, "Name the catalogue's folder or files.")
    folders = [Path(folder) for folder in load_config(path, Path.home()).catalogues]
    if not folders:
        raise GribbleError("gribble.toml names no catalogue folder", fix='Give it one: catalogues = ["catalogue"].')
    return folders


def refuse_source(config: Config, target: Path, option: str) -> None:
    """Raise GribbleError where something is to be written into a source, under whatever name."""
    if lies_in(target, map(Path, config.sources)):
        raise GribbleError(
            f"{shorten(str(target))} lies in a source, and sources are never written",
            fix=f"Name another: {option}.",
        )


def refuse_any_source(target: Path, option: str) -> None:
    """The same for a command that needs no configuration: where there is one, its sources are not written either."""
    path = find_config(None)
    if path is not None:
        refuse_source(load_config(path, Path.home()), target, option)


class Session:
    """One command's run: loads on creation, surveys on `look`, and tells at its end what was passed over."""

    def __init__(
        self, given: str | None, *, strict: bool = False, lenient: bool = False, catalogue: Iterable[str] = ()
    ) -> None:
        """`strict` refuses to go on with a catalogue that has mistakes, `lenient` goes on whatever it has and tells
        nothing of it; `catalogue` folders need no configuration."""
        self.screen = Screen()
        self._asides: list[str] = []
        self.config = Config()
        self.path = None if catalogue and not given else require_config(given)
        if self.path is not None:
            self.config = load_config(self.path, Path.home())
        folders = [Path(folder).absolute() for folder in catalogue] or [Path(f) for f in self.config.catalogues]
        self.catalogue: Catalogue = load_catalogue(folders)
        self.known = KnownContents(self.catalogue.sheets.values())
        self.memory = self._memory_folder()
        self.trust_size = False
        self._network: dict[str, RigHome] = {}
        self._far: dict[str, RemoteGround] = {}
        self._marks: dict[str, Mark] = {}
        if not lenient:
            self._check(strict)

    def __enter__(self) -> Session:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Take leave of the network rigs, and tell what was noted beside the result, after it."""
        if isinstance(error, GribbleError) and error.code is ExitCode.USAGE:
            self.hush()  # what was passed over is no part of why the command line was wrong
        self.close()

    def close(self) -> None:
        """The same, for a session that is no block."""
        self._note_fetched()
        for rig in self._network.values():
            if rig.remote:
                rig.remote.close()
        sys.stdout.flush()
        if self._asides:
            self.screen.tell("")
        for line in self._asides:
            self.screen.tell(line)
        self._asides.clear()

    def _memory_folder(self) -> Path | None:
        """Where the index lives: `$GRIBBLE_HOME`, or `.gribble` beside gribble.toml."""
        home = os.environ.get("GRIBBLE_HOME")
        if home:
            return Path(home).absolute()
        return self.path.parent / MEMORY_FOLDER if self.path else None

    def _check(self, strict: bool) -> None:
        mistakes = check_against(self.config, self.catalogue, str(self.path))
        if mistakes or (strict and self.catalogue.mistakes):
            raise MistakesError([*self.catalogue.mistakes, *mistakes])
        for mistake in self.catalogue.mistakes:
            self.screen.tell(str(mistake))
        if self.catalogue.mistakes:
            self.screen.tell(
                f"gribble: {count(len(self.catalogue.mistakes), 'mistake')} in the catalogue; "
                "those sheets are left out, the rest goes on"
            )

    def surveyor(self, index: Index, bar: Bar, *, reread: bool = False, more: Iterable[Sheet] = ()) -> Surveyor:
        """A surveyor that looks for what this session's sheets know, and `more` sheets."""
        known = KnownContents([*self.catalogue.sheets.values(), *more]) if more else self.known
        return Surveyor(known, index, listener=bar, reread=reread)

    def open_index(self) -> Index:
        """The index, in memory only where there is no configuration to keep it beside."""
        return Index(self.memory / "index.sqlite" if self.memory else None)

    def look(
        self,
        scope: Scope,
        *,
        reread: bool = False,
        verbose: bool = False,
        told: int = 0,
        catalogue: Catalogue | None = None,
    ) -> World:
        """Survey the world, with another catalogue if need be.

        What was passed over is told on standard error: all of it if `verbose`, else as many as `told`, and how many
        others there are.
        """
        check_scope(self.config, scope)
        if self.path is not None and not any(rig.emulators for rig in self.config.rig.values()):
            self.aside(
                "note: no rig in gribble.toml has an emulator yet, so nothing is wanted; gribble doctor says more"
            )
        self.tell_open_runs(scope)
        self._marks = {rig.name: rig.mark() for rig in self.rigs(scope)}
        index = self.open_index()
        try:
            with Bar(self.screen.err, "Surveying") as bar:
                more = catalogue.sheets.values() if catalogue else ()
                surveyor = self.surveyor(index, bar, reread=reread, more=more)
                far = self.grounds(scope)
                attics = self.attics(scope)
                world = look(self.config, catalogue or self.catalogue, scope, surveyor, self.seen(), far, attics)
        finally:
            index.close()
        self._tell_passed_over(world.passed_over, None if verbose else told)
        if verbose:
            for found in world.rigs:
                self._asides += [
                    f"{found.name}: {path} is a link, read through: {where}"
                    for path, where in found.read_through.items()
                ]
        faults = [str(one) for rig in world.rigs for arcade in rig.arcade.values() for one in arcade.mistakes]
        self._asides += dict.fromkeys(faults[:ROSTER_FAULTS_SHOWN])
        self._note_cost(index, surveyor, verbose)
        return world

    def as_installed(self, world: World, scope: Scope) -> World:
        """The same world with the releases that are really installed."""
        return refitted(world, self.config, self.catalogue, msgspec.structs.replace(scope, releases={}))

    def look_at(self, paths: list[str], *, verbose: bool = False) -> tuple[World, list[Survey]]:
        """The world, and surveys of some files, archives or folders; a named file is read whole."""
        index = self.open_index()
        try:
            with Bar(self.screen.err, "Surveying") as bar:
                surveyor = self.surveyor(index, bar)
                far, attics = self.grounds(Scope()), self.attics(Scope())
                world = look(self.config, self.catalogue, Scope(), surveyor, self.seen(), far, attics)
                surveys = [_survey_path(Path(path).absolute(), surveyor) for path in paths]
        finally:
            index.close()
        for survey in surveys:
            self._tell_passed_over(in_place(survey), None)
        self._note_cost(index, surveyor, verbose)
        return world, surveys

    def _note_cost(self, index: Index, surveyor: Surveyor, verbose: bool) -> None:
        if index.note:
            self._asides.append(f"note: {index.note}")
        if verbose:
            tally = surveyor.tally
            self._asides.append(
                f"surveyed {count(tally.files, 'file')}: {tally.opened:,} opened, {size(tally.bytes_read)} read"
            )

    def _note_fetched(self) -> None:
        """Say what was fetched from rigs on other machines."""
        for name, ground in self._far.items():
            if ground.listed:
                read = f"{size(ground.received)} read" if ground.received else "nothing read"
                self._asides.append(f"{name}: {count(ground.listed, 'file')} listed over the network, {read}")

    def _tell_passed_over(self, passed: Iterable[Skipped], told: int | None) -> None:
        passed = list(passed)
        named = passed if told is None else passed[:told]
        for skipped in named:
            where = shorten(skipped.path) + (f": {skipped.member}" if skipped.member else "")
            self._asides.append(f"passed over {where}: {skipped.why}")
        if rest := len(passed) - len(named):
            what = f"{rest:,} more" if named else count(rest, "file")
            self._asides.append(f"passed over {what} that cannot be looked into; gribble check -v says which")

    def refuse_source(self, target: Path, option: str) -> None:
        """Raise GribbleError where something is to be written into a source."""
        refuse_source(self.config, target, option)

    @cached_property
    def seal(self) -> Seal:
        """What signs the journals of this user's runs."""

        def secret() -> bytes:
            from platformdirs import user_data_path

            return secret_in(user_data_path("gribble"))

        return Seal(secret)

    def seen(self) -> SeenRigs:
        """The memory of rigs seen before."""
        return SeenRigs(self.memory / "seen.json" if self.memory else None)

    def rigs(self, scope: Scope) -> list[RigHome]:
        """The rigs in scope: those in folders that are there now, and those on other machines, there or not."""
        check_scope(self.config, scope)
        names = [name for name in self.config.rig if not scope.rigs or name in scope.rigs]
        rigs = (self._rig(name, scope) for name in names)
        return [rig for rig in rigs if rig.remote or Path(rig.root).is_dir()]

    def attics(self, scope: Scope) -> dict[str, Path]:
        """The attics of all rigs, whatever the command is about: what runs have displaced is held."""
        return {name: self._rig(name, scope).attic for name in self.config.rig}

    def _rig(self, name: str, scope: Scope) -> RigHome:
        rig = self.config.rig[name]
        at = rig_root(name, rig, scope)
        if "://" not in at:
            return local_rig(name, Path(at), rig.volume, self.seal, (*self.config.sources, *scope.sources))
        if name not in self._network:
            assert self.memory is not None  # an address stands in gribble.toml, so there is one
            home = self.memory / "rigs" / name
            self._network[name] = network_rig(
                name, rig, at, home, self._prompt(name, scope), self.seal, trust_size=self.trust_size
            )
        return self._network[name]

    def _prompt(self, name: str, scope: Scope) -> Callable[[str], str | None]:
        """How a password is asked for: at a terminal, and only for a rig that the command is about."""

        def ask(question: str) -> str | None:
            if not sys.stdin.isatty() or (scope.rigs and name not in scope.rigs):
                return None
            from getpass import getpass

            return getpass(question)

        return ask

    def mark(self, rig: RigHome) -> Mark:
        """How far a rig's journals had come when it was last looked at, or have now."""
        return self._marks[rig.name] if rig.name in self._marks else rig.mark()

    @contextlib.contextmanager
    def numbering(self) -> Iterator[None]:
        """Keep every other Gribble that starts from this configuration from taking the same run number."""
        from filelock import FileLock

        lock = None
        if self.memory is not None:
            with contextlib.suppress(OSError):
                self.memory.mkdir(parents=True, exist_ok=True, mode=OWN_FOLDER)
                lock = FileLock(self.memory / "numbering.lock", mode=PRIVATE)
                lock.acquire(timeout=NUMBERING_SECONDS)
        try:
            yield
        finally:
            if lock is not None:
                lock.release()

    def grounds(self, scope: Scope) -> dict[str, RemoteGround]:
        """The rigs on other machines, as a survey needs them."""
        for name, rig in self.config.rig.items():
            home = self._rig(name, scope) if "://" in rig_root(name, rig, scope) else None
            if home and home.remote and name not in self._far:
                others = [rig_root(key, other, scope) for key, other in self.config.rig.items() if key != name]
                self._far[name] = RemoteGround(home, home.remote, others)
        return self._far

    def elsewhere(self, run: Run | None = None, rig: RigHome | None = None) -> AnyPlace:
        """The files outside a rig that its steps may take; for an adopted run only sources and the rig's own attic."""

        def stores() -> dict[str, RemoteStore]:
            rigs = (self._rig(name, Scope()) for name, rig in self.config.rig.items() if rig.far)
            return {rig.root: rig.remote for rig in rigs if rig.remote}

        if run is None or not run.adopted:
            return AnyPlace(stores)
        return AnyPlace(dict, [*map(Path, self.config.sources), *([rig.attic] if rig else [])])

    def reachable(self, plan: Plan, scope: Scope) -> Plan:
        """The steps of a plan on the rigs in scope that are there; those of the others are refused."""
        wanted = {step.rig for step in plan.steps}
        here = {rig.name for rig in self.rigs(scope) if rig.name in wanted and not rig.away()}
        steps = [step for step in plan.steps if not scope.rigs or step.rig in scope.rigs]
        away = [
            Refused(rig=step.rig, emulator=step.emulator, need=step.need, reason=f"{step.rig} is not there now")
            for step in steps
            if step.rig not in here
        ]
        return Plan(steps=tuple(step for step in steps if step.rig in here), refused=(*plan.refused, *away))

    def hush(self) -> None:
        """Tell nothing beside the result."""
        self._asides.clear()
        self._far.clear()

    def aside(self, line: str) -> None:
        """Note something to be told after the result, on standard error."""
        self._asides.append(line)

    def volume(self, name: str, root: str) -> str:
        """The kind of volume that a rig lies on, as configured, else as it is found; empty where that is unknown."""
        from gribble.core.files.volumes import volume_of

        configured = self.config.rig[name].volume
        if configured != "auto":
            return configured
        return "" if "://" in root else volume_of(Path(root))[0]

    def volumes(self, audits: Iterable[RigAudit]) -> dict[str, str]:
        """The kinds of volume of some rigs."""
        return {found.rig: self.volume(found.rig, found.root) for found in audits if not found.away}

    def tell_open_runs(self, scope: Scope) -> None:
        """Say which rigs have a run that was cut short."""
        for rig in self.rigs(scope):
            for run in rig.open_runs():
                what = "undo of run" if run.undoing else "run"
                if run.foreign:
                    self.screen.tell(
                        f"note: {what} {run.number} on {rig.name} is open, and left alone: {run.foreign}; "
                        f"gribble history --adopt {run.number} shows it"
                    )
                    continue
                if rig.busy():
                    self.screen.tell(f"note: {what} {run.number} on {rig.name} is under way")
                    continue
                self.screen.tell(
                    f"note: {what} {run.number} on {rig.name} was cut short; "
                    "gribble place --resume finishes it, gribble undo takes it back"
                )

    def ended(self, states: Iterable[State]) -> int:
        """The exit status for some states: an error in the catalogue first, then a rig away, then attention."""
        states = list(states)
        if self.catalogue.mistakes:
            return ExitCode.USAGE
        if worst(states) in (State.LIMITED, State.BLOCKED):
            return ExitCode.ATTENTION
        return ExitCode.FAILED if State.AWAY in states else ExitCode.CLEAN


def _survey_path(path: Path, surveyor: Surveyor) -> Survey:
    return surveyor.survey(path) if path.is_dir() else surveyor.survey_file(path, everything=True)


def _place_today(at: str) -> str:
    """Where a rig is today: a folder made absolute, or an address. Raises GribbleError."""
    if "://" not in at:
        return str(Path(at).absolute())
    try:
        return str(parse_address(at))
    except ValueError as error:
        raise GribbleError(f"--at {error}", fix="For example: --at ftp://ada@driftwood.local:2121/data") from None


def scope_of(
    rigs: list[str] | None = None,
    emulators: list[str] | None = None,
    sources: list[str] | None = None,
    at: str | None = None,
    releases: list[str] | None = None,
) -> Scope:
    """The scope from a command's options. Raises GribbleError for a release that is not EMULATOR=RELEASE."""
    pairs = {}
    for text in releases or ():
        emulator, equals, release = text.partition("=")
        if not equals and emulators and len(emulators) == 1:
            emulator, release = emulators[0], text  # gribble check sandpiper --as 3.2
        if not (emulator and release):
            raise GribbleError(f"--as {text} is not EMULATOR=RELEASE", fix="For example: --as sandpiper=3.2")
        pairs[emulator] = release
    return Scope(
        rigs=tuple(rigs or ()),
        emulators=tuple(emulators or ()),
        sources=tuple(str(Path(source).absolute()) for source in sources or ()),
        at=_place_today(at) if at else None,
        releases=pairs,
    )
