"""The program as it is installed."""

from __future__ import annotations

import sys

from gribble.core.base.threads import collect_little

collect_little()  # before the imports below: they are most of what a short command does

from gribble.cli.app import run  # noqa: E402
from gribble.cli.environment import Environment  # noqa: E402


def main() -> None:
    """Run the program, to its exit status."""
    sys.exit(run(Environment.of_process()))
