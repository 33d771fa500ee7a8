"""A guess at what a wrong word was meant to be."""

from __future__ import annotations


def nearest(word: str, known: list[str], least: float = 0.6) -> str:
    """The known word that may be meant, of at least so much likeness (0 to 1); empty if none is near."""
    import difflib  # which only a wrong word has use for

    return next(iter(difflib.get_close_matches(word, known, n=1, cutoff=least)), "")


def suggest(word: str, known: list[str], most: int = 20) -> str:
    """ "; did you mean 'x'?" for the nearest known word, else the known ones if they are at most so many."""
    if near := nearest(word, known):
        return f"; did you mean '{near}'?"
    return f"; known: {', '.join(sorted(known))}" if 0 < len(known) <= most else ""
