"""Gribble: what emulators need, what you have, and how to put it right."""

__version__ = "0.1.0"
