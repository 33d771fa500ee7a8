"""One command's run: what is loaded, the rigs, and the notes beside the answer."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from types import TracebackType

from gribble.cli.command import Call
from gribble.cli.loaded import Loaded, load
from gribble.cli.rigs import Rigs
from gribble.core.base.amounts import count
from gribble.core.base.errors import ExitCode, GribbleError, Mistake
from gribble.core.catalogue.rosterstore import STORES_FOLDER, RosterStore
from gribble.core.records.config import Scope
from gribble.core.records.findings import RigAudit, State, worst
from gribble.core.records.holding import Skipped
from gribble.core.records.roster import Roster
from gribble.stores.rigs import RigHome
from gribble.views.looks import shorten
from gribble.views.screen import Screen, styled


class Notes:
    """Lines that wait until the answer is out."""

    def __init__(self, screen: Screen) -> None:
        self._screen = screen
        self._lines: list[str] = []
        self._passed_over: list[str] = []
        self.hushed = False

    def aside(self, *lines: str) -> None:
        """Note something to be told."""
        self._lines += lines

    def hush(self) -> None:
        """Tell nothing after all."""
        self.hushed = True

    def passed_over(self, passed: Iterable[Skipped], told: int | None) -> None:
        """Note what could not be looked into: all of it, or as many as `told`, and how many others there are."""
        passed = list(passed)
        named = passed if told is None else passed[:told]
        for skipped in named:
            where = shorten(skipped.path) + (f": {skipped.member}" if skipped.member else "")
            self._passed_over.append(f"passed over {where}: {skipped.why}")
        if rest := len(passed) - len(named):
            what = f"{rest:,} more" if named else count(rest, "file")
            self._passed_over.append(f"{what} could not be read; gribble check -v shows which")

    def nothing_lacks(self) -> None:
        """What could not be looked into is no news: nothing is missing that could be in there."""
        self._passed_over = []

    def tell(self) -> None:
        """Tell them, below a blank line."""
        lines = [] if self.hushed else [*self._passed_over, *self._lines]
        self._screen.flush()
        if lines:
            self._screen.tell("")
        for line in lines:
            self._screen.tell(line)
        self._lines, self._passed_over = [], []


class Session:
    """Loads on creation, and tells at its end what was noted beside the answer."""

    def __init__(
        self,
        call: Call,
        *,
        strict: bool = False,
        lenient: bool = False,
        catalogue: Iterable[str] = (),
        arcade: bool = False,
    ) -> None:
        """See `load` for the options; an `arcade` session is about arcade sets only. Raises GribbleError."""
        self.call, self.screen = call, call.screen
        self.loaded: Loaded = load(call, strict=strict, lenient=lenient, catalogue=catalogue)
        self.rigs = Rigs(call, self.loaded, self._needs)
        self.notes = Notes(call.screen)
        self.about = call.scope
        """The rigs and emulators that the answer is about."""
        self.arcade_only = arcade
        """Whether it is about arcade sets only."""
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

    def _needs(self, rig: str) -> bool:
        """Whether the answer needs a rig: it is about rigs, and an emulator that it is about is on this one."""
        if not self.call.asks or (self.about.rigs and rig not in self.about.rigs):
            return False
        emulators = set(self.loaded.config.rig[rig].emulators)
        if self.arcade_only:
            emulators &= {name for name, sheet in self.loaded.catalogue.sheets.items() if sheet.arcade}
        return rig in self.about.rigs or not emulators.isdisjoint(self.about.emulators or emulators)

    @property
    def folder(self) -> str:
        """The folder of gribble.toml; empty without one."""
        return str(self.loaded.path.parent) if self.loaded.path else ""

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
                        f"note: {what} {run.number} on {rig.name} is open, but Gribble leaves it alone: {run.foreign}; "
                        f"gribble history --adopt {run.number} shows it"
                    )
                    continue
                if rig.busy():
                    self.screen.tell(f"note: {what} {run.number} on {rig.name} is under way")
                    continue
                self.screen.tell(
                    f"note: {what} {run.number} on {rig.name} was cut short; "
                    "gribble place --resume finishes it, gribble undo undoes it"
                )

    def tell_idle(self) -> None:
        """Note that no emulator is entered yet, where the answer does not say so."""
        if self.loaded.path is not None and not any(rig.emulators for rig in self.loaded.config.rig.values()):
            words = (
                "no rig in gribble.toml has an emulator yet, so nothing is needed; gribble check shows the next step"
            )
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


def ask(call: Call, question: str, yes: bool, heard: Callable[[str], None] | None = None) -> bool:
    """A yes from the user, or from `--yes`. No answer means no; `heard` is told the words of any."""
    if yes:
        return True
    if call.facts is not None:
        raise GribbleError("--json asks nothing", fix="Nothing was changed. Add --yes.")
    call.screen.say(styled(f"{question} [y/N] ", "bold"))
    call.screen.flush()
    answer = call.environment.answer().strip()
    if heard is not None:
        heard(answer)
    if answer.lower() in ("y", "yes"):
        return True
    call.screen.say("Nothing was changed." + ("" if call.environment.is_terminal else " (--yes answers for you.)"))
    return False
