"""Bare `gribble`: the state of things in a few lines, and the next command."""

from __future__ import annotations

from gribble.cli.session import Session, find_config
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode
from gribble.views.screen import Screen
from gribble.views.status import show_start, show_state


def show_status(config: str | None) -> int:
    """Each rig and emulator in a line; without a configuration, how to begin."""
    if find_config(config) is None:
        show_start(Screen())
        return ExitCode.CLEAN
    with Session(config) as session:
        audits = session.look(Scope()).audit(Scope())
        show_state(session.screen, audits)
        return session.ended(found.state for found in audits)
