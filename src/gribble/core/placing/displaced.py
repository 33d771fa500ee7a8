"""What runs have displaced: every file in the attic of a rig, and where it was."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache

from msgspec import Struct

from gribble.core.base.paths import UNDONE, run_of, whole_number
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.journal import Run
from gribble.core.placing.store import Store
from gribble.core.records.steps import Copy


class Kept(Struct, frozen=True, kw_only=True):
    """One file in the attic: the run that put it there, the place it had on the rig, its slot, its size in bytes.

    `undone` marks a file that the undoing of the run took away. `needed` says that the run is open, or can be undone
    only with this file.
    """

    rig: str
    run: int
    path: str
    slot: str
    size: int
    undone: bool = False
    needed: bool = False


def restoring(kept: Kept, store: Store) -> Copy:
    """The step that brings a file of the attic back to its place; what lies there now goes to the attic."""
    size, digests = digest_blocks(store.read_kept(kept.slot), ["sha1"])
    return Copy(
        rig=kept.rig,
        from_=str(store.local_kept(kept.slot)),
        to=kept.path,
        bytes=size,
        digests=digests,
        dated=True,
        replaces=kept.path if store.exists(kept.path) else None,
    )


def kept_files(rig: str, store: Store, run_with: Callable[[int], Run | None]) -> Iterator[Kept]:
    """Every file in the attic, newest run first; `run_with` gives a run by its number, and is asked once for each."""
    run_with = cache(run_with)
    found = []
    for slot, size in store.slots():
        folder, _, rest = slot.partition("/")
        number, _, name = rest.partition("/")
        number = number.partition(".")[0]  # "3.2" is a further slot of step 3
        of, step = run_of(folder), whole_number(number)
        if not of or step is None or not name:
            continue
        run, undone = run_with(of), folder.endswith(UNDONE)
        path = name
        if undone and run is not None and step < len(run.steps):
            path = run.steps[step].place
        found.append(
            Kept(
                rig=rig,
                run=of,
                path=path,
                slot=slot,
                size=size,
                undone=undone,
                needed=run is not None
                and (run.state == "open" or ((run.state == "done" or step in run.left) and not undone)),
            )
        )
    yield from sorted(found, key=lambda one: (-one.run, one.undone, one.path))
