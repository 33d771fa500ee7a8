"""One command's run: what is loaded, the rigs, and the notes beside the answer."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from types import TracebackType

from gribble.cli.command import Call
from gribble.cli.loaded import Loaded, load
from gribble.cli.notes import Notes
from gribble.cli.rigs import Rigs
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode, GribbleError, Mistake
from gribble.core.catalogue.rosterstore import STORES_FOLDER, RosterStore
from gribble.core.records.findings import RigAudit, State, worst
from gribble.core.records.roster import Roster
from gribble.stores.rigs import RigHome


class Session:
    """Loads on creation, and tells at its end what was noted beside the answer."""

    def __init__(
        self, call: Call, *, strict: bool = False, lenient: bool = False, catalogue: Iterable[str] = ()
    ) -> None:
        """See `load` for the options. Raises GribbleError."""
        self.call, self.screen = call, call.screen
        self.loaded: Loaded = load(call, strict=strict, lenient=lenient, catalogue=catalogue)
        self.rigs = Rigs(call.environment, self.loaded, call.scope.sources)
        self.notes = Notes(call.screen)
        self.at_end: list[Callable[[], None]] = []
        """What is to be let go of at the end."""
        self.closed: dict[str, GribbleError] = {}
        """Rigs on which nothing of Gribble's own can be looked at, and why; it was told."""
        memory = self.loaded.memory
        self._rosters = RosterStore(memory / STORES_FOLDER if memory else None)

    def __enter__(self) -> Session:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Take leave of the network rigs, and tell what was noted."""
        if isinstance(error, GribbleError) and error.code is ExitCode.USAGE:
            self.notes.hush()  # what was passed over is no part of why the command line was wrong
        self.close()

    def roster(self, path: Path) -> tuple[Roster | None, list[Mistake]]:
        """The roster in a file, from its store, and its mistakes."""
        with self.screen.bar(f"Reading {path.name}") as bar:
            return self._rosters.load(path, bar)

    def close(self) -> None:
        """The same, for a session that is no block."""
        for close in self.at_end:
            close()
        if self._rosters.note:
            self.notes.aside(f"note: {self._rosters.note}")
        self._rosters.close()
        self.notes.aside(*self.rigs.fetched(self.call.scope.rigs, all_=self.call.verbose))
        self.rigs.close()
        self.notes.tell()

    def rigs_with_runs(self, scope: Scope) -> list[RigHome]:
        """The rigs in scope whose runs and attic can be looked at; why others' cannot is told."""
        found = []
        for rig in self.rigs.in_scope(scope):
            try:
                rig.refuse_links()
            except GribbleError as error:
                if rig.name not in self.closed:
                    self.notes.aside(f"note: {error.what}. {error.fix}")
                self.closed[rig.name] = error
            else:
                found.append(rig)
        return found

    def refuse_closed(self) -> None:
        """Raise GribbleError where what was looked for may be on a rig that cannot be looked at."""
        for error in self.closed.values():
            self.notes.hush()  # it is the answer now
            raise error

    def tell_open_runs(self, scope: Scope) -> None:
        """Say which rigs have a run that was cut short, and where that cannot be known: it stops no answer."""
        for rig in self.rigs_with_runs(scope):
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

    def tell_idle(self) -> None:
        """Note that no emulator is entered yet, where the answer does not say so."""
        if self.loaded.path is not None and not any(rig.emulators for rig in self.loaded.config.rig.values()):
            words = "no rig in gribble.toml has an emulator yet, so nothing is wanted; gribble check leads on"
            self.notes.aside(f"note: {words}")

    def ended_for(self, audits: Iterable[RigAudit]) -> int:
        """The exit status for what was found on rigs; where nothing is wanted, all is not well."""
        audits = list(audits)
        idle = not any(found.emulators or found.away for found in audits)
        code = self.ended(state for found in audits for state in found.states)
        return ExitCode.ATTENTION if idle and code == ExitCode.CLEAN else code

    def ended(self, states: Iterable[State]) -> int:
        """The exit status for some states: an error in the catalogue first, then a rig away, then attention."""
        states = list(states)
        if self.loaded.catalogue.mistakes or State.UNKNOWN in states:
            return ExitCode.USAGE
        if worst(states) in (State.LIMITED, State.BLOCKED):
            return ExitCode.ATTENTION
        return ExitCode.FAILED if State.AWAY in states else ExitCode.CLEAN
