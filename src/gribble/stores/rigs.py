"""A rig as placing needs it, wherever it lives: its files, its journals and its lock."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import datetime
from pathlib import Path

from gribble.core.base.changing import remove
from gribble.core.base.errors import ExitCode, GribbleError, reason_of
from gribble.core.base.filewriter import PRIVATE, BusyError, file_lock, write_file
from gribble.core.base.paths import MEMORY_FOLDER, is_link, lies_in, link_among_own, run_number, whole_number
from gribble.core.base.regular import NO_LINKS, open_regular
from gribble.core.files.volumes import folds_case
from gribble.core.placing.journal import Journal, Run, Seal, end_of, journals_in, run_at, runs_in
from gribble.core.placing.run import Listener, Runner
from gribble.core.placing.store import Elsewhere, Stamp, Store, StoreError
from gribble.core.placing.twins import Twins
from gribble.core.records.steps import Rename, Step
from gribble.core.survey.sources import SeenRigs, give_id, id_at
from gribble.stores.files import make_folders, read_blocks
from gribble.stores.local import OWN_FOLDER, LocalStore, mode_of
from gribble.stores.remote import RemoteStore

KEPT_WORDS = """\
Do not delete this folder.

It holds what Gribble cannot make again: for each rig that is reached over the network, the files that runs
have displaced there (attic), and the journals by which a run can be undone (runs). Without it they are lost.
To delete displaced files that you no longer need, use: gribble attic empty

