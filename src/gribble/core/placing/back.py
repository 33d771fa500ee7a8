"""The way back of each step: what it put somewhere goes to the attic, what it displaced returns."""

from __future__ import annotations

import itertools
from typing import assert_never

from gribble.core.base.paths import fold, parent
from gribble.core.placing.contents import Contents
from gribble.core.placing.journal import Journal, Run
from gribble.core.placing.store import Store, StoreFull, third_name, undo_slot, work_name
from gribble.core.records.steps import Brought, Copy, Displace, Extract, Mend, Pack, Point, Rename, Step, Write, Writing


class Back:
    """Takes back the steps of one rig's runs."""

    def __init__(self, store: Store, journal: Journal, contents: Contents) -> None:
        self._store = store
        self._journal = journal
        self._contents = contents
        self._left: list[str] = []

    def undo(self, run: Run, number: int, step: Step) -> list[str]:
        """Take a step back, or what was not taken back of it yet; the places that stay as they are, since somebody has
        saved another file there. Raises StoreError."""
        self._left = []
        match step:
            case Displace():
                if self._store.kept(run.slot(number)):
                    self._return(run, number, run.slot(number), step.from_)
                return self._left
            case Rename():
                self.clear(run, number, step)
                self._undo_rename(run, number, step)
            case Copy() | Extract() | Mend() | Point() | Pack() | Write():
                self.clear(run, number, step)
                self._undo_bring(run, number, step)
            case _:
                assert_never(step)
        for folder in reversed(run.begun[number].makes):
            self._store.remove_folder(folder)
        return self._left

    def undo_in_any_room(self, run: Run, number: int, step: Step) -> list[str]:
        """Undo a step; where the disk is full, in the room that was set aside for that."""
        try:
            return self.undo(run, number, step)
        except StoreFull:
            self._journal.drop_ballast()
            return self.undo(run, number, step)

    def clear(self, run: Run, number: int, step: Step) -> None:
        """Remove what a step that was cut short has left beside its place."""
        if isinstance(step, Writing):
            self._store.discard(work_name(step.to, run, number))
            self._store.tidy(step.replaces or step.to)

    def remove_folders(self, step: Step, made_before: frozenset[str]) -> None:
        """Remove the empty folders above a step's place that are `made_before` by runs which are undone."""
        folder = parent(step.to) if isinstance(step, Writing) else ""
        while folder:
            if folder in made_before:
                self._store.remove_folder(folder)
            folder = parent(folder)

    def _return(self, run: Run, number: int, slot: str, path: str) -> None:
        """Bring a file back to a place where nothing is, or just its content; what else is there stays."""
        if not self._store.exists(path) or self._store.same(path, slot):
            self._bring_back(run, number, slot, path)
        else:
            self._left.append(path)

    def _bring_back(self, run: Run, number: int, slot: str, path: str) -> None:
        self._store.bring_back(slot, path)
        mode = run.begun[number].mode
        if mode is not None and slot == run.slot(number):
            self._store.protect(path, mode)

    def _undo_bring(self, run: Run, number: int, step: Brought) -> None:
        """The new file goes to the attic, the old one comes back over it; what is neither of them stays."""
        store, to, old, third = self._store, step.to, step.replaces, third_name(step.to, run, number)
        if old and old != to:
            for path in (to, third):
                if store.exists(path):
                    store.rename(path, third)
                    store.rename(third, old)
        if old is None:
            if store.exists(to) and self._contents.ours(run, number, step, to):
                store.displace(to, self._spare_slot(run, number, to, to))
            elif store.exists(to):
                self._left.append(to)
        elif store.kept(run.slot(number)):
            replaced = store.exists(old) and not store.same(old, run.slot(number))
            if replaced and self._contents.ours(run, number, step, old):
                self._exchange(run, number, to, old)
            else:
                self._return(run, number, run.slot(number), old)

    def _exchange(self, run: Run, number: int, to: str, path: str) -> None:
        """What is at a path goes to the attic, and what the step displaced comes over it in one instant.

        Where nothing more fits and the attic cannot hold it beside, the place is empty for a moment; the journal knows.
        """
        spare = self._spare_slot(run, number, to, path)
        try:
            self._store.keep(path, spare)
        except StoreFull:
            self._store.displace(path, spare)
        self._bring_back(run, number, run.slot(number), path)

    def _spare_slot(self, run: Run, number: int, to: str, path: str) -> str:
        """A slot for what an undo takes away from a path: an empty one, or the one that has that very file already."""
        first = undo_slot(run, number, to)
        slots = (first if turn == 1 else undo_slot(run, number, to, turn) for turn in itertools.count(1))
        return next(slot for slot in slots if not self._store.kept(slot) or self._store.same(path, slot))

    def _undo_rename(self, run: Run, number: int, step: Rename) -> None:
        store, to, third = self._store, step.to, third_name(step.to, run, number)
        if store.exists(third):
            store.rename(third, step.from_)
        way = undo_slot(run, number, to)
        if step.replaces and store.kept(run.slot(number)):
            if not store.exists(step.replaces) or store.same(step.replaces, run.slot(number)):
                self._return(run, number, run.slot(number), step.replaces)
            elif self._contents.ours(run, number, step, step.replaces):
                if not store.exists(step.from_):
                    store.keep(step.replaces, way)
                self._bring_back(run, number, run.slot(number), step.replaces)
            else:
                self._left.append(step.replaces)
        if not step.replaces:
            self._rename_back(run, number, step)
        elif store.kept(way):
            self._return(run, number, way, step.from_)

    def _rename_back(self, run: Run, number: int, step: Rename) -> None:
        """A file that replaced nothing, back under its former name; what somebody put there since stays."""
        store, to = self._store, step.to
        if not store.exists(to):
            return
        alike = fold(to) == fold(step.from_)
        if not alike and not self._contents.ours(run, number, step, to):
            self._left.append(to)
        elif alike:
            if not store.exists(step.from_):
                third = third_name(to, run, number)
                store.rename(to, third)
                store.rename(third, step.from_)
        elif store.exists(step.from_):  # on its way to another volume
            store.displace(to, self._spare_slot(run, number, to, to))
        else:
            store.rename(to, step.from_)
