"""The program as it is installed."""

from __future__ import annotations

import gc
import sys

from gribble.cli.app import run
from gribble.cli.environment import Environment


def main() -> None:
    """Run the program, to its exit status."""
    gc.set_threshold(
        200_000, 20, 20
    )  # hardly anything here forms circles; looking for some takes a quarter of the time
    sys.exit(run(Environment.of_process()))