Everything else beside this folder can be made again.
"""
"""What is in that folder, for who wants to clear up."""
Mark = frozenset[tuple[str, int]]
"""The journals of a rig with their sizes in bytes; they only ever grow."""


class RigHome:
    """One rig: a store, and on this machine a folder with its journals, its lock and, for a network rig, its attic."""

    def __init__(
        self,
        name: str,
        root: str,
        home: Path,
        store: Store,
        seal: Seal,
        seen: SeenRigs = SeenRigs(None),  # noqa: B008
    ) -> None:
        """`seen` knows by its id whether a local rig is the one that was there before."""
        self._seen = seen
        self._seal = seal
        self.name = name
        self.root = root
        self.store = store
        self.journals = home / "runs"
        self._home = home

    @property
    def remote(self) -> RemoteStore | None:
        """The store of a rig on another machine, with what only such a one has; None if it is on this machine."""
        return self.store if isinstance(self.store, RemoteStore) else None

    def away(self) -> str:
        """Why the rig cannot be reached now; empty if it can."""
        if self.remote:
            try:
                self.remote.wire.open()
                there = self.remote.wire.look_up("")
            except StoreError as error:
                return str(error)
            if there is not None and not there.folder:
                return f"{self.root} is a file, not a folder; correct rig.{self.name}.at in gribble.toml"
            return "" if there is not None else "its folder is not on the server now"
        if not os.path.isdir(self.root):
            what = "a file, not a folder" if os.path.exists(self.root) else "not there now"
            return self._seen.why_slip(self.name, Path(self.root)) or f"{self.root} is {what}"
        return self._seen.why_other(self.name, Path(self.root))

    @property
    def seal(self) -> Seal:
        """What signs the journals of this very rig. One on another machine has its journals on this one, and no id."""
        return self._seal if self.remote else self._seal.of(id_at(Path(self.root)) or "")

    @property
    def attic(self) -> Path:
        """The folder on this machine with what runs have displaced; it need not be there."""
        return self._home / "attic"

    def runs(self) -> list[Run]:
        """Every run on this rig, oldest first, to be told; for that a network rig need not be reached.

        What is decided by them is read under the lock: `locked`. Raises GribbleError.
        """
        self.refuse_links()
        return runs_in(self.journals, self.seal)

    def run(self, number: int) -> Run | None:
        """The run with a number, to be told."""
        self.refuse_links()
        return next((run_at(path, self.seal) for path in self._numbered(number)), None)

    def _numbered(self, number: int | None) -> list[Path]:
        """The journal of a run with a number, or those of all, newest first."""
        paths = journals_in(self.journals)[::-1]
        return [path for path in paths if number is None or run_number(path.stem) == number]

    def open_runs(self) -> list[Run]:
        """The runs that are not at their end, to be told: cut short, still under way (`busy`), or somebody else's."""
        self.refuse_links()
        return runs_in(self.journals, self.seal, "open")

    def to_take_back(self, number: int | None = None) -> Iterator[Run]:
        """The runs that can be taken back as far as their journals tell, newest first; each journal is read when it is
        asked for. With a number, that run: also one of which an undo has left something as it was."""
        self.refuse_links()
        for path in self._numbered(number):
            if number is None and end_of(path) == "undone":
                continue
            run = run_at(path, self.seal)
            if run and (run.state != "undone" or (number is not None and run.left)):
                yield run

    def busy(self) -> bool:
        """Whether another Gribble of this machine says that it is at work here, and lives."""
        import psutil

        words = self._holder().split()
        process = whole_number(words[2]) if len(words) > 2 else None
        return process is not None and psutil.pid_exists(process)

    def mark(self) -> Mark:
        """How far the journals have come; another mark says that another Gribble was at work here meanwhile."""
        try:
            return frozenset(
                (path.name, path.stat().st_size) for path in self.journals.iterdir() if path.suffix == ".jsonl"
            )
        except OSError:
            return frozenset()

    def refuse_links(self) -> None:
        """Nothing of Gribble's own is reached through a link: on a stick that was borrowed it could lead anywhere.
        Raises GribbleError."""
        own = [self._home / name for name in ("runs", "attic", "lock", "lock.held")]
        for path in (self._home, *own, *_children(self.attic), *_children(self.journals)):
            if is_link(path):
                raise GribbleError(
                    f"rig {self.name}: {path} is a link, and Gribble does not follow links to its own files",
                    fix="Nothing was changed. Remove the link.",
                    code=ExitCode.FAILED,
                )

    @contextlib.contextmanager
    def locked(self) -> Iterator[HeldRig]:
        """Keep every other Gribble off this rig, and get at its runs. Raises GribbleError if another is at work, or
        nothing can be written."""
        self.refuse_links()
        if not self.remote and (why := self.away()):
            raise GribbleError(f"rig {self.name}: {why}", fix="Nothing was changed.", code=ExitCode.FAILED)
        with contextlib.ExitStack() as stack:
            try:
                if self.remote:
                    make_folders(self._home, OWN_FOLDER)
                    _say_what_is_kept(self._home.parent)
                self._home.mkdir(exist_ok=True, mode=OWN_FOLDER)  # not a local rig's root: it may have been pulled out
                stack.enter_context(file_lock(self._home / "lock"))
            except BusyError:
                raise GribbleError(
                    f"another Gribble is at work on {self.name}{self._holder()}",
                    fix="Wait until it has ended, then run the command again.",
                    code=ExitCode.FAILED,
                ) from None
            except OSError as error:
                raise GribbleError(
                    f"rig {self.name} cannot be written: {error.filename or self._home}: {reason_of(error)}",
                    fix="Nothing was changed. Give write permission, or remove what is in the way.",
                    code=ExitCode.FAILED,
                ) from error
            self._note_holder()
            if not self.remote:
                give_id(Path(self.root), self._seen.known(Path(self.root)))
                self._seen.note(Path(self.root))
            held = HeldRig(self)
            try:
                yield held
            finally:
                held.let_go()
                with contextlib.suppress(OSError):
                    remove(self._holder_file)

    def _note_holder(self) -> None:
        """Say who holds the lock, for whoever is kept off by it."""
        with contextlib.suppress(OSError):
            remove(self._holder_file, missing_ok=True)
            handle = os.open(self._holder_file, os.O_WRONLY | os.O_CREAT | os.O_EXCL | NO_LINKS, PRIVATE)
            with os.fdopen(handle, "w", encoding="utf-8") as stream:
                stream.write(f"process {os.getpid()} since {datetime.now():%Y-%m-%d %H:%M:%S}")

    @property
    def _holder_file(self) -> Path:
        return self._home / "lock.held"

    def _holder(self) -> str:
        """Who holds the lock, in words, as far as that one has said so."""
        try:
            with open_regular(self._holder_file, through_links=False) as stream:
                return f": {stream.read(80).decode(errors='replace')}"
        except OSError:
            return ""


