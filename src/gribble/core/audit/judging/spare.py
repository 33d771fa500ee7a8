"""The files of a rig that no sheet knows, which are left alone."""

from __future__ import annotations

from collections.abc import Container, Iterable

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.pairs import paired_names
from gribble.core.audit.judging.serving import Serving
from gribble.core.base.names import is_like
from gribble.core.base.paths import base, parent
from gribble.core.records.findings import NeedFinding
from gribble.core.records.rig_seen import RigSeen


def spare_files(case: RigCase, serving: Serving, findings: Iterable[NeedFinding]) -> dict[str, list[str]]:
    """The files that no sheet of the rig knows, in every folder of an emulator but those for games and sets."""
    findings, emulators = list(findings), case.rig.emulators
    named = {place.found.path for finding in findings for place in finding.places if place.found}
    named |= {path for finding in findings for place in finding.places for path in place.in_way}
    owners = {path: one for one in reversed(emulators) for path in one.folders.values()}
    aside = {one.folders[media.folder] for one in emulators for media in one.media}
    arcades = [(one, one.arcade.folder) for one in emulators if one.arcade]
    aside |= {path for one, key in arcades for path in (one.folders[key], *one.more_folders.get(key, ()))}
    spare: dict[str, list[str]] = {}
    for path, holding in case.shelf.loose.items():
        folder = _owned(path, owners)
        if folder is None or folder in aside or path in named or serving.looks_at(path):
            continue
        if not _is_partner(case.rig, folder, path) and not case.given.known.matches(holding.size, holding.digests):
            spare.setdefault(owners[folder].emulator, []).append(path)
    return spare


def _is_partner(rig: RigSeen, folder: str, path: str) -> bool:
    """Whether a file in a folder is called as a pair says."""
    pairs = (name for one in rig.emulators for pair in one.pair for name in paired_names(one, pair))
    name, folds = base(path), rig.folds_case
    return any(folder == one and is_like(name, pattern, folds=folds) for one, pattern in pairs)


def _owned(path: str, owners: Container[str]) -> str | None:
    """The innermost folder above a path that is among some; None if none is."""
    folder = parent(path)
    while folder and folder not in owners:
        folder = parent(folder)
    return folder if folder in owners else None
