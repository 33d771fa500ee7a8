"""Answers to text, JSON and pages; the only place that knows colours."""
