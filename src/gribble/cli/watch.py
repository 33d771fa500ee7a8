"""`gribble watch`: files as they come to rest, what they are, and who wants them."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from queue import Empty, SimpleQueue
from typing import Annotated, Any

import typer

from gribble.cli.command import Call, command
from gribble.cli.options import RARE, VerboseOption, YesOption
from gribble.cli.running import place_plan, planned
from gribble.cli.session import Session
from gribble.cli.surveying import identified, open_index, survey, survey_with
from gribble.core.answers.identify import Arrived, arrived
from gribble.core.answers.scrub import Scrub, with_copies
from gribble.core.audit.world import World
from gribble.core.base.amounts import count, read_bytes, read_days
from gribble.core.base.errors import ExitCode, GribbleError, no_such
from gribble.core.records.config import Ask, Scope
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.scrubbed import Found, Limits
from gribble.core.survey.arriving import Arrivals, FolderWatch, Word, files_at, glance, is_of_interest
from gribble.core.survey.facts import Facts
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.scrubbing import Scrubber
from gribble.views.looks import shorten
from gribble.views.watch import arrived_json, scrub_json, show_arrived, show_rig, show_scrub

TICK_SECONDS = 0.25
"""How often files that are not at rest are looked at."""
IDLE_SECONDS = 2.0
"""How often sources and rigs that come and go are looked for."""


@command("watch", takes="json config", asks=True)
def watch(
    call: Call,
    paths: Annotated[list[str] | None, typer.Argument(metavar="PATH...", help="Only these folders.")] = None,
    place: Annotated[
        bool, typer.Option("--place", help="Plan files that an emulator needs, and ask to place them.")
    ] = False,
    look: Annotated[
        bool,
        typer.Option("--look", help="Look every second, if the system does not report changes.", rich_help_panel=RARE),
    ] = False,
    yes: YesOption = False,
) -> int:
    """Say what new files are, as they arrive.

    It also says who wants them. It watches all your sources.

    It waits until a download is complete, looks into archives, and only counts files that no sheet knows. It also tells
    you when a source or a rig is plugged in. Ctrl-C ends it with a summary.

    Example: gribble watch
    """
    if place and not yes and (call.json or not call.environment.is_terminal):
        raise GribbleError(
            "--place asks before each run, but this is not a terminal", fix="Add --yes, or leave out --place."
        )
    if yes and not place:
        raise GribbleError("--yes is only for --place", fix="Add --place.")
    watching = _Watching(call, [call.environment.path(path) for path in paths or ()], place, look, yes)
    with _until_interrupted():
        watching.begin()
        watching.go_on()
    with _uninterrupted():
        watching.end()
    return ExitCode.CLEAN


def _end(_number: int, _frame: object) -> None:
    raise KeyboardInterrupt


@contextmanager
def _until_interrupted() -> Iterator[None]:
    """Ctrl-C, or a signal to end, is how this comes to its end."""
    with _signalled(signal.SIGTERM, _end), suppress(KeyboardInterrupt):
        yield


@contextmanager
def _uninterrupted() -> Iterator[None]:
    """One more Ctrl-C, or the same one told twice, changes nothing."""
    with _signalled(signal.SIGTERM, signal.SIG_IGN), _signalled(signal.SIGINT, signal.SIG_IGN):
        yield


@contextmanager
def _signalled(number: int, handler: Any) -> Iterator[None]:
    """A signal is answered otherwise for a while, where this is the thread that is told of signals."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    former = signal.signal(number, handler)
    try:
        yield
    finally:
        signal.signal(number, former)