class HeldRig:
    """A rig that no other Gribble is at work on: the only way to a runner, and to runs that something is decided by."""

    def __init__(self, home: RigHome) -> None:
        self.home = home
        self.name = home.name
        self._held = True

    def let_go(self) -> None:
        """The lock is gone: nothing more may be done with this."""
        self._held = False

    def runs(self) -> list[Run]:
        """Every run on this rig, oldest first, as its journal says now."""
        self._check()
        return runs_in(self.home.journals, self.home.seal)

    def to_take_back(self, number: int) -> Run | None:
        """The run with a number, unless it has been taken back, or is none."""
        self._check()
        return next(self.home.to_take_back(number), None)

    def open_runs(self) -> list[Run]:
        """The runs that were cut short, and may be finished."""
        self._check()
        return [run for run in self.home.open_runs() if not run.foreign]

    def start(self, number: int, when: str, steps: tuple[Step, ...]) -> Run:
        """Begin the journal of a new run."""
        self._check()
        return Journal(self.home.journals / f"{number:04d}.jsonl", self.home.seal).start(number, self.name, when, steps)

    def runner(
        self,
        run: Run,
        elsewhere: Elsewhere,
        listener: Listener = Listener(),  # noqa: B008  (frozen)
        seen: Mapping[str, Stamp] | None = None,
        twins: Twins | None = None,
    ) -> Runner:
        """What carries out, finishes or takes back a run. Raises GribbleError for one that nobody here began."""
        self._check()
        if run.foreign:
            raise GribbleError(
                f"run {run.number} on {self.name} is not finished and not undone by Gribble: {run.foreign}",
                fix=f"gribble history --adopt {run.number} shows what it would do, and asks whether you trust it.",
                code=ExitCode.FAILED,
            )
        journal = Journal(run.path, self.home.seal)
        return Runner(self.home.store, journal, elsewhere, listener, seen, (twins, self.home.root) if twins else None)

    def take_back(
        self,
        run: Run,
        elsewhere: Elsewhere,
        leave: frozenset[str] = frozenset(),
        watch: Callable[[int], None] = lambda _bytes: None,
    ) -> list[str]:
        """Take a run back; folders that it shares with runs taken back before go with it. `watch` is told of the bytes
        of each step. Returns the places where a file was saved meanwhile, which stays. Raises GribbleError."""
        undone = (one for one in runs_in(self.home.journals, self.home.seal, "undone") if not one.foreign)
        made = frozenset(folder for other in undone for begin in other.begun.values() for folder in begin.makes)
        return self.runner(run, elsewhere, Listener(watch)).take_back(run, leave, made)

    def _check(self) -> None:
        assert self._held, "the lock was let go"


def _say_what_is_kept(folder: Path) -> None:
    """Leave a file in the folder of what cannot be made again that says so."""
    with contextlib.suppress(OSError, GribbleError):
        if not os.path.lexists(place := folder / "README.txt"):
            write_file(place, [KEPT_WORDS.encode()])


def _children(folder: Path) -> list[Path]:
    try:
        return list(folder.iterdir())
    except OSError:
        return []


