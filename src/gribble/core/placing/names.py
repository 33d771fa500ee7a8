"""What a run calls the files that it makes beside a place, and the slots that its undoing fills."""

from __future__ import annotations

from gribble.core.base.paths import UNDONE, base, join, parent
from gribble.core.placing.journal import Run


def work_name(to: str, run: Run, number: int) -> str:
    """The file in which a step's content is written before it takes its place."""
    return join(parent(to), f".gribble-{run.number}-{number}.part")


def third_name(to: str, run: Run, number: int) -> str:
    """The name by way of which a file is renamed where old and new name may be one to the volume."""
    return join(parent(to), f".gribble-{run.number}-{number}.third")


def undo_slot(run: Run, number: int, to: str, turn: int = 1) -> str:
    """A slot of the attic for what the undoing of a step takes away."""
    return f"{run.number:04d}{UNDONE}/{number}{f'.{turn}' if turn > 1 else ''}/{base(to)}"
