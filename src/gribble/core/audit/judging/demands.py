"""What an emulator's device demands of the rig's root: the kind of volume, its label, and how names are spelled."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.base.paths import fold, parent
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
        if not rig.volume:
            yield RootFinding(
                demand="volume",
                verdict=Verdict.UNPROVEN,
                reason=f"must be {wanted}; what it is cannot be seen from here (rig.{rig.name}.volume may say it)",
            )
        elif rig.volume in root.volume:
            yield RootFinding(demand="volume", verdict=Verdict.SOUND, reason=f"is {rig.volume}, as it must be")
        else:
            reason = f"is {rig.volume}, but must be {wanted}: it has to be formatted anew, which Gribble never does"
            yield RootFinding(demand="volume", verdict=Verdict.IMPOSTER, reason=reason)
    if root.label is not None:
        if not rig.label:
            yield RootFinding(
                demand="label",
                verdict=Verdict.UNPROVEN,
                reason=f'must be "{root.label}"; what it is cannot be seen from here (rig.{rig.name}.label may say it)',
            )
        elif rig.label == root.label or (_folds_labels(root, rig) and fold(rig.label) == fold(root.label)):
            yield RootFinding(demand="label", verdict=Verdict.SOUND, reason=f'is "{rig.label}", as it must be')
        elif not rig.volume and not root.exact_names and fold(rig.label) == fold(root.label):
            reason = f'is "{rig.label}", and must be "{root.label}"; whether case matters cannot be seen from here'
            yield RootFinding(demand="label", verdict=Verdict.UNPROVEN, reason=reason)
        else:
            yield RootFinding(
                demand="label",
                verdict=Verdict.IMPOSTER,
                reason=f'is "{rig.label}", but must be "{root.label}": rename it',
            )


def _folds_labels(root: Root, rig: RigSeen) -> bool:
    """Whether two spellings of a label are one: FAT keeps labels in capitals, and a device may insist all the same."""
    return rig.volume == "fat32" and not root.exact_names


def _spelled(fitted: Fitted, shelf: Shelf) -> Iterator[RootFinding]:
    """The folders and files without which nothing runs, where the device does not find them as they are spelled."""
    wanted = [fitted.folders[fitted.arcade.folder]] if fitted.arcade else []
    for path in dict.fromkeys((*wanted, *(parent(one.file) for one in fitted.setting))):
        if (there := shelf.spelled(path)) != path:
            reason = f"the folder {there} is called {path} by the device, which compares names exactly: rename it"
            yield RootFinding(demand="names", verdict=Verdict.IMPOSTER, reason=reason)