def local_rig(
    name: str,
    root: Path,
    volume: str,
    seal: Seal,
    sources: Iterable[str] = (),
    seen: SeenRigs = SeenRigs(None),  # noqa: B008  (which remembers nothing)
) -> RigHome:
    """A rig in a local folder; what Gribble keeps of it is in the rig. `sources` are never written to."""
    store = LocalStore(root, folds_case=folds_case(volume, root), sources=map(Path, sources))
    return RigHome(name, str(root), root / MEMORY_FOLDER, store, seal, seen)


def moved_by(runs: Iterable[tuple[RigHome, Run]]) -> Callable[[str], str]:
    """Says where a file on another rig is by now, while runs on several go on side by side: in that rig's attic, at the
    place to which it was renamed, or where it was."""
    runs = list(runs)

    def now(path: str) -> str:
        for rig, run in runs:
            root = rig.root if rig.remote else str(Path(rig.root))
            within = (
                path[len(root) + 1 :].replace(os.sep, "/") if path.startswith((f"{root}/", f"{root}{os.sep}")) else ""
            )
            for number in sorted(run.begun) if within else ():
                step = run.steps[number]
                if step.displaces == within and rig.store.kept(run.slot(number)):
                    return str(rig.store.local_kept(run.slot(number)))
                if isinstance(step, Rename) and step.from_ == within and not rig.store.exists(within):
                    return f"{root}/{step.to}"
        return path

    return now


class AnyPlace:
    """Files outside a rig: on this machine, and on other rigs by their addresses."""

    def __init__(
        self,
        stores: Callable[[], dict[str, RemoteStore]] = dict,
        only_in: Iterable[Path] | None = None,
        known: Iterable[Path] = (),
        now: Callable[[str], str] = str,
    ) -> None:
        """`stores` gives those of the network rigs by address. `only_in` are the folders on this machine that may be
        read, where not all may. `known` are sources and rigs: a link is read through if it leads into one of them.
        `now` says where a file is by now that a run on another rig has moved."""
        self._stores = stores
        self._now = now
        self._only_in = None if only_in is None else tuple(only_in)
        self._known = tuple(known)

    def _here(self, path: str) -> Path:
        place = Path(path)
        if self._only_in is not None and lies_in(place, self._only_in) is None:
            raise StoreError(f"{path} is in no source; an adopted run reads only from sources and its own rig")
        if (link := link_among_own(place)) is not None:
            raise StoreError(f"{link} is a link, and Gribble does not follow links to its own files")
        if is_link(place) and lies_in(place, self._known) is None:
            raise StoreError(f"{path} is a link that leads out of your sources and rigs, and is not read through")
        return place

    def _on_rig(self, path: str) -> tuple[RemoteStore, str] | None:
        if "://" not in path:
            return None
        for root, store in self._stores().items():
            if path.startswith(f"{root}/"):
                return store, path[len(root) + 1 :]
        raise StoreError(f"{path} is on no rig of gribble.toml")

    def read(self, path: str, member: str | None) -> Iterator[bytes]:
        """The content of a file, or of a member of an archive, block by block. Raises StoreError."""
        path = self._now(path)
        there = self._on_rig(path)
        return there[0].read(there[1], member) if there else read_blocks(self._here(path), member)

    def local(self, path: str) -> Path:
        """A file on this machine with that content. Raises StoreError."""
        path = self._now(path)
        there = self._on_rig(path)
        return there[0].local(there[1]) if there else self._here(path)

    def size(self, path: str) -> int:
        """The size of a file in bytes; 0 if it is not there."""
        path = self._now(path)
        try:
            there = self._on_rig(path)
            return there[0].size(there[1]) if there else Path(path).stat().st_size
        except (OSError, StoreError):
            return 0

    def mode(self, path: str) -> int | None:
        """The permissions of a file on this machine; None for one on another."""
        path = self._now(path)
        return None if "://" in path else mode_of(Path(path))

    def modified(self, path: str) -> int | None:
        """A file's time of modification, in nanoseconds since 1970; None for one on another machine."""
        path = self._now(path)
        try:
            return None if "://" in path else Path(path).stat().st_mtime_ns
        except OSError:
            return None
