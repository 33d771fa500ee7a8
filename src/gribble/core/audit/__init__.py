"""Needs against holdings: verdicts, remedies and states, as pure functions."""
