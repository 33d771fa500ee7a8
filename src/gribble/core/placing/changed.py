"""What is not as a run left it, so that taking the run back would lose something, or cannot be done whole."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from gribble.core.base.threads import each
from gribble.core.placing.contents import Contents, has_digest
from gribble.core.placing.journal import Run
from gribble.core.placing.store import Store, StoreError, StoreLost
from gribble.core.records.steps import Displace, Rename, Step, Taking, Writing


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
            return "has another content than the run put there"
    except StoreLost:
        raise
    except StoreError as error:
        return f"cannot be compared: {error}"
    return ""


def _unexplained(run: Run, number: int, store: Store, contents: Contents) -> Changed | None:
    """The place of a step that was cut short, where something lies there that is neither the old nor the new file, and
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
