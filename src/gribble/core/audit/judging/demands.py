"""What an emulator's device demands of the rig's root: the kind of volume, its label, and how names are spelled."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.base.paths import fold, parent
from gribble.core.records.facts import Demanded, RootSpelled
from gribble.core.records.findings import RootFinding, Verdict
from gribble.core.records.fitted import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.sheet import Root
from gribble.core.survey.shelf import Shelf


def check_root(fitted: Fitted, rig: RigSeen, shelf: Shelf) -> tuple[RootFinding, ...]:
    """What is true of each demand; what cannot be seen from here is unproven and said."""
    exact = _spelled(fitted, shelf) if fitted.root.exact_names else ()
    return (*_demands(fitted.root, rig), *exact)


def _demands(root: Root, rig: RigSeen) -> Iterator[RootFinding]:
    if root.volume:
        wanted = " or ".join(root.volume)
        verdict = Verdict.SOUND if rig.volume in root.volume else Verdict.IMPOSTER
        verdict = verdict if rig.volume else Verdict.UNPROVEN
        yield RootFinding(
            demand="volume", verdict=verdict, facts=(Demanded("volume", wanted, rig.volume, rig.name, str(verdict)),)
        )
    if root.label is not None:
        alike = bool(rig.label) and fold(rig.label) == fold(root.label)
        if rig.label == root.label or (alike and _folds_labels(root, rig)):
            verdict = Verdict.SOUND
        elif not rig.label or (alike and not rig.volume and not root.exact_names):
            verdict = Verdict.UNPROVEN
        else:
            verdict = Verdict.IMPOSTER
        fact = Demanded("label", root.label, rig.label, rig.name, str(verdict))
        yield RootFinding(demand="label", verdict=verdict, facts=(fact,))


def _folds_labels(root: Root, rig: RigSeen) -> bool:
    """Whether two spellings of a label are one: FAT keeps labels in capitals, and a device may insist all the same."""
    return rig.volume == "fat32" and not root.exact_names


def _spelled(fitted: Fitted, shelf: Shelf) -> Iterator[RootFinding]:
    """The folders and files without which nothing runs, where the device does not find them as they are spelled."""
    wanted = [fitted.folders[fitted.arcade.folder]] if fitted.arcade else []
    for path in dict.fromkeys((*wanted, *(parent(one.file) for one in fitted.setting))):
        if (there := shelf.spelled(path)) != path:
            yield RootFinding(demand="names", verdict=Verdict.IMPOSTER, facts=(RootSpelled(there, path),))
