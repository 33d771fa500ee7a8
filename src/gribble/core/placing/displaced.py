"""What runs have displaced, and what is not as a run left it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache

from msgspec import Struct

from gribble.core.base.paths import UNDONE, run_of, whole_number
from gribble.core.base.threads import each
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.contents import Contents, has_digest
from gribble.core.placing.journal import Run
from gribble.core.placing.store import Store, StoreError, StoreLost
from gribble.core.records.steps import Copy, Displace, Rename, Step, Taking, Writing


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
    """The step that brings a file of the attic back to its place; what is there now goes to the attic."""
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


class Changed(Struct, frozen=True):
    """A file that is not as a run left it, and what is there instead."""

    path: str
    why: str


def changed_since(
    run: Run, store: Store, contents: Contents, watch: Callable[[int], None] = lambda _bytes: None
) -> list[Changed]:
    """Every file that is not as the run left it; `watch` is told of the bytes of each that was looked at. Raises
    StoreLost."""
    after: dict[str, tuple[str, int]] = {}
    under_way: set[str] = set()
    changed: dict[str, Changed] = {}
    for number, step in enumerate(run.steps):
        if number not in run.begun or number in run.failed or number in run.back:
            continue
        if number in run.turned or number not in run.done:
            under_way |= touched(step)
            if found := _unexplained(run, number, store, contents):
                changed[found.path] = found
            continue
        for path in (step.from_ if isinstance(step, Rename | Displace) else "", step.displaces):
            if path:
                after[path] = "", 0
        if isinstance(step, Writing):
            after[step.to] = run.done[number], step.bytes
    left = {path: there for path, there in after.items() if path not in under_way}
    whys = each(store.at_once, lambda path: _change(path, left[path][0], store), left)
    for path, why in zip(left, whys, strict=True):
        watch(left[path][1])
        if why:
            changed[path] = Changed(path, why)
    return list(changed.values())


def touched(step: Step) -> set[str]:
    """The paths that a step names: its place, what it takes and what it displaces."""
    paths = {step.place, step.displaces, step.from_ if isinstance(step, Taking) else ""}
    return {path for path in paths if path}


def _change(path: str, sha1: str, store: Store) -> str:
    """What is not as a run left it at a place, where it left a content or, without a digest, nothing."""
    there = store.exists(path)
    if sha1 and not there:
        return "is gone"
    if there and not sha1:
        return "is a new file that the run did not put there"
    try:
        if there and not has_digest(store, path, sha1):
            return "is not the file that the run put there"
    except StoreLost:
        raise
    except StoreError as error:
        return f"cannot be compared: {error}"
    return ""


def _unexplained(run: Run, number: int, store: Store, contents: Contents) -> Changed | None:
    """The place of a step that was cut short, where something is there that is neither the old nor the new file, and
    would have to make room for the old one."""
    step = run.steps[number]
    place, slot = step.displaces, run.slot(number)
    if not place or not store.kept(slot) or not store.exists(place):
        return None
    try:
        if store.same(place, slot) or (isinstance(step, Writing) and contents.ours(run, number, step, place)):
            return None
        why = "is a file that the run did not put there"
    except StoreLost:
        raise
    except StoreError as error:
        why = f"cannot be compared: {error}"
    return Changed(place, why)


def lost(store: Store, run: Run) -> list[str]:
    """The places whose former file is not in the attic any more, so that a run cannot be taken back whole."""
    found = []
    for number in run.done.keys() - run.back:
        displaced = run.steps[number].displaces
        if displaced and (number not in run.turned or number in run.left) and not store.kept(run.slot(number)):
            found.append(displaced)
    return sorted(found)
