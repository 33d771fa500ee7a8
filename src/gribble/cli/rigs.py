"""The rigs of a configuration: their homes here, their links to elsewhere, and who is asked for passwords."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Collection, Iterable, Iterator
from functools import cached_property
from getpass import getpass
from pathlib import Path

from msgspec import structs
from platformdirs import user_data_path

from gribble.cli.command import Call
from gribble.cli.loaded import Loaded
from gribble.core.audit.asked import check_scope, rig_root
from gribble.core.base.amounts import count, size
from gribble.core.base.filewriter import BusyError, file_lock
from gribble.core.base.paths import same_place
from gribble.core.files.volumes import volume_of
from gribble.core.placing.journal import Run, Seal
from gribble.core.placing.planfile import guarded
from gribble.core.placing.store import StoreError
from gribble.core.records.config import Scope
from gribble.core.records.findings import RigAudit
from gribble.core.records.steps import Plan, Refused
from gribble.core.survey.sources import SeenRigs
from gribble.stores.ground import RemoteGround
from gribble.stores.local import OWN_FOLDER
from gribble.stores.opening import Access, kept_folder, network_rig, secret_in, variable_of
from gribble.stores.remote import RemoteStore
from gribble.stores.rigs import AnyPlace, Mark, RigHome, local_rig

NUMBERING_SECONDS = 10
"""How long another Gribble may take to begin a run."""
MUCH = 1 << 20
"""Bytes that are told when they were fetched from a rig of which nothing was asked."""


OWN_SUFFIXES = (".toml", ".sha256", ".sha1", ".md5", ".sfv")
"""Endings of the files of a catalogue, beside sheets and rosters."""


def _is_folder(rig: RigHome, path: str) -> bool:
    return path not in rig.store.missing_folders(f"{path}/x")


class Rigs:
    """Opens the rigs of a configuration, and keeps what is open."""

    def __init__(self, call: Call, loaded: Loaded, needed: Callable[[str], bool] = lambda _name: True) -> None:
        """`needed` tells whether the answer needs a rig: nobody is asked for the password of another one."""
        self._call, self._needed = call, needed
        self._more = call.scope.sources
        self._config, self._memory, self._path = loaded.config, loaded.memory, loaded.path
        self._network: dict[str, RigHome] = {}
        self._far: dict[str, RemoteGround] = {}
        self._marks: dict[str, Mark] = {}
        roots = (rig.at for rig in loaded.config.rig.values() if not rig.far)
        others = loaded.config.source_folders
        self.seen = SeenRigs(loaded.memory / "seen.json" if loaded.memory else None, roots, others)
        self.trust_size = False
        """Whether only the size of what is sent to a network rig is compared."""
        self.hidden = False
        """Whether the user has said that hidden places may be written."""

    @cached_property
    def seal(self) -> Seal:
        """What signs the journals of this user's runs."""
        return Seal(lambda: secret_in(user_data_path("gribble")))

    def in_scope(self, scope: Scope) -> list[RigHome]:
        """The rigs in scope: those in folders that are there now, and those on other machines, there or not."""
        check_scope(self._config, scope)
        names = [name for name in self._config.rig if not scope.rigs or name in scope.rigs]
        rigs = (self._home(name, scope) for name in names)
        return [rig for rig in rigs if rig.remote or not rig.away()]

    def left_out(self, scope: Scope) -> Iterator[str]:
        """The rigs in folders that are in scope and away, each with the reason, in words."""
        for name, rig in self._config.rig.items():
            if (not scope.rigs or name in scope.rigs) and "://" not in rig_root(name, rig, scope):
                why = self._home(name, scope).away()
                yield from [f"{name} is left out: {why}"] if why else []

    def away_with_runs(self, scope: Scope) -> dict[str, str]:
        """The rigs in scope that were here before and are away now, each with the reason: their runs are on them."""
        found = {}
        for name, rig in self._config.rig.items():
            root = rig_root(name, rig, scope)
            here_before = "://" not in root and root in self.seen and (not scope.rigs or name in scope.rigs)
            if here_before and (why := self._home(name, scope).away()):
                found[name] = why
        return found

    def accept(self, name: str) -> None:
        """Take what is at a rig's root for the rig, whatever was there before. Raises GribbleError."""
        check_scope(self._config, Scope(rigs=(name,)))
        if not self._config.rig[name].far:
            self.seen.note(Path(self._config.rig[name].at))

    def why_away(self, name: str) -> str:
        """Why a rig is not there; empty if it is."""
        return self._home(name, Scope()).away()

    def attics(self, scope: Scope) -> dict[str, Path]:
        """The attics of all rigs, whatever the command is about: what runs have displaced is held. Where another volume
        is in a rig's place, its attic is none of ours."""
        homes = {name: self._home(name, scope) for name in self._config.rig}
        return {name: home.attic for name, home in homes.items() if home.remote or not home.away()}

    def _home(self, name: str, scope: Scope) -> RigHome:
        rig = self._config.rig[name]
        at = rig_root(name, rig, scope)
        if "://" not in at:
            sources = (*self._config.source_folders, *scope.sources)
            return local_rig(name, Path(at), rig.volume, self.seal, sources, self.seen)
        if name not in self._network:
            assert self._memory is not None  # an address is in gribble.toml, so there is one
            access = Access(self._prompt(name), self._call.environment.env, self.trust_size)
            self._network[name] = network_rig(name, rig, at, kept_folder(self._memory, name), access, self.seal)
        return self._network[name]

    def _prompt(self, name: str) -> Callable[[str], str | None]:
        """How a password is asked for: at a terminal, and only for a rig that the answer needs."""

        def ask(question: str) -> str | None:
            if not self._call.environment.is_terminal or not self._needed(name):
                return None
            screen = self._call.screen
            screen.activity.rest()  # which would be drawn over the question
            others = "" if name in self._call.scope.rigs else ", and --rig OTHER looks at other rigs only"
            screen.tell(
                f"{name} needs a password. Press Enter to go on without {name}. So that Gribble does not ask: "
                f"set {variable_of(name)}, or write the password into netrc{others}."
            )
            try:
                return getpass(question) or None
            except EOFError:
                return None
            finally:
                screen.activity.begin("Working")

        return ask

    def mark_all(self, scope: Scope) -> None:
        """Note how far the journals of the rigs in scope have come."""
        self._marks = {rig.name: rig.mark() for rig in self.in_scope(scope)}

    def mark(self, rig: RigHome) -> Mark:
        """How far a rig's journals had come when it was last looked at, or have now."""
        return self._marks[rig.name] if rig.name in self._marks else rig.mark()

    @contextlib.contextmanager
    def numbering(self) -> Iterator[None]:
        """Keep every other Gribble that starts from this configuration from taking the same run number."""
        with contextlib.ExitStack() as stack:
            if self._memory is not None:
                with contextlib.suppress(OSError, BusyError):
                    self._memory.mkdir(parents=True, exist_ok=True, mode=OWN_FOLDER)
                    stack.enter_context(file_lock(self._memory / "numbering.lock", NUMBERING_SECONDS))
            yield

    def grounds(self, scope: Scope) -> dict[str, RemoteGround]:
        """The rigs on other machines, as a survey needs them."""
        for name, rig in self._config.rig.items():
            home = self._home(name, scope) if "://" in rig_root(name, rig, scope) else None
            if home and home.remote and name not in self._far:
                others = [rig_root(key, other, scope) for key, other in self._config.rig.items() if key != name]
                self._far[name] = RemoteGround(home, home.remote, others)
        return self._far

    def elsewhere(
        self, run: Run | None = None, rig: RigHome | None = None, now: Callable[[str], str] = str
    ) -> AnyPlace:
        """The files outside a rig that its steps may take, where they are by `now`; for an adopted run only sources and
        the rig's own attic."""

        def stores() -> dict[str, RemoteStore]:
            rigs = (self._home(name, Scope()) for name, rig in self._config.rig.items() if rig.far)
            return {rig.root: rig.remote for rig in rigs if rig.remote}

        if run is None or not run.adopted:
            return AnyPlace(stores, known=self.readable(), now=now)
        own = [*map(Path, self._config.source_folders), *([rig.attic] if rig else [])]
        return AnyPlace(dict, own, known=own)

    def guard(self, plan: Plan, scope: Scope) -> Plan:
        """A plan without the steps that nobody has allowed: hidden places, and Gribble's own files."""
        rigs = {rig.name: rig for rig in self.in_scope(scope)}
        folders = [Path(one.at) for one in self._config.catalogues]

        def is_there(rig: str, path: str) -> bool:
            try:
                return rig in rigs and (rigs[rig].store.stamp(path) is not None or _is_folder(rigs[rig], path))
            except StoreError:
                return False

        def is_own(rig: str, path: str) -> bool:
            if rig not in rigs or rigs[rig].remote:
                return False
            place = Path(rigs[rig].root, path)
            if self._path is not None and place.name == self._path.name and same_place(place, self._path):
                return True
            return place.suffix in OWN_SUFFIXES and any(same_place(place.parent, folder) for folder in folders)

        return guarded(plan, is_there, is_own, hidden=self.hidden)

    def readable(self) -> list[Path]:
        """The folders on this machine from which a step may take something: sources, rigs and attics."""
        rigs = [Path(rig.at) for rig in self._config.rig.values() if not rig.far]
        return [*map(Path, (*self._config.source_folders, *self._more)), *rigs, *self.attics(Scope()).values()]

    def reachable(self, plan: Plan, scope: Scope) -> Plan:
        """The steps of a plan on the rigs in scope that are there; those of the others are refused."""
        wanted = {step.rig for step in plan.steps}
        here = {rig.name for rig in self.in_scope(scope) if rig.name in wanted and not rig.away()}
        steps = [step for step in plan.steps if not scope.rigs or step.rig in scope.rigs]
        away = [
            Refused(rig=step.rig, emulator=step.emulator, need=step.need, reason=f"{step.rig} is not there now")
            for step in steps
            if step.rig not in here
        ]
        here_steps = tuple(step for step in steps if step.rig in here)
        return structs.replace(plan, steps=here_steps, refused=(*plan.refused, *away))

    def volume(self, name: str, root: str) -> str:
        """The kind of volume that a rig is on, as configured, else as it is found; empty if that is unknown."""
        configured = self._config.rig[name].volume
        if configured != "auto":
            return configured
        return "" if "://" in root else volume_of(Path(root))[0]

    def volumes(self, audits: Iterable[RigAudit]) -> dict[str, str]:
        """The kinds of volume of some rigs."""
        return {found.rig: self.volume(found.rig, found.root) for found in audits if not found.away}

    def fetched(self, asked: Collection[str], *, all_: bool) -> Iterator[str]:
        """What was fetched, in words, from rigs on other machines that were asked for, or where it was much."""
        for name, ground in self._far.items():
            if ground.listed and (all_ or name in asked or ground.received >= MUCH):
                read = f"{size(ground.received)} read" if ground.received else "nothing read"
                yield f"{name}: {count(ground.listed, 'file')} listed over the network, {read}"

    def close(self) -> None:
        """Take leave of the rigs on other machines."""
        for rig in self._network.values():
            if rig.remote:
                rig.remote.close()
