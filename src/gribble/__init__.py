"""Gribble: what emulators need, what you have, and how to put it right."""
