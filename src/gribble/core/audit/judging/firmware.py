"""Firmware, keys and release must fit one another: what the ways are where they do not."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.judge import Judge
from gribble.core.records.facts import HasKeys, WorksHere, WorksWith, WouldFit
from gribble.core.records.findings import Way
from gribble.core.records.place import Fitted
from gribble.core.records.sheet import Accept, Kind, Need


def ways_to_fit(
    case: RigCase, fitted: Fitted, need: Need, in_place: Accept | None, lacks: frozenset[str]
) -> tuple[Way, ...]:
    """The ways to make a firmware fit: another firmware, more keys, another release of the emulator.

    `in_place` is the content that is there, which the release or the keys do not fit; `lacks` are the names it
    requires in vain.
    """
    return (
        *_firmware(case, need, in_place),
        *_keys(case.judge, fitted, lacks),
        *_release(case, fitted, need, in_place),
    )


def _firmware(case: RigCase, need: Need, in_place: Accept | None) -> Iterator[Way]:
    others = [accept for accept in need.accept if accept != in_place]
    for accept in others:
        copies = case.stock.copies(accept, case.rig.name)
        if copies:
            fact = WorksHere(accept.called or need.called, accept.requires_keys)
            yield Way(change=_what(need), fact=fact, held=copies[0])
    if others and not any(case.stock.copies(accept, case.rig.name) for accept in others):
        yield Way(change=_what(need), fact=WouldFit(tuple(accept.called or need.called for accept in others)))


def _what(need: Need) -> str:
    return "firmware" if need.kind == Kind.FIRMWARE else "file"


def _keys(judge: Judge, fitted: Fitted, lacks: frozenset[str]) -> Iterator[Way]:
    if not lacks:
        return
    names = tuple(sorted(lacks))
    for need in fitted.needs:
        if need.kind is Kind.KEYS and (best := judge.best_keys_with(need, lacks)):
            yield Way(change="keys", fact=HasKeys(names, held=True), held=best)
            return
    yield Way(change="keys", fact=HasKeys(names, held=False))


def _release(case: RigCase, fitted: Fitted, need: Need, in_place: Accept | None) -> Iterator[Way]:
    for accept in fitted.other_releases.get(need.id, ()):
        held = case.stock.copies(accept, case.rig.name)
        if accept == in_place or held:
            fact = WorksWith(accept.called or need.called, accept.releases or "", fitted.title)
            yield Way(change="release", fact=fact, held=held[0] if held else None)
