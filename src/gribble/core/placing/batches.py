"""Which steps of a run are done side by side."""

from __future__ import annotations

from collections.abc import Iterator

from gribble.core.base.paths import fold, outside
from gribble.core.placing.journal import Run
from gribble.core.records.steps import Copy, Extract, Mend, Pack, Step

MOST_STEPS, MOST_BYTES = 32, 64 << 20
"""How much a batch has at most; Ctrl-C takes what is under way back, and a kill has it done again."""


def batches(run: Run, at_once: int) -> Iterator[list[int]]:
    """The steps of a run that are still to be done, in order: several together where each only takes something that
    lies outside the rig, on this machine, and no two have to do with one place."""
    batch: list[int] = []
    places: set[str] = set()
    for number, step in enumerate(run.steps):
        if number in run.done or number in run.failed:
            continue
        alone = at_once == 1 or number in run.begun or not _only_takes(step)
        here = {fold(path) for path in (step.place, step.displaces) if path}
        size = sum(run.steps[one].bytes for one in batch)
        if batch and (alone or places & here or len(batch) == MOST_STEPS or size + step.bytes > MOST_BYTES):
            yield batch
            batch, places = [], set()
        batch.append(number)
        places |= here
        if alone:
            yield batch
            batch, places = [], set()
    if batch:
        yield batch


def _only_takes(step: Step) -> bool:
    if not isinstance(step, Copy | Extract | Mend | Pack):
        return False
    return bool(step.sources) and all(outside(path) and "://" not in path for path in step.sources)