class _Watching:
    """One watch, from its beginning to Ctrl-C."""

    def __init__(self, call: Call, named: list[Path], place: bool, look: bool, yes: bool) -> None:
        """`named` are the folders to watch instead of the sources. Raises GribbleError."""
        self._call, self._named, self._place, self._look, self._yes = call, named, place, look, yes
        self._changes: SimpleQueue[Word] = SimpleQueue()
        self._arrivals = Arrivals(glance)
        self._watches: dict[Path, FolderWatch] = {}
        self._here: dict[str, bool] = {}
        self._tally: Counter[str] = Counter()
        self._roots: list[Path] = []
        self._files: dict[str, int] = {}  # how many there are, by root
        self._rigs: dict[str, Path] = {}
        for place_ in named:
            if not os.path.isdir(place_):
                fix = "Name folders to watch. Without a name Gribble watches all your sources."
                raise (
                    GribbleError(f"{place_} is a file", fix=fix)
                    if os.path.lexists(place_)
                    else no_such(place_, "folder", fix)
                )

    def begin(self) -> None:
        """Survey once, so that what is there is known, and begin to watch."""
        with Session(self._call) as session:
            config = session.loaded.config
            self._roots = self._named or [Path(one.at) for one in config.sources]
            self._rigs = {name: Path(rig.at) for name, rig in config.rig.items() if not rig.far}
            if not self._roots:
                raise GribbleError("there is nothing to watch", fix="Name a folder, or sources in gribble.toml.")
            world = survey(session, Scope())
            self._files = {one.root: sum(each.member is None for each in one.holdings.opened) for one in world.sources}
            session.notes.hush()
            self._look_round(greet=False)
        told = ", ".join(self._called(root) for root in self._watches) or "nothing yet"
        away = "".join(f"; {self._called(root)} is away" for root in self._roots if root not in self._watches)
        self._tell(f"Watching {told}{away}. Ctrl-C ends it.")

    def go_on(self) -> None:
        """Take changes as they come; look round for what is plugged in."""
        looked = time.monotonic()
        while True:
            with suppress(Empty):
                self._take(self._changes.get(timeout=TICK_SECONDS if self._arrivals else IDLE_SECONDS))
            if rested := self._arrivals.at_rest(time.monotonic()):
                self._answer(rested)
            if time.monotonic() - looked >= IDLE_SECONDS:
                self._look_round(greet=True)
                looked = time.monotonic()

    def end(self) -> None:
        """Say what came of it."""
        for one in self._watches.values():
            one.stop()
        total = sum(self._tally.values())
        parts = ", ".join(f"{number:,} {word}" for word, number in self._tally.most_common())
        self._tell(f"\n{count(total, 'file')} arrived{': ' if parts else ''}{parts}.")

    # What changes

    def _take(self, word: Word) -> None:
        if word.paths is None:
            self._watches.pop(word.root, None)
            return
        now = time.monotonic()
        for path in word.paths:
            for file in files_at(path) if os.path.lexists(path) else ():
                inside = any(Path(file).is_relative_to(root) for root in self._rigs.values())
                if not inside and is_of_interest(os.path.relpath(file, word.root)):
                    self._arrivals.touch(file, now)

    def _answer(self, paths: list[str]) -> None:
        """What files are that have come to rest; and placing them, if that is wanted."""
        try:
            with Session(self._call) as session:
                world, surveys = survey_with(session, paths, told=0)
                session.notes.hush()
                files, sets = identified(session, world, surveys, frozenset(map(Path, paths)))
                told = arrived(paths, files, sets)
            self._show(told)
        except GribbleError as error:
            self._tell(f"gribble: {error}")
            return
        needed = sorted({emulator for one in told for emulator in one.needed})
        if self._place and needed:
            self._put(tuple(needed))

    def _show(self, told: list[Arrived]) -> None:
        for one in told:
            self._tally["needed" if one.needed else "known" if one.lines else "unknown"] += 1
        if self._call.json:
            for record in arrived_json(told):
                self._call.screen.json_line(record)
        else:
            show_arrived(self._call.screen, told)

    def _put(self, emulators: tuple[str, ...]) -> None:
        """Plan what some emulators lack, ask, and carry it out; beside JSON, what is said goes to standard error."""
        call = self._call.aside() if self._call.json else self._call
        scope = Scope(emulators=emulators)
        try:
            with Session(call, strict=True) as session:
                audits = survey(session, scope).audit(Ask(scope=scope, packing=True))
                session.notes.hush()
                code = place_plan(session, scope, audits, planned(session, audits, None, None), self._yes)
        except GribbleError as error:
            self._tell(f"gribble: {error}")
            return
        call.screen.flush()
        if self._call.json:
            placed = {"gribble": "watch/1", "placed": list(emulators), "status": int(code)}
            self._call.screen.json_line(placed)

    # What comes and goes

    def _look_round(self, *, greet: bool) -> None:
        """Watch sources that are here, and greet what has come since."""
        for root in self._roots:
            here = os.path.isdir(root)
            if here and root not in self._watches:
                self._watches[root] = FolderWatch(
                    root, self._changes, look=self._look, files=self._files.get(str(root), 0)
                )
            elif not here and (gone := self._watches.pop(root, None)):
                gone.stop()
            if greet and here != self._here.get(str(root), here):
                words = "is back; gribble check shows what it has" if here else "is no longer there"
                self._tell(f"{self._called(root)} {words}.")
            self._here[str(root)] = here
        for name, root in self._rigs.items():
            here = os.path.isdir(root)
            if greet and here != self._here.get(f"rig {name}", here):
                self._greet(name, here)
            self._here[f"rig {name}"] = here

    def _greet(self, name: str, here: bool) -> None:
        """A rig that was plugged in, or pulled out."""
        if not here:
            self._tell(f"{name} is away.")
            return
        try:
            with Session(self._call) as session:
                scope = Scope(rigs=(name,))
                (found,) = survey(session, scope).audit(Ask(scope=scope))
                session.notes.hush()
        except GribbleError as error:
            self._tell(f"gribble: {error}")
            return
        if self._call.json:
            self._call.screen.json_line({"gribble": "watch/1", "rig": name, "state": found.state, "away": found.away})
        elif found.away:
            self._tell(f"{name} is away: {found.away}")
        else:
            show_rig(self._call.screen, found)

    def _called(self, root: Path) -> str:
        looks = self._watches.get(root)
        return shorten(str(root)) + (" (by looking)" if looks and looks.looks else "")

    def _tell(self, words: str) -> None:
        """Beside JSON, words go to standard error."""
        screen = self._call.screen
        if self._call.json:
            screen.tell(words)
        else:
            screen.say(words)
            screen.flush()


