"""The walk through the whole job on the made-up world, command by command."""

from __future__ import annotations

TOUR: tuple[tuple[str, str], ...] = (
    ("What does Sandpiper need, and which of it is here?", "needs sandpiper"),
    ("What is in the drawer, whatever it is called?", "identify drawer"),
    ("This file is wrong, but how?", "identify drawer/skerry/SKERRY.COPIER"),
    ("What is right and wrong on the rigs, and why?", "check"),
    ("Why does Redshank not run? First things first.", "why redshank --rig lighthouse"),
    ("Do the discs on the shelf hold together?", "discs check discs"),
    ("The handheld is reached over FTP; what of it was read?", "check --rig handheld"),
    ("What would put it right? Nothing is written yet.", "plan"),
    ("Put it right. (--yes answers the question.)", "place --yes"),
    ("And now? Only what nobody here has is left.", "check"),
    ("Take it all back: the rigs are exactly as they were.", "undo --yes"),
    ("A page on the web says what Plover needs. What of it is understood?", "catalogue import plover.html"),
    ("A workbook does so in German.", "catalogue import phalarope.xlsx"),
    ("An export has the sets of Dotterel's next release.", "catalogue import dotterel-6.xml"),
    ("As before: the same verdicts as at the start.", ""),
)
"""What is asked at each stop, and the command that answers it (the last stop is the bare command)."""

KEEPING: tuple[tuple[str, str, str], ...] = (
    ("", "On the porch, files come from a NAS. What lacks is there.", "check"),
    ("off", "The NAS is switched off for the night. What it holds is known, and nobody has to obtain it.", "check"),
    ("", "What would it bring?", "plan"),
    ("on", "It is on again. Take what it has.", "place --yes"),
    ("", "And now?", "check"),
    ("rot", "Weeks later a byte of a file has changed, and its date has not. Who notices?", "scrub"),
    ("", "The good copy takes its place.", "place --yes"),
    ("", "Every file is proven, and when it was read last.", "check -v"),
)
"""The chapter on keeping a collection: what happens first, what is asked, and the command that answers it."""
