"""The commands that are ready."""

from __future__ import annotations

from collections.abc import Callable

MADE: dict[str, Callable[..., None]] = {}
"""The commands of the modules imported so far, each as Typer takes it."""
