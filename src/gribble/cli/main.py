"""The program as it is installed."""

from __future__ import annotations

import gc
import sys

from gribble.cli.app import run
from gribble.cli.environment import Environment


def main() -> None:
    """Run the program, to its exit status."""
    # Hardly anything here forms circles, and looking for some takes a quarter of the time.
    gc.set_threshold(1_000_000, 50, 50)
    sys.exit(run(Environment.of_process()))