NS_A_DAY = 86_400 * 10**9


@command("scrub", takes="json config")
def scrub(
    call: Call,
    paths: Annotated[list[str] | None, typer.Argument(metavar="PATH...", help="Only these files and folders.")] = None,
    at_most: Annotated[str, typer.Option(metavar="SIZE", help="Read at most this much: 50GB, 20GiB.")] = "",
    older: Annotated[
        str, typer.Option("--older-than", metavar="DAYS", help="Only files that were last read this long ago: 90d, 6w.")
    ] = "",
    everything: Annotated[bool, typer.Option("--all", help="Also read files that no sheet knows.")] = False,
    verbose: VerboseOption = False,
) -> int:
    """Read proven files again, to find damage.

    It begins with the oldest proof, and finds files that changed without a new date.

    It reads sources, rigs in folders and their attics, and changes nothing in them. If --at-most or Ctrl-C ends it, it
    goes on from there next time. For a damaged file it names a good copy, if you have one.

    Example: gribble scrub --at-most 50GB
    """
    budget = read_bytes(at_most) if at_most else None
    before = time.time_ns() - read_days(older) * NS_A_DAY if older else None
    places = [str(call.environment.path(path)) for path in paths or ()]
    with Session(call) as session:
        known = session.loaded.known
        world, _ = survey_with(session, [place for place in places if _is_outside(place, session)], told=0)
        session.notes.aside(*_left_out(world))
        index = open_index(session)
        try:
            with session.screen.bar("Scrubbing") as bar:
                scrubber = Scrubber(
                    index,
                    _roots(world, session, places),
                    lambda facts: _could_be_known(facts, known),
                    about=frozenset(places) or None,
                    listener=bar,
                )
                limits = Limits(bytes=budget, before=before, everything=everything)
                done = scrubber.scrub(limits, "\0".join([str(everything), *sorted(places)]))
            proven = scrubber.proven() if done.findings else {}
            answer = Scrub(done, with_copies(done.findings, world, proven))
            if index.note:
                session.notes.aside(f"note: {index.note}")
        finally:
            index.close()
        if call.json:
            session.screen.json(scrub_json(answer))
        else:

            def called(one: Found) -> str:
                return next((match.need.called for match in known.matches(one.size, one.digests)), "")

            show_scrub(session.screen, answer, called, verbose=verbose)
        if done.stopped:
            return ExitCode.INTERRUPTED
        return ExitCode.ATTENTION if answer.findings else ExitCode.CLEAN


def _left_out(world: World) -> Iterator[str]:
    """What is not read: rigs over the network, and what is away."""
    names = [f"{one.name} ({'away' if one.away else 'over the network'})" for one in world.rigs if _is_far(one)]
    names += [f"{one.source} (away)" for one in world.away]
    if names:
        yield f"note: left out: {', '.join(names)}"


def _is_far(rig: RigSeen) -> bool:
    return bool(rig.away) or "://" in rig.root


def _roots(world: World, session: Session, places: list[str]) -> list[tuple[Path, str]]:
    """The folders that are here, each with the path by which the index knows it: sources, rigs, and what was named."""
    away = {one.at for one in world.away}
    sources = [one for one in session.loaded.config.sources if one.known_at not in away]
    roots = [(Path(one.at), one.known_at) for one in sources if os.path.isdir(one.at)]
    roots += [(Path(rig.root), rig.root) for rig in world.rigs if not _is_far(rig)]
    outside = [Path(place) for place in places if _is_outside(place, session)]
    folders = dict.fromkeys(place if os.path.isdir(place) else place.parent for place in outside)
    return roots + [(folder, str(folder)) for folder in folders]


def _is_outside(place: str, session: Session) -> bool:
    """Whether a place is in no source and on no rig."""
    config = session.loaded.config
    roots = [one.at for one in config.sources] + [rig.at for rig in config.rig.values() if not rig.far]
    return not any(Path(place).is_relative_to(root) for root in roots)


def _could_be_known(facts: Facts, known: KnownContents) -> bool:
    """Whether a member of an archive could be a content that a sheet or a roster knows."""
    sizes = facts.sketch.sizes if facts.sketch else [one.size for one in facts.members or () if one.size is not None]
    concerned = known.concerned()
    return any(size in concerned for size in sizes)
